package benchday_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/benchday"
)

func never(int, int) int { return 0 }

func skilled(n int) []benchday.Person {
	out := make([]benchday.Person, n)
	for i := range out {
		out[i] = benchday.Person{Cuts: 1, Ties: 1, Alone: 1, Hours: 6, Knows: true}
	}
	return out
}

func TestPairsAreFormedWhereTheyPay(t *testing.T) {
	t.Run("skilled hands each cut and tie their own", func(t *testing.T) {
		assert.Empty(t, benchday.GroupUp(skilled(5), 0.6, never))
	})
	t.Run("a hand who cannot cut ties behind one who can", func(t *testing.T) {
		ps := skilled(2)
		ps[1].Knows, ps[1].Alone = false, 0
		got := benchday.GroupUp(ps, 0.6, never)
		require.Len(t, got, 1)
		assert.Equal(t, []int{0}, got[0].Cutters)
		assert.Equal(t, 1, got[0].Tier)
		assert.InDelta(t, 1/0.6, got[0].PerHour, 1e-9)
		assert.InDelta(t, 6*(1/0.6-1), got[0].Gain, 1e-9)
	})
	t.Run("behind two, where tying takes a third of the time", func(t *testing.T) {
		ps := skilled(3)
		ps[2].Knows, ps[2].Alone = false, 0
		got := benchday.GroupUp(ps, 2.0/3, never)
		require.Len(t, got, 1)
		assert.ElementsMatch(t, []int{0, 1}, got[0].Cutters)
		assert.InDelta(t, 3, got[0].PerHour, 1e-9)
	})
	t.Run("nobody cuts, nobody is grouped: a tier needs a cutter", func(t *testing.T) {
		ps := skilled(3)
		for i := range ps {
			ps[i].Knows, ps[i].Alone = false, 0
		}
		assert.Empty(t, benchday.GroupUp(ps, 0.6, never))
	})
	t.Run("nobody is tied to one who is away", func(t *testing.T) {
		ps := skilled(2)
		ps[1].Knows, ps[1].Alone = false, 0
		ps[0].Hours = 0
		assert.Empty(t, benchday.GroupUp(ps, 0.6, never))
	})
}

func TestPairsChangeOverTheDays(t *testing.T) {
	ps := skilled(4) // two who cut, two who only tie
	for i := 2; i < 4; i++ {
		ps[i].Knows, ps[i].Alone = false, 0
	}
	met := map[[2]int]int{}
	for range 8 {
		gs := benchday.GroupUp(ps, 0.6, func(c, t int) int { return met[[2]int{c, t}] })
		require.Len(t, gs, 2)
		for _, g := range gs {
			met[[2]int{g.Cutters[0], g.Tier}]++
		}
	}
	assert.Len(t, met, 4, "each has worked with each")
	for pair, n := range met {
		assert.Equal(t, 4, n, "%v", pair)
	}
}

// No way of grouping people gains more than the one that is taken, as long as nobody has worked
// with anybody.
func TestNoGroupingGainsMore(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 19))
	for range 60 {
		n := 2 + r.IntN(4)
		ps := make([]benchday.Person, n)
		for i := range ps {
			knows := r.IntN(3) > 0
			ps[i] = benchday.Person{Cuts: 0.6 + r.Float64(), Ties: 0.6 + r.Float64(), Hours: float64(r.IntN(8)), Knows: knows}
			if knows {
				ps[i].Alone = 0.6 + r.Float64()
			}
		}
		got := 0.0
		for _, g := range benchday.GroupUp(ps, 0.6, never) {
			got += g.Gain
		}
		assert.InDelta(t, mostGain(ps, make([]bool, n)), got, 1e-9)
	}
}

// mostGain tries every grouping.
func mostGain(ps []benchday.Person, used []bool) float64 {
	best := 0.0
	with := func(cutters []int, tier int) {
		hours, cuts := ps[tier].Hours, 0.0
		for _, c := range cutters {
			if used[c] || !ps[c].Knows || c == tier {
				return
			}
			hours, cuts = math.Min(hours, ps[c].Hours), cuts+ps[c].Cuts
		}
		gain := benchday.GroupPace(cuts, ps[tier].Ties, 0.6)*hours - ps[tier].Alone*hours
		for _, c := range cutters {
			gain -= ps[c].Alone * hours
		}
		if hours <= 0 || gain <= 1e-9 {
			return
		}
		used[tier] = true
		for _, c := range cutters {
			used[c] = true
		}
		best = math.Max(best, gain+mostGain(ps, used))
		used[tier] = false
		for _, c := range cutters {
			used[c] = false
		}
	}
	for t := range ps {
		if used[t] {
			continue
		}
		for a := range ps {
			with([]int{a}, t)
			for b := a + 1; b < len(ps); b++ {
				with([]int{a, b}, t)
			}
		}
	}
	return best
}
