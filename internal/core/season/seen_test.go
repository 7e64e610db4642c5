package season_test

import (
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/season"
)

// TestABeliefCutByWhatWasSeenIsWhatDrawingsGive draws a great many years by
// the usual date and its spread, keeps those that agree with what was seen,
// and compares their mean and middle.
func TestABeliefCutByWhatWasSeenIsWhatDrawingsGive(t *testing.T) {
	usual := time.Date(2027, 3, 5, 0, 0, 0, 0, time.UTC)
	for name, c := range map[string]struct{ after, by int }{"between": {-6, 3}, "only after": {2, 1000}, "only by": {-1000, -4},
		"far after": {14, 1000}} {
		var seen []season.Observation
		if c.after > -1000 {
			seen = append(seen, season.Observation{Says: "buds tight", On: usual.AddDate(0, 0, c.after)})
		}
		if c.by < 1000 {
			seen = append(seen, season.Observation{Says: "buds swell", On: usual.AddDate(0, 0, c.by)})
		}
		d := dated(t, full(0).With(season.Known{NoNormal: true, Seen: seen}, 2027, 2027), season.BudSwell, 2027)
		r := rand.New(rand.NewPCG(8, 8))
		var kept []float64
		sum := 0.0
		for len(kept) < 20_000 {
			if x := 9 * r.NormFloat64(); x > float64(c.after) && x <= float64(c.by) {
				kept = append(kept, x)
				sum += x
			}
		}
		slices.Sort(kept)
		assert.InDelta(t, sum/float64(len(kept)), d.Days(), 0.8, name)
		assert.InDelta(t, kept[len(kept)/20], d.Low.Sub(usual).Hours()/24, 1.2, name)
		assert.InDelta(t, kept[len(kept)*19/20], d.High.Sub(usual).Hours()/24, 1.2, name)
		assert.False(t, d.On.Before(d.Low) || d.On.After(d.High), name)
	}
}

func TestEverySightTellsOfSomething(t *testing.T) {
	for _, s := range season.Sights {
		require.Len(t, s.Tells, len(s.Kinds), s.Says)
		if s.Says == season.FreshFlush {
			continue
		}
		moved := false
		for m := time.January; m <= time.December && !moved; m++ {
			for _, day := range []int{5, 20} {
				y := full(
					0,
				).With(season.Known{NoNormal: true, Seen: []season.Observation{{Says: s.Says,
					On: time.Date(2027, m, day, 0, 0, 0, 0, time.UTC)}}}, 2026, 2028)
				moved = moved || slices.ContainsFunc(y.Dated, func(d season.Dated) bool { return d.Days() != 0 })
			}
		}
		assert.True(t, moved, "%s never moves anything", s.Says)
	}
	y := full(0).With(season.Known{NoNormal: true, Seen: []season.Observation{{Says: "pigs fly", On: on(2027, 3, 5)}}}, 2027, 2027)
	assert.False(t, y.Moved(2027))
}

// TestTheBandHoldsWhateverIsSeen throws sights at a year at random: the states
// still cover it in order, without gaps.
func TestTheBandHoldsWhateverIsSeen(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 28))
	for range 300 {
		var k season.Known
		k.Normals = normals
		for range r.IntN(6) {
			k.Seen = append(
				k.Seen,
				season.Observation{Says: season.Sights[r.IntN(len(season.Sights))].Says, On: on(2027, 1, 1).AddDate(0, 0, r.IntN(365))},
			)
		}
		if r.IntN(2) == 0 {
			k.Weather = weather(on(2027, 1, 1), on(2027, 1, 1).AddDate(0, 0, r.IntN(150)), 8*r.Float64()-4)
		}
		y := full(6*r.IntN(2)).With(k, 2026, 2028)
		band := y.Band(2027)
		require.NotEmpty(t, band)
		assert.Equal(t, time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC), band[0].From)
		for i := 1; i < len(band); i++ {
			require.Equal(t, band[i-1].To, band[i].From)
			require.True(t, band[i].From.Before(band[i].To))
		}
		for _, d := range y.Dated {
			require.False(t, d.On.Before(d.Usual.AddDate(0, 0, -190)) || d.On.After(d.Usual.AddDate(0, 0, 190)), "%+v", d)
		}
	}
}

func TestWarmthToCome(t *testing.T) {
	y := full(0)
	k := season.Known{Normals: normals, Weather: weather(on(2027, 1, 1), on(2027, 2, 20), 2)}
	w, ok := y.WarmthOf(k, on(2027, 2, 23))
	require.True(t, ok)
	assert.Equal(t, time.January, w.From.Month())
	assert.Greater(t, w.Sum(on(2027, 2, 20), false), w.Sum(on(2027, 2, 20), true))
	_, ok = y.WarmthOf(season.Known{Normals: normals}, on(2027, 2, 23))
	assert.False(t, ok, "without readings there is nothing to show")
	_, ok = season.Year{}.WarmthOf(k, on(2027, 2, 23))
	assert.False(t, ok)
	_, ok = y.WarmthOf(k, on(2026, 11, 20))
	assert.True(t, ok, "in autumn it is the coming spring's")
}
