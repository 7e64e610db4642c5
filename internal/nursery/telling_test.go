package nursery_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/ways"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/store"
	"unionknot/internal/words"
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
	require.NoError(t, h.ChooseWay(ctx, h.maud, string(ways.Sharing), words.SoThatCountsTell))
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

// TestATagKeepsTheFormItsStockHad moves a lot after some of it was grafted: what was grafted
// before was of the form it had then, so many days out of the ground.
func TestATagKeepsTheFormItsStockHad(t *testing.T) {
	h := newHouse(t)
	h.stocked(200, 60, 40)
	first := h.made("O-1", 20)
	h.on(2027, 2, 26)
	_, err := h.MoveStems(ctx, h.maud, "L-1", stock.Moving{Doing: "potted", Place: "frame"})
	require.NoError(t, err)
	h.on(2027, 3, 1)
	second := h.made("O-1", 20)
	h.on(2027, 4, 20)
	for _, ts := range [][]store.Tag{first, second} {
		for _, x := range ts {
			h.count(x, x.Planned, 0, 0)
		}
	}
	rs, err := h.db.Q().TakeRecords(ctx, store.TakeFilter{})
	require.NoError(t, err)
	require.Len(t, rs, len(first)+len(second))
	var received string
	require.NoError(t, h.db.Get(&received, `select received_on::text from stock_lot where code = 'L-1'`))
	for i, r := range rs {
		if i < len(first) {
			assert.Equal(t, "bare-root", r.Form)
			assert.Equal(t, received, r.Day.AddDate(0, 0, -int(r.Lifted)).Format("2006-01-02"), "counted from when it came")
		} else {
			assert.Equal(t, "potted", r.Form)
			assert.Negative(t, r.Lifted)
		}
	}
}
