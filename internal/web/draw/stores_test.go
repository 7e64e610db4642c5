package draw_test

import (
	"math"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
	"unionknot/internal/core/wood"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/web/draw"
)

func TestTheStoreDrawsReadingsHarmsAndGaps(t *testing.T) {
	to := time.Date(2027, 2, 23, 14, 0, 0, 0, time.UTC)
	c := outlook.ColdPage{Place: store.ColdPlace{Name: "cold & dark", LowC: 0, HighC: 4}, From: to.AddDate(0, 0, -40), To: to, NowC: 1.2,
		Harms: []wood.Harm{{Kind: "warmth", From: to.AddDate(0, 0, -9), To: to.AddDate(0, 0, -5), WorstC: 9}}}
	sound(t, "no readings", draw.Cold(c))
	for h := range 40 * 24 {
		at := c.From.Add(time.Duration(h) * time.Hour)
		if d := to.Sub(at).Hours() / 24; d > 20 && d < 25 {
			continue // a gap stays open
		}
		c.Readings = append(c.Readings, store.ColdReading{At: at, C: 1 + 3*math.Sin(float64(h))})
	}
	svg := draw.Cold(c)
	sound(t, "cold", svg)
	assert.Contains(t, svg, "warmth")
	assert.Contains(t, svg, "safe, 0 to 4 °C")
	path := string(svg)[strings.Index(string(svg), "cold-line"):]
	assert.Equal(t, 2, strings.Count(path[:strings.Index(path, "/>")], "M"), "two strokes, one each side of the gap")
	for _, used := range []float64{-1, 0, 0.4, 0.9, 3, math.Inf(1)} {
		if !math.IsInf(used, 0) {
			sound(t, "life", draw.Life(outlook.Kept{Keeping: wood.Keeping{Used: used}}))
		}
	}
}

func TestGrowthIsDrawnOnlyWhereItIsKnown(t *testing.T) {
	assert.Empty(t, draw.Growth(stock.Grown{}))
	day := func(n int) time.Time { return time.Date(2027, 6, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, n) }
	for _, later := range [][]float64{{6, 6.2, 6.4}, {5, 5, 5}, {4, 4.1}} {
		g := stock.Grown{Samples: []caliper.Dated{{On: day(0), MM: []float64{5, 5.1, 5.2}}, {On: day(30), MM: later}}, Known: true, Want: 8}
		var err error
		g.Growth, err = caliper.Grow(g.Samples)
		require.NoError(t, err)
		g.Reach, g.Reaches = g.Growth.Reaches(8)
		svg := draw.Growth(g)
		sound(t, "growth", svg)
		assert.Equal(t, 3+len(later), strings.Count(string(svg), "growth-stem"), "every stem is a dot")
		assert.Contains(t, svg, "8 mm wanted")
	}
}

func TestAStrandDrawsEachPairOnce(t *testing.T) {
	l := match.ProgrammeLine{Line: outlook.OrderLine{Order: store.Order{Code: "O-1"}}, Paired: 12, Short: 3,
		Stock: []caliper.Count{{Class: 16, N: 20}, {Class: 18, N: 5}}, Wood: []caliper.Count{{Class: 15, N: 9}},
		Threads: []pairing.Thread{
			{Lot: "a", Stock: 16, Bundle: "x", Scion: 15, Way: "splice", N: 5},
			{Lot: "b", Stock: 16, Bundle: "x", Scion: 15, Way: "splice", N: 4},
			{Lot: "b", Stock: 18, Bundle: "x", Scion: 15, Way: "cleft", N: 3, Held: true},
		}}
	low, high := draw.StrandSpan([]match.ProgrammeLine{l})
	assert.Equal(t, []caliper.Class{15, 18}, []caliper.Class{low, high})
	svg := draw.Strand(l, low, high, map[string]int{"splice": 0, "cleft": 1})
	sound(t, "strand", svg)
	assert.Equal(t, 2, strings.Count(string(svg), `class="thread`))
	assert.Contains(t, svg, "<title>9: ")
	assert.Equal(t, 1, strings.Count(string(svg), " held"))
	low, high = draw.StrandSpan(nil)
	sound(t, "nothing", draw.Strand(match.ProgrammeLine{}, low, high, nil))
}
