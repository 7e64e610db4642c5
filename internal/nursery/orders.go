package nursery

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
	"unionknot/internal/store"
)

// NewOrder is what is asked of an order.
type NewOrder struct {
	Code, Genus, Variety, StockGenus, StockType, Buyer string
	Trees, Priority                                    int
	DueOn                                              time.Time
}

func (n *NewOrder) check(genera map[string]bool) Problems {
	var ps Problems
	n.Code, n.Variety, n.StockType = cleanCode(n.Code), strings.TrimSpace(n.Variety), strings.TrimSpace(n.StockType)
	n.Buyer = strings.TrimSpace(n.Buyer)
	if n.StockGenus == "" {
		n.StockGenus = n.Genus
	}
	if n.Priority == 0 {
		n.Priority = 2
	}
	checkCode(&ps, "code", n.Code)
	if !genera[n.Genus] {
		ps.add("genus", "Choose the variety's genus from the list; %q is not in it.", n.Genus)
	}
	if !genera[n.StockGenus] {
		ps.add("stock_genus", "Choose the stock's genus from the list; %q is not in it.", n.StockGenus)
	}
	if n.Variety == "" || len(n.Variety) > 60 {
		ps.add("variety", "Name the variety, in up to 60 letters.")
	}
	if n.StockType == "" || len(n.StockType) > 60 {
		ps.add("stock_type", "Name the stock, in up to 60 letters.")
	}
	if n.Trees < 1 || n.Trees > 1_000_000 {
		ps.add("trees", "Count the trees: a whole number from 1 to 1,000,000.")
	}
	if n.Priority < 1 || n.Priority > 3 {
		ps.add("priority", "Priority is 1 (first), 2 or 3.")
	}
	if n.DueOn.IsZero() {
		ps.add("due_on", "Give the day it is wanted, such as 2028-03-01.")
	}
	return ps
}

// AddOrder keeps an order.
func (s *Service) AddOrder(ctx context.Context, a Actor, n NewOrder) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	genera, err := s.genera(ctx, s.db.Q())
	if err != nil {
		return err
	}
	if ps := n.check(genera); len(ps) > 0 {
		return ps
	}
	err = s.db.Tx(ctx, func(q store.Q) error { return s.addOrder(ctx, q, a, n) })
	return taken(err, "code", "Order", n.Code)
}

func (s *Service) addOrder(ctx context.Context, q store.Q, a Actor, n NewOrder) error {
	v, err := q.VarietyFor(ctx, n.Variety, n.Genus)
	if err != nil {
		return err
	}
	t, err := q.StockTypeFor(ctx, n.StockType, n.StockGenus)
	if err != nil {
		return err
	}
	if _, err := q.AddOrder(ctx, store.Order{Code: n.Code, VarietyID: v, StockTypeID: t, Trees: n.Trees, DueOn: n.DueOn,
		Priority: n.Priority, Buyer: n.Buyer, MadeAt: s.Now()}); err != nil {
		return err
	}
	return s.changed(ctx, q, a, "order", n.Code, "taken", nil, n)
}

// OrderLine is an order with what it needs and has.
type OrderLine struct {
	Order store.Order
	Need  Need
	ToGo  int    // grafts still to be put in a batch
	State string // in words
	Later bool   // nothing lacks: it is budded in summer
	Means Means
}

// WhatIf is what a planner tries out on the orders.
type WhatIf struct {
	Chance float64 // 0: the house's
	Points int     // hundredths added to every expected take
}

// mostPoints bounds how far a take can be moved to try it out.
const mostPoints = 30

func (s *Service) ordersReckoner(ctx context.Context, q store.Q, w *WhatIf) (*reckoner, []store.Order, error) {
	if w.Chance <= 0 || w.Chance >= 1 {
		h, err := q.House(ctx)
		if err != nil {
			return nil, nil, err
		}
		w.Chance = h.Chance
	}
	w.Points = min(mostPoints, max(-mostPoints, w.Points))
	os, err := q.OpenOrders(ctx, s.Today().AddDate(0, -1, 0))
	if err != nil {
		return nil, nil, err
	}
	r, err := s.reckon(ctx, q)
	if err == nil {
		r.points = w.Points
	}
	return r, os, err
}

// Orders lists the open orders with what each needs and has.
func (s *Service) Orders(ctx context.Context) ([]OrderLine, error) {
	return s.OrdersIf(ctx, &WhatIf{})
}

func (s *Service) orderLines(ctx context.Context, q store.Q, w *WhatIf) ([]OrderLine, *reckoner, error) {
	r, os, err := s.ordersReckoner(ctx, q, w)
	if err != nil {
		return nil, nil, err
	}
	out := make([]OrderLine, 0, len(os))
	for _, o := range os {
		l, err := r.line(ctx, o, w.Chance)
		if err != nil {
			return nil, nil, err
		}
		out = append(out, l)
	}
	return out, r, nil
}

// OrdersIf lists the open orders with another chance or take; what was left
// out of w is filled in.
func (s *Service) OrdersIf(ctx context.Context, w *WhatIf) ([]OrderLine, error) {
	q := s.db.Q()
	out, r, err := s.orderLines(ctx, q, w)
	if err != nil {
		return nil, err
	}
	return out, s.means(ctx, q, r, out)
}

func (r *reckoner) line(ctx context.Context, o store.Order, chance float64) (OrderLine, error) {
	l := OrderLine{Order: o}
	var err error
	if l.Need, err = r.need(ctx, o, chance); err != nil {
		return l, fmt.Errorf("order %s: %w", o.Code, err)
	}
	l.ToGo = max(0, l.Need.Grafts-o.Batched)
	switch {
	case l.Need.Missing != "":
		l.State = l.Need.Missing
	case l.ToGo == 0 && o.Unfinished == 0:
		l.State = "all grafted"
	case l.ToGo == 0:
		l.State = "at the bench"
	case l.Need.Summer && o.StockFree < l.ToGo:
		l.State = fmt.Sprintf("short by %d stems", l.ToGo-o.StockFree)
	case l.Need.Summer && l.Need.Standing.Verdict == technique.Shut:
		l.State, l.Later = "budded in summer", true
		if !l.Need.Standing.Opens.IsZero() {
			l.State = "budded from " + season.Say(l.Need.Standing.Opens)
		}
	case o.StockFree == 0 && o.WoodFree == 0:
		l.State = "no stock and no wood"
	case o.StockFree == 0:
		l.State = "no stock"
	case o.WoodFree == 0:
		l.State = "no wood"
	case min(o.StockFree, o.WoodFree) < l.ToGo:
		l.State = fmt.Sprintf("short by %d", l.ToGo-min(o.StockFree, o.WoodFree))
	default:
		l.State = "ready to match"
	}
	return l, nil
}

// OrderPage is what an order's page shows.
type OrderPage struct {
	Line          OrderLine
	WhatIf        WhatIf
	Compatibility string      // a warning, or ""
	Sections      [2][]string // to choose from, of the variety and of the stock
	Section       [2]string   // as noted
	Batches       []store.Batch
	Lots          []store.Lot
	Bundles       []store.Bundle
	Ways          []WayOut // cheapest first; none where nothing lacks
}

// Order gathers an order's page, with another chance or take.
func (s *Service) Order(ctx context.Context, code string, w WhatIf) (OrderPage, error) {
	q := s.db.Q()
	var p OrderPage
	o, err := q.OrderByCode(ctx, cleanCode(code))
	if err != nil {
		return p, err
	}
	lines, r, err := s.orderLines(ctx, q, &w)
	if err != nil {
		return p, err
	}
	p.WhatIf = w
	// With the orders beside it, which may come before it.
	at := slices.IndexFunc(lines, func(l OrderLine) bool { return l.Order.ID == o.ID })
	if at < 0 { // long past its day
		l, err := r.line(ctx, o, w.Chance)
		if err != nil {
			return p, err
		}
		at, lines = len(lines), append(lines, l)
	}
	if err := s.means(ctx, q, r, lines); err != nil {
		return p, err
	}
	p.Line = lines[at]
	if p.Compatibility, err = s.compatibility(ctx, q, o); err != nil {
		return p, err
	}
	ss, err := q.Sections(ctx)
	if err != nil {
		return p, err
	}
	p.Sections = [2][]string{sectionsOf(ss, o.Genus), sectionsOf(ss, o.StockGenus)}
	if p.Section[0], p.Section[1], err = q.SectionsOf(ctx, o.VarietyID, o.StockTypeID); err != nil {
		return p, err
	}
	if p.Batches, err = q.BatchesOfOrder(ctx, o.ID); err != nil {
		return p, err
	}
	if p.Lots, err = q.LotsOfType(ctx, o.StockTypeID); err != nil {
		return p, err
	}
	if p.Bundles, err = q.BundlesOfVariety(ctx, o.VarietyID); err != nil {
		return p, err
	}
	p.Ways, err = s.waysOut(ctx, q, r, p)
	return p, err
}

// compatibility gives a warning for an order's variety on its stock, or "": by
// their sections where these are noted, else by their genera.
func (s *Service) compatibility(ctx context.Context, q store.Q, o store.Order) (string, error) {
	of, on, err := q.SectionsOf(ctx, o.VarietyID, o.StockTypeID)
	if err != nil {
		return "", err
	}
	scion, stock := o.Genus, o.StockGenus
	if of != "" && on != "" {
		verdict, note, err := "usual", "", error(nil)
		if scion != stock || of != on {
			verdict, note, err = q.SectionPair(ctx, scion, of, stock, on)
		}
		return pairSays(of+" "+scion, on+" "+stock, verdict, note, err)
	}
	verdict, note, err := q.Compatibility(ctx, scion, stock)
	says, err := pairSays(scion, stock, verdict, note, err)
	if err != nil || verdict == "known bad" {
		return says, err
	}
	ss, err := q.Sections(ctx)
	if err != nil {
		return says, err
	}
	if n := sectionsOf(ss, stock); says == "" && len(n) > 1 && len(sectionsOf(ss, scion)) > 0 {
		says = fmt.Sprintf("%ss go by section or species: note which %s and %s are, on the order's page, to know how they get on.", capital(stock), o.Variety, o.StockType)
	}
	return says, nil
}

func sectionsOf(ss []store.Section, genus string) []string {
	var out []string
	for _, x := range ss {
		if x.Genus == genus {
			out = append(out, x.Name)
		}
	}
	return out
}

// SetSections notes the sections of an order's variety and stock, for all their
// orders.
func (s *Service) SetSections(ctx context.Context, a Actor, code, of, on string) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		o, err := q.OrderByCode(ctx, cleanCode(code))
		if err != nil {
			return err
		}
		ss, err := q.Sections(ctx)
		if err != nil {
			return err
		}
		was, wasOn, err := q.SectionsOf(ctx, o.VarietyID, o.StockTypeID)
		if err != nil {
			return err
		}
		for _, x := range []struct {
			field, genus, section string
			stock                 bool
			id                    int64
		}{{"of", o.Genus, of, false, o.VarietyID}, {"on", o.StockGenus, on, true, o.StockTypeID}} {
			if x.section != "" && !slices.Contains(sectionsOf(ss, x.genus), x.section) {
				return Problem{x.field, "Choose a section from the list."}
			}
			if err := q.SetSection(ctx, x.stock, x.id, x.section); err != nil {
				return err
			}
		}
		return s.changed(ctx, q, a, "order", o.Code, "sections noted", []string{was, wasOn}, []string{of, on})
	})
}

// pairSays gives a verdict on a pair in words; "" where there is nothing to say.
func pairSays(scion, stock, verdict, note string, err error) (string, error) {
	if note != "" {
		note = ": " + note
	}
	switch {
	case errors.Is(err, ErrNotFound):
		return fmt.Sprintf("Nothing is known here of %s on %s. Try a few before many.", scion, stock), nil
	case err != nil:
		return "", err
	case verdict == "known bad":
		return fmt.Sprintf("%s on %s is a known bad pair%s.", capital(scion), stock, note), nil
	case verdict == "with care":
		return fmt.Sprintf("%s on %s goes with care%s.", capital(scion), stock, note), nil
	case note != "":
		return fmt.Sprintf("%s on %s is usual%s.", capital(scion), stock, note), nil
	}
	return "", nil
}

func capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// Names are varieties and stock types known, to help typing.
func (s *Service) Names(ctx context.Context) (varieties, stocks []string, err error) {
	vs, err := s.db.Q().Varieties(ctx)
	if err != nil {
		return nil, nil, err
	}
	for _, v := range vs {
		varieties = append(varieties, v.Name)
	}
	ts, err := s.db.Q().StockTypes(ctx)
	for _, t := range ts {
		stocks = append(stocks, t.Name)
	}
	return slices.Compact(varieties), slices.Compact(stocks), err
}
