package nursery_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/supply"
	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/heal"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/store"
)

func TestARecountIsALineOfItsOwn(t *testing.T) {
	h := newHouse(t)
	require.NoError(t, h.AddLot(ctx, h.maud, lot("L-1", 100)))
	for _, c := range []struct{ counted, diff, free, lost int }{{92, -8, 92, 8}, {92, 0, 92, 8}, {97, 5, 97, 3}, {110, 13, 110, 0}} {
		diff, err := h.Recount(ctx, h.maud, "L-1", c.counted)
		require.NoError(t, err)
		assert.Equal(t, c.diff, diff)
		p, err := h.Lot(ctx, "L-1", 0)
		require.NoError(t, err)
		got := map[string]int{}
		for _, b := range p.Balances {
			got[b.Account] = b.N
		}
		assert.Equal(t, c.free, got[store.Free])
		assert.Equal(t, c.lost, got[store.Lost])
	}
	p, err := h.Lot(ctx, "L-1", 0)
	require.NoError(t, err)
	assert.Equal(t, string(tally.Recounted), p.Moves[0].Reason)
	assert.Equal(t, "110 counted, 97 in the ledger", p.Moves[0].Note)
	_, err = h.Recount(ctx, h.maud, "L-1", -1)
	isProblem(t, err, "whole number")
	_, err = h.Recount(ctx, h.eye, "L-1", 5)
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
}

func TestFailedStocksComeBackAsALot(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 20)
	ts := h.finished(12, h.ansel)
	isProblem(t, h.ReturnFailed(ctx, h.maud, "L-1", stock.Returning{NewCode: "L-1-F", Place: "", N: 1}),
		"0 stocks of lot L-1 are counted dead")
	count, err := h.Count(ctx, ts[0].Code, "first look")
	require.NoError(t, err)
	tied := count.Tag.Tied
	require.Greater(t, tied, 3)
	require.NoError(
		t,
		h.KeepCount(
			ctx,
			h.maud,
			ts[0].Code,
			heal.NewCount{ID: h.uuid(), Look: "first look", Taken: tied - 3, Dead: 3, Causes: map[string]int{"dried out": 3}},
		),
	)
	p, err := h.Lot(ctx, "L-1", 0)
	require.NoError(t, err)
	assert.Equal(t, 3, p.Failed.N)
	assert.Contains(t, p.Failed.Tags, ts[0].Code)
	isProblem(t, h.ReturnFailed(ctx, h.maud, "L-1", stock.Returning{NewCode: "L-1-F", Place: "", N: 4}), "3 stocks of lot L-1")
	require.NoError(t, h.ReturnFailed(ctx, h.maud, "L-1", stock.Returning{NewCode: "l-1-f", Place: "north bed", N: 2}))
	back, err := h.Lot(ctx, "L-1-F", 0)
	require.NoError(t, err)
	assert.Equal(t, 2, back.Lot.Free)
	told := func(p stock.LotPage) (kinds []string) {
		for _, e := range p.Story {
			kinds = append(kinds, e.Kind+" "+e.Lot)
		}
		return kinds
	}
	assert.Equal(t, []string{"came L-1", "worked L-1", "back L-1"}, told(back), "back through the lot they came from")
	assert.Equal(t, 3, back.Story[1].Dead)
	assert.Contains(t, back.Lot.FailedNote, ts[0].Code)
	require.NotNil(t, back.Lot.GradeLow, "its classes are those of the tags they failed in")
	require.NotNil(t, back.Lot.WaitsUntil, "not to the bench on the day they failed")
	assert.True(t, back.Lot.WaitsUntil.After(h.Today()))
	assert.Equal(t, []supply.Gate{supply.NotYet}, back.Out.Gates)
	require.NoError(t, h.ReturnFailed(ctx, h.maud, "L-1", stock.Returning{NewCode: "L-1-G", N: 1, Low: 9, High: 12}))
	thick, err := h.Lot(ctx, "L-1-G", 0)
	require.NoError(t, err)
	assert.Equal(t, 9.0, *thick.Lot.GradeLow, "as they are now")
	p, err = h.Lot(ctx, "L-1", 0)
	require.NoError(t, err)
	assert.Zero(t, p.Failed.N)
	assert.Equal(t, []string{"came L-1", "worked L-1", "back L-1", "back L-1"}, told(p), "both that came back")
	isProblem(t, h.ReturnFailed(ctx, h.maud, "L-1", stock.Returning{NewCode: "L-1-F", N: 1}), "0 stocks of lot L-1")
}

func TestLooksAtALot(t *testing.T) {
	h := newHouse(t)
	require.NoError(t, h.AddLot(ctx, h.maud, lot("L-1", 100)))
	require.NoError(t, h.LookAtLot(ctx, h.ansel, "L-1", store.LotLook{Ready: "watch", Roots: "dry"}))
	isProblem(t, h.LookAtLot(ctx, h.maud, "L-1", store.LotLook{Ready: "maybe"}), "Choose one")
	p, err := h.Lot(ctx, "L-1", 0)
	require.NoError(t, err)
	require.Len(t, p.Looks, 1)
	assert.Equal(t, "dry", p.Looks[0].Roots)
}

func TestReadingsOfTheSummerTellGrowth(t *testing.T) {
	h := newHouse(t)
	h.on(2027, 6, 1)
	require.NoError(t, h.AddLot(ctx, h.maud, lot("L-1", 12)))
	for i := range 3 {
		h.on(2027, 6, 1+14*i)
		base := 6 + float64(i)
		require.NoError(
			t,
			h.AddReadings(ctx, h.maud, "L-1", []float64{base, base + 0.2, base - 0.2, base, base + 0.1, base - 0.1}),
			"more readings in all than stems, but not of one day",
		)
	}
	p, err := h.Lot(ctx, "L-1", 9)
	require.NoError(t, err)
	require.True(t, p.Grown.Known)
	assert.InDelta(t, 0.5, p.Grown.Growth.PerWeek, 1e-9)
	assert.Equal(t, time.Date(2027, 7, 13, 0, 0, 0, 0, time.UTC), p.Grown.Reach.On)
	isProblem(t, h.AddReadings(ctx, h.maud, "L-1", []float64{8, 8, 8, 8, 8, 8, 8}), "would be too many")
	require.NoError(t, h.TakeBackReading(ctx, h.maud, "L-1", 8.2))
	isProblem(t, h.TakeBackReading(ctx, h.maud, "L-1", 8.2), "No reading of 8.2 mm")
}
