package family_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat/distuv"

	"unionknot/internal/core/family"
	"unionknot/internal/core/sizing"
)

// draw plays a tree's grafts: a take for each variety, then each graft.
func draw(r *rand.Rand, ls []family.Limb, trees int) (good int) {
	takes := make([]float64, len(ls))
	for i, l := range ls {
		takes[i] = distuv.Beta{Alpha: l.Take.Alpha, Beta: l.Take.Beta, Src: r}.Rand()
	}
	for range trees {
		all := true
		for i, l := range ls {
			lives := false
			for range l.Grafts {
				lives = lives || r.Float64() < takes[i]
			}
			all = all && lives
		}
		if all {
			good++
		}
	}
	return good
}

// TestATreeIsAsGoodAsItsVarietiesTogether holds the chance of a tree against the product of its
// varieties', and both against trees that are played.
func TestATreeIsAsGoodAsItsVarietiesTogether(t *testing.T) {
	r := rand.New(rand.NewPCG(18, 1))
	for _, ls := range [][]family.Limb{
		{{Grafts: 1, Take: sizing.Prior(0.9, 40)}, {Grafts: 1, Take: sizing.Prior(0.8, 20)}, {Grafts: 1, Take: sizing.Prior(0.85, 30)}},
		{{Grafts: 4, Take: sizing.Prior(0.5, 6)}, {Grafts: 2, Take: sizing.Prior(0.8, 15)}},
		{{Grafts: 3, Take: sizing.Prior(0.3, 4)}},
	} {
		product := 1.0
		for _, l := range ls {
			product *= l.Lives()
		}
		got := family.Chance(ls)
		assert.InDelta(t, product, got, 1e-12)
		good := 0
		const n = 60_000
		for range n {
			good += draw(r, ls, 1)
		}
		assert.InDelta(t, got, float64(good)/n, 4*math.Sqrt(got*(1-got)/n), "%v", ls)
		assert.InDelta(t, got, family.Good(ls).Mean(), 1e-9)
	}
}

// TestEnoughTreesAreBegun plays orders of family trees: those begun give the trees wanted about as
// often as was asked.
func TestEnoughTreesAreBegun(t *testing.T) {
	r := rand.New(rand.NewPCG(18, 2))
	ls := []family.Limb{{Grafts: 1, Take: sizing.Prior(0.9, 40)}, {Grafts: 1, Take: sizing.Prior(0.8, 25)}, {Grafts: 2,
		Take: sizing.Prior(0.7, 20)}}
	fit := sizing.Prior(0.95, 60)
	n, err := family.Start(40, 0.9, ls, fit)
	require.NoError(t, err)
	require.Greater(t, n, int(40/family.Chance(ls)/0.95), "more than the mean asks for")
	met := 0
	const seasons = 6000
	for range seasons {
		share := distuv.Beta{Alpha: fit.Alpha, Beta: fit.Beta, Src: r}.Rand()
		if distuv.Binomial(distuv.Binomial{N: float64(draw(r, ls, n)), P: share, Src: r}).Rand() >= 40 {
			met++
		}
	}
	assert.InDelta(t, 0.9, float64(met)/seasons, 0.03)
	one, err := family.Start(1, 0.9, []family.Limb{{Grafts: 1, Take: sizing.Prior(0.95, 100)}}, sizing.Prior(0.999, 1e6))
	require.NoError(t, err)
	assert.Equal(t, 1, one)
	_, err = family.Start(1000, 0.9, []family.Limb{{Grafts: 1, Take: sizing.Prior(1e-9, 1)}}, fit)
	assert.ErrorIs(t, err, sizing.ErrNever)
}

// TestGraftsGoWhereTheyBringMost holds the grafts of a tree against every other sharing of as many.
func TestGraftsGoWhereTheyBringMost(t *testing.T) {
	r := rand.New(rand.NewPCG(18, 3))
	const most = 8
	for range 200 {
		takes := make([]sizing.Beta, 1+r.IntN(3))
		for i := range takes {
			takes[i] = sizing.Prior(0.2+0.7*r.Float64(), 2+30*r.Float64())
		}
		want := 0.5 + 0.4*r.Float64()
		ns, ok := family.Fewest(takes, want, most)
		if !ok {
			continue
		}
		sum := 0
		for _, n := range ns {
			sum += n
		}
		chance := func(ns []int) float64 {
			var ls []family.Limb
			for i, n := range ns {
				ls = append(ls, family.Limb{Grafts: n, Take: takes[i]})
			}
			return family.Chance(ls)
		}
		require.GreaterOrEqual(t, chance(ns), want)
		// With one graft fewer in all, no sharing does.
		var every func(at, left int, ns []int)
		every = func(at, left int, ns []int) {
			if at == len(takes)-1 {
				if left >= 1 && left <= most {
					require.Less(t, chance(append(ns, left)), want)
				}
				return
			}
			for n := 1; n <= min(left, most); n++ {
				every(at+1, left-n, append(append([]int{}, ns...), n))
			}
		}
		every(0, sum-1, nil)
	}
	_, ok := family.Fewest([]sizing.Beta{sizing.Prior(0.01, 50)}, 0.99, 4)
	assert.False(t, ok)
}
