// Package pollen says who pollinates whom: whose flowers are open together, whose pollen is good,
// and who is near enough.
package pollen

import (
	"cmp"
	"math"
	"slices"
	"time"
)

// Span is the days on which a variety flowered in a year, the first and the last with it.
type Span struct{ First, Last time.Time }

// Variety is what is known of a variety's flowers.
type Variety struct {
	Name, Genus string
	Group       string // those of one group do not set with each other; "" not noted
	Ploidy      int    // 2, 3 …; 0 not noted
	Alone       *bool  // sets with its own pollen; nil: as its genus usually does
	Flowered    map[int]Span
	At          []Spot // where it stands
}

// Spot is where a tree stands, in metres.
type Spot struct{ X, Y float64 }

// Habit is what a genus does. House default, outweighed by what is noted of a variety.
type Habit struct {
	Alone bool    // it sets with its own pollen
	Reach float64 // how far its pollen goes, in metres
	Wind  bool    // rather than by insects
}

// Reaches of pollen, in metres. House default.
const (
	byInsects = 50
	byWind    = 60
)

// HabitOf is a genus's habit. House default; a genus that is not named sets alone.
func HabitOf(genus string) Habit {
	switch genus {
	case "apple", "pear", "cherry", "plum", "kiwifruit", "pawpaw", "persimmon":
		return Habit{false, byInsects, false}
	case "chestnut", "hazel", "walnut":
		return Habit{false, byWind, true}
	}
	return Habit{true, byInsects, false}
}

// Why says why one does not pollinate another.
type Why string

// Reasons. Sets is none.
const (
	Sets    Why = ""
	Same    Why = "same"    // its own variety, which does not set alone
	Group   Why = "group"   // of one group
	Sterile Why = "sterile" // an odd number of sets of chromosomes: no good pollen
	Genus   Why = "genus"   // of another genus
	Days    Why = "days"    // their flowers are not open together
	Far     Why = "far"     // it stands too far away
	Unknown Why = "unknown" // of one or the other no flowering is noted
)

// LeastDays is how many days flowers must be open together. House default.
const LeastDays = 4

// Match is how one variety pollinates another.
type Match struct {
	Why   Why
	Mean  float64 // days on which both flower, on the mean of the years that both are noted in
	Least int     // in the year with the fewest
	Years int     // that both are noted in; 0: by the mean dates of each
	Away  float64 // metres to the nearest; below 0 where no place is known
}

// Good says that it does.
func (m Match) Good() bool { return m.Why == Sets }

// On says how b pollinates a. Its own pollen serves a variety that sets alone.
func On(a, b Variety) Match {
	m := Match{Away: -1}
	h := HabitOf(a.Genus)
	same := a.Name == b.Name && a.Genus == b.Genus
	switch {
	case a.Genus != b.Genus:
		m.Why = Genus
	case same && !alone(a):
		m.Why = Same
	}
	if m.Why != Sets || same {
		return m
	}
	for _, p := range a.At {
		for _, q := range b.At {
			if d := math.Hypot(p.X-q.X, p.Y-q.Y); m.Away < 0 || d < m.Away {
				m.Away = d
			}
		}
	}
	var ok bool
	m.Mean, m.Least, m.Years, ok = together(a, b)
	switch {
	case b.Ploidy%2 == 1:
		m.Why = Sterile
	case a.Group != "" && a.Group == b.Group:
		m.Why = Group
	case !ok:
		m.Why = Unknown
	case m.Mean < LeastDays:
		m.Why = Days
	case m.Away > h.Reach:
		m.Why = Far
	}
	return m
}

func alone(v Variety) bool {
	if v.Alone != nil {
		return *v.Alone
	}
	return HabitOf(v.Genus).Alone
}

// Needs says that a variety needs another to set.
func Needs(v Variety) bool { return !alone(v) }

// together is for how many days two flower together.
func together(a, b Variety) (mean float64, least, years int, ok bool) {
	least = math.MaxInt
	for y, s := range a.Flowered {
		if t, both := b.Flowered[y]; both {
			d := overlap(s, t)
			mean, least, years = mean+float64(d), min(least, d), years+1
		}
	}
	if years > 0 {
		return mean / float64(years), least, years, true
	}
	s, oka := Usual(a, 2001)
	t, okb := Usual(b, 2001)
	if !oka || !okb {
		return 0, 0, 0, false
	}
	d := overlap(s, t)
	return float64(d), d, 0, true
}

func overlap(s, t Span) int {
	first, last := s.First, s.Last
	if t.First.After(first) {
		first = t.First
	}
	if t.Last.Before(last) {
		last = t.Last
	}
	return max(0, int(math.Round(last.Sub(first).Hours()/24))+1)
}

// Usual is when a variety flowers in a year by the mean of those noted; ok is false where none is.
func Usual(v Variety, year int) (s Span, ok bool) {
	if len(v.Flowered) == 0 {
		return s, false
	}
	first, last := 0.0, 0.0
	for y, f := range v.Flowered {
		start := time.Date(y, time.January, 1, 0, 0, 0, 0, time.UTC)
		first += f.First.Sub(start).Hours() / 24
		last += f.Last.Sub(start).Hours() / 24
	}
	n := float64(len(v.Flowered))
	start := time.Date(year, time.January, 1, 0, 0, 0, 0, time.UTC)
	return Span{start.AddDate(0, 0, int(math.Round(first/n))), start.AddDate(0, 0, int(math.Round(last/n)))}, true
}

// Gap is a variety of a set that nothing in it pollinates, and who of others would.
type Gap struct {
	Of     Variety
	Why    Why     // of the one in the set that flowers longest with it
	Beside string  // that one
	Days   float64 // for how many days
	Closes []Closing
}

// Closing is a variety that would close a gap.
type Closing struct {
	Name string
	Match
}

// Lacks finds what a set lacks, and who of the house closes each gap: those that flower longest
// with it first. Those of other genera are left out, and those that set alone lack nothing.
func Lacks(set, house []Variety) []Gap {
	var out []Gap
	for _, a := range set {
		if !Needs(a) {
			continue
		}
		g, met := Gap{Of: a, Why: Same, Days: -1}, false
		for _, b := range set {
			m := On(a, b)
			if met = met || m.Good(); m.Why != Genus && m.Why != Same && m.Mean > g.Days {
				g.Why, g.Beside, g.Days = m.Why, b.Name, m.Mean
			}
		}
		if met {
			continue
		}
		for _, b := range house {
			if m := On(a, b); m.Good() && b.Name != a.Name {
				g.Closes = append(g.Closes, Closing{b.Name, m})
			}
		}
		slices.SortStableFunc(g.Closes, func(x, y Closing) int {
			return cmp.Or(cmp.Compare(y.Mean, x.Mean), cmp.Compare(x.Name, y.Name))
		})
		out = append(out, g)
	}
	return out
}
