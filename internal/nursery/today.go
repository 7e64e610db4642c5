package nursery

import (
	"context"
	"math"
	"time"

	"unionknot/internal/store"
)

// TodayPage is what the Today stage shows.
type TodayPage struct {
	Live    []LiveTag
	Bench   []store.Tag // to do today or overdue, not begun
	Due     []HealLine
	Orders  []OrderLine   // short or unmatched, soonest first
	Batches []store.Batch // made and not yet split into tags
	Mine    []store.Tag
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
	open, err := q.Tags(ctx, store.Which{Open: true, Limit: 300})
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
	orders, err := s.Orders(ctx)
	if err != nil {
		return p, err
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
