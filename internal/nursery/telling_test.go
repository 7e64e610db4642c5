package nursery_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/ways"
)

// TestTheDaysArePlannedSoThatCountsTell has two hands who would each have a lot to
// themselves, and plans the days both ways.
func TestTheDaysArePlannedSoThatCountsTell(t *testing.T) {
	h := woven(t)
	told, err := h.Telling(ctx)
	require.NoError(t, err)
	require.False(t, told.On)
	require.Positive(t, told.Grafts)
	require.NotEmpty(t, told.Over)
	assert.Less(t, told.So.Workers, told.As.Workers)
	assert.Less(t, told.As.Workers, told.Now.Workers, "counts to come tell something")

	plain := h.plan()
	require.NoError(t, h.UndoPlan(ctx, h.maud))
	require.NoError(t, h.ChooseWay(ctx, h.maud, string(ways.Sharing), ways.SoThatCountsTell))
	done := h.plan()
	assert.Equal(t, plain.Late, done.Late, "at no loss of time")
	assert.Equal(t, plain.Made, done.Made)
	h.conserved()
	want := map[[2]string]int{}
	for l, ws := range told.Meet {
		for w, m := range ws {
			want[[2]string{told.Lots[l], told.Workers[w]}] = m.So
		}
	}
	for _, x := range h.openTags() {
		want[[2]string{x.Lot, x.Worker}] -= x.Planned
	}
	for who, n := range want {
		assert.Zero(t, n, "the day plan does what was shown: %v", who)
	}
	told, err = h.Telling(ctx)
	require.NoError(t, err)
	assert.True(t, told.On)
}
