package nursery

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/store"
)

// tags makes counted tags of two hands of the same skill. Hand 1 has the weak
// lot most of the time.
func tags(n int) []store.TakeRecord {
	r := rand.New(rand.NewPCG(4, 4))
	var out []store.TakeRecord
	for i := range n {
		hand, lot := fmt.Sprint(1+i%2), "good"
		if hand == "1" && i%8 != 0 || hand == "2" && i%8 == 1 {
			lot = "weak"
		}
		share := map[string]float64{"good": 0.92, "weak": 0.6}[lot]
		t := store.TakeRecord{Worker: hand, Name: "Hand " + hand, Technique: "splice", Lot: lot, Bundle: fmt.Sprint("b", i%9), Grafts: 24}
		for range 24 {
			if r.Float64() < share {
				t.Took++
			}
		}
		out = append(out, t)
	}
	return out
}

func TestAFairTakeWeighsTheLot(t *testing.T) {
	rs := tags(80)
	raw := map[string]float64{}
	for _, r := range rs {
		raw[r.Worker] += float64(r.Took) / 24 / 40
	}
	require.Greater(t, raw["2"]-raw["1"], 0.15, "raw, the one hand looks far worse")
	f, err := fairOf(rs, map[string]string{"splice": "splice"})
	require.NoError(t, err)
	one, two := f.Lines["worker"]["1"], f.Lines["worker"]["2"]
	assert.InDelta(t, two.Take.Mean, one.Take.Mean, 0.04, "fair, they are alike")
	assert.Greater(t, f.Lines["lot"]["good"].Take.Mean-f.Lines["lot"]["weak"].Take.Mean, 0.15)
	assert.True(t, one.Take.Low < one.Take.Mean && one.Take.Mean < one.Take.High)
	assert.NotEmpty(t, one.Working.Inputs)
	assert.Contains(t, f.Ordinary, "splice")
	assert.Empty(t, f.Alone)
}

func TestWhatCannotBeToldIsSaid(t *testing.T) {
	rs := tags(40)
	for i := range rs {
		rs[i].Lot = "lot of " + rs[i].Worker
	}
	f, err := fairOf(rs, nil)
	require.NoError(t, err)
	says := strings.Join(f.Alone, "\n")
	assert.Contains(t, says, "Each worker always went with the same lot")
	assert.Contains(t, says, "Only Hand 1 grafted lot lot of 1")
	for i := range 900 {
		x := rs[i%40]
		x.Lot, x.Bundle = fmt.Sprint("l", i), fmt.Sprint("b", i)
		rs = append(rs, x)
	}
	f, err = fairOf(rs, nil)
	require.NoError(t, err)
	assert.Contains(t, f.Why, "Choose a season or a genus", "a page must not wait for minutes")
	assert.Empty(t, f.Lines)
	f, err = fairOf(rs[:5], nil)
	require.NoError(t, err)
	assert.Contains(t, f.Why, "need 12 counted tags")
	assert.Empty(t, f.Lines)
}

func TestCausesThatStandOut(t *testing.T) {
	ts := []store.Took{{Key: "a", Counted: 100}, {Key: "b", Counted: 100}}
	got := moreThanOthers([]store.GroupCause{{Key: "a", Cause: "dried out", N: 30}, {Key: "b", Cause: "dried out", N: 3}, {Key: "c", Cause: "dried out", N: 4},
		{Key: "b", Cause: "animals", N: 2}, {Key: "b", Cause: "not known", N: 40}}, ts, store.Took{Counted: 260})
	require.Len(t, got["a"], 1)
	assert.Equal(t, "dried out", got["a"][0].Cause)
	assert.InDelta(t, 7.0/160, got["a"][0].Rest, 1e-9, "of all others, named or not")
	assert.Empty(t, got["b"], "two are no pattern, and not known is no cause")
}

func TestALineSaysWhereItLiesBesideLuck(t *testing.T) {
	all := store.Took{Counted: 1000, Taken: 900, Dead: 100}
	low := resultLine(store.Took{Name: "x", Counted: 100, Taken: 70, Dead: 30}, priorOf(all), all)
	assert.Equal(t, -2, low.Beyond)
	usual := resultLine(store.Took{Name: "x", Counted: 100, Taken: 89, Dead: 11}, priorOf(all), all)
	assert.Zero(t, usual.Beyond)
	alone := resultLine(store.Took{Name: "x", Counted: 1000, Taken: 500, Dead: 500}, priorOf(all), store.Took{Counted: 1000, Taken: 500})
	assert.Zero(t, alone.Beyond, "with nobody beside it there is no luck to differ from")
}
