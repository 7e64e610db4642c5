package caliper_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
)

func day(n int) time.Time { return time.Date(2027, 6, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, n) }

func TestGrowthOfTwoSamplesIsTheLineThroughTheirMeans(t *testing.T) {
	g, err := caliper.Grow(
		[]caliper.Dated{{On: day(0), MM: []float64{5, 5.4, 5.2, 5.2, 5.1, 5.3}}, {On: day(28), MM: []float64{6, 6.4, 6.2, 6.2, 6.1, 6.3}}},
	)
	require.NoError(t, err)
	assert.InDelta(t, 0.25, g.PerWeek, 1e-9)
	assert.InDelta(t, 6.2, g.MM, 1e-9)
	r, ok := g.Reaches(8)
	require.True(t, ok)
	assert.Equal(t, day(28+51), r.On, "1.8 mm at 0.25 a week is 50.4 days")
	assert.True(t, r.Earliest.Before(r.On) && r.On.Before(r.Latest), "%v", r)
	r, ok = g.Reaches(6)
	require.True(t, ok)
	assert.True(t, r.On.Before(day(28)), "there already")
}

func TestNoGrowthIsSaid(t *testing.T) {
	for _, s := range [][]caliper.Dated{nil, {{On: day(0), MM: []float64{5}}},
		{{On: day(0), MM: []float64{5}}, {On: day(3), MM: []float64{9}}}, {{On: day(0)}, {On: day(30), MM: []float64{7}}}} {
		_, err := caliper.Grow(s)
		assert.ErrorIs(t, err, caliper.ErrOneDay)
	}
	g, err := caliper.Grow([]caliper.Dated{{On: day(0), MM: []float64{7, 7, 8}}, {On: day(30), MM: []float64{7, 7, 7}}})
	require.NoError(t, err)
	_, ok := g.Reaches(9)
	assert.False(t, ok)
	g, err = caliper.Grow([]caliper.Dated{{On: day(0), MM: []float64{7, 7.2, 8}}, {On: day(30), MM: []float64{7.1, 7.3, 8}}})
	require.NoError(t, err)
	r, ok := g.Reaches(8)
	assert.True(t, !ok || r.Latest.IsZero(), "growth cannot be told from none: %+v", r)
}

// The range must hold the true pace about nine times in ten.
func TestTheRangeOfGrowthHolds(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	held, n := 0, 600
	for range n {
		var s []caliper.Dated
		for k := range 4 {
			d := caliper.Dated{On: day(14 * k)}
			for range 25 {
				d.MM = append(d.MM, 6+0.2*float64(2*k)+r.NormFloat64()*0.9)
			}
			s = append(s, d)
		}
		g, err := caliper.Grow(s)
		require.NoError(t, err)
		if g.Low <= 0.2 && 0.2 <= g.High {
			held++
		}
	}
	assert.Greater(t, float64(held)/float64(n), 0.87)
	assert.Less(t, float64(held)/float64(n), 0.99)
}

func ExampleGrow() {
	g, _ := caliper.Grow(caliper.ByDay(
		[]time.Time{day(0), day(0), day(0), day(42), day(42), day(42)},
		[]float64{5.1, 5.6, 5.3, 6.4, 6.9, 6.6}))
	r, _ := g.Reaches(8)
	fmt.Printf("%.2f mm a week, 8 mm on %s\n", g.PerWeek, r.On.Format("2 January"))
	// Output: 0.22 mm a week, 8 mm on 27 August
}
