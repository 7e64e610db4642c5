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

var rates = map[string]float64{"whip": 40, "tool": 80, "chip": 70, "veneer": 30}

// house makes a season: hands with what they know and when they are there, and
// batches that together ask for a share of the hours there are.
func house(r *rand.Rand, batches, hands, days int, load float64) benchday.Problem {
	p := benchday.Problem{Slots: 2 * days, Rate: rates, TagSize: 25, ShareOver: 50, Seats: hands, Stations: map[string]int{"tool": 2}}
	names := []string{"whip", "tool", "chip", "veneer"}
	total := 0.0
	for h := range hands {
		x := benchday.Hand{
			ID:    fmt.Sprint("hand ", h),
			Speed: 0.6 + 0.7*r.Float64(),
			Knows: map[string]bool{"whip": true},
			Hours: make([]float64, p.Slots),
		}
		for _, n := range names[1:] {
			x.Knows[n] = r.Float64() < 0.6
		}
		for s := range x.Hours {
			if s/2%7 < 5 && r.Float64() > 0.06 { // weekends, and a day off now and then
				x.Hours[s] = benchday.Usable([]float64{4, 3.5}[s%2])
				total += x.Hours[s] * x.Speed
			}
		}
		p.Hands = append(p.Hands, x)
	}
	weights := make([]float64, batches)
	sum := 0.0
	for b := range weights {
		weights[b] = 0.3 + r.Float64()
		sum += weights[b]
	}
	for b := range batches {
		t := names[min(3, r.IntN(6))%4]
		if r.IntN(2) == 0 {
			t = "whip"
		}
		hours := total * load * weights[b] / sum
		from := r.IntN(days) * 2 / 2
		to := from + 8 + r.IntN(2*days)
		for _, bundle := range []string{"a", "b"} {
			p.Jobs = append(
				p.Jobs,
				benchday.Job{
					ID:        fmt.Sprintf("b%d%s", b, bundle),
					Batch:     fmt.Sprint("b", b),
					Technique: t,
					Lot:       fmt.Sprint("lot ", b*2/3),
					Bundle:    fmt.Sprint(b, bundle),
					Grafts: max(
						1,
						int(hours/2*rates[t]*0.93),
					),
					Earliest: from,
					Latest:   min(to, p.Slots-1),
					Weight:   []float64{3, 1.5, 1}[r.IntN(3)],
					Keep:     to + r.IntN(20),
				},
			)
		}
	}
	return p
}

// hold checks what every plan must hold to.
func hold(t *testing.T, p benchday.Problem, x benchday.Plan) {
	t.Helper()
	got := make([]int, len(p.Jobs))
	for _, c := range x.Pieces {
		got[c.Job] += c.Grafts
		require.Positive(t, c.Grafts)
		if !p.Jobs[c.Job].Whole && !p.Jobs[c.Job].Fixed {
			require.LessOrEqual(t, c.Grafts, p.TagSize)
		}
	}
	for _, l := range x.Unplaced {
		got[l.Job] += l.Grafts
		require.NotEmpty(t, l.Lack)
	}
	for i, j := range p.Jobs {
		require.Equal(t, j.Grafts, got[i], "every graft of %s stands once", j.ID)
	}
	late := 0
	for _, tr := range benchday.Check(p, x.Pieces) {
		switch tr.Kind {
		case benchday.Late:
			late += x.Pieces[tr.Piece].Grafts
		case benchday.Alone:
		default:
			require.Fail(t, "a plan breaks a rule", "%+v", tr)
		}
	}
	for _, l := range x.Unplaced {
		late += l.Grafts
	}
	require.Equal(t, late, x.Late)
	require.GreaterOrEqual(t, x.LateCost, x.Bound-1e-6, "the bound is one")
	require.GreaterOrEqual(t, x.Late, x.LeastLate)
}

func TestPlansHoldAndAreNeverWorseThanEarliestDueFirst(t *testing.T) {
	for seed := range uint64(30) {
		r := rand.New(rand.NewPCG(seed, 3))
		p := house(r, 3+r.IntN(20), 1+r.IntN(8), 5+r.IntN(20), 0.4+r.Float64())
		x, err := benchday.Solve(p)
		require.NoError(t, err)
		hold(t, p, x)
		plain, err := benchday.EarliestDueFirst(p)
		require.NoError(t, err)
		require.LessOrEqual(t, x.LateCost, plain.LateCost+1e-9, "seed %d", seed)
	}
}

// TestWithinFivePercent holds plans of the size asked for to their bound: of
// the grafts that any plan could have in time, at most 5 % more are late. With
// -v it prints the table of docs/performance.md.
func TestWithinFivePercent(t *testing.T) {
	for _, load := range []float64{0.8, 1, 1.2} {
		late, plain, least, grafts := 0, 0, 0, 0
		for seed := range uint64(3) {
			p := house(rand.New(rand.NewPCG(seed, 7)), 40, 8, 30, load)
			x, err := benchday.Solve(p)
			require.NoError(t, err)
			hold(t, p, x)
			all := 0.0
			for _, j := range p.Jobs {
				all += j.Weight * float64(j.Grafts)
			}
			over := (x.LateCost - x.Bound) / (all - x.Bound)
			assert.LessOrEqual(t, over, 0.05, "load %g, seed %d: late %d of %d, at least %d", load, seed, x.Late, x.Grafts, x.LeastLate)
			e, err := benchday.EarliestDueFirst(p)
			require.NoError(t, err)
			require.LessOrEqual(t, x.LateCost, e.LateCost)
			late, plain, least, grafts = late+x.Late, plain+e.Late, least+x.LeastLate, grafts+x.Grafts
		}
		t.Logf(
			"load %.0f %%: late %.2f %%, earliest due first %.2f %%, no plan under %.2f %%",
			load*100,
			pc(late, grafts),
			pc(plain, grafts),
			pc(least, grafts),
		)
	}
}

func pc(a, b int) float64 { return 100 * float64(a) / float64(b) }

func TestTheBoundIsWhatBruteForceFinds(t *testing.T) {
	// One hand, one half-day of two hours, two jobs: whip at 40 an hour weighs
	// more than tool at 80, but an hour of tool saves more grafts.
	p := benchday.Problem{
		Slots:     1,
		Rate:      rates,
		TagSize:   25,
		ShareOver: 50,
		Hands:     []benchday.Hand{{ID: "a", Speed: 1, Knows: map[string]bool{"whip": true, "tool": true}, Hours: []float64{2}}},
		Jobs: []benchday.Job{
			{ID: "w", Technique: "whip", Lot: "1", Bundle: "1", Grafts: 100, Weight: 1},
			{ID: "t", Technique: "tool", Lot: "2", Bundle: "2", Grafts: 100, Weight: 1},
		},
	}
	x, err := benchday.Solve(p)
	require.NoError(t, err)
	tool, whip := 1/80.0+0.05/25, 1/40.0+0.05/25
	left := (2 - 100*tool) / whip
	assert.InDelta(t, 100-left, x.Bound, 1e-6)
	p.Jobs[0].Weight = 3
	x, err = benchday.Solve(p)
	require.NoError(t, err)
	assert.InDelta(t, 3*(100-2/whip)+100, x.Bound, 1e-6, "three times the weight is worth more than twice the pace")
}

func TestALargerLotIsSharedByTwo(t *testing.T) {
	hand := func(id string, hours float64) benchday.Hand {
		return benchday.Hand{ID: id, Speed: 1, Knows: map[string]bool{"whip": true}, Hours: []float64{hours, hours, hours, hours}}
	}
	p := benchday.Problem{Slots: 4, Rate: rates, TagSize: 25, ShareOver: 50, Hands: []benchday.Hand{hand("a", 3), hand("b", 3)},
		Jobs: []benchday.Job{{ID: "x", Technique: "whip", Lot: "L", Bundle: "W", Grafts: 80, Latest: 3, Weight: 1}}}
	x, err := benchday.Solve(p)
	require.NoError(t, err)
	assert.Empty(t, x.Alone)
	p.Hands = p.Hands[:1]
	x, err = benchday.Solve(p)
	require.NoError(t, err)
	assert.Empty(t, x.Alone, "where nobody else knows how there is nothing to share")
	assert.Zero(t, x.Late)
}

func TestLockedPartsStay(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	p := house(r, 12, 5, 12, 0.8)
	first, err := benchday.Solve(p)
	require.NoError(t, err)
	// Lock a third of it as tags, and leave the rest to be planned again.
	rest := map[int]int{}
	var fixed []benchday.Job
	for i, c := range first.Pieces {
		if i%3 == 0 {
			j := p.Jobs[c.Job]
			j.Grafts, j.Whole, j.Fixed, j.Hand, j.Slot = c.Grafts, true, true, c.Hand, c.Slot
			fixed = append(fixed, j)
			rest[c.Job] += c.Grafts
		}
	}
	for i := range p.Jobs {
		p.Jobs[i].Grafts -= rest[i]
	}
	n := len(p.Jobs)
	p.Jobs = append(p.Jobs, fixed...)
	again, err := benchday.Solve(p)
	require.NoError(t, err)
	hold(t, p, again)
	for _, c := range again.Pieces {
		if c.Job >= n {
			assert.Equal(t, p.Jobs[c.Job].Hand, c.Hand)
			assert.Equal(t, p.Jobs[c.Job].Slot, c.Slot)
		}
	}
}

func TestWhatCannotBePlacedSaysWhy(t *testing.T) {
	p := benchday.Problem{
		Slots:     2,
		Rate:      rates,
		TagSize:   25,
		ShareOver: 50,
		Hands:     []benchday.Hand{{ID: "a", Speed: 1, Knows: map[string]bool{"whip": true}, Hours: []float64{1, 0}}},
		Jobs: []benchday.Job{
			{ID: "v", Technique: "veneer", Lot: "1", Grafts: 10, Latest: 1, Weight: 1},
			{ID: "w", Technique: "whip", Lot: "2", Grafts: 200, Latest: 1, Weight: 1},
			{ID: "later", Technique: "whip", Lot: "3", Grafts: 5, Earliest: 1, Latest: 1, Weight: 1},
		},
	}
	x, err := benchday.Solve(p)
	require.NoError(t, err)
	hold(t, p, x)
	lack := map[string]benchday.Lack{}
	for _, l := range x.Unplaced {
		lack[p.Jobs[l.Job].ID] = l.Lack
	}
	assert.Equal(
		t,
		map[string]benchday.Lack{
			"v":     benchday.NobodyKnows,
			"w":     benchday.NoRoom,
			"later": benchday.NobodyThere,
		},
		lack,
	)
}

func TestBadProblemsAreRefused(t *testing.T) {
	for name, p := range map[string]benchday.Problem{
		"no rate": {TagSize: 25, Jobs: []benchday.Job{{Technique: "magic", Grafts: 1}}}, "no tag": {},
		"a hand of no speed": {TagSize: 25, Hands: []benchday.Hand{{}}},
		"stays with nobody":  {TagSize: 25, Rate: rates, Jobs: []benchday.Job{{Technique: "whip", Grafts: 1, Fixed: true, Hand: 3}}}} {
		_, err := benchday.Solve(p)
		assert.ErrorIs(t, err, benchday.ErrProblem, name)
	}
}

func TestUsableHours(t *testing.T) {
	assert.Zero(t, benchday.Usable(0))
	assert.InDelta(t, 2*5.0/6, benchday.Usable(2), 1e-12)
	assert.InDelta(t, (2+0.9*2)*5/6, benchday.Usable(4), 1e-12)
	for h := 0.5; h < 8; h += 0.5 {
		assert.Greater(t, benchday.Usable(h+0.5), benchday.Usable(h))
	}
}

func TestSplitsAreTheBestOfAll(t *testing.T) {
	for n := 1; n <= 9; n++ {
		for _, ab := range [][2]float64{{1, 1}, {2, 1}, {0.5, 1.7}} {
			ss := benchday.Splits(n, ab[0], ab[1], 1600, 1200)
			require.Len(t, ss, max(1, n))
			for _, s := range ss {
				if !s.Solo {
					assert.InDelta(t, math.Min(float64(s.Cutters)/ab[0], float64(s.Tiers)/ab[1]), s.PerHour, 1e-12)
					assert.Equal(t, n, s.Cutters+s.Tiers)
				}
				assert.LessOrEqual(t, s.PerHour, ss[0].PerHour)
			}
		}
	}
	assert.Nil(t, benchday.Splits(0, 1, 1, 1, 1))
	// Sharing never beats the hours there are, but it can be cheaper.
	ss := benchday.Splits(3, 1, 0.5, 2000, 1000)
	assert.InDelta(t, 2, ss[0].PerHour, 1e-12)
	assert.False(t, ss[0].Solo, "two cutters and a tier lose nothing, and the tier earns less")
}

func BenchmarkPlan40x8x30(b *testing.B) {
	p := house(rand.New(rand.NewPCG(1, 7)), 40, 8, 30, 1)
	for b.Loop() {
		if _, err := benchday.Solve(p); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkEarliestDueFirst40x8x30(b *testing.B) {
	p := house(rand.New(rand.NewPCG(1, 7)), 40, 8, 30, 1)
	for b.Loop() {
		if _, err := benchday.EarliestDueFirst(p); err != nil {
			b.Fatal(err)
		}
	}
}

func ExampleSplits() {
	for _, s := range benchday.Splits(3, 0.6/40, 0.4/40, 1600, 1200)[:2] {
		fmt.Printf("solo %v, %d cutters, %d tiers: %.0f an hour, %.0f cents a graft\n", s.Solo, s.Cutters, s.Tiers, s.PerHour, s.Cents)
	}
	// Output:
	// solo true, 3 cutters, 0 tiers: 120 an hour, 40 cents a graft
	// solo false, 2 cutters, 1 tiers: 100 an hour, 44 cents a graft
}
