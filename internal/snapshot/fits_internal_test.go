package snapshot

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestASlowFitIsMadeAnewBehindThePage: the page gets the answer before, is
// told so, and finds the new one when it is done.
func TestASlowFitIsMadeAnewBehindThePage(t *testing.T) {
	var f Fits[int]
	ask := func(mark string, n int, slow time.Duration, gate chan struct{}) (int, bool) {
		work := func() (int, error) {
			if gate != nil {
				<-gate
			}
			time.Sleep(slow)
			return n, nil
		}
		v, behind, err := f.Get("q", mark, work, work)
		require.NoError(t, err)
		return v, behind
	}
	v, behind := ask("a", 1, slowFit+10*time.Millisecond, nil)
	assert.Equal(t, 1, v)
	assert.False(t, behind, "nothing came before it")
	gate := make(chan struct{})
	for range 2 { // the second finds it being worked out
		v, behind = ask("b", 2, 0, gate)
		assert.Equal(t, 1, v)
		assert.True(t, behind)
	}
	close(gate)
	require.Eventually(t, func() bool {
		v, behind = ask("b", 9, 0, nil)
		return v == 2 && !behind
	}, 5*time.Second, 5*time.Millisecond)
	v, behind = ask("c", 3, 0, nil)
	assert.Equal(t, 3, v, "a quick one is waited for")
	assert.False(t, behind)
}
