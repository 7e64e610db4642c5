package tagcode_test

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/tagcode"
)

func TestOneSlipOrSwapNeverGivesAnotherCode(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 200 {
		code := tagcode.New(r)
		got, err := tagcode.Parse(code)
		require.NoError(t, err)
		require.Equal(t, code, got)
		for i := range code {
			if code[i] == '-' {
				continue
			}
			for _, c := range "ABCDEFGHJKLMNPQRSTVWXYZ23456789" {
				if byte(c) == code[i] {
					continue
				}
				_, err := tagcode.Parse(code[:i] + string(c) + code[i+1:])
				require.Error(t, err, "%s with %c at %d", code, c, i)
			}
			if j := i + 1; i >= 3 && j < len(code) && code[i] != code[j] {
				b := []byte(code)
				b[i], b[j] = b[j], b[i]
				_, err := tagcode.Parse(string(b))
				require.Error(t, err, "%s swapped at %d", code, i)
			}
		}
	}
}

func TestParseForgivesHowItWasTyped(t *testing.T) {
	code := tagcode.New(rand.New(rand.NewPCG(1, 1)))
	for _, typed := range []string{strings.ToLower(code), " " + code + "\n", strings.ReplaceAll(code, "-", ""),
		"http://bench.example/" + code} {
		got, err := tagcode.Parse(typed)
		require.NoError(t, err, typed)
		assert.Equal(t, code, got)
	}
	for _, bad := range []string{"", "R4", "lot-12", "R4-KMTEE"} {
		_, err := tagcode.Parse(bad)
		assert.ErrorIs(t, err, tagcode.ErrShape, bad)
	}
}

func FuzzParse(f *testing.F) {
	f.Add("R4-KMTE")
	f.Fuzz(func(t *testing.T, s string) {
		code, err := tagcode.Parse(s)
		if err == nil {
			again, err := tagcode.Parse(code)
			require.NoError(t, err)
			require.Equal(t, code, again)
		}
	})
}
