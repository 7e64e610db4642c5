package aftercare_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/ways"
)

func day(s string) aftercare.Day {
	t, err := time.Parse(time.DateOnly, s)
	if err != nil {
		panic(err)
	}
	return aftercare.DayOf(t)
}

func TestCallusFollowsItsWarmth(t *testing.T) {
	on := day("2027-02-20")
	m := aftercare.Made{Technique: "splice", Healing: aftercare.ColdCallus, Group: "pome", Finished: on}
	assert.Equal(t, on+21, m.Callus().Best)
	var rs []aftercare.Reading
	for h := range 40 * 6 {
		rs = append(rs, aftercare.Reading{At: on.Date().Add(time.Duration(4*h) * time.Hour), C: 10})
	}
	m.Box = aftercare.NewBox(m.Healing, m.Group, rs)
	warm := m.Callus()
	assert.Less(t, warm.Best, on+16, "a warm box comes sooner")
	assert.InDelta(t, 1, m.Box.Callused(on, warm.Best.Date().Add(12*time.Hour)), 0.08)
	assert.Zero(t, aftercare.Rate("pome", 0))
	assert.Zero(t, aftercare.Rate("nut", 32))
	assert.InDelta(t, 1, aftercare.Rate("nut", 25.5), 1e-9)
}

// TestTheClockIsTheSumOfItsStretches walks random readings hour by hour, as the clock
// is defined, and holds the sums to it.
func TestTheClockIsTheSumOfItsStretches(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	for i := range 60 {
		on := day("2027-02-20") + aftercare.Day(r.IntN(9)-4)
		at := day("2027-02-18").Date()
		var rs []aftercare.Reading
		for range r.IntN(60) {
			at = at.Add(time.Duration(1+r.IntN(34)) * time.Hour)
			rs = append(rs, aftercare.Reading{At: at, C: 14*r.Float64() - 2})
		}
		b := aftercare.NewBox(aftercare.CoolRoom, "pome", rs)
		temp := func(x time.Time) float64 { // of the half hour that begins
			switch {
			case len(rs) == 0 || x.Before(rs[0].At):
				return 11
			case !x.Before(rs[len(rs)-1].At):
				return b.ReadC
			}
			for k := 1; ; k++ {
				if x.Before(rs[k].At) {
					if rs[k].At.Sub(rs[k-1].At) > 26*time.Hour {
						return 11
					}
					return (rs[k-1].C + rs[k].C) / 2
				}
			}
		}
		share, x := 0.0, on.Date().Add(12*time.Hour)
		for range 2 * 24 * 20 {
			share += aftercare.Rate("pome", temp(x)) / 21 / 48
			x = x.Add(30 * time.Minute)
		}
		assert.InDelta(t, share, b.Callused(on, x), 1e-9, "place %d", i)
		w := b.Callus(on)
		if w.Best < on+180 {
			assert.GreaterOrEqual(t, b.Callused(on, w.Best.Date().Add(12*time.Hour)), 1-1e-6)
			assert.Less(t, b.Callused(on, w.Best.Date().Add(-12*time.Hour)), 1.0)
		}
	}
}

// north is a site's calendar with anchors on the same days each year; south half a
// year on.
func site(shift int) aftercare.Calendar {
	c := aftercare.Calendar{}
	for a, md := range map[aftercare.Anchor]string{aftercare.Swell: "03-10", aftercare.Ripe: "07-12", aftercare.SlipEnds: "09-10",
		aftercare.Frost: "11-05", aftercare.RestBegin: "11-01"} {
		for y := 2024; y < 2033; y++ {
			c[a] = append(c[a], day(fmt.Sprintf("%d-%s", y, md))+aftercare.Day(shift))
		}
	}
	return c
}

var (
	techniques = []string{"t-bud", "chip-bud", "bark-flap", "side-veneer", "splice", "whip-and-tongue"}
	heals      = []string{aftercare.ColdCallus, aftercare.CoolRoom, aftercare.WarmUnion, aftercare.PotAtOnce, aftercare.InTheRow}
	woods      = []string{"resting", "half-ripe", "ripe green"}
	ties       = []string{"film", "pvc", "vinyl", "rubber", "fusing", "raffia"}
)

func random(r *rand.Rand, c aftercare.Calendar) *aftercare.Made {
	return &aftercare.Made{Technique: techniques[r.IntN(6)], Healing: heals[r.IntN(5)], Wood: woods[r.IntN(3)], Tie: ties[r.IntN(6)],
		Cover: r.IntN(3) == 0, Buds: 1 + r.IntN(4), Finished: day("2026-01-10") + aftercare.Day(r.IntN(700)), Group: []string{"pome",
			"nut"}[r.IntN(2)],
		Calendar: c, Ways: aftercare.Ways{TiesLate: r.IntN(2) == 0, OneShoot: r.IntN(2) == 0,
			HeadAt: []ways.HeadAt{ways.HeadLateWinter, ways.HeadSnag, ways.HeadSeasonEnd}[r.IntN(3)]}}
}

// TestNothingComesBeforeItsCause plays random grafts on both halves of the earth: no
// window before the graft, each in order, doing a step on its best day moves nothing,
// and doing one moves only what hangs on it.
func TestNothingComesBeforeItsCause(t *testing.T) {
	for _, shift := range []int{0, 182} {
		r := rand.New(rand.NewPCG(7, uint64(shift)))
		c := site(shift)
		for i := range 2000 {
			m := random(r, c)
			p := m.Plan()
			require.NotEmpty(t, p.Knots)
			seen := map[string]bool{}
			for j, k := range p.Knots {
				require.LessOrEqual(t, k.From, k.Best, "%d: %v", i, k)
				require.LessOrEqual(t, k.Best, k.By, "%d: %v", i, k)
				require.GreaterOrEqual(t, k.By, m.Finished, "%d: %v before its graft %+v", i, k, m)
				switch k.Hangs {
				case aftercare.OnSwell, aftercare.OnRest, aftercare.OnFrost, aftercare.OnSeason: // these come in any case
				default:
					require.GreaterOrEqual(t, k.From, m.Finished-2, "%d: %v before its cause", i, k)
				}
				id := fmt.Sprint(k.Name, k.N)
				require.False(t, seen[id], "%s twice", id)
				seen[id] = true
				if j > 0 {
					require.LessOrEqual(t, p.Knots[j-1].Best, k.Best)
				}
			}
			k := p.Knots[r.IntN(len(p.Knots))]
			m.Done = []aftercare.Done{{Knot: k.Name, N: k.N, On: k.Best}}
			onTime := m.Plan()
			left := map[string]aftercare.Knot{}
			for _, x := range onTime.Knots {
				left[fmt.Sprint(x.Name, x.N)] = x
			}
			for _, x := range p.Knots {
				if x.Name == k.Name && x.N == k.N {
					require.NotContains(t, left, fmt.Sprint(k.Name, k.N), "done is not listed")
					continue
				}
				require.Equal(t, x.Window, left[fmt.Sprint(x.Name, x.N)].Window, "%d: %s %d on its best day moved %s %d", i, k.Name, k.N,
					x.Name, x.N)
			}
		}
	}
}

// TestASiteWithoutRestHasDatesAllTheSame leaves anchors out.
func TestASiteWithoutRestHasDatesAllTheSame(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	all := site(0)
	for range 3000 {
		c := aftercare.Calendar{}
		for a, ds := range all {
			if r.IntN(2) == 0 {
				c[a] = ds
			}
		}
		m := random(r, c)
		p := m.Plan()
		var fit, looks int
		for _, k := range p.Knots {
			if k.Name == aftercare.FitToSell {
				fit++
			}
			if k.Name == aftercare.SecondLook {
				looks++
			}
		}
		require.Equal(t, 1, fit)
		require.Equal(t, 1, looks)
	}
}

func TestAHousesOwnNumbersCount(t *testing.T) {
	m := &aftercare.Made{Technique: "t-bud", Wood: "ripe green", Healing: aftercare.InTheRow, Tie: "rubber", Buds: 1,
		Finished: day("2026-08-02"), Calendar: site(0)}
	require.True(t, m.Sleeps())
	m.Numbers = aftercare.Numbers{"first-look-t-bud": {10, 11, 20}}
	m.Weeks = -1
	assert.Equal(t, aftercare.Window{From: day("2026-08-12"), Best: day("2026-08-13"), By: day("2026-08-22")}, m.FirstLook())
	for _, k := range m.Plan().Knots {
		assert.NotEqual(t, aftercare.Untie, k.Name, "a tie that gives here")
	}
	for _, d := range aftercare.Defaults {
		assert.True(t, d.Rule.Known())
		assert.True(t, d.Days[0] <= d.Days[1] && d.Days[1] <= d.Days[2], d.Rule)
	}
}

func FuzzPlan(f *testing.F) {
	f.Add(uint64(1), uint64(2), int16(3))
	c := site(0)
	f.Fuzz(func(t *testing.T, a, b uint64, days int16) {
		r := rand.New(rand.NewPCG(a, b))
		m := random(r, c)
		m.Finished += aftercare.Day(days)
		for range r.IntN(12) {
			m.Done = append(m.Done, aftercare.Done{Knot: aftercare.Names[r.IntN(len(aftercare.Names))], N: r.IntN(4),
				On: m.Finished + aftercare.Day(r.IntN(800)-20)})
		}
		p := m.Plan()
		for _, k := range p.Knots {
			if k.From > k.By {
				t.Fatalf("%v ends before it begins", k)
			}
		}
		if len(p.Knots) > 80 {
			t.Fatalf("%d knots", len(p.Knots))
		}
	})
}

// BenchmarkHouse dates a house of 30,000 open tags in twelve places, each read every
// four hours for two months; beside it the same number of plain additions of a
// window, as the least that any way of doing it must do.
func BenchmarkHouse(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 1))
	c := site(0)
	boxes := map[string]*aftercare.Box{}
	var rs []aftercare.Reading
	for i := range 60 * 6 {
		rs = append(rs, aftercare.Reading{At: day("2027-01-01").Date().Add(time.Duration(4*i) * time.Hour), C: 2 + 6*r.Float64()})
	}
	for _, h := range heals {
		for _, g := range []string{"pome", "nut"} {
			boxes[h+g] = aftercare.NewBox(h, g, rs)
		}
	}
	tags := make([]*aftercare.Made, 30_000)
	for i := range tags {
		tags[i] = random(r, c)
		tags[i].Box = boxes[tags[i].Healing+tags[i].Group]
	}
	b.Run("plans", func(b *testing.B) {
		n := 0
		for b.Loop() {
			for _, m := range tags {
				n += len(m.Plan().Knots)
			}
		}
	})
	b.Run("windows-alone", func(b *testing.B) {
		s := aftercare.Window{}
		for b.Loop() {
			for range tags {
				for range 30 {
					s = s.Moved(1)
				}
			}
		}
		_ = s
	})
}

func ExampleMade_FirstLook() {
	m := aftercare.Made{Technique: "t-bud", Healing: aftercare.InTheRow, Group: "rose", Finished: day("2027-07-20")}
	w := m.FirstLook()
	fmt.Println(w.From, "to", w.By)
	// Output: 2027-08-01 to 2027-08-13
}

func TestWhatMovedAKnotIsTold(t *testing.T) {
	usual := site(0)
	late := aftercare.Calendar{}
	for a, ds := range usual {
		late[a] = append([]aftercare.Day(nil), ds...)
	}
	for i := range late[aftercare.Swell] {
		late[aftercare.Swell][i] += 9
	}
	var rs []aftercare.Reading
	for h := range 60 * 6 {
		rs = append(rs, aftercare.Reading{At: day("2026-02-01").Date().Add(time.Duration(4*h) * time.Hour), C: 9})
	}
	m := &aftercare.Made{Technique: "splice", Wood: "resting", Healing: aftercare.ColdCallus, Tie: "rubber", Buds: 2, Group: "pome",
		Finished: day("2026-02-20"), Calendar: late, Box: aftercare.NewBox(aftercare.ColdCallus, "pome", rs)}
	moves := m.Moves(usual)
	first := moves[aftercare.Step{Name: aftercare.FirstLook}]
	require.Len(t, first, 1)
	assert.Equal(t, aftercare.ByPlace, first[0].By)
	assert.Negative(t, first[0].Days, "a warm box brings it forward")
	untie := moves[aftercare.Step{Name: aftercare.Untie}]
	require.NotEmpty(t, untie)
	m.Done = []aftercare.Done{{Knot: aftercare.Pot, On: m.Plan().Knots[0].Best + 40}}
	cane := m.Moves(usual)[aftercare.Step{Name: aftercare.Cane}]
	require.NotEmpty(t, cane)
	assert.Equal(t, aftercare.BySteps, cane[len(cane)-1].By)
	same := &aftercare.Made{Technique: "splice", Healing: aftercare.ColdCallus, Group: "pome", Finished: day("2026-02-20"), Calendar: usual}
	assert.Empty(t, same.Moves(usual))
}

func TestRoundsAreWalkedTogetherInsideAllWindows(t *testing.T) {
	w := func(from, best, by int) aftercare.Window {
		return aftercare.Window{From: aftercare.Day(from), Best: aftercare.Day(best), By: aftercare.Day(by)}
	}
	d, ok := aftercare.Together([]aftercare.Window{w(0, 2, 6), w(4, 6, 10)})
	assert.True(t, ok)
	assert.Equal(t, aftercare.Day(4), d)
	_, ok = aftercare.Together([]aftercare.Window{w(0, 2, 6), w(7, 9, 13)})
	assert.False(t, ok)
	_, ok = aftercare.Together(nil)
	assert.False(t, ok)
	k := aftercare.Knot{Name: aftercare.Untie, Window: w(0, 2, 10)}
	assert.Zero(t, k.Late(10, 0.03))
	assert.InDelta(t, 0.06, k.Late(24, 0.03), 1e-9)
	assert.InDelta(t, 1, aftercare.Knot{Name: aftercare.HeadBack}.Late(10_000, 0.05), 1e-9)
	assert.InDelta(t, 0.03, aftercare.Learned(aftercare.Untie, 0, 0), 1e-9)
	assert.InDelta(t, 0.015, aftercare.Learned(aftercare.Untie, 200, 0), 1e-9, "ties cut late here that did no harm")
	assert.Greater(t, aftercare.Learned(aftercare.Untie, 200, 40), 0.1)
}
