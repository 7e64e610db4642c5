package main

import (
	"bytes"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/nursery/access"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/testhouse"
)

// TestTheConsoleLetsIn lists people and brings one who forgot back in.
func TestTheConsoleLetsIn(t *testing.T) {
	db := testhouse.Demo(t)
	account := func(args ...string) (string, error) {
		c := accountCommand(settings{DB: testhouse.Address(t, db)})
		var out bytes.Buffer
		c.SetOut(&out)
		c.SetErr(&out)
		c.SetArgs(args)
		err := c.ExecuteContext(t.Context())
		return out.String(), err
	}
	out, err := account("list")
	require.NoError(t, err)
	assert.Contains(t, out, "Maud Thirlby")
	assert.Contains(t, out, "bench hand")
	_, err = account("reset", "nobody")
	assert.ErrorContains(t, err, "account list")
	_, err = account("unlock", "maud")
	require.NoError(t, err)
	out, err = account("propagator", "ansel")
	require.NoError(t, err)
	code := regexp.MustCompile(`[A-Z2-7]{6}(-[A-Z2-7]{6}){3}`).FindString(out)
	require.NotEmpty(t, code)
	n, err := stages.New(t.Context(), db, testhouse.Quiet)
	require.NoError(t, err)
	a, err := n.UseCode(t.Context(), code, access.NewSecrets{Password: "seven wet mittens"})
	require.NoError(t, err)
	assert.Equal(t, "propagator", string(a.Role))
}
