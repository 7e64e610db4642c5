package nursery

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"unionknot/internal/store"
)

// TodayPage is what the Today stage shows.
type TodayPage struct {
	Live           []LiveTag
	Bench          []store.Tag // to do today or overdue, not begun
	Due            []HealLine
	Orders         []OrderLine   // short or unmatched, soonest first
	Batches        []store.Batch // made and not yet split into tags
	Mine           []store.Tag
	Risks          []Risk      // worst first
	Unmeasured     []store.Lot // with stems free and no reading
	Sticks, Plants int         // of wood to cut for the open orders
	Days           DaysPage    // the plan of the bench days
}

// Risk is something that will be lost if nobody does anything.
type Risk struct {
	Where, Says, Do string
	Path            string
	Look            string // a store that one tap notes as looked at and sound
	worst           int
}

// LiveTag is a tag being worked, with its pace.
type LiveTag struct {
	Tag     store.Tag
	PerHour float64
	Finish  time.Time // at that pace; zero when not known
}

// TodayPage gathers what is due and what is going on. A bench hand sees their
// own bench and the looks that are due.
func (s *Service) TodayPage(ctx context.Context, a Actor) (TodayPage, error) {
	q := s.db.Q()
	var p TodayPage
	heal, err := s.Heal(ctx, 0)
	if err != nil {
		return p, err
	}
	p.Due = heal.Due
	if a.Role == BenchHand {
		p.Mine, err = q.Tags(ctx, store.Which{WorkerID: a.ID, Open: true, Limit: 50})
		return p, err
	}
	if p.Risks, err = s.risks(ctx, q); err != nil {
		return p, err
	}
	open, err := q.Tags(ctx, store.Which{Open: true, All: true})
	if err != nil {
		return p, err
	}
	paces := map[int64]float64{}
	for _, t := range open {
		switch {
		case t.StartedAt != nil:
			l := LiveTag{Tag: t}
			pace, known := paces[t.WorkerID]
			if !known {
				ps, err := q.PaceOf(ctx, t.WorkerID, s.Now().Add(-time.Hour))
				if err != nil {
					return p, err
				}
				pace = perHour(ps, s.Now())
				paces[t.WorkerID] = pace
			}
			l.PerHour = pace
			if left := t.Planned - t.Tied; pace > 0 && left > 0 {
				l.Finish = s.Now().Add(time.Duration(math.Round(float64(left)/pace*60)) * time.Minute)
			}
			p.Live = append(p.Live, l)
		case !t.Day.After(s.Today()):
			p.Bench = append(p.Bench, t)
		}
	}
	if p.Days, err = s.BenchDays(ctx, s.Today()); err != nil {
		return p, err
	}
	if p.Unmeasured, err = q.Unmeasured(ctx); err != nil {
		return p, err
	}
	orders, err := s.Orders(ctx)
	if err != nil {
		return p, err
	}
	c, err := s.collect(ctx, orders, CollectAsked{Spare: SparePct, Waste: WastePct})
	if err != nil {
		return p, err
	}
	for _, l := range c.Lines {
		p.Sticks, p.Plants = p.Sticks+l.Sticks, p.Plants+1
	}
	for _, o := range orders {
		if o.ToGo > 0 || o.Need.Missing != "" {
			p.Orders = append(p.Orders, o)
		}
	}
	batches, err := q.Batches(ctx, 0, pageSize)
	if err != nil {
		return p, err
	}
	for _, b := range batches {
		if b.Tags == 0 {
			p.Batches = append(p.Batches, b)
		}
	}
	return p, nil
}

// how bad each kind of flag is, the worst first.
var badness = map[string]int{"frost": 0, "warmth": 1, "keep": 2, "failed look": 3, "fruit": 4, "silent": 5, "look": 6}

// risks gathers what may be lost: in the stores, and wood near its end.
func (s *Service) risks(ctx context.Context, q store.Q) ([]Risk, error) {
	places, err := q.ColdPlaces(ctx)
	if err != nil {
		return nil, err
	}
	var out []Risk
	soon := func(ks []Kept) {
		for _, k := range ks {
			if k.Bundle.Free == 0 || !k.Soon(s.Now()) {
				continue
			}
			says := fmt.Sprintf("%s, %d pieces of %s, keeps until %s", k.Bundle.Code, k.Bundle.Free, k.Bundle.Variety, k.Keeping.KeepBy.Format("2 January"))
			if k.Keeping.KeepBy.Before(s.Now()) {
				says = fmt.Sprintf("%s, %d pieces of %s, is past its keep-by day, %s", k.Bundle.Code, k.Bundle.Free, k.Bundle.Variety, k.Keeping.KeepBy.Format("2 January"))
			}
			out = append(out, Risk{Where: k.Bundle.Place, Says: says, Do: "Use it first, or look at it and throw it out.", Path: "/wood/bundles/" + k.Bundle.Code, worst: badness["keep"]})
		}
	}
	for _, p := range places {
		c, err := s.cold(ctx, q, p)
		if err != nil {
			return nil, err
		}
		for _, f := range c.Flags {
			r := Risk{Where: p.Name, Says: f.Says, Do: f.Do, Path: "/wood/store", worst: badness[f.Kind]}
			if f.Kind == "look" {
				r.Look = p.Name
			}
			out = append(out, r)
		}
		soon(c.Kept)
	}
	loose, err := q.BundlesIn(ctx, "")
	if err != nil {
		return nil, err
	}
	k := s.keeper(q)
	var ks []Kept
	for _, b := range loose {
		x, err := k.keep(ctx, b, nil)
		if err != nil {
			return nil, err
		}
		ks = append(ks, x)
	}
	soon(ks)
	slices.SortStableFunc(out, func(a, b Risk) int { return a.worst - b.worst })
	return out, nil
}
