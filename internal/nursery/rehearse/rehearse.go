package rehearse

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/rehearsal"
	"unionknot/internal/core/take"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// needs are the facts that a season is played from.
var needs = append([]snapshot.Need{snapshot.Orders, snapshot.Names}, outlook.DayNeeds...)

// Going is how an order goes.
type Going struct {
	Order   store.Order
	Out     rehearsal.Outcome
	Grafts  int             // made or to be made for it
	Unwoven int             // that nothing is woven for
	Missed  int             // that found no half-day
	Summer  int             // that are budded in summer
	Lever   *Lever          // the best for it
	Was     *float64        // its chance on the last day before this one
	Hangs   []Hang          // what it hangs on
	of      map[int]float64 // by effect
}

// NotMade is how many grafts are late or on no day, on the mean.
func (g Going) NotMade() float64 { return g.Out.Late + float64(g.Missed) }

// Hang is something that orders hang on together.
type Hang struct {
	Kind   string // worker, lot, bundle, technique, window, away
	Key    string
	Name   string
	By     float64  // orders fewer that are met where it turns out one standard deviation worse
	Orders []string // that have it
	Alone  []string // that lie on it alone
}

// Holds is how much of the expected shortage goes where something is known.
type Holds struct {
	What  rehearsal.Certain
	Share float64 // of the trees expected to lack
}

// Rehearsed is the season as it was played.
type Rehearsed struct {
	At       time.Time
	Day      time.Time
	Seasons  int
	AllMet   float64
	Short    float64 // trees lacking, of all orders
	Orders   []Going // the worst first
	Holds    []Holds // what holds it back, the most first
	Hangs    []Hang  // what many hang on together, the most first
	Levers   []Lever // all that were found, the best first
	Counted  int     // tags that takes are known from
	NoHands  bool
	NoPlan   bool // nothing is to be made
	BeforeOn *time.Time
	Prev     *Figure       // as it was played before this, since the server started
	Behind   bool          // the house moved on since: it is being played anew
	Age      time.Duration // since it was played
	played   outlook.Played
	plans    []replanned // of the days, that were tried
	base     float64     // orders met on the seasons that changes are tried on
	facts    *snapshot.Snapshot
}

// Figure is what a season came to in one, when it was played.
type Figure struct {
	At  time.Time
	Met float64 // orders, on the mean
}

// Met is how many orders are met on the mean.
func (x Rehearsed) Met() (sum float64) {
	for _, o := range x.Orders {
		sum += o.Out.Met
	}
	return sum
}

// key is the one question that is asked.
const key = "season"

// Rehearsed says whether the season was played already, so that it is there at once.
func (s *Stage) Rehearsed() bool { return s.plays.Has(key) }

// Rehearsal gives the season as it was played last; where the house has moved on since, it is
// played anew behind the page, and the last is given meanwhile.
func (s *Stage) Rehearsal(ctx context.Context) (Rehearsed, error) {
	f, err := s.Facts(ctx, needs...)
	if err != nil {
		return Rehearsed{}, err
	}
	// Whoever asked first may leave the page: what was played is for all.
	play := func() (Rehearsed, error) { return s.play(context.WithoutCancel(ctx), f) }
	x, behind, err := s.plays.Get(key, f.Print()+f.Today.Format(time.DateOnly), play, play)
	x.Behind, x.Age = behind, s.plays.Age(key)
	return x, err
}

// mostDraws bounds how many seasons are played in a large house, so that a page has them in time.
const mostDraws = 12_000_000

// seasonsFor is how many seasons are played of so many jobs.
func seasonsFor(jobs int) int {
	return max(4000, min(rehearsal.Usual, mostDraws/max(1, jobs)))
}

func (s *Stage) play(ctx context.Context, f *snapshot.Snapshot) (Rehearsed, error) {
	p, lines, r, err := s.ready(ctx, f)
	if err != nil {
		return Rehearsed{}, err
	}
	q := s.DB.Q()
	before, err := q.RehearsedBefore(ctx, f.Today)
	if err != nil {
		return Rehearsed{}, err
	}
	out, err := nursery.Heavy(ctx, s.Kernel, func() (Rehearsed, error) { return rehearsed(f, r, p, lines, before) })
	if err != nil {
		return out, err
	}
	out.At = s.Now()
	if was := s.last.Load(); was != nil && was.Day.Equal(out.Day) {
		out.Prev = &Figure{was.At, was.Met()}
	}
	s.last.Store(&out)
	return out, s.keep(ctx, f, out)
}

// keep notes the day's chances, to be held against what comes.
func (s *Stage) keep(ctx context.Context, f *snapshot.Snapshot, x Rehearsed) error {
	var ids, trees []int64
	var met, mean []float64
	for _, o := range x.Orders {
		ids, trees = append(ids, o.Order.ID), append(trees, int64(o.Order.Trees))
		met, mean = append(met, o.Out.Met), append(mean, o.Out.Mean)
	}
	return s.DB.Tx(ctx, func(q store.Q) error { return q.KeepRehearsed(ctx, f.Today, s.Now(), ids, met, mean, trees) })
}

// ready gathers the season to be played.
func (s *Stage) ready(ctx context.Context, f *snapshot.Snapshot) (p outlook.Played, lines []outlook.OrderLine, r *outlook.OrderSizer,
	err error) {
	lines, r, err = s.Reckon.OrderLines(ctx, f, &outlook.WhatIf{})
	if err != nil {
		return p, nil, nil, err
	}
	woven, err := s.weave(ctx, f)
	if err != nil {
		return p, nil, nil, err
	}
	l, err := s.Reckon.Weighed(ctx, f)
	if err != nil {
		return p, nil, nil, err
	}
	q := s.DB.Q()
	kept, err := q.DaysKept(ctx, outlook.AbsentSince(f), f.Today)
	if err != nil {
		return p, nil, nil, err
	}
	p, err = nursery.Heavy(ctx, s.Kernel, func() (outlook.Played, error) {
		d := outlook.DiaryOf(f, true)
		d.AddWoven(woven)
		plan, err := benchday.Solve(d.Work)
		if err != nil {
			return outlook.Played{}, fmt.Errorf("planning the days: %w", err)
		}
		return outlook.PlayedOf(r, lines, d, plan, l, kept), nil
	})
	return p, lines, r, err
}

// withGone adds the trees that went already, which the season is played without, to those of an
// outcome.
func withGone(x rehearsal.Outcome, gone int) rehearsal.Outcome {
	if gone > 0 {
		x.Mean, x.Low, x.High = x.Mean+float64(gone), x.Low+gone, x.High+gone
		x.Trees = append(make([]int, gone), x.Trees...)
	}
	return x
}

func rehearsed(f *snapshot.Snapshot, sizer *outlook.OrderSizer, p outlook.Played, lines []outlook.OrderLine,
	before []store.Rehearsed) (Rehearsed, error) {
	n := seasonsFor(len(p.Season.Jobs))
	a, err := rehearsal.Play(p.Season, n, rehearsal.Seed, rehearsal.Nothing)
	if err != nil {
		return Rehearsed{}, fmt.Errorf("playing the season: %w", err)
	}
	x := Rehearsed{Day: f.Today, Seasons: a.Seasons, AllMet: a.AllMet, Short: a.Short(), Counted: p.Counted, played: p, facts: f}
	x.NoHands = !slices.ContainsFunc(p.Hands, func(h outlook.Hand) bool { return h.WeekHours() > 0 })
	x.NoPlan = len(p.Plan.Pieces) == 0
	was := map[string]float64{}
	for _, r := range before {
		was[r.Order] = r.Met
		x.BeforeOn = &r.Day
	}
	grafts := make([]int, len(p.Orders))
	for _, j := range p.Season.Jobs {
		grafts[j.Order] += j.Grafts
	}
	for i, o := range p.Orders {
		y := Going{Order: o, Out: a.Orders[i], Grafts: grafts[i] + o.Gone, Unwoven: p.Unwoven[i], Missed: p.Unplaced[i],
			Summer: p.Summer[i], of: a.Of[i]}
		y.Out = withGone(y.Out, o.Gone)
		if m, ok := was[o.Code]; ok {
			y.Was = &m
		}
		x.Orders = append(x.Orders, y)
	}
	x.hang(p, a)
	if err := x.holdBack(p, a); err != nil {
		return x, err
	}
	if err := x.levers(f, sizer, p, lines); err != nil {
		return x, err
	}
	slices.SortStableFunc(x.Orders, func(a, b Going) int { return cmp.Compare(a.Out.Met, b.Out.Met) })
	return x, nil
}

// holdSeasons is how many seasons are played with something known: differences on the same draws
// are known better than the figures themselves. House default.
const holdSeasons = 6000

// Lacking stands for what lacks however all turns out: stock, wood or days.
const Lacking = rehearsal.Nothing

// certainties are what is taken for known in turn.
var certainties = []rehearsal.Certain{rehearsal.Takes, rehearsal.Windows, rehearsal.Hands, rehearsal.Luck}

// holdBack plays the season again with each uncertainty taken away, on the same draws.
func (x *Rehearsed) holdBack(p outlook.Played, a rehearsal.Answer) error {
	n := min(a.Seasons, holdSeasons)
	a, err := rehearsal.Play(p.Season, n, rehearsal.Seed, rehearsal.Nothing)
	if err != nil {
		return fmt.Errorf("playing the season again: %w", err)
	}
	short := a.Short()
	if short < 0.05 {
		return nil
	}
	for _, c := range certainties {
		known, err := rehearsal.Play(p.Season, n, rehearsal.Seed, c)
		if err != nil {
			return fmt.Errorf("playing the season again: %w", err)
		}
		x.Holds = append(x.Holds, Holds{c, math.Max(0, (short-known.Short())/short)})
	}
	known, err := rehearsal.Play(p.Season, 2, rehearsal.Seed, rehearsal.Takes|rehearsal.Hands|rehearsal.Windows|rehearsal.Luck)
	if err != nil {
		return fmt.Errorf("playing the season with all known: %w", err)
	}
	x.Holds = append(x.Holds, Holds{Lacking, math.Min(1, known.Short()/short)})
	slices.SortStableFunc(x.Holds, func(a, b Holds) int { return cmp.Compare(b.Share, a.Share) })
	return nil
}

// House defaults of what orders hang on.
const (
	leastHang = 0.02 // orders fewer for one standard deviation
	mostHangs = 6
)

// hang finds what many orders hang on together, and what each hangs on.
func (x *Rehearsed) hang(p outlook.Played, a rehearsal.Answer) {
	has := func(effect int) (orders, alone []string) {
		with, all := map[int]int{}, map[int]int{}
		for _, j := range p.Season.Jobs {
			all[j.Order] += j.Grafts
			if slices.Contains(j.Effects, effect) {
				with[j.Order] += j.Grafts
			}
		}
		for o, order := range p.Orders {
			if with[o] > 0 {
				orders = append(orders, order.Code)
				if with[o] == all[o] {
					alone = append(alone, order.Code)
				}
			}
		}
		return orders, alone
	}
	for i, n := range p.Effects {
		kind := n.Factor
		if kind != take.Worker && kind != take.Lot && kind != take.Bundle {
			kind = "technique"
		}
		h := Hang{Kind: kind, Key: n.Level, Name: n.Level, By: a.Effects[i]}
		if h.By < leastHang {
			continue
		}
		h.Orders, h.Alone = has(i)
		if kind == take.Worker {
			h.Name = personName(p, n.Level)
		}
		if t, ok := x.facts.Technique(n.Level); ok && kind == "technique" {
			h.Name, h.Key = t.Name, strings.TrimPrefix(n.Factor, "mean of ") // on which genus
		}
		x.Hangs = append(x.Hangs, h)
		for o := range x.Orders {
			if by := x.Orders[o].of[i]; by >= leastHang {
				own := h
				own.By = by
				x.Orders[o].Hangs = append(x.Orders[o].Hangs, own)
			}
		}
	}
	for i, w := range p.Windows {
		if by := a.Windows[i]; by >= leastHang {
			h := Hang{Kind: "window", Key: string(w.By), Name: w.Last.Format(time.DateOnly), By: by}
			if t, ok := x.facts.Technique(w.Technique); ok {
				h.Key = t.Name
			}
			if w.Wood != "" {
				h.Key = w.Wood
			}
			x.Hangs = append(x.Hangs, h)
		}
	}
	for i, h := range p.Hands {
		if by := a.Hands[i]; by >= leastHang {
			x.Hangs = append(x.Hangs, Hang{Kind: "away", Key: fmt.Sprint(h.Person.ID), Name: h.Person.Name, By: by})
		}
	}
	most := func(hs []Hang) []Hang {
		slices.SortStableFunc(hs, func(a, b Hang) int { return cmp.Compare(b.By, a.By) })
		return hs[:min(len(hs), mostHangs)]
	}
	x.Hangs = most(x.Hangs)
	for o := range x.Orders {
		x.Orders[o].Hangs = most(x.Orders[o].Hangs)
	}
}

func personName(p outlook.Played, id string) string {
	for _, h := range p.Hands {
		if fmt.Sprint(h.Person.ID) == id {
			return h.Person.Name
		}
	}
	return id
}
