package results

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"unionknot/internal/core/cost"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/working"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Point is the raw take of a stretch of something: a season, an hour, a tenth of thinness.
type Point struct {
	Label         string
	X             float64
	Took, Counted int
	Take          sizing.Interval
}

// Step is a step of the flow from tied to now.
type Step struct {
	Key    string // first, later, since
	Left   int    // that came into it
	Lost   int    // in it
	Causes []store.CauseCount
}

// Flow is how the trees went: what came into each step is what left the one before less what
// was lost, and what is left at the end is sold or stands.
type Flow struct {
	Steps        []Step
	Sold, Stands int
}

// Pictures are what Results draws.
type Pictures struct {
	Flow     Flow
	Seasons  []Point // oldest first
	Hours    []Point
	Nths     []Point // by the worker's first, second … tag of a day
	Mismatch []Point // by hundredths of thinness
	Store    []Point // by days in store
	Costs    map[string][]CostLine
	Ties     []TieLine
	Teams    []TeamLine
	House    cost.Sum        // of all shown
	Working  working.Working // of House
	Grafts   int             // made in the last season that is shown
}

// pictures gathers what is drawn of a filter's tags.
func (s *Stage) pictures(ctx context.Context, f *snapshot.Snapshot, tf store.TakeFilter, ds []store.TagDetail,
	tieCauses []store.GroupCause,
) (p Pictures, err error) {
	q := s.DB.Q()
	w, ls, err := q.TreeFlow(ctx, tf)
	if err != nil {
		return p, err
	}
	p.Flow = flowOf(w, ls)
	p.Seasons = points(ds, func(d store.TagDetail) (float64, string, bool) {
		return float64(d.Season), seasonName(d.Season), true
	})
	p.Hours = points(ds, func(d store.TagDetail) (float64, string, bool) {
		return float64(d.Hour), words.HourOf(d.Hour), d.Hour >= 5 && d.Hour <= 20
	})
	p.Nths = points(ds, func(d store.TagDetail) (float64, string, bool) {
		n := min(d.Nth, 8)
		return float64(n), words.TurnOf(n, n == 8), true
	})
	p.Mismatch = points(ds, func(d store.TagDetail) (float64, string, bool) {
		x := math.Floor(d.Mismatch*100/5)*5 + 2.5
		return x, words.Thinner(x-2.5, x+2.5), true
	})
	p.Store = points(ds, func(d store.TagDetail) (float64, string, bool) {
		x := math.Floor(d.StoreDays/10)*10 + 5
		return x, words.DaysLain(x-5, x+5), true
	})
	fate, err := s.Reckon.Fate(ctx, f)
	if err != nil {
		return p, err
	}
	p.costs(booksOf(f, fate.Grade.Mean()), ds, tieCauses)
	last := 0
	for _, d := range ds {
		last = max(last, d.Season)
	}
	for _, d := range ds {
		if d.Season == last {
			p.Grafts += d.Joins
		}
	}
	return p, nil
}

// flowOf lays a flow out in steps. What a later count found alive after all is taken from what its step lost.
func flowOf(w store.Flow, ls []store.FlowLoss) Flow {
	f := Flow{Sold: w.Sold, Stands: w.Stands}
	left := w.Tied
	for _, x := range []struct {
		key  string
		lost int
	}{{"first", w.DeadFirst}, {"later", w.Later}, {"since", w.Since + w.Below}} {
		s := Step{Key: x.key, Left: left, Lost: x.lost}
		for _, l := range ls {
			if l.Step == x.key && l.N > 0 {
				s.Causes = append(s.Causes, store.CauseCount{Cause: l.Cause, N: l.N})
			}
		}
		slices.SortStableFunc(s.Causes, func(a, b store.CauseCount) int { return b.N - a.N })
		f.Steps = append(f.Steps, s)
		left -= x.lost
	}
	return f
}

// points sums takes by what at gives: where it stands, and what it is called.
func points(ds []store.TagDetail, at func(store.TagDetail) (x float64, label string, ok bool)) []Point {
	by := map[float64]*Point{}
	for _, d := range ds {
		x, label, ok := at(d)
		if !ok {
			continue
		}
		if by[x] == nil {
			by[x] = &Point{Label: label, X: x}
		}
		by[x].Took, by[x].Counted = by[x].Took+d.Took, by[x].Counted+d.Joins
	}
	out := make([]Point, 0, len(by))
	for _, p := range by {
		if p.Counted == 0 {
			continue
		}
		p.Take = sizing.Beta{Alpha: 1, Beta: 1}.And(p.Took, p.Counted).Interval90()
		out = append(out, *p)
	}
	slices.SortFunc(out, func(a, b Point) int { return cmp.Compare(a.X, b.X) })
	return out
}

// seasonName writes a season as 2026–27.
func seasonName(y int) string { return fmt.Sprintf("%d–%02d", y, (y+1)%100) }
