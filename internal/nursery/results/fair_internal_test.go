package results

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/working"
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
	f, err := fairOf(rs, nil, map[string]string{"splice": "splice"})
	require.NoError(t, err)
	one, two := f.Lines["worker"]["1"], f.Lines["worker"]["2"]
	assert.InDelta(t, two.Take.Mean, one.Take.Mean, 0.04, "fair, they are alike")
	assert.Greater(t, f.Lines["lot"]["good"].Take.Mean-f.Lines["lot"]["weak"].Take.Mean, 0.15)
	assert.True(t, one.Take.Low < one.Take.Mean && one.Take.Mean < one.Take.High)
	assert.NotEmpty(t, one.Working.Inputs)
	assert.Equal(t, 80, f.Over)
	assert.Equal(
		t,
		[]string{"No difference between workers is found beyond luck: these counts cannot tell workers apart."},
		f.Alone,
		"as it is",
	)
}

func TestWhatCannotBeToldIsSaid(t *testing.T) {
	rs := tags(40)
	for i := range rs {
		rs[i].Lot = "lot of " + rs[i].Worker
	}
	f, err := fairOf(rs, nil, nil)
	require.NoError(t, err)
	says := strings.Join(f.Alone, "\n")
	assert.Contains(t, says, "Each worker always went with the same lot")
	assert.Contains(t, says, "Only Hand 1 grafted lot lot of 1")
	for i := range 900 {
		x := rs[i%40]
		x.Lot, x.Bundle = fmt.Sprint("l", i), fmt.Sprint("b", i)
		rs = append(rs, x)
	}
	f, err = fairOf(rs, nil, nil)
	require.NoError(t, err)
	assert.Empty(t, f.Why)
	assert.Len(t, f.Lines["lot"], 902, "however many lots there are")
	f, err = fairOf(rs[:5], nil, nil)
	require.NoError(t, err)
	assert.Contains(t, f.Why, "need 12 counted tags")
	assert.Empty(t, f.Lines)
}

func TestCausesThatStandOut(t *testing.T) {
	ts := []store.Took{{Key: "a", Counted: 100}}
	causes := []store.GroupCause{
		{Key: "a", Cause: "dried out", N: 30},
		{Key: "b0", Cause: "animals", N: 2},
		{Key: "b1", Cause: "not known", N: 40},
	}
	for i := range 10 {
		key := fmt.Sprint("b", i)
		ts = append(ts, store.Took{Key: key, Counted: 100})
		causes = append(causes, store.GroupCause{Key: key, Cause: "dried out", N: 3 + i%3})
	}
	got := moreThanOthers(causes, ts)
	require.Len(t, got["a"], 1)
	assert.Equal(t, "dried out", got["a"][0].Cause)
	assert.InDelta(t, 39.0/1000, got["a"][0].Rest, 1e-9, "of all others, named or not")
	assert.Empty(t, got["b0"], "two are no pattern")
	assert.Empty(t, got["b1"], "not known is no cause")
}

func TestALineSaysWhereItLiesBesideTheOthers(t *testing.T) {
	all := store.Took{Counted: 1100, Taken: 970, Dead: 130}
	ts := []store.Took{{Name: "x", Counted: 100, Taken: 60, Dead: 40}}
	for i := range 10 {
		ts = append(ts, store.Took{Name: "y", Counted: 100, Taken: 89 + i%5, Dead: 11 - i%5})
	}
	ls := resultLines(ts, priorOf(all), all, nil)
	assert.Equal(t, -1, ls[0].Flag)
	for _, l := range ls[1:] {
		assert.Zero(t, l.Flag)
	}
	assert.Zero(t, resultLines(ts[:1], priorOf(all), all, nil)[0].Flag, "with nobody beside it there is nothing to differ from")
}

func TestAResultShowsItsWorking(t *testing.T) {
	l := resultLine(
		store.Took{Name: "Ansel", Tags: 2, Counted: 3, Taken: 3},
		priorOf(store.Took{Counted: 100, Taken: 80}),
		store.Took{Counted: 100, Taken: 80},
	)
	assert.True(t, l.Uncertain, "three of three says little")
	assert.Less(t, l.Take.Mean, 1.0)
	assert.Equal(t, working.OwnRecords, l.Working.Inputs[0].Source)
}
