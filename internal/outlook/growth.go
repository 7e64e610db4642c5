package outlook

import (
	"cmp"
	"math"
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
	for _, d := range t.Done {
		if k, ok := aftercare.NameOf(d.Knot); ok {
			m.Done = append(m.Done, aftercare.Done{Knot: k, N: d.N, On: aftercare.DayOf(d.On.Time)})
		}
	}
	g.Plan = m.Plan()
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

// Item is a tag with the number of the step that is due on it.
type Item struct {
	Code  string
	N     int
	Trees int
}

// BedStep is a step that is due on a bed, of all tags on which it is.
type BedStep struct {
	Name  aftercare.Name
	N     int // 0 where its tags have several
	Items []Item
	aftercare.Window
	Trees   int
	Both    int      // stocks with two live buds, of which the better is kept with this step
	What    []string // varieties on stocks, with what is there of each
	Late    bool
	Share   float64 // of trees that being late has cost so far, of its knots' trees
	Loses   float64 // a week, once it is late
	Own     bool    // by own records too
	Look    string  // the look that it is counted by; "" for a step that is done
	MustNow bool    // its last day is today or over
	Old     bool    // it has been late for longOverdue days or more: listed apart from what is new
	// Day is one inside the windows of all its tags, on which they are walked as one; 0
	// where there is none.
	Day     aftercare.Day
	windows []aftercare.Window
}

// Bed is a place with what is due there.
type Bed struct {
	Place   string
	Trees   int
	Labels  []string // codes of all tags that stand there
	Tags    []Standing
	What    []string // varieties on stocks that stand there
	Steps   []BedStep
	Rounds  []RoundDue
	Closed  time.Time // nobody in before it: a spray; zero where it is open
	Ahead   aftercare.Day
	Coming  []BedStep // within the next fortnight
	Warning []string
}

// Standing is a tag of a bed with how many trees of it stand.
type Standing struct {
	Code, Variety, StockType, Order string
	Standing                        int
}

// Late says that some step there is late.
func (b Bed) Late() bool { return slices.ContainsFunc(b.Steps, func(s BedStep) bool { return s.Late }) }

// Due says that something is to be done there.
func (b Bed) Due() int { return len(b.Steps) + len(b.Rounds) }

// RoundDue is a round that is due at a place.
type RoundDue struct {
	store.Round
	Due  time.Time
	Late bool
}

// comingDays is how far ahead a walk shows what comes.
const comingDays = 14

// Beds gathers what grows by where it stands, in walking order, with what is due.
func (n *Nursing) Beds(gs []Growing) []Bed {
	var out []Bed
	at := map[string]int{}
	for _, g := range gs {
		key := strings.ToLower(g.Stands())
		i, ok := at[key]
		if !ok {
			i, out = len(out), append(out, Bed{Place: g.Stands()})
			at[key] = i
		}
		b := &out[i]
		b.Trees += g.Standing
		b.Labels = append(b.Labels, g.Code)
		b.Tags = append(b.Tags, Standing{g.Code, g.Variety, g.StockType, g.Order, g.Standing})
		what := g.Variety + " on " + g.StockType
		if !slices.Contains(b.What, what) {
			b.What = append(b.What, what)
		}
		for _, k := range n.Asked(g) {
			switch {
			case k.Name == aftercare.FitToSell:
			case k.From <= n.Today:
				n.due(&b.Steps, g, k, what)
			case k.From <= n.Today+comingDays:
				n.due(&b.Coming, g, k, what)
			}
		}
	}
	for i := range out {
		b := &out[i]
		order := func(x, y BedStep) int {
			if x.Old != y.Old {
				return map[bool]int{true: 1, false: -1}[x.Old]
			}
			return cmp.Or(cmp.Compare(x.By, y.By), cmp.Compare(x.Name, y.Name))
		}
		for _, steps := range [][]BedStep{b.Steps, b.Coming} {
			for k := range steps {
				if d, ok := aftercare.Together(steps[k].windows); ok && len(steps[k].windows) > 1 {
					steps[k].Day = max(d, n.Today)
				}
			}
		}
		slices.SortStableFunc(b.Steps, order)
		slices.SortStableFunc(b.Coming, order)
		slices.Sort(b.Labels)
		n.rounds(b)
	}
	slices.SortStableFunc(out, func(a, b Bed) int { return Natural(a.Place, b.Place) })
	return out
}

// longOverdue is how many days after its last day a step is listed apart. House default.
const longOverdue = 60

// Fresh and Long are a bed's steps that are listed first, and those that are long overdue.
func (b Bed) Fresh() []BedStep { return b.only(false) }

// Long are a bed's steps that are long overdue.
func (b Bed) Long() []BedStep { return b.only(true) }

func (b Bed) only(old bool) (out []BedStep) {
	for _, s := range b.Steps {
		if s.Old == old {
			out = append(out, s)
		}
	}
	return out
}

// due adds a tag's knot to the steps of a bed. Rounds of one kind that are open at
// once are walked as one, whatever their number.
func (n *Nursing) due(steps *[]BedStep, g Growing, k aftercare.Knot, what string) {
	old := n.Today >= k.By+longOverdue
	i := slices.IndexFunc(*steps, func(s BedStep) bool { return s.Name == k.Name && s.Old == old })
	if i < 0 {
		i = len(*steps)
		*steps = append(*steps, BedStep{Name: k.Name, N: k.N, Old: old, Window: k.Window, Look: aftercare.LookOf(k.Name)})
		(*steps)[i].Loses, (*steps)[i].Own = n.Loses(k.Name)
	}
	s := &(*steps)[i]
	// Of a tag's rounds that wait only the first is due: the next hang on it.
	if slices.ContainsFunc(s.Items, func(x Item) bool { return x.Code == g.Code }) {
		return
	}
	if s.N != k.N {
		s.N = 0
	}
	s.From, s.Best, s.By = max(s.From, k.From), min(s.Best, k.Best), min(s.By, k.By)
	s.Items = append(s.Items, Item{g.Code, k.N, g.Standing})
	s.windows = append(s.windows, k.Window)
	s.Share = (s.Share*float64(s.Trees) + k.Late(n.Today, s.Loses)*float64(g.Standing)) / math.Max(1, float64(s.Trees+g.Standing))
	s.Trees += g.Standing
	if k.Name == aftercare.ChooseShoot {
		s.Both += g.Both
	}
	s.Late = s.Late || n.Today > k.By
	s.MustNow = s.MustNow || n.Today >= k.By
	if !slices.Contains(s.What, what) {
		s.What = append(s.What, what)
	}
}

// rounds adds the rounds of a bed that are due, and until when a spray closes it.
func (n *Nursing) rounds(b *Bed) {
	for _, r := range n.F.Rounds {
		if !strings.EqualFold(r.Place, b.Place) {
			continue
		}
		d := RoundDue{Round: r, Due: r.From.Time}
		if r.LastAt != nil {
			d.Due = dayOf(*r.LastAt).AddDate(0, 0, r.Every)
			if open := r.LastAt.Add(time.Duration(r.Reentry) * time.Hour); r.Reentry > 0 && open.After(n.F.At) && open.After(b.Closed) {
				b.Closed = open
			}
		}
		d.Late = n.F.Today.After(d.Due.AddDate(0, 0, max(1, r.Every/3)))
		if !d.Due.After(n.F.Today) {
			b.Rounds = append(b.Rounds, d)
		}
	}
}

// Cord is a batch with all that follows it, as its cord is drawn: its tags alike in
// what follows are one.
type Cord struct {
	Batch, Order, Variety, StockType, Technique string
	Places                                      []string
	Tied, Standing, Lost, Gone                  int
	From                                        aftercare.Day // the first of it was finished
	Done                                        []aftercare.Done
	Knots                                       []CordKnot
	Causes                                      []store.CauseSum // of what was lost, most first
	Sleeps                                      bool
	Callused                                    float64 // of boxed grafts, the least of its tags; below 0: not by a clock
	CallusedOn                                  aftercare.Day
	Fit                                         aftercare.Day // to sell
}

// CordKnot is a knot of a cord, with how much of it it is for and what moved it.
type CordKnot struct {
	aftercare.Knot
	Trees int
	Moves []aftercare.Move
	Late  bool
}

// Cords draws batches together, those whose next step is due first.
func (n *Nursing) Cords(gs []Growing) []Cord {
	var out []Cord
	at := map[string]int{}
	for _, g := range gs {
		key := g.Batch + "/" + g.Technique
		i, ok := at[key]
		if !ok {
			i, out = len(out), append(out, Cord{Batch: g.Batch, Order: g.Order, Variety: g.Variety, StockType: g.StockType,
				Technique: g.TechniqueName, From: g.Made.Finished, Sleeps: g.Plan.Sleeps, Callused: -1, Fit: -1})
			at[key] = i
		}
		c := &out[i]
		c.Tied, c.Standing, c.Gone = c.Tied+g.Tied, c.Standing+g.Standing, c.Gone+g.Gone
		c.Lost += g.Tied - g.Standing - g.Gone
		c.From = min(c.From, g.Made.Finished)
		if !slices.Contains(c.Places, g.Stands()) {
			c.Places = append(c.Places, g.Stands())
		}
		for _, x := range g.Causes {
			k := slices.IndexFunc(c.Causes, func(y store.CauseSum) bool { return y.Cause == x.Cause })
			if k < 0 {
				k, c.Causes = len(c.Causes), append(c.Causes, store.CauseSum{Cause: x.Cause})
			}
			c.Causes[k].N += x.N
		}
		for _, d := range g.Made.Done {
			if !slices.ContainsFunc(c.Done, func(x aftercare.Done) bool { return x.Knot == d.Knot && x.N == d.N }) {
				c.Done = append(c.Done, d)
			}
		}
		if share, ok := n.Callused(g); ok && (c.Callused < 0 || share < c.Callused) {
			c.Callused, c.CallusedOn = share, g.Plan.Callused.From
		}
		n.cordKnots(c, g)
	}
	for i := range out {
		slices.SortStableFunc(out[i].Causes, func(a, b store.CauseSum) int { return b.N - a.N })
		slices.SortStableFunc(out[i].Knots, func(a, b CordKnot) int {
			return cmp.Or(cmp.Compare(a.Best, b.Best), cmp.Compare(a.Name,
				b.Name))
		})
	}
	next := func(c Cord) aftercare.Day {
		if len(c.Knots) == 0 {
			return math.MaxInt32
		}
		return c.Knots[0].By
	}
	slices.SortStableFunc(out, func(a, b Cord) int { return cmp.Compare(next(a), next(b)) })
	return out
}

func (n *Nursing) cordKnots(c *Cord, g Growing) {
	var moves map[aftercare.Step][]aftercare.Move
	for _, k := range n.Asked(g) {
		if k.Name == aftercare.FitToSell && (c.Fit < 0 || k.From < c.Fit) {
			c.Fit = k.From
		}
		i := slices.IndexFunc(c.Knots, func(x CordKnot) bool { return x.Name == k.Name && x.N == k.N })
		if i < 0 {
			if moves == nil {
				moves = n.Moves(g)
			}
			i = len(c.Knots)
			c.Knots = append(c.Knots, CordKnot{Knot: k, Moves: moves[aftercare.Step{Name: k.Name, N: k.N}]})
		}
		x := &c.Knots[i]
		x.Trees += g.Standing
		x.From, x.By = min(x.From, k.From), min(x.By, k.By)
		x.Late = x.Late || n.Today > k.By
	}
}
