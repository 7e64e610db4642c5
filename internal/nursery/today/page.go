package today

import (
	"context"
	"slices"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/pace"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/tally"
	"unionknot/internal/core/ways"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// TodayPage is what the Today stage shows.
type TodayPage struct {
	Facts          *snapshot.Snapshot
	Live           []LiveTag
	Classes        []outlook.ClassLine // that are under way, each as one
	Bench          []store.Tag         // to do today or overdue, not begun
	Due            []outlook.HealPlace // tags to look at now, by where they stand
	Orders         []outlook.OrderLine // short or unmatched, soonest first
	Batches        []store.NewBatch    // made and not yet split into tags
	Mine           []store.Tag
	Risks          []outlook.Risk   // worst first
	Unmeasured     []store.Lot      // with stems free and no reading
	Sticks, Plants int              // of wood to cut for the open orders
	Days           outlook.DaysPage // the plan of the bench days
	Failed         []store.FailedLot
	Walk           []outlook.Bed // with steps and rounds that are due, in walking order
	Day            aftercare.Day
	First          []nursery.FirstStep // of an empty house, for its propagator
	Owed           []outlook.OrderLine // overdue, or due within dueSoon days, with trees still owed
	Strays         int                 // taps that do not count until the propagator says so
}

// failedSince is how many days after their grafting failed stocks are named. House
// default.
const failedSince = 200

// dueSoon is how many days before its date an order that is owed trees is named. House default.
const dueSoon = 14

// LiveTag is a tag being worked, with its pace.
type LiveTag struct {
	Tag     store.Tag
	PerHour float64
	Finish  time.Time // at that pace; zero when not known
}

// TodayPage gathers what is due and what is going on. A bench hand sees their
// own bench, the looks and the walk that are due, and what is at risk where grafts stand.
func (s *Stage) TodayPage(ctx context.Context, a nursery.Actor) (TodayPage, error) {
	needs := []snapshot.Need{snapshot.Tags, snapshot.Places, snapshot.Growing}
	if a.Role != nursery.BenchHand {
		needs = append(needs, snapshot.Rest, snapshot.Orders, snapshot.Piles, snapshot.Looks, snapshot.Mothers)
	}
	f, err := s.Facts(ctx, needs...)
	if err != nil {
		return TodayPage{}, err
	}
	p := TodayPage{Facts: f, Due: outlook.ByPlace(outlook.HealOf(f).Due)}
	n := outlook.NursingOf(f)
	gs := n.All()
	beds := n.Beds(gs)
	p.Walk, p.Day = outlook.DueOn(beds), n.Today
	open, classes := outlook.ApartFromClasses(f, f.OpenTags())
	p.Classes = classes
	if a.Role == nursery.BenchHand {
		p.Risks = outlook.GrowRisks(n, gs, beds)
		outlook.WorstFirst(p.Risks)
		for _, t := range open {
			if t.Has(a.ID) {
				p.Mine = append(p.Mine, t)
			}
		}
		slices.SortStableFunc(p.Mine, outlook.ByDay)
		return p, nil
	}
	going, err := s.DB.Q().GoingOn(ctx, s.Now().Add(-time.Hour), f.Today.AddDate(0, 0, -failedSince), string(tally.CameBack))
	if err != nil {
		return p, err
	}
	paces, by := map[int64]float64{}, map[int64][]store.Pace{}
	for _, x := range going.Paces {
		by[x.WorkerID] = append(by[x.WorkerID], store.Pace{From: x.From, N: x.N})
	}
	for id, ps := range by {
		paces[id] = outlook.PerHour(ps, s.Now())
	}
	for _, t := range open {
		switch {
		case t.StartedAt != nil:
			rate := paces[t.WorkerID]
			p.Live = append(p.Live, LiveTag{Tag: t, PerHour: rate, Finish: pace.Finish(f.At, t.Planned-t.Tied, rate)})
		case !t.Day.After(f.Today):
			p.Bench = append(p.Bench, t)
		}
	}
	p.Days = outlook.BenchDaysOf(f, f.Today)
	for _, l := range f.Lots {
		if l.Measured == 0 && l.Form != supply.Seedbed {
			p.Unmeasured = append(p.Unmeasured, l.Lot)
		}
	}
	orders, r, err := s.Reckon.OrderLines(ctx, f, &outlook.WhatIf{})
	if err != nil {
		return p, err
	}
	r.Means(orders)
	p.Risks = slices.Concat(outlook.Risks(f, orders), outlook.GrowRisks(n, gs, beds))
	outlook.WorstFirst(p.Risks)
	c, err := outlook.Collect(f, orders, outlook.CollectAsked{Spare: outlook.SparePct, Waste: outlook.WastePct})
	if err != nil {
		return p, err
	}
	for _, l := range c.Lines {
		p.Sticks, p.Plants = p.Sticks+l.Sticks, p.Plants+1
	}
	for _, o := range orders {
		if o.Balance.Owed > 0 && o.Order.Tree == "" && o.Order.DueOn.Before(f.Today.AddDate(0, 0, dueSoon)) {
			p.Owed = append(p.Owed, o)
		}
		if o.ToGo > 0 || o.Need.Missing != "" {
			p.Orders = append(p.Orders, o)
		}
	}
	if f.Answers().SecondChance() != ways.Discard {
		p.Failed = going.Failed
	}
	p.Batches, p.Strays = going.Batches, going.Strays
	if a.Role == nursery.Propagator && len(f.Orders)+len(open)+len(f.Lots)+len(f.Growing) == 0 {
		h, err := s.DB.Q().FirstHour(ctx, a.ID)
		if err != nil {
			return p, err
		}
		p.First = nursery.FirstSteps(h)
	}
	return p, nil
}
