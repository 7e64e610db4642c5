package outlook

import (
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/own"
	"unionknot/internal/core/season"
	"unionknot/internal/core/supply"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// Growing is a tag of which something lives, with all that follows it.
type Growing struct {
	store.GrowTag
	Made aftercare.Made
	Plan aftercare.Plan
}

// Chosen reports whether the better of two buds was kept, and the other cut out.
func (g Growing) Chosen() bool {
	return slices.ContainsFunc(g.Made.Done, func(d aftercare.Done) bool { return d.Knot == aftercare.ChooseShoot })
}

// Nursing dates what follows many tags, from one snapshot.
type Nursing struct {
	F         *snapshot.Snapshot
	Today     aftercare.Day
	ways      aftercare.Ways
	film      bool
	calendars map[string]aftercare.Calendar // by season group
	usual     map[string]aftercare.Calendar
	boxes     map[string]*aftercare.Box // by place, way and group
	weeks     map[string]int            // by tie
	loses     map[aftercare.Name]float64
	first     int // the year from which calendars are dated
}

// NursingOf readies it. Calendars begin before the oldest of what grows.
func NursingOf(f *snapshot.Snapshot) *Nursing {
	n := &Nursing{F: f, Today: aftercare.DayOf(f.Today), ways: aftercare.WaysOf(f.Answers()), film: f.Answers().BudCovered(),
		calendars: map[string]aftercare.Calendar{}, usual: map[string]aftercare.Calendar{}, boxes: map[string]*aftercare.Box{},
		weeks: map[string]int{}, first: f.Today.Year() - 1, loses: map[aftercare.Name]float64{}}
	for _, r := range f.Late {
		if k, ok := aftercare.NameOf(r.Knot); ok {
			n.loses[k] = aftercare.Learned(k, r.Weeks, r.Lost)
		}
	}
	for _, t := range f.Growing {
		n.first = min(n.first, t.FinishedAt.Year()-1)
	}
	for _, t := range f.Ties {
		n.weeks[t.Key] = -1
		if t.Weeks != nil && *t.Weeks > 0 {
			n.weeks[t.Key] = *t.Weeks
		}
	}
	return n
}

// yearsOn is how many years ahead what follows is dated: a tree of this summer's bud
// is tied and loosened into its second year.
const yearsOn = 3

func (n *Nursing) calendar(group string, kept map[string]aftercare.Calendar, y season.Year) aftercare.Calendar {
	c, ok := kept[group]
	if !ok {
		dates := map[aftercare.Anchor][]time.Time{}
		years := y.Calendar(n.first, n.F.Today.Year()+yearsOn)
		for _, a := range []aftercare.Anchor{aftercare.Swell, aftercare.Ripe, aftercare.SlipEnds, aftercare.Frost, aftercare.RestBegin} {
			dates[a] = years.Dates(string(a))
		}
		c = aftercare.CalendarOf(dates)
		kept[group] = c
	}
	return c
}

// Calendar is a season group's dates, as this year moves them.
func (n *Nursing) Calendar(group string) aftercare.Calendar {
	return n.calendar(group, n.calendars, n.F.Year(group))
}

// Usual is a season group's dates as they usually are.
func (n *Nursing) Usual(group string) aftercare.Calendar {
	y := n.F.Year(group)
	y.Dated = nil
	return n.calendar(group, n.usual, y)
}

// Box is the clock of a place for grafts of a group that heal in one way.
func (n *Nursing) Box(place, healing, group string) *aftercare.Box {
	key := strings.ToLower(place) + "/" + healing + "/" + group
	b, ok := n.boxes[key]
	if !ok {
		var rs []aftercare.Reading
		if p, known := n.F.Place(place); known {
			for _, r := range p.Readings {
				rs = append(rs, aftercare.Reading{At: r.At, C: r.C})
			}
		}
		b = aftercare.NewBoxAt(n.F.HealC(healing), group, rs)
		n.boxes[key] = b
	}
	return b
}

// Of dates what follows a tag.
func (n *Nursing) Of(t store.GrowTag) Growing {
	g := Growing{GrowTag: t}
	callus, stock := n.F.Genus(t.Genus).SeasonGroup, n.F.Genus(t.StockGenus).SeasonGroup
	m := &g.Made
	*m = aftercare.Made{Technique: own.Base(t.Technique), Wood: t.Wood, Healing: own.Base(t.Healing), Tie: own.Base(t.Tie), Film: n.film,
		Cover: t.Cover != "", Limb: t.LotForm == supply.Limb,
		Buds: t.BudsPerPiece, Finished: aftercare.DayOf(dayOf(t.FinishedAt)), Group: callus, Calendar: n.Calendar(stock), Ways: n.ways,
		Weeks: n.weeks[t.Tie], Numbers: n.F.Numbers}
	if m.Technique == aftercare.TBud || m.Technique == aftercare.ChipBud {
		m.Buds = max(1, t.Buds)
	}
	if m.Boxed() {
		m.Box = n.Box(t.Place, t.Healing, callus)
	}
	m.Done = looksDone(t.Looks)
	var dismissed []aftercare.Step
	for _, d := range t.Done {
		if k, ok := aftercare.NameOf(d.Knot); ok && d.Dismissed {
			dismissed = append(dismissed, aftercare.Step{Name: k, N: d.N})
		} else if ok {
			m.Done = append(m.Done, aftercare.Done{Knot: k, N: d.N, On: aftercare.DayOf(d.On.Time)})
		}
	}
	// A step that is dismissed was not done: what hangs on it is dated by its best day.
	g.Plan = m.Plan()
	g.Plan.Knots = slices.DeleteFunc(g.Plan.Knots, func(k aftercare.Knot) bool {
		return slices.Contains(dismissed, aftercare.Step{Name: k.Name, N: k.N})
	})
	potFirst(g.Plan.Knots)
	return g
}

// potFirst puts a pot of the same day as its cane before it.
func potFirst(ks []aftercare.Knot) {
	cane := slices.IndexFunc(ks, func(k aftercare.Knot) bool { return k.Name == aftercare.Cane })
	pot := slices.IndexFunc(ks, func(k aftercare.Knot) bool { return k.Name == aftercare.Pot })
	if cane >= 0 && pot > cane {
		k := ks[pot]
		copy(ks[cane+1:pot+1], ks[cane:pot])
		ks[cane] = k
	}
}

// looksInOrder are the looks from the first to the last.
var looksInOrder = []aftercare.Name{aftercare.FirstLook, aftercare.TakeLook, aftercare.BudLook, aftercare.SecondLook}

// looksDone are the looks made. One that was passed over is done with the next that
// was made after it: there is nothing more to see by it.
func looksDone(ls []store.LookMade) (out []aftercare.Done) {
	made := map[aftercare.Name]aftercare.Day{}
	for _, l := range ls {
		if k, ok := aftercare.StepOf(l.Look); ok {
			made[k] = aftercare.DayOf(l.On.Time)
		}
	}
	var later aftercare.Day
	seen := false
	for i := len(looksInOrder) - 1; i >= 0; i-- {
		k := looksInOrder[i]
		if on, ok := made[k]; ok {
			later, seen = on, true
			out = append(out, aftercare.Done{Knot: k, On: on})
		} else if seen {
			out = append(out, aftercare.Done{Knot: k, On: later})
		}
	}
	return out
}

// Asked are a tag's knots that are still asked for: until each is done, or dismissed. A round is, until the next of
// its kind is due; a cane is not before its pot.
func (n *Nursing) Asked(g Growing) []aftercare.Knot {
	last := map[aftercare.Name]int{} // of rounds, the number that is due now or was done last
	for _, d := range g.Made.Done {
		last[d.Knot] = max(last[d.Knot], d.N+1)
	}
	unpotted := false
	for _, k := range g.Plan.Knots {
		if isRound(k.Name) && k.From <= n.Today {
			last[k.Name] = max(last[k.Name], k.N)
		}
		unpotted = unpotted || k.Name == aftercare.Pot
	}
	out := make([]aftercare.Knot, 0, len(g.Plan.Knots))
	for _, k := range g.Plan.Knots {
		if isRound(k.Name) && k.N < last[k.Name] || k.Name == aftercare.Cane && unpotted {
			continue
		}
		out = append(out, k)
	}
	return out
}

func isRound(k aftercare.Name) bool { return k == aftercare.Suckers || k == aftercare.LoosenShoot }

// All dates everything that grows, by id.
func (n *Nursing) All() []Growing {
	out := make([]Growing, len(n.F.Growing))
	for i, t := range n.F.Growing {
		out[i] = n.Of(t)
	}
	return out
}

// Loses is what each week late with a step costs, as a share of trees, and whether own
// records are in it.
func (n *Nursing) Loses(k aftercare.Name) (share float64, own bool) {
	if l, ok := n.loses[k]; ok {
		return l, true
	}
	return aftercare.Loses(k), false
}

// Moves says what moved the knots of a tag.
func (n *Nursing) Moves(g Growing) map[aftercare.Step][]aftercare.Move {
	return g.Made.Moves(n.Usual(n.F.Genus(g.StockGenus).SeasonGroup))
}

// Callused is how far a tag has callused now, 0 to 1 and beyond; false where that is
// not by a clock.
func (n *Nursing) Callused(g Growing) (float64, bool) {
	if !g.Made.Boxed() || g.Made.Box == nil {
		return 0, false
	}
	return g.Made.Box.Callused(g.Made.Finished, n.F.At), true
}
