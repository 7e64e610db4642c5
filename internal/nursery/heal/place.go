package heal

import (
	"context"
	"errors"
	"slices"
	"strings"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// PlacePage is a box, a room or a bed with what stands in it, to be counted on one
// page.
type PlacePage struct {
	Name    string
	Known   bool             // it has readings, or a set point
	Cold    outlook.ColdPage // its readings, where it is known
	Drift   outlook.Drift
	Drifts  bool
	Look    string // that is counted
	Looks   []string
	Lines   []PlaceLine // tags of which something stands, those that wait for the look first
	Causes  []string    // with a column each, the commonest first
	Others  []string    // that its grafts can be lost to beside those
	Kinds   []LookKind  // what to look for, of each technique that stands there
	Trees   int
	Waiting int           // tags on which the look is not made
	Amiss   []store.Amiss // found and not put right
}

// PlaceLine is a tag that stands in a place.
type PlaceLine struct {
	outlook.Growing
	Callused float64        // below 0: not by a clock
	Counted  *store.Count   // the count that stands for the look
	Of       map[string]int // its dead by cause
	Stood    int            // what is counted: what stood after the count before
	Causes   []string       // that it can be lost to
	Waits    bool           // the look is open and not made
	Window   aftercare.Window
}

// causeColumns is how many causes have a column of their own.
const causeColumns = 4

// LookKind is how a technique's takes are told.
type LookKind struct {
	Technique, Name string
	Film, Row       bool
}

// Place gathers a place. ErrNotFound: nothing stands there, and it is not known.
func (s *Stage) Place(ctx context.Context, name, look string) (PlacePage, error) {
	name = strings.Join(strings.Fields(name), " ")
	p := PlacePage{Name: name, Looks: Looks}
	f, err := s.Facts(ctx, snapshot.Growing, snapshot.Places, snapshot.Looks)
	if err != nil {
		return p, err
	}
	n := outlook.NursingOf(f)
	var all []outlook.Growing
	for _, g := range n.All() {
		if strings.EqualFold(g.Stands(), name) {
			all = append(all, g)
		}
	}
	place, known := f.Place(name)
	for _, a := range f.Amiss {
		if strings.EqualFold(a.Place, name) {
			p.Amiss = append(p.Amiss, a)
		}
	}
	if !known && len(all) == 0 && len(p.Amiss) == 0 {
		return p, nursery.ErrNotFound
	}
	if p.Known = known; known {
		p.Name = place.Name
		p.Cold = outlook.ColdOf(f, outlook.KeeperOf(f), place)
		p.Drift, p.Drifts = n.Drift(place, all)
	}
	if p.Look = look; !slices.Contains(Looks, look) {
		p.Look = dueLook(n, all)
	}
	var ids []int64
	for _, g := range all {
		ids = append(ids, g.ID)
	}
	counts, err := s.DB.Q().CountsOf(ctx, ids, p.Look)
	if err != nil {
		return p, err
	}
	of, err := s.DB.Q().CausesOf(ctx, ids, p.Look)
	if err != nil {
		return p, err
	}
	stood, err := s.DB.Q().StoodAt(ctx, ids, p.Look)
	if err != nil {
		return p, err
	}
	common := aftercare.CommonCauses(p.Look)
	for _, g := range all {
		l := PlaceLine{Growing: g, Callused: -1, Of: map[string]int{}, Stood: stood[g.ID], Causes: g.Made.Causes(f.Causes, p.Look)}
		for _, c := range l.Causes {
			if slices.Contains(common, c) && !slices.Contains(p.Causes, c) {
				p.Causes = append(p.Causes, c)
			} else if !slices.Contains(common, c) && !slices.Contains(p.Others, c) {
				p.Others = append(p.Others, c)
			}
		}
		if share, ok := n.Callused(g); ok {
			l.Callused = share
		}
		for i := range counts {
			if counts[i].TagID == g.ID {
				l.Counted = &counts[i]
			}
		}
		for _, c := range of {
			if l.Counted != nil && c.CountID == l.Counted.ID {
				l.Of[c.Cause] = c.N
				if !slices.Contains(common, c.Cause) && !slices.Contains(p.Others, c.Cause) { // offered no more
					p.Others = append(p.Others, c.Cause)
				}
			}
		}
		for _, k := range g.Plan.Knots {
			if aftercare.LookOf(k.Name) == p.Look {
				l.Waits, l.Window = true, k.Window
			}
		}
		if l.Waits {
			p.Waiting++
		}
		p.Trees += g.Standing
		kind := LookKind{g.Technique, g.TechniqueName, g.Made.Film, g.Healing == aftercare.InTheRow}
		if !slices.Contains(p.Kinds, kind) {
			p.Kinds = append(p.Kinds, kind)
		}
		p.Lines = append(p.Lines, l)
	}
	slices.SortStableFunc(p.Causes, func(a, b string) int { return slices.Index(common, a) - slices.Index(common, b) })
	if n := len(p.Causes); n > causeColumns { // the last, not known, keeps its column
		p.Others = append(slices.Clone(p.Causes[causeColumns-1:n-1]), p.Others...)
		p.Causes = append(slices.Clone(p.Causes[:causeColumns-1]), p.Causes[n-1])
	}
	slices.SortStableFunc(p.Lines, func(a, b PlaceLine) int {
		return map[bool]int{true: 0, false: 1}[a.Waits] - map[bool]int{true: 0, false: 1}[b.Waits]
	})
	return p, nil
}

// dueLook is the look that most of the tags wait for now; the first look where none
// does.
func dueLook(n *outlook.Nursing, gs []outlook.Growing) string {
	waits := map[string]int{}
	best := Looks[0]
	for _, g := range gs {
		for _, k := range g.Plan.Knots {
			if look := aftercare.LookOf(k.Name); look != "" && k.From <= n.Today {
				waits[look] += g.Standing
			}
		}
	}
	for _, look := range Looks {
		if waits[look] > waits[best] {
			best = look
		}
	}
	return best
}

// TagCount is a count of one tag of a place.
type TagCount struct {
	Code string
	NewCount
}

// KeepCounts keeps the counts of several tags, each for itself. What could not be kept
// is told by code; the rest is.
func (s *Stage) KeepCounts(ctx context.Context, a nursery.Actor, cs []TagCount) (kept int, bad map[string]nursery.Problem, err error) {
	bad = map[string]nursery.Problem{}
	for _, c := range cs {
		err := s.KeepCount(ctx, a, c.Code, c.NewCount)
		var p nursery.Problem
		switch {
		case errors.As(err, &p):
			bad[c.Code] = p
		case err != nil:
			return kept, bad, err
		default:
			kept++
		}
	}
	return kept, bad, nil
}
