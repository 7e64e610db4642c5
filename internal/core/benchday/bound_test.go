package benchday_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/optimize/convex/lp"

	"unionknot/internal/core/benchday"
)

// linear is what a general linear solver finds to be the most that can be in
// time, by worth: hours of each job on each hand's half-day, no more than the
// job asks and no more than the half-day has.
func linear(t *testing.T, p benchday.Problem) float64 {
	t.Helper()
	type use struct{ job, hand, slot int }
	var uses []use
	for j, x := range p.Jobs {
		for h, y := range p.Hands {
			for s := max(0, x.Earliest); s <= x.Latest && s < p.Slots; s++ {
				if y.Knows[x.Technique] {
					uses = append(uses, use{j, h, s})
				}
			}
		}
	}
	rows := len(p.Jobs) + len(p.Hands)*p.Slots
	if len(uses) == 0 {
		return 0
	}
	a, b, c := mat.NewDense(rows, len(uses)+rows, nil), make([]float64, rows), make([]float64, len(uses)+rows)
	each := func(j benchday.Job) float64 { return 1/p.Rate[j.Technique] + 0.05/float64(p.TagSize) }
	for i, u := range uses {
		a.Set(u.job, i, 1)
		a.Set(len(p.Jobs)+u.hand*p.Slots+u.slot, i, 1)
		c[i] = -p.Jobs[u.job].Weight / each(p.Jobs[u.job])
	}
	for r := range rows {
		a.Set(r, len(uses)+r, 1)
	}
	for j, x := range p.Jobs {
		b[j] = float64(x.Grafts) * each(x)
	}
	for h, y := range p.Hands {
		for s := range p.Slots {
			b[len(p.Jobs)+h*p.Slots+s] = y.Hours[s] * y.Speed
		}
	}
	best, _, err := lp.Simplex(c, a, b, 1e-10, nil)
	require.NoError(t, err)
	return -best
}

// TestTheBoundIsTheLinearOptimum holds the bound, which comes of a greedy flow,
// to what a general solver finds.
func TestTheBoundIsTheLinearOptimum(t *testing.T) {
	for seed := range uint64(25) {
		r := rand.New(rand.NewPCG(seed, 11))
		p := house(r, 2+r.IntN(4), 1+r.IntN(3), 2+r.IntN(3), 0.6+r.Float64())
		for i := range p.Jobs { // within the few days there are
			p.Jobs[i].Earliest = min(p.Jobs[i].Earliest, p.Slots-1)
			p.Jobs[i].Latest = min(p.Slots-1, p.Jobs[i].Earliest+r.IntN(4))
		}
		x, err := benchday.Solve(p)
		require.NoError(t, err)
		hold(t, p, x)
		all := 0.0
		for _, j := range p.Jobs {
			all += j.Weight * float64(j.Grafts)
		}
		assert.InDelta(t, all-linear(t, p), x.Bound, 1e-4*math.Max(1, all), "seed %d", seed)
	}
}

func TestSeatsAndStationsAreHeldTo(t *testing.T) {
	for seed := range uint64(20) {
		r := rand.New(rand.NewPCG(seed, 19))
		p := house(r, 6, 5, 6, 0.9)
		p.Seats, p.Stations["tool"] = 2, 1
		x, err := benchday.Solve(p)
		require.NoError(t, err)
		hold(t, p, x) // Check sees seats and stations
	}
}

func TestWholeTagsAreNotDivided(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	p := house(r, 8, 4, 10, 0.7)
	for i := range p.Jobs {
		p.Jobs[i].Whole, p.Jobs[i].Grafts = true, min(p.Jobs[i].Grafts, 25)
	}
	x, err := benchday.Solve(p)
	require.NoError(t, err)
	hold(t, p, x)
	n := map[int]int{}
	for _, c := range x.Pieces {
		n[c.Job]++
	}
	for j, k := range n {
		assert.Equal(t, 1, k, "tag %s is one piece", p.Jobs[j].ID)
	}
}

func TestCheckNamesWhatIsWrong(t *testing.T) {
	p := benchday.Problem{Slots: 4, Rate: rates, TagSize: 25, ShareOver: 20, Seats: 1, Stations: map[string]int{"tool": 1},
		Hands: []benchday.Hand{
			{ID: "a", Speed: 1, Knows: map[string]bool{"whip": true, "tool": true}, Hours: []float64{1, 1, 1, 0}},
			{ID: "b", Speed: 1, Knows: map[string]bool{"tool": true, "whip": true}, Hours: []float64{1, 1, 1, 1}},
		},
		Jobs: []benchday.Job{
			{ID: "j", Technique: "whip", Lot: "L", Bundle: "1", Grafts: 25, Earliest: 1, Latest: 1, Weight: 1},
			{ID: "k", Technique: "tool", Lot: "M", Bundle: "2", Grafts: 20, Latest: 3, Weight: 1},
			{ID: "v", Technique: "veneer", Lot: "N", Grafts: 5, Latest: 3, Weight: 1},
		}}
	kinds := func(ps ...benchday.Piece) map[string]bool {
		out := map[string]bool{}
		for _, x := range benchday.Check(p, ps) {
			out[x.Kind] = true
			assert.NotEmpty(t, x.Kind)
		}
		return out
	}
	whip := func(hand, slot int) benchday.Piece {
		return benchday.Piece{Job: 0, Hand: hand, Slot: slot, Grafts: 25}
	}
	assert.Equal(t, map[string]bool{benchday.Alone: true}, kinds(whip(0, 1)))
	assert.Contains(t, kinds(whip(0, 0)), benchday.Early)
	assert.Contains(t, kinds(whip(0, 2)), benchday.Late)
	assert.Contains(t, kinds(whip(0, 3)), benchday.Away)
	assert.Contains(t, kinds(whip(0, 1), whip(0, 1), whip(0, 1)), benchday.Full)
	assert.Contains(t, kinds(whip(0, 1), whip(1, 1)), benchday.NoSeat)
	assert.Contains(t, kinds(benchday.Piece{Job: 2, Hand: 0, Slot: 1, Grafts: 5}), benchday.Unknown)
	p.Seats = 5
	tool := benchday.Piece{Job: 1, Slot: 1, Grafts: 10}
	other := tool
	other.Hand = 1
	assert.Contains(t, kinds(tool, other), benchday.NoSeat, "one tool, two hands")

	x := benchday.Score(p, []benchday.Piece{whip(0, 2)}, []benchday.Left{{Job: 1, Grafts: 20, Lack: benchday.NoRoom}})
	assert.Equal(t, 45, x.Late)
	assert.InDelta(t, 45, x.LateCost, 1e-9)
	assert.Positive(t, x.LateHours)
	assert.LessOrEqual(t, x.Bound, x.LateCost)
}

func TestNothingToDoIsPlanned(t *testing.T) {
	x, err := benchday.Solve(benchday.Problem{TagSize: 25})
	require.NoError(t, err)
	assert.Empty(t, x.Pieces)
	assert.Zero(t, x.Late)
	x, err = benchday.Solve(
		benchday.Problem{
			TagSize: 25,
			Rate:    rates,
			Slots:   4,
			Jobs:    []benchday.Job{{ID: "x", Technique: "whip", Grafts: 9, Latest: 3, Weight: 1}},
		},
	)
	require.NoError(t, err)
	assert.Equal(t, 9, x.Late, "without hands nothing is made")
	assert.Equal(t, benchday.NobodyKnows, x.Unplaced[0].Lack)
}

func TestQuickHoldsAndIsNeverWorseThanEarliestDueFirst(t *testing.T) {
	for seed := range uint64(12) {
		r := rand.New(rand.NewPCG(seed, 23))
		p := house(r, 3+r.IntN(12), 1+r.IntN(6), 5+r.IntN(12), 0.5+r.Float64())
		plain, err := benchday.EarliestDueFirst(p)
		require.NoError(t, err)
		quick, err := benchday.Quick(p)
		require.NoError(t, err)
		whole, err := benchday.Solve(p)
		require.NoError(t, err)
		quick.Bound, quick.LeastLate = 0, 0
		hold(t, p, quick)
		assert.LessOrEqual(t, quick.LateCost, plain.LateCost+1e-9)
		assert.LessOrEqual(t, whole.LateCost, quick.LateCost+1e-9, "more ways of choosing are never worse")
	}
	_, err := benchday.Quick(benchday.Problem{})
	assert.ErrorIs(t, err, benchday.ErrProblem)
	_, err = benchday.EarliestDueFirst(benchday.Problem{})
	assert.ErrorIs(t, err, benchday.ErrProblem)
}

func ExampleSolve() {
	ansel := benchday.Hand{
		ID:    "Ansel",
		Speed: 1,
		Knows: map[string]bool{"whip": true},
		Hours: []float64{benchday.Usable(4), benchday.Usable(3.5)},
	}
	plan, err := benchday.Solve(
		benchday.Problem{Slots: 2, Rate: map[string]float64{"whip": 40}, TagSize: 25, ShareOver: 50, Hands: []benchday.Hand{ansel},
			Jobs: []benchday.Job{
				{ID: "due today", Technique: "whip", Lot: "L-2", Bundle: "W-2", Grafts: 30, Latest: 1, Weight: 1},
				{ID: "due this morning", Technique: "whip", Lot: "L-1", Bundle: "W-1", Grafts: 30, Latest: 0, Weight: 1},
			}},
	)
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, c := range plan.Pieces {
		fmt.Println("half-day", c.Slot, c.Grafts, []string{"due today", "due this morning"}[c.Job])
	}
	fmt.Println(plan.Late, "late")
	// Output:
	// half-day 0 15 due this morning
	// half-day 0 15 due this morning
	// half-day 0 15 due today
	// half-day 0 15 due today
	// 0 late
}
