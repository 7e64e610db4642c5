package orders

import (
	"context"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// NewOrder is what is asked of an order.
type NewOrder struct {
	Code, Genus, Variety, StockGenus, StockType, Buyer string
	Trees, Priority                                    int
	DueOn                                              time.Time
	Sure                                               bool // a day that is over is meant
}

func (n *NewOrder) check(genera map[string]bool) nursery.Problems {
	var ps nursery.Problems
	n.Genus, n.StockGenus = nursery.CleanGenus(n.Genus), nursery.CleanGenus(n.StockGenus)
	n.Code, n.Variety, n.StockType = nursery.CleanCode(n.Code), strings.TrimSpace(n.Variety), strings.TrimSpace(n.StockType)
	n.Buyer = strings.TrimSpace(n.Buyer)
	if n.StockGenus == "" {
		n.StockGenus = n.Genus
	}
	if n.Priority == 0 {
		n.Priority = 2
	}
	nursery.CheckCode(&ps, "code", n.Code)
	if !genera[n.Genus] {
		ps.Add("genus", words.ChooseTheVarietysGenusFrom, n.Genus)
	}
	if !genera[n.StockGenus] {
		ps.Add("stock_genus", words.ChooseTheStocksGenusFrom, n.StockGenus)
	}
	if n.Variety == "" || utf8.RuneCountInString(n.Variety) > 60 {
		ps.Add("variety", words.VarietyWanted)
	}
	if n.StockType == "" || utf8.RuneCountInString(n.StockType) > 60 {
		ps.Add("stock_type", words.NameTheStockInUp)
	}
	if n.Trees < 1 || n.Trees > 1_000_000 {
		ps.Add("trees", words.CountTheTreesAWhole)
	}
	if n.Priority < 1 || n.Priority > 3 {
		ps.Add("priority", words.PriorityIs1First2)
	}
	if n.DueOn.IsZero() {
		ps.Add("due_on", words.GiveTheDayItIs)
	}
	return ps
}

// AddOrder keeps an order. One that was wanted on a day that is over is asked about.
func (s *Stage) AddOrder(ctx context.Context, a nursery.Actor, n NewOrder) error {
	if !n.DueOn.IsZero() && n.DueOn.Before(s.Today()) && !n.Sure {
		if err := a.Must(nursery.Propagator); err != nil {
			return err
		}
		return nursery.Problem{Field: "due_on", Says: words.DayOver}
	}
	return s.AddTyped(ctx, a, "Order", n.Code, n.check, func(ctx context.Context, q store.Q) error {
		return s.addOrders(ctx, q, a,
			[]NewOrder{n})
	})
}

func (s *Stage) addOrders(ctx context.Context, q store.Q, a nursery.Actor, ns []NewOrder) error {
	names, os, cs := nursery.NamesIn(q), make([]store.Order, len(ns)), make([]nursery.Change, len(ns))
	for i, n := range ns {
		v, err := names.Variety(ctx, n.Variety, n.Genus)
		if err != nil {
			return err
		}
		t, err := names.Stock(ctx, n.StockType, n.StockGenus)
		if err != nil {
			return err
		}
		os[i] = store.Order{Code: n.Code, VarietyID: v, StockTypeID: t, Trees: n.Trees, DueOn: n.DueOn,
			Priority: n.Priority, Buyer: n.Buyer, MadeAt: s.Now()}
		cs[i] = nursery.Change{What: "order", Ref: n.Code, Doing: "taken", After: n}
	}
	if err := q.AddOrders(ctx, os); err != nil {
		return err
	}
	return s.ChangedAll(ctx, q, a, cs...)
}

// Orders lists the open orders with what each needs and has.
func (s *Stage) Orders(ctx context.Context) ([]outlook.OrderLine, error) {
	return s.OrdersIf(ctx, &outlook.WhatIf{})
}

// OrdersIf lists the open orders with another chance or take; what was left
// out of w is filled in.
func (s *Stage) OrdersIf(ctx context.Context, w *outlook.WhatIf) ([]outlook.OrderLine, error) {
	f, err := s.Facts(ctx, snapshot.Orders, snapshot.Piles, snapshot.Tags, snapshot.Rest)
	if err != nil {
		return nil, err
	}
	out, r, err := s.Reckon.OrderLines(ctx, f, w)
	if err != nil {
		return nil, err
	}
	r.Means(out)
	return out, nil
}

// Order gathers an order's page, with another chance or take.
func (s *Stage) Order(ctx context.Context, code string, w outlook.WhatIf) (outlook.OrderPage, error) {
	q := s.DB.Q()
	var p outlook.OrderPage
	o, err := q.OrderByCode(ctx, nursery.CleanCode(code))
	if err != nil {
		return p, err
	}
	f, err := s.Facts(ctx, snapshot.Orders, snapshot.Piles, snapshot.Tags, snapshot.Rest, snapshot.Names)
	if err != nil {
		return p, err
	}
	w.Fill(f.House)
	p.WhatIf = w
	r, err := s.Reckon.Sizer(ctx, f, o.Genus)
	if err != nil {
		return p, err
	}
	r.Points = w.Points
	lines, err := r.Lines(w.Chance)
	if err != nil {
		return p, err
	}
	// With the orders beside it, which may come before it.
	at := slices.IndexFunc(lines, func(l outlook.OrderLine) bool { return l.Order.ID == o.ID })
	if at < 0 { // closed
		l, err := r.Line(o, w.Chance)
		if err != nil {
			return p, err
		}
		at, lines = len(lines), append(lines, l)
	}
	r.Means(lines)
	p.Line = lines[at]
	p.Compatibility = outlook.Compatibility(f, o)
	p.Sections = [2][]string{f.SectionsOf(o.Genus), f.SectionsOf(o.StockGenus)}
	p.Section = [2]string{o.Section, o.StockSection}
	if p.Batches, err = q.BatchesOfOrder(ctx, o.ID); err != nil {
		return p, err
	}
	if p.Deliveries, err = q.Deliveries(ctx, o.ID); err != nil {
		return p, err
	}
	p.Outs = r.Beds.Outs(o)
	for _, l := range f.LotsOf(o.StockTypeID) {
		p.Lots = append(p.Lots, l.Lot)
	}
	for _, b := range f.BundlesOf(o.VarietyID) {
		p.Bundles = append(p.Bundles, b.Bundle)
	}
	p.Ways, err = r.WaysOut(p)
	return p, err
}

// CloseOrder closes an order: it is met, or was called off, and draws on
// nothing any more. With open it is opened again.
func (s *Stage) CloseOrder(ctx context.Context, a nursery.Actor, code string, open bool) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		o, err := q.OrderByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if err := q.LockOrder(ctx, o.ID); err != nil {
			return err
		}
		var on *time.Time
		doing := "opened again"
		if !open {
			today := s.Today()
			on, doing = &today, "closed"
		}
		if err := q.CloseOrder(ctx, o.ID, on); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "order", o.Code, doing, nursery.IsoDay(o.ClosedOn), nursery.IsoDay(on))
	})
}

// CallOff closes an order that will not be met, with the reason.
func (s *Stage) CallOff(ctx context.Context, a nursery.Actor, code, why string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	why, err := nursery.CheckWhy(why)
	if err != nil {
		return nursery.Problem{Field: "off_why", Says: words.GiveAWhy}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		o, err := q.OrderByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if err := q.LockOrder(ctx, o.ID); err != nil {
			return err
		}
		if o, err = q.OrderByCode(ctx, o.Code); err != nil || o.ClosedOn != nil {
			return err
		}
		today := s.Today()
		if err := q.CloseOrder(ctx, o.ID, &today); err != nil {
			return err
		}
		return s.WriteCorrection(ctx, q, a, "order", o.Code, why, []nursery.CorrectedValue{{Key: "called_off", Is: nursery.IsoDay(&today)}})
	})
}

// ClosedOrders lists closed orders, the newest first; after is the id to go on
// from, or 0.
func (s *Stage) ClosedOrders(ctx context.Context, after int64) ([]store.Order, error) {
	return s.DB.Q().ClosedOrders(ctx, after, nursery.PageSize)
}

// SetSections notes the sections of an order's variety and stock, for all their
// orders.
func (s *Stage) SetSections(ctx context.Context, a nursery.Actor, code, of, on string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		o, err := q.OrderByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		f, err := s.FactsIn(ctx, q)
		if err != nil {
			return err
		}
		for _, x := range []struct {
			field, genus, section string
			stock                 bool
			id                    int64
		}{{"of", o.Genus, of, false, o.VarietyID}, {"on", o.StockGenus, on, true, o.StockTypeID}} {
			if x.section != "" && !slices.Contains(f.SectionsOf(x.genus), x.section) {
				return nursery.Problem{Field: x.field, Says: words.ChooseASectionFromThe}
			}
			if err := q.SetSection(ctx, x.stock, x.id, x.section); err != nil {
				return err
			}
		}
		return s.Changed(ctx, q, a, "order", o.Code, "sections noted", []string{o.Section, o.StockSection}, []string{of, on})
	})
}

// Names are varieties and stock types known, to help typing.
func (s *Stage) Names(ctx context.Context) (varieties, stocks []string, err error) {
	vs, err := s.DB.Q().Varieties(ctx)
	if err != nil {
		return nil, nil, err
	}
	for _, v := range vs {
		varieties = append(varieties, v.Name)
	}
	ts, err := s.DB.Q().StockTypes(ctx)
	for _, t := range ts {
		stocks = append(stocks, t.Name)
	}
	return slices.Compact(varieties), slices.Compact(stocks), err
}
