package rehearse

import (
	"context"
	"fmt"
	"math"
	"time"

	"unionknot/internal/core/rehearsal"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/take"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// Promise is an order of a season that is over: the chance that it had by what was known before
// that season's first look, of the grafts that were made for it, and whether it was met.
type Promise struct {
	Order  string
	Season int
	Trees  int
	Made   int // grafts
	Said   float64
	Alive  int
	Came   bool
}

// Step is promises of like chance, and how many were kept.
type Step struct {
	From, To float64
	N, Met   int
	Said     float64 // their mean
	Came     sizing.Interval
}

// Promises are those of past seasons.
type Promises struct {
	Of    []Promise
	Steps []Step
	Said  float64 // orders that would be met by what was said
	Came  int     // that were
}

// pastSeasons is how often a past season is played: its chances are sorted into wide steps. One
// of very many tags is played less often, so that pastDraws jobs are played at most.
const (
	pastSeasons = 4000
	leastPast   = 400
	pastDraws   = 3_000_000
)

// promiseSteps is into how many steps chances are sorted. House default.
const promiseSteps = 5

// Promises rehearses past seasons from what was known before each, and holds it against what
// came.
func (s *Stage) Promises(ctx context.Context) (Promises, error) {
	f, err := s.Facts(ctx)
	if err != nil {
		return Promises{}, err
	}
	work := func(ctx context.Context) (Promises, error) { return s.promises(ctx, f) }
	p, _, err := s.past.Get("past", fmt.Sprint(f.Stamp.Takes, " ", f.Stamp.Grades, f.Today.Format(time.DateOnly)), func() (Promises,
		error) {
		return work(ctx)
	},
		func() (Promises, error) { return work(context.WithoutCancel(ctx)) })
	return p, err
}

// seasonFrom is the day on which a season begins.
func seasonFrom(y int) time.Time { return time.Date(y, time.August, 1, 0, 0, 0, 0, time.UTC) }

func (s *Stage) promises(ctx context.Context, f *snapshot.Snapshot) (out Promises, err error) {
	q := s.DB.Q()
	past, err := q.PastOrders(ctx, f.Today)
	if err != nil {
		return out, err
	}
	bySeason := map[int][]store.PastOrder{}
	var years []int
	for _, o := range past {
		if bySeason[o.Season] == nil {
			years = append(years, o.Season)
		}
		bySeason[o.Season] = append(bySeason[o.Season], o)
	}
	for _, y := range years {
		before, err := q.TakeRecords(ctx, store.TakeFilter{To: seasonFrom(y).AddDate(0, 0, -1)})
		if err != nil {
			return out, err
		}
		made, err := q.TagDetails(ctx, store.TakeFilter{From: seasonFrom(y), To: seasonFrom(y+1).AddDate(0, 0, -1)})
		if err != nil {
			return out, err
		}
		ps, err := nursery.Heavy(ctx, s.Kernel, func() ([]Promise, error) { return promised(f, bySeason[y], before, made) })
		if err != nil {
			return out, err
		}
		out.Of = append(out.Of, ps...)
	}
	out.sum()
	return out, nil
}

// promised plays one past season from what was known before it.
func promised(f *snapshot.Snapshot, orders []store.PastOrder, before []store.TakeRecord, made []store.TagDetail) ([]Promise, error) {
	l := take.Learned{}
	if len(before) > 0 {
		var err error
		if l, err = take.Learn(outlook.RecordsOf(before)); err != nil {
			return nil, fmt.Errorf("weighing %d tags of before: %w", len(before), err)
		}
	}
	s := rehearsal.Season{Later: []rehearsal.Stage{outlook.LaterUsual()}}
	at, effect := map[string]int{}, map[string]int{}
	var out []Promise
	for i, o := range orders {
		at[o.Code] = i
		s.Orders = append(s.Orders, o.Trees)
		out = append(out, Promise{Order: o.Code, Season: o.Season, Trees: o.Trees, Alive: o.Alive, Came: o.Alive >= o.Trees})
	}
	of := func(key string, b rehearsal.Belief) int {
		e, ok := effect[key]
		if !ok {
			e = len(s.Effects)
			effect[key], s.Effects = e, append(s.Effects, b)
		}
		return e
	}
	level := func(factor, name string) int {
		e := l.Effect(factor, name)
		if e.SD == 0 {
			e.SD = map[string]float64{take.Worker: take.UsualSpreads.Worker, take.Lot: take.UsualSpreads.Lot,
				take.Bundle: take.UsualSpreads.Bundle}[factor]
		}
		return of(factor+" "+name, rehearsal.Belief{Mean: e.Mode, SD: e.SD})
	}
	expected := map[string]rehearsal.Belief{} // middles of techniques on genera, and what is not known of them
	for _, d := range made {
		i, ok := at[d.Order]
		t, known := f.Technique(d.Technique)
		if !ok || !known {
			continue
		}
		key := t.Key + " " + orders[i].Genus
		e, ok := expected[key]
		if !ok {
			x := l.Expect(t.Key, t.Prior(f.Genus(orders[i].Genus).LogitShift))
			e = rehearsal.Belief{Mean: x.Middle(), SD: math.Sqrt(x.Variance)}
			expected[key] = e
		}
		s.Jobs = append(s.Jobs, rehearsal.Job{Order: i, Grafts: d.Tied, Eta: e.Mean, Hand: rehearsal.Made, Window: -1, Buds: d.Buds,
			Effects: []int{of(key, rehearsal.Belief{SD: e.SD}), level(take.Worker, d.Worker),
				level(take.Lot, d.Lot), level(take.Bundle, d.Bundle)}})
		out[i].Made += d.Tied
	}
	a, err := rehearsal.Play(s, max(leastPast, min(pastSeasons, pastDraws/max(1, len(s.Jobs)))), rehearsal.Seed, rehearsal.Nothing)
	if err != nil {
		return nil, fmt.Errorf("playing a past season: %w", err)
	}
	for i := range out {
		out[i].Said = a.Orders[i].Met
	}
	return out, nil
}

// sum sorts promises into steps.
func (p *Promises) sum() {
	steps := make([]Step, promiseSteps)
	for i := range steps {
		steps[i].From, steps[i].To = float64(i)/promiseSteps, float64(i+1)/promiseSteps
	}
	for _, x := range p.Of {
		y := &steps[min(promiseSteps-1, int(x.Said*promiseSteps))]
		y.N++
		y.Said += x.Said
		p.Said += x.Said
		if x.Came {
			y.Met++
			p.Came++
		}
	}
	for _, y := range steps {
		if y.N == 0 {
			continue
		}
		y.Said /= float64(y.N)
		y.Came = sizing.Beta{Alpha: 1, Beta: 1}.And(y.Met, y.N).Interval90()
		p.Steps = append(p.Steps, y)
	}
}
