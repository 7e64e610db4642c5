package outlook

import (
	"cmp"
	"math"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/store"
)

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
	Causes  []string // that a tag among them can be lost to
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
		for _, c := range g.Made.Causes(n.F.Causes, "") {
			if !slices.Contains(b.Causes, c) {
				b.Causes = append(b.Causes, c)
			}
		}
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
