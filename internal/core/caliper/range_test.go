package caliper_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
)

// TestGrowthsRangeHoldsTheTruth draws lots whose growth is known, measured on
// few days and of few stems, where days stray and where they do not.
func TestGrowthsRangeHoldsTheTruth(t *testing.T) {
	for name, c := range map[string]struct {
		days, stems   int
		spread, stray float64
	}{
		"2 days of 3 stems":            {2, 3, 0.8, 0},
		"2 days of 4 stems":            {2, 4, 0.8, 0},
		"2 days of 4, stems differ":    {2, 4, 1.6, 0},
		"2 days of 20":                 {2, 20, 0.8, 0},
		"4 days of 20":                 {4, 20, 0.8, 0},
		"5 days of 30, days stray":     {5, 30, 0.8, 0.2},
		"8 days of 30, days stray":     {8, 30, 0.8, 0.4},
		"4 days of 20, stray a little": {4, 20, 0.8, 0.1},
	} {
		t.Run(name, func(t *testing.T) {
			r := rand.New(rand.NewPCG(7, 70))
			in, runs := 0, 500
			for range runs {
				var ss []caliper.Dated
				for d := range c.days {
					week := float64(d) * 6 / float64(c.days-1)
					s := caliper.Dated{
						On: time.Date(2027, 6, 1, 0, 0, 0, 0, time.UTC).Add(time.Duration(week * 7 * 24 * float64(time.Hour))),
					}
					off := c.stray * r.NormFloat64()
					for range c.stems {
						s.MM = append(s.MM, 8+0.2*week+off+c.spread*r.NormFloat64())
					}
					ss = append(ss, s)
				}
				g, err := caliper.Grow(ss)
				require.NoError(t, err)
				if g.Low <= 0.2 && 0.2 <= g.High {
					in++
				}
			}
			share := float64(in) / float64(runs)
			t.Logf("held %.1f in 100", share*100)
			assert.InDelta(t, 0.90, share, 0.055)
		})
	}
}

func TestReachesKeepsToItsYears(t *testing.T) {
	s := func(day int, mm ...float64) caliper.Dated {
		return caliper.Dated{On: time.Date(2027, 6, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, day), MM: mm}
	}
	g, err := caliper.Grow([]caliper.Dated{s(0, 6, 6.5, 7, 6.4, 6.6), s(14, 6.01, 6.5, 7, 6.4, 6.6)})
	require.NoError(t, err)
	require.Positive(t, g.PerWeek)
	for _, mm := range []float64{0.1, 3, 8, 60, 1e6} {
		r, ok := g.Reaches(mm)
		if ok {
			assert.True(t, r.On.Year() >= 2023 && r.On.Year() <= 2031, "%g mm on %s", mm, r.On)
		}
	}
	_, ok := g.Reaches(8)
	assert.False(t, ok, "a hair's growth comes to 8 mm in no year that matters")
}

func TestAShareStandsInsideItsRange(t *testing.T) {
	for _, sample := range [][]float64{{9, 9, 9}, {5, 5, 5, 5}, {5, 9}} {
		s := caliper.AtLeast(100, sample, 8)
		assert.True(t, s.Low <= s.Share && s.Share <= s.High, "%+v", s)
	}
}
