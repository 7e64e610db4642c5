package benchday_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/benchday"
)

// onTags makes a plan's pieces tags with labels, as they are when the days are
// planned anew; a share of them stays where it is.
func onTags(t testing.TB, p benchday.Problem, r *rand.Rand, held float64) benchday.Problem {
	t.Helper()
	x, err := benchday.Solve(p)
	require.NoError(t, err)
	out := p
	out.Jobs = nil
	rest := make([]int, len(p.Jobs))
	for i, j := range p.Jobs {
		rest[i] = j.Grafts
	}
	tag := func(j benchday.Job, n int) benchday.Job {
		j.ID, j.Grafts, j.Whole = fmt.Sprint(j.ID, "-", len(out.Jobs)), n, true
		return j
	}
	for _, c := range x.Pieces {
		j := tag(p.Jobs[c.Job], c.Grafts)
		rest[c.Job] -= c.Grafts
		if r.Float64() < held {
			j.Fixed, j.Hand, j.Slot = true, c.Hand, c.Slot
		}
		out.Jobs = append(out.Jobs, j)
	}
	for i, n := range rest {
		for n > 0 {
			m := min(n, p.TagSize)
			out.Jobs = append(out.Jobs, tag(p.Jobs[i], m))
			n -= m
		}
	}
	return out
}

// TestNoPlanBeatsTheBound searches tiny seasons with whole tags, seats and
// stations far and wide: nothing found is below what is said to be the least.
func TestNoPlanBeatsTheBound(t *testing.T) {
	for seed := range uint64(150) {
		r := rand.New(rand.NewPCG(seed, 21))
		p := house(r, 1+r.IntN(4), 1+r.IntN(3), 1+r.IntN(3), 0.5+1.2*r.Float64())
		p.Seats, p.Stations = r.IntN(3), map[string]int{"tool": r.IntN(2) + 1, "veneer": 1}
		for i := range p.Jobs {
			p.Jobs[i].Earliest = min(p.Jobs[i].Earliest, p.Slots-1)
			p.Jobs[i].Latest = min(p.Slots-1, p.Jobs[i].Earliest+r.IntN(4))
		}
		for h := range p.Hands { // half-days that a whole tag runs over
			for s := range p.Hands[h].Hours {
				p.Hands[h].Hours[s] *= 0.1 + 0.9*r.Float64()
			}
		}
		if r.IntN(3) > 0 {
			p = onTags(t, p, r, 0.2*r.Float64())
		}
		x, err := benchday.SolveLong(p, 1)
		require.NoError(t, err)
		hold(t, p, x)
	}
}

// TestOverloadedPlansAreNearTheBestFound: half as much work again as there are
// hours, and plans made anew with many tags held, against a search four times
// as long.
func TestOverloadedPlansAreNearTheBestFound(t *testing.T) {
	for name, c := range map[string]struct {
		load, held float64
		tags       bool
	}{"half too much": {1.5, 0, false}, "many held": {1.1, 0.5, true}, "half too much, on tags": {1.5, 0.2, true}} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			for seed := range uint64(2) {
				r := rand.New(rand.NewPCG(seed, 15))
				p := house(r, 18, 5, 12, c.load)
				if c.tags {
					p = onTags(t, p, r, c.held)
				}
				x, err := benchday.Solve(p)
				require.NoError(t, err)
				hold(t, p, x)
				long, err := benchday.SolveLong(p, 4)
				require.NoError(t, err)
				over := (x.LateCost - long.LateCost) / math.Max(1, long.LateCost)
				t.Logf(
					"seed %d: %.2f %% over the best found, that %.1f %% over the bound",
					seed,
					over*100,
					100*(long.LateCost/math.Max(1, long.Bound)-1),
				)
				assert.LessOrEqual(t, over, 0.01, "seed %d", seed)
			}
		})
	}
}

func benchmarkAnew(b *testing.B, batches, hands, days int) {
	r := rand.New(rand.NewPCG(1, 7))
	p := onTags(b, house(r, batches, hands, days, 1), r, 0.05)
	for b.Loop() {
		if _, err := benchday.Solve(p); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(len(p.Jobs)), "tags")
}

func BenchmarkAnewOn8Hands(b *testing.B)  { benchmarkAnew(b, 60, 8, 40) }
func BenchmarkAnewOn12Hands(b *testing.B) { benchmarkAnew(b, 80, 12, 42) }
