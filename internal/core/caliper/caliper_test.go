package caliper_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
)

func TestClassesAreNamedByTheirMiddle(t *testing.T) {
	for mm, want := range map[float64]float64{7.0: 7.25, 7.25: 7.25, 7.49: 7.25, 7.5: 7.75, 7.7: 7.75, 10.1: 10.25} {
		assert.Equal(t, want, caliper.ClassOf(mm).Middle(), "%g mm", mm)
	}
	assert.Equal(t, "7–7.5", caliper.ClassOf(7.2).String())
}

func TestASampleIsSpreadOverTheWholeLot(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for range 400 {
		k := 1 + r.IntN(60)
		n := k + r.IntN(900)
		mm := make([]float64, k)
		for i := range mm {
			mm[i] = 5 + r.Float64()*8
		}
		got := caliper.FromSample(n, mm)
		require.Equal(t, n, caliper.Total(got), "counts are conserved")
		by := map[caliper.Class]int{}
		for _, c := range caliper.Tally(mm) {
			by[c.Class] = c.N
		}
		for _, c := range got {
			exact := float64(n*by[c.Class]) / float64(k)
			require.InDelta(t, exact, float64(c.N), 1, "no class is off by a whole stem or more")
		}
	}
}

func TestEveryStemMeasuredGivesTheCounts(t *testing.T) {
	mm := []float64{7.1, 7.2, 7.9, 8.4, 8.4}
	assert.Equal(t, caliper.Tally(mm), caliper.FromSample(5, mm))
}

func TestTiesGoToTheLowerClass(t *testing.T) {
	got := caliper.FromSample(3, []float64{7.1, 8.1})
	assert.Equal(t, []caliper.Count{{Class: 14, N: 2}, {Class: 16, N: 1}}, got)
}

func TestAGradeIsSpreadEvenly(t *testing.T) {
	got := caliper.FromGrade(100, 7, 9)
	assert.Equal(t, []caliper.Count{{Class: 14, N: 25}, {Class: 15, N: 25}, {Class: 16, N: 25}, {Class: 17, N: 25}}, got)
	assert.Equal(t, 37, caliper.Total(caliper.FromGrade(37, 5.2, 9.9)))
	assert.Nil(t, caliper.FromGrade(10, 9, 9))
	assert.Nil(t, caliper.FromSample(10, nil))
}

func TestHowSureAndHowManyMore(t *testing.T) {
	mm := []float64{}
	for i := range 40 {
		mm = append(mm, 6.05+float64(i)*0.1)
	}
	s := caliper.AtLeast(2000, mm, 8)
	assert.InDelta(t, 0.5, s.Share, 0.001)
	assert.Less(t, s.Low, 0.5)
	assert.Greater(t, s.High, 0.5)
	assert.InDelta(t, 126, float64(s.More), 6, "about four times as many in all, less the flat prior's help")
	whole := caliper.AtLeast(40, mm, 8)
	assert.Equal(t, whole.Low, whole.High, "nothing is unsure when all are measured")
	none := caliper.AtLeast(200, nil, 8)
	assert.Equal(t, 1.0, none.High-none.Low)
}

func ExampleFromSample() {
	for _, c := range caliper.FromSample(120, []float64{7.2, 7.8, 7.9, 8.3, 8.4, 8.4, 9.1}) {
		fmt.Println(c.Class, "mm:", c.N)
	}
	// Output:
	// 7–7.5 mm: 17
	// 7.5–8 mm: 34
	// 8–8.5 mm: 52
	// 9–9.5 mm: 17
}
