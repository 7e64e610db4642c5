package main

import (
	"bufio"
	"bytes"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTheSimulatedLoggerSendsAsARealOneWould(t *testing.T) {
	lines, messages := 0, 0
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/intake/store" || r.Header.Get("Authorization") != "Bearer k" {
			http.Error(w, "no store's logger has this key", http.StatusUnauthorized)
			return
		}
		messages++
		n := 0
		for in := bufio.NewScanner(r.Body); in.Scan(); n++ {
		}
		assert.LessOrEqual(t, n, 5000)
		lines += n
		fmt.Fprintf(w, "%d new of %d\n", n, n)
	}))
	defer s.Close()
	run := func(args ...string) (string, error) {
		c := loggerCommand()
		var out bytes.Buffer
		c.SetOut(&out)
		c.SetErr(&out)
		c.SilenceUsage = true
		c.SetArgs(append([]string{"--url", s.URL + "/"}, args...))
		err := c.Execute()
		return out.String(), err
	}
	said, err := run("--key", "k", "--hours", "24", "--until", "2027-02-23T14:00:00+01:00", "--off", "7")
	require.NoError(t, err)
	assert.Equal(t, "48 new of 48\n", said)
	_, err = run("--key", "k", "--hours", "168", "--every", "1m")
	require.NoError(t, err)
	assert.Equal(t, 48+168*60, lines)
	assert.Equal(t, 4, messages, "in messages that the intake takes")
	file := filepath.Join(t.TempDir(), "key")
	require.NoError(t, os.WriteFile(file, []byte("k\n"), 0o600))
	said, err = run("--key-file", file, "--hours", "1", "--until", "2027-02-24T14:00:00+01:00")
	require.NoError(t, err)
	assert.Equal(t, "2 new of 2\n", said)
	_, err = run("--key", "wrong")
	assert.ErrorContains(t, err, "no store's logger has this key")
	_, err = run("--until", "noon")
	assert.ErrorContains(t, err, "is not a time")
}
