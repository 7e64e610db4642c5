package nursery

import (
	"context"
	"errors"
	"slices"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Effect is what a change would do, beside what stands.
type Effect struct {
	Orders    []OrderEffect // those that would be otherwise
	OfOrders  int           // open
	GraftsWas int           // to go, in all
	GraftsIs  int
	Dates     []DateEffect // steps that would fall on other days, by step
	Tags      int          // that grow or heal
}

// Nothing says that nothing that stands would be otherwise.
func (e Effect) Nothing() bool { return len(e.Orders) == 0 && len(e.Dates) == 0 }

// OrderEffect is an order as it stands and as it would.
type OrderEffect struct {
	Order   store.Order
	Was, Is Standing
}

// Standing is how an order stands.
type Standing struct {
	ToGo    int
	Grafts  int
	By      string // the technique it is reckoned by
	State   string
	Lacking []string // means
}

// DateEffect is a step of what follows whose days would move.
type DateEffect struct {
	Step        aftercare.Name
	Tags        int
	Earliest    time.Time // of those that move, as it stands and as it would
	WouldBe     time.Time
	EarlierMost int // days
	LaterMost   int
}

var tryNeeds = []snapshot.Need{snapshot.Orders, snapshot.Piles, snapshot.Tags, snapshot.Rest, snapshot.Growing}

// errTried ends a trial: nothing of it is kept.
var errTried = errors.New("tried, not kept")

// Tried works out how all stands, lets change change something in a transaction that is not
// kept, works it out anew there, and compares.
func Tried(ctx context.Context, k *Kernel, change func(q store.Q) error) (Effect, error) {
	was, err := k.Facts(ctx, tryNeeds...)
	if err != nil {
		return Effect{}, err
	}
	return Heavy(ctx, k, func() (e Effect, err error) {
		before, err := standingNow(ctx, k, was)
		if err != nil {
			return e, err
		}
		var after outcome
		err = k.DB.Tx(ctx, func(q store.Q) error {
			if err := change(q); err != nil {
				return err
			}
			// A reader of its own: what is read here must not be taken for what stands.
			is, err := snapshot.NewReader(k.DB, k.Now).In(ctx, q, tryNeeds...)
			if err != nil {
				return err
			}
			is.Stamp.Settings = -time.Now().UnixNano()
			if after, err = standingNow(ctx, k, is); err != nil {
				return err
			}
			return errTried
		})
		if !errors.Is(err, errTried) {
			return e, err
		}
		return before.beside(after), nil
	})
}

// outcome is how all stands.
type outcome struct {
	lines []outlook.OrderLine
	grows []outlook.Growing
}

func standingNow(ctx context.Context, k *Kernel, f *snapshot.Snapshot) (o outcome, err error) {
	var r *outlook.OrderSizer
	if o.lines, r, err = k.Reckon.OrderLines(ctx, f, &outlook.WhatIf{}); err != nil {
		return o, err
	}
	r.Means(o.lines)
	o.grows = outlook.NursingOf(f).All()
	return o, nil
}

func standingOf(l outlook.OrderLine) Standing {
	x := Standing{ToGo: l.ToGo, Grafts: l.Need.Grafts, By: l.Need.By.Technique.Name, State: words.OrderStands(l.Stand)}
	for _, b := range l.Means.Lacking() {
		x.Lacking = append(x.Lacking, b.Name)
	}
	return x
}

func (x Standing) same(y Standing) bool {
	return x.ToGo == y.ToGo && x.Grafts == y.Grafts && x.By == y.By && x.State == y.State && slices.Equal(x.Lacking, y.Lacking)
}

// beside compares how all stands with how it would.
func (o outcome) beside(is outcome) (e Effect) {
	e.OfOrders, e.Tags = len(o.lines), len(o.grows)
	now := map[string]outlook.OrderLine{}
	for _, l := range is.lines {
		now[l.Order.Code] = l
	}
	for _, l := range o.lines {
		x, y := standingOf(l), standingOf(now[l.Order.Code])
		e.GraftsWas, e.GraftsIs = e.GraftsWas+x.ToGo, e.GraftsIs+y.ToGo
		if !x.same(y) {
			e.Orders = append(e.Orders, OrderEffect{l.Order, x, y})
		}
	}
	type step struct {
		name aftercare.Name
		n    int
	}
	plans := map[string]map[step]aftercare.Knot{}
	for _, g := range is.grows {
		plans[g.Code] = map[step]aftercare.Knot{}
		for _, k := range g.Plan.Knots {
			plans[g.Code][step{k.Name, k.N}] = k
		}
	}
	for _, g := range o.grows {
		seen := map[aftercare.Name]bool{}
		for _, k := range g.Plan.Knots {
			w, ok := plans[g.Code][step{k.Name, k.N}]
			if !ok || w.Best == k.Best || seen[k.Name] {
				continue
			}
			seen[k.Name] = true // a round that comes again moves as its first does
			e.move(k, w)
		}
	}
	return e
}

func (e *Effect) move(was, is aftercare.Knot) {
	i := slices.IndexFunc(e.Dates, func(d DateEffect) bool { return d.Step == was.Name })
	if i < 0 {
		i, e.Dates = len(e.Dates), append(e.Dates, DateEffect{Step: was.Name})
	}
	d := &e.Dates[i]
	if d.Tags++; d.Tags == 1 || was.Best.Date().Before(d.Earliest) {
		d.Earliest, d.WouldBe = was.Best.Date(), is.Best.Date()
	}
	by := int(is.Best - was.Best)
	d.EarlierMost, d.LaterMost = max(d.EarlierMost, -by), max(d.LaterMost, by)
}
