package learning_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/learning"
)

// tries draws first tries of a learner with a level and a gain.
func tries(r *rand.Rand, level, gain float64, n int) []bool {
	out := make([]bool, n)
	for i := range out {
		out[i] = r.Float64() < right(level, gain, i+1)
	}
	return out
}

func right(level, gain float64, try int) float64 {
	return 1 / (1 + math.Exp(-level-gain*math.Log2(float64(try))))
}

func TestABarIsMetByTheLastOfARun(t *testing.T) {
	b := learning.Bar{Share: 0.8, Run: 5}
	no, ok := false, true
	for _, c := range []struct {
		name  string
		first []bool
		at    int
	}{
		{"too few", []bool{ok, ok, ok, ok}, 0},
		{"the first five", []bool{ok, no, ok, ok, ok}, 5},
		{"bad ones fall out of the run", []bool{no, no, ok, ok, ok, ok}, 6},
		{"never four of five", []bool{ok, ok, no, ok, no, ok, ok, no, ok, no}, 0},
		{"met stays met", []bool{ok, ok, ok, ok, ok, no, no, no}, 5},
	} {
		t.Run(c.name, func(t *testing.T) { assert.Equal(t, c.at, b.Cleared(c.first)) })
	}
}

// The chance of getting over the bar by luck is what it is when it is tried out.
func TestTheChanceToPassABarIsWhatTryingItOutGives(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 19))
	for _, p := range []float64{0.5, 0.65, 0.85} {
		b, n, met := learning.UsualBar, 20, 0
		const times = 20000
		for range times {
			if b.Cleared(tries(r, math.Log(p/(1-p)), 0, n)) > 0 {
				met++
			}
		}
		assert.InDelta(t, float64(met)/times, b.Passes(p, n), 0.012, "right %.2f of the time", p)
	}
	assert.Zero(t, learning.UsualBar.Passes(1, 9))
	assert.InDelta(t, 1, learning.UsualBar.Passes(1, 10), 1e-12)
}

// A learner's range holds the truth about nine times in ten, in a class that is like others and in
// one that is not.
func TestALearnersRangeHoldsTheTruth(t *testing.T) {
	for _, class := range []struct {
		name  string
		prior learning.Prior
	}{{"as usual", learning.UsualPrior}, {"slow ones", learning.Prior{Level: -0.8, LevelSD: 0.6, Gain: 0.15, GainSD: 0.15}},
		{"quick ones", learning.Prior{Level: 0.6, LevelSD: 0.8, Gain: 0.5, GainSD: 0.2}}} {
		t.Run(class.name, func(t *testing.T) {
			r := rand.New(rand.NewPCG(7, 28))
			held, of := 0, 0
			for range 14 {
				const learners, n = 28, 14
				var all [][]bool
				var levels, gains []float64
				for range learners {
					a, g := class.prior.Level+class.prior.LevelSD*r.NormFloat64(), class.prior.Gain+class.prior.GainSD*r.NormFloat64()
					levels, gains, all = append(levels, a), append(gains, g), append(all, tries(r, a, g, n))
				}
				p := learning.Class(all)
				for i, first := range all {
					x := learning.Read(first, p).At(n + 1)
					if truth := right(levels[i], gains[i], n+1); truth >= x.Low && truth <= x.High {
						held++
					}
					of++
				}
			}
			share := float64(held) / float64(of)
			assert.Greater(t, share, 0.85, "of %d", of)
			assert.Less(t, share, 0.96, "of %d", of)
		})
	}
}

func TestACourseCountsGraftsAndTries(t *testing.T) {
	c := learning.Of([]learning.Says{learning.SetOver, learning.Right, learning.Right, learning.StockSpoilt, learning.NotFlat,
		learning.NotFlat})
	assert.Equal(t, learning.Course{Graft: 4, Try: 3, First: []bool{false, true, false, false}, Passed: 2,
		Reasons: map[learning.Says]int{learning.SetOver: 1, learning.StockSpoilt: 1, learning.NotFlat: 2}}, c)
}

func TestPracticeWoodShowsTheJoint(t *testing.T) {
	for _, genus := range []string{"pear", "maple", "apple", "anything"} {
		got := learning.Practice(genus)
		assert.Len(t, got, 3, genus)
		bark := map[string]bool{}
		for _, w := range got {
			bark[w.Bark] = true
		}
		assert.Len(t, bark, 3, "of colours that differ")
		assert.NotContains(t, bark, map[string]string{"pear": "olive", "maple": "red"}[genus])
	}
	assert.InDelta(t, 30, learning.PracticeMetres(100), 1e-9)
}

func BenchmarkClassOfSixtyRead(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 60))
	var all [][]bool
	for range 60 {
		all = append(all, tries(r, r.NormFloat64(), 0.3, 30))
	}
	for b.Loop() {
		learning.Class(all)
	}
}
