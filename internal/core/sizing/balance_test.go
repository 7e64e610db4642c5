package sizing_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat/distuv"

	"unionknot/internal/core/sizing"
)

// slowly sums over every count of every group and of the grade.
func slowly(b sizing.Balance, trees int) float64 {
	live := []float64{1}
	for _, g := range b.Groups {
		next := make([]float64, len(live)+g.N)
		for x, p := range live {
			for k := range g.N + 1 {
				next[x+k] += p * (g.Take.ChanceOf(k, g.N) - g.Take.ChanceOf(k+1, g.N))
			}
		}
		live = next
	}
	sum := 0.0
	for x, p := range live {
		sum += p * b.Grade.ChanceOf(trees, b.Alive+x)
	}
	return sum
}

func TestABalanceIsAsTheSlowSumHasIt(t *testing.T) {
	for name, b := range map[string]sizing.Balance{
		"nothing made": {Grade: sizing.Beta{Alpha: 57, Beta: 3}},
		"counted":      {Alive: 40, Grade: sizing.Beta{Alpha: 57, Beta: 3}},
		"healing": {Alive: 12, Grade: sizing.Beta{Alpha: 57, Beta: 3},
			Groups: []sizing.Group{{N: 25, Take: sizing.Beta{Alpha: 36, Beta: 4}}, {N: 6, Take: sizing.Beta{Alpha: 2, Beta: 2}}}},
		"three groups, little known": {Grade: sizing.Beta{Alpha: 1.5, Beta: 0.5}, Groups: []sizing.Group{
			{N: 9, Take: sizing.Beta{Alpha: 0.7, Beta: 0.4}}, {N: 9, Take: sizing.Beta{Alpha: 1, Beta: 1}},
			{N: 14, Take: sizing.Beta{Alpha: 300, Beta: 200}}}},
		"an empty group": {Alive: 5, Grade: sizing.Beta{Alpha: 9, Beta: 1}, Groups: []sizing.Group{{Take: sizing.Beta{Alpha: 3, Beta: 1}}}},
	} {
		t.Run(name, func(t *testing.T) {
			for trees := range 55 {
				assert.InDelta(t, slowly(b, trees), b.Chance(trees), 1e-9, "%d trees", trees)
			}
		})
	}
}

// TestABigBalanceIsAsOftenRightAsItSays plays an order of thousands, whose groups are folded by
// transforms: its range holds nine in ten, and its chances are those of the plays.
func TestABigBalanceIsAsOftenRightAsItSays(t *testing.T) {
	b := sizing.Balance{Alive: 1200, Grade: sizing.Beta{Alpha: 570, Beta: 30}, Groups: []sizing.Group{
		{N: 9000, Take: sizing.Beta{Alpha: 180, Beta: 20}}, {N: 6000, Take: sizing.Beta{Alpha: 40, Beta: 10}},
		{N: 4000, Take: sizing.Beta{Alpha: 90, Beta: 12}}}}
	r := rand.New(rand.NewPCG(5, 6))
	rate := func(x sizing.Beta) float64 { return distuv.Beta{Alpha: x.Alpha, Beta: x.Beta, Src: r}.Rand() }
	among := b.Interval90()
	const plays = 4000
	within, reached := 0, 0
	for range plays {
		live := float64(b.Alive)
		for _, g := range b.Groups {
			live += distuv.Binomial{N: float64(g.N), P: rate(g.Take), Src: r}.Rand()
		}
		trees := distuv.Binomial{N: live, P: rate(b.Grade), Src: r}.Rand()
		if trees >= among.Low && trees <= among.High {
			within++
		}
		if trees >= 16_500 {
			reached++
		}
	}
	assert.InDelta(t, 0.90, float64(within)/plays, 0.016)
	assert.InDelta(t, b.Chance(16_500), float64(reached)/plays, 0.028)
	n, err := b.ToGo(18_000, 0.9, sizing.Beta{Alpha: 360, Beta: 40})
	require.NoError(t, err)
	b.Groups = append(b.Groups, sizing.Group{N: n, Take: sizing.Beta{Alpha: 360, Beta: 40}})
	assert.GreaterOrEqual(t, b.Chance(18_000), 0.9)
	b.Groups[3].N--
	assert.Less(t, b.Chance(18_000), 0.9, "one fewer is not enough")
}

func TestNothingMadeAsksForAWholeChain(t *testing.T) {
	take, grade := sizing.Beta{Alpha: 360, Beta: 40}, sizing.Beta{Alpha: 57, Beta: 3}
	for _, trees := range []int{1, 17, 60, 420, 2000} {
		n, err := sizing.Balance{Grade: grade}.ToGo(trees, 0.9, take)
		require.NoError(t, err)
		chain, err := sizing.Chain{take, grade}.Grafts(trees, 0.9)
		require.NoError(t, err)
		assert.InDelta(t, chain, n, 1+0.002*float64(trees), "%d trees: the chain is on a grid", trees)
		made := sizing.Balance{Grade: grade, Groups: []sizing.Group{{N: n, Take: take}}}
		assert.GreaterOrEqual(t, made.Chance(trees), 0.9)
		made.Groups[0].N--
		assert.Less(t, made.Chance(trees), 0.9)
	}
}

// TestWhatIsMadeIsNotAskedForAgain makes part of what is asked, of the same
// belief: what is left to go is the rest, to the graft.
func TestWhatIsMadeIsNotAskedForAgain(t *testing.T) {
	take := sizing.Beta{Alpha: 360, Beta: 40}
	b := sizing.Balance{Grade: sizing.Beta{Alpha: 57, Beta: 3}}
	all, err := b.ToGo(420, 0.9, take)
	require.NoError(t, err)
	for _, made := range []int{1, 100, all - 1, all, all + 50} {
		b.Groups = []sizing.Group{{N: made, Take: take}}
		n, err := b.ToGo(420, 0.9, take)
		require.NoError(t, err)
		assert.Equal(t, max(0, all-made), n, "%d made", made)
	}
}

func TestCountsMoveWhatIsToGo(t *testing.T) {
	take, grade := sizing.Beta{Alpha: 180, Beta: 20}, sizing.Beta{Alpha: 190, Beta: 10}
	toGo := func(alive int) int {
		n, err := sizing.Balance{Alive: alive, Grade: grade}.ToGo(180, 0.9, take)
		require.NoError(t, err)
		return n
	}
	before := math.MaxInt
	for alive := 0; alive <= 220; alive += 5 {
		n := toGo(alive)
		assert.LessOrEqual(t, n, before, "%d alive", alive)
		before = n
	}
	assert.Greater(t, toGo(120), 22+40, "120 alive of 211 leave 60 trees to be had")
	assert.Zero(t, toGo(220), "more alive than could be lost")
}

func TestABalanceThatCannotBeIsSaid(t *testing.T) {
	_, err := sizing.Balance{Grade: sizing.Beta{Alpha: 9, Beta: 1}}.ToGo(5, 1, sizing.Beta{Alpha: 9, Beta: 1})
	require.ErrorIs(t, err, sizing.ErrNever)
	_, err = sizing.Balance{}.ToGo(5, 0.9, sizing.Beta{Alpha: 9, Beta: 1})
	require.ErrorIs(t, err, sizing.ErrNever)
	n, err := sizing.Balance{Grade: sizing.Beta{Alpha: 9, Beta: 1}}.ToGo(0, 0.9, sizing.Beta{Alpha: 9, Beta: 1})
	require.NoError(t, err)
	assert.Zero(t, n)
	i := sizing.Balance{Grade: sizing.Beta{Alpha: 9, Beta: 1}}.Interval90()
	assert.Zero(t, i.High, "nothing comes of nothing")
}

// TestItsRangeHoldsTheTruth draws rates from the beliefs and plays the order out:
// nine outcomes in ten are in the range, and the chance said is how often the
// trees wanted come.
func TestItsRangeHoldsTheTruth(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 1))
	b := sizing.Balance{Alive: 60, Grade: sizing.Beta{Alpha: 57, Beta: 3}, Groups: []sizing.Group{
		{
			N:    80,
			Take: sizing.Beta{Alpha: 18, Beta: 3},
		}, {N: 50, Take: sizing.Beta{Alpha: 40, Beta: 10}}, {N: 9, Take: sizing.Beta{Alpha: 2, Beta: 2}}}}
	in := b.Interval90()
	const runs, trees = 20_000, 165
	held, reached, sum := 0, 0, 0.0
	for range runs {
		live := b.Alive
		for _, g := range b.Groups {
			p := distuv.Beta{Alpha: g.Take.Alpha, Beta: g.Take.Beta, Src: r}.Rand()
			live += int(distuv.Binomial{N: float64(g.N), P: p, Src: r}.Rand())
		}
		p := distuv.Beta{Alpha: b.Grade.Alpha, Beta: b.Grade.Beta, Src: r}.Rand()
		got := distuv.Binomial{N: float64(live), P: p, Src: r}.Rand()
		sum += got
		if got >= in.Low && got <= in.High {
			held++
		}
		if got >= trees {
			reached++
		}
	}
	assert.InDelta(t, 0.91, float64(held)/runs, 0.012, "%v", in)
	assert.InDelta(t, b.Chance(trees), float64(reached)/runs, 0.012)
	assert.InDelta(t, b.Mean(), sum/runs, 0.3)
}

func FuzzBalance(f *testing.F) {
	f.Add(12, 30, 8, 3.5, 0.6, 40)
	f.Fuzz(func(t *testing.T, alive, healing, more int, alpha, beta float64, trees int) {
		if alive < 0 || alive > 500 || healing < 0 || healing > 500 || more < 0 || more > 100 || !(alpha > 0.01 && alpha < 1e6) ||
			!(beta > 0.01 && beta < 1e6) || trees < 0 || trees > 1000 {
			t.Skip()
		}
		belief := sizing.Beta{Alpha: alpha, Beta: beta}
		b := sizing.Balance{Alive: alive, Grade: sizing.Beta{Alpha: 57, Beta: 3}, Groups: []sizing.Group{{N: healing, Take: belief}}}
		c := b.Chance(trees)
		require.False(t, math.IsNaN(c) || c < 0 || c > 1, "%v", c)
		b.Groups[0].N += more
		require.GreaterOrEqual(t, b.Chance(trees), c-1e-9, "more grafts are not worse")
	})
}

func ExampleBalance_ToGo() {
	b := sizing.Balance{Alive: 120, Grade: sizing.Prior(0.95, 60)}
	n, _ := b.ToGo(180, 0.9, sizing.Prior(0.91, 400))
	fmt.Println(n, "more, for 180 trees of which 120 are counted alive")
	// Output: 87 more, for 180 trees of which 120 are counted alive
}

func BenchmarkBalance(b *testing.B) {
	bal := sizing.Balance{Alive: 300, Grade: sizing.Beta{Alpha: 57, Beta: 3}, Groups: []sizing.Group{
		{
			N:    400,
			Take: sizing.Beta{Alpha: 180, Beta: 20},
		}, {N: 60, Take: sizing.Beta{Alpha: 40, Beta: 10}}, {N: 9, Take: sizing.Beta{Alpha: 2, Beta: 2}}}}
	b.Run("balance", func(b *testing.B) {
		for b.Loop() {
			_, _ = bal.ToGo(1000, 0.9, sizing.Beta{Alpha: 360, Beta: 40})
		}
	})
	b.Run("chain of the whole order", func(b *testing.B) {
		for b.Loop() {
			_, _ = sizing.Chain{{Alpha: 360, Beta: 40}, {Alpha: 57, Beta: 3}}.Grafts(1000, 0.9)
		}
	})
}

// BenchmarkBigBalance is an order of 20,000 at the bench, in three groups that nobody has counted,
// beside the same order with every graft counted, whose grade alone is not known.
func BenchmarkBigBalance(b *testing.B) {
	grade := sizing.Beta{Alpha: 57, Beta: 3}
	open := sizing.Balance{Alive: 1200, Grade: grade, Groups: []sizing.Group{{N: 9000, Take: sizing.Beta{Alpha: 180, Beta: 20}},
		{N: 6000, Take: sizing.Beta{Alpha: 40, Beta: 10}}, {N: 4000, Take: sizing.Beta{Alpha: 90, Beta: 12}}}}
	for name, bal := range map[string]sizing.Balance{"not counted": open, "counted": {Alive: 18_000, Grade: grade}} {
		b.Run(name+", its range", func(b *testing.B) {
			for b.Loop() {
				bal.Interval90()
			}
		})
		b.Run(name+", to go", func(b *testing.B) {
			for b.Loop() {
				_, _ = bal.ToGo(20_000, 0.9, sizing.Beta{Alpha: 360, Beta: 40})
			}
		})
	}
}
