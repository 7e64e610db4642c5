package pace_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/pace"
)

// Of pairs that change, the ranges hold the truth about nine times in ten and each is told from the
// other; of pairs that never change they hold it too, and say that they cannot tell.
func TestPairsAreToldApartWhereTheyChange(t *testing.T) {
	for _, c := range []struct {
		name  string
		tier  func(day, cutter int) int
		least float64
		most  float64
	}{
		{"each with each in turn", func(day, cutter int) int { return (day + cutter) % 3 }, 0.5, 1},
		{"always the same two", func(_, cutter int) int { return cutter }, 0, 0.5},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := rand.New(rand.NewPCG(2, 19))
			held, of := 0, 0
			told := 0.0
			for range 200 {
				var a, b [3]float64
				for i := range a {
					a[i], b[i] = 0.2*r.NormFloat64(), 0.2*r.NormFloat64()
				}
				var ts []pace.Together
				for day := range 12 {
					for cutter := range 3 {
						tier := c.tier(day, cutter)
						ts = append(ts, pace.Together{Cutter: cutter, Tier: tier, LogPace: 0.4 + a[cutter] + b[tier] +
							0.25*r.NormFloat64()})
					}
				}
				cut, tie, _ := pace.Pairs(ts, 3, 3)
				for i := range 3 {
					for _, x := range []struct {
						p     pace.Part
						truth float64
					}{{cut[i], a[i]}, {tie[i], b[i]}} {
						if truth := math.Exp(x.truth); truth >= x.p.Low && truth <= x.p.High {
							held++
						}
						of++
						told += x.p.Told
					}
				}
			}
			assert.InDelta(t, 0.90, float64(held)/float64(of), 0.04)
			mean := told / float64(of)
			assert.Greater(t, mean, c.least)
			assert.Less(t, mean, c.most)
		})
	}
}

func TestNobodysPartIsOne(t *testing.T) {
	cut, tie, _ := pace.Pairs(nil, 1, 1)
	assert.InDelta(t, 1, cut[0].Mean, 1e-9)
	assert.Zero(t, tie[0].Told)
}
