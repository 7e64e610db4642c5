package orders

import (
	"context"
	"strings"
	"time"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
)

// OrderLists are the lists of this stage that a file can be loaded into.
func (s *Stage) OrderLists() []nursery.List {
	return []nursery.List{{Kind: "orders", Read: s.readOrders, Rows: s.orderRows}}
}

func (s *Stage) orderRows(ctx context.Context, q store.Q, row func(...any) error) error {
	os, err := q.AllOrders(ctx)
	if err != nil {
		return err
	}
	for _, o := range os {
		if err := row("code", o.Code, "genus", o.Genus, "variety", o.Variety, "stock", o.StockType, "trees", o.Trees, "due_on",
			o.DueOn.Format(time.DateOnly), "stock_genus", o.StockGenus,
			"priority", o.Priority, "buyer", o.Buyer); err != nil {
			return err
		}
	}
	return nil
}

func (s *Stage) readOrders(ctx context.Context, q store.Q, l *nursery.Loading, t *exchange.Table) error {
	genera, err := s.KnownGenera(ctx, q)
	if err != nil {
		return err
	}
	known, err := q.OrdersByCodes(ctx, nursery.Codes(t, "code"))
	if err != nil {
		return err
	}
	add := nursery.Batch(l, s.addOrders)
	return l.Rows(ctx, t, func(c *exchange.Cells) error {
		r := c.Row
		n := NewOrder{
			Code:       r.Cell("code"),
			Genus:      strings.ToLower(r.Cell("genus")),
			Variety:    r.Cell("variety"),
			StockGenus: strings.ToLower(r.Cell("stock_genus")),
			StockType:  r.Cell("stock"),
			Buyer:      r.Cell("buyer"),
			Trees:      c.Int("trees"),
			Priority:   c.Int("priority"),
			DueOn:      c.Date("due_on"),
		}
		nursery.SpoilAll(c, n.check(genera))
		l.Twice(c, n.Code)
		h, here := known[n.Code]
		l.Sort(c, here, func() []nursery.Difference {
			return nursery.Differs(
				"genus", h.Genus, n.Genus,
				"variety", strings.ToLower(h.Variety), strings.ToLower(n.Variety),
				"stock_genus", h.StockGenus, n.StockGenus,
				"stock", strings.ToLower(h.StockType), strings.ToLower(n.StockType),
				"trees", h.Trees, n.Trees,
				"due_on", h.DueOn, n.DueOn,
				"priority", h.Priority, n.Priority,
				"buyer", h.Buyer, n.Buyer,
			)
		}, func() { add(c.Line, n.Code, n) })
		return nil
	})
}
