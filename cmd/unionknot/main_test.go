package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/calc"
	"unionknot/internal/store"
	"unionknot/internal/testhouse"
)

func TestATakenPortIsSaidWithWhatToDo(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	_, err = listen(l.Addr().String(), "UNIONKNOT_LISTEN")
	assert.ErrorContains(t, err, "is taken")
	assert.ErrorContains(t, err, "make stop")
	assert.ErrorContains(t, err, "UNIONKNOT_LISTEN")
}

func TestNoDatabaseIsSaid(t *testing.T) {
	_, err := settings{}.open(context.Background())
	assert.ErrorContains(t, err, "UNIONKNOT_DB is not set")
	ctx, stop := context.WithTimeout(context.Background(), 3*time.Second)
	defer stop()
	_, err = settings{DB: "postgres://x:y@127.0.0.1:1/none?sslmode=disable"}.open(ctx)
	assert.ErrorContains(t, err, "reaching the database")
}

func TestExitCodes(t *testing.T) {
	assert.Equal(t, 2, exitCode(fmt.Errorf("line 3: %w", calc.ErrInput)))
	assert.Equal(t, 1, exitCode(errors.New("anything else")))
}

// TestStoppingFinishesWhatWasBegun stops the server while an answer is on its
// way: the answer arrives.
func TestStoppingFinishesWhatWasBegun(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	begun, goOn := make(chan struct{}), make(chan struct{})
	h := http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		close(begun)
		<-goOn
		w.Write([]byte("kept"))
	})
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- run(ctx, testhouse.Quiet, l, h) }()
	answer := make(chan string, 1)
	go func() {
		r, err := http.Get("http://" + l.Addr().String())
		if err != nil {
			answer <- err.Error()
			return
		}
		defer r.Body.Close()
		var b bytes.Buffer
		b.ReadFrom(r.Body)
		answer <- b.String()
	}()
	<-begun
	stop()
	close(goOn)
	assert.Equal(t, "kept", <-answer)
	assert.NoError(t, <-ended)
}

func TestTheProgramAsksAndAnswers(t *testing.T) {
	bin := filepath.Join(t.TempDir(), "unionknot")
	out, err := exec.Command("go", "build", "-o", bin, ".").CombinedOutput()
	require.NoError(t, err, "%s", out)
	ask := func(in string, args ...string) (string, string, int) {
		c := exec.Command(bin, args...)
		c.Stdin = strings.NewReader(in)
		var out, bad bytes.Buffer
		c.Stdout, c.Stderr = &out, &bad
		err := c.Run()
		var exit *exec.ExitError
		if errors.As(err, &exit) {
			return out.String(), bad.String(), exit.ExitCode()
		}
		require.NoError(t, err)
		return out.String(), bad.String(), 0
	}
	got, _, code := ask(`{"sizing":[{"trees_wanted":140,"chance":0.9,"alpha":207.4,"beta":22.6}]}`, "calc", "craft")
	assert.Zero(t, code)
	assert.Contains(t, got, `"grafts": 162`)
	got, bad, code := ask("tag,worker\n", "calc", "take")
	assert.Equal(t, 2, code)
	assert.Empty(t, got)
	assert.Equal(t, 1, strings.Count(bad, "\n"), "one line: %s", bad)
	_, bad, code = ask("", "calc", "moon")
	assert.Equal(t, 2, code)
	assert.Contains(t, bad, "craft, knots, limits, pair, rehearse, take")
}

func TestVersionSaysWhichTablesItKnows(t *testing.T) {
	c := versionCommand()
	var out bytes.Buffer
	c.SetOut(&out)
	require.NoError(t, c.Execute())
	known, err := store.Newest()
	require.NoError(t, err)
	assert.Contains(t, out.String(), fmt.Sprintf("tables %d,", known))
}
