package correct

import (
	"context"
	"math"
	"slices"
	"strconv"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

type orders struct{ *Stage }

func (s orders) read(ctx context.Context, q store.Q, ref string) (Thing, error) {
	o, err := q.OrderByCode(ctx, nursery.CleanCode(ref))
	if err != nil {
		return Thing{}, err
	}
	if err := q.LockOrder(ctx, o.ID); err != nil {
		return Thing{}, err
	}
	if o, err = q.OrderByCode(ctx, o.Code); err != nil { // as it is under the lock
		return Thing{}, err
	}
	bs, err := q.BatchesOfOrder(ctx, o.ID)
	if err != nil {
		return Thing{}, err
	}
	genera, err := generaOf(ctx, q)
	if err != nil {
		return Thing{}, err
	}
	t := Thing{Kind: "order", Ref: o.Code, Title: o.Code, Says: words.OrderCorrection, Fields: []Field{
		{Key: "genus", Type: "select", Options: genera, Value: o.Genus},
		{Key: "variety", Type: "text", Value: o.Variety},
		{Key: "stock_genus", Type: "select", Options: genera, Value: o.StockGenus},
		{Key: "stock_type", Type: "text", Value: o.StockType},
		{Key: "trees", Type: "number", Value: strconv.Itoa(o.Trees)},
		{Key: "due_on", Type: "date", Value: isoDay(o.DueOn)},
		{Key: "priority", Type: "select", Options: []string{"1", "2", "3"}, Value: strconv.Itoa(o.Priority)},
		{Key: "buyer", Type: "text", Value: o.Buyer},
		{Key: "price", Type: "number", Value: words.MoneyOr(o.TreeCents)},
	}}
	ifFixed(slices.ContainsFunc(bs, func(b store.Batch) bool { return b.UndoneAt == nil }), words.OrderHasBatches,
		[]string{"genus", "variety", "stock_genus", "stock_type"}, t.Fields)
	return t, nil
}

func (s orders) write(ctx context.Context, q store.Q, _ nursery.Actor, ref string, v *values) error {
	o, err := q.OrderByCode(ctx, nursery.CleanCode(ref))
	if err != nil {
		return err
	}
	variety, stock := v.text("variety", 60, true), v.text("stock_type", 60, true)
	o.Trees, o.Buyer = v.whole("trees", 1, 1_000_000), v.text("buyer", 120, false)
	o.Priority = v.whole("priority", 1, 3)
	o.TreeCents = nil
	if x := v.number("price", 0.01, 100_000, true); x > 0 {
		cents := int(math.Round(x * 100))
		o.TreeCents = &cents
	}
	if o.DueOn = v.day("due_on", false); v.changed("due_on") && o.DueOn.Before(v.today) && !v.sure {
		v.spoil("due_on", words.DayOver)
	}
	if err := v.ps.Err(); err != nil {
		return err
	}
	if v.changed("variety", "genus") {
		if o.VarietyID, err = q.VarietyFor(ctx, variety, v.typed["genus"]); err != nil {
			return err
		}
	}
	if v.changed("stock_type", "stock_genus") {
		if o.StockTypeID, err = q.StockTypeFor(ctx, stock, v.typed["stock_genus"]); err != nil {
			return err
		}
	}
	return q.CorrectOrder(ctx, o)
}
