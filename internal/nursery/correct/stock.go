package correct

import (
	"cmp"
	"context"
	"strconv"

	"unionknot/internal/core/supply"
	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

type lots struct{ *Stage }

func (s lots) read(ctx context.Context, q store.Q, ref string) (Thing, error) {
	l, err := q.LotByCode(ctx, nursery.CleanCode(ref))
	if err != nil {
		return Thing{}, err
	}
	if err := (nursery.Hold{Lots: []int64{l.ID}}).In(ctx, q); err != nil {
		return Thing{}, err
	}
	if l, err = q.LotByCode(ctx, l.Code); err != nil {
		return Thing{}, err
	}
	used, moved, err := q.LotUsed(ctx, l.ID)
	if err != nil {
		return Thing{}, err
	}
	genera, err := generaOf(ctx, q)
	if err != nil {
		return Thing{}, err
	}
	grade := func(x *float64) string {
		if x == nil {
			return ""
		}
		return figure(*x)
	}
	t := Thing{Kind: "lot", Ref: l.Code, Title: l.Code, Says: words.LotCorrection, Fields: []Field{
		{Key: "genus", Type: "select", Options: genera, Value: l.Genus},
		{Key: "stock_type", Type: "text", Value: l.StockType},
		{Key: "received_on", Type: "date", Value: isoDay(l.ReceivedOn)},
		{Key: "received", Type: "number", Value: strconv.Itoa(l.Received)},
		{Key: "form", Type: "select", Options: supply.Forms, Value: l.Form},
		{Key: "grade_low", Type: "number", Value: grade(l.GradeLow)},
		{Key: "grade_high", Type: "number", Value: grade(l.GradeHigh)},
		{Key: "supplier", Type: "text", Value: l.Supplier},
		{Key: "place", Type: "text", Value: l.Place},
		{Key: "health", Type: "text", Value: l.Health},
	}}
	ifFixed(used, words.LotIsUsed, []string{"genus", "stock_type"}, t.Fields)
	ifFixed(moved, words.LotMoved, []string{"form", "place"}, t.Fields)
	return t, nil
}

func (s lots) write(ctx context.Context, q store.Q, a nursery.Actor, ref string, v *values) error {
	l, err := q.LotByCode(ctx, nursery.CleanCode(ref))
	if err != nil {
		return err
	}
	stock := v.text("stock_type", 60, true)
	l.ReceivedOn = v.day("received_on", false)
	v.past("received_on", l.ReceivedOn)
	came := v.whole("received", 1, 1_000_000)
	l.Supplier, l.Place = v.text("supplier", 120, false), v.text("place", 80, false)
	if l.Form == supply.Limb && (v.changed("stock_type", "genus") || v.typed["form"] != "" && v.typed["form"] != l.Form) {
		v.spoil("stock_type", words.LimbStays)
	}
	l.Health, l.Form = v.text("health", 300, false), cmp.Or(v.typed["form"], l.Form)
	low, high := v.number("grade_low", 0.5, 150, true), v.number("grade_high", 0.5, 150, true)
	if l.GradeLow, l.GradeHigh = nil, nil; low != 0 || high != 0 {
		if high <= low || low == 0 {
			v.spoil("grade_high", words.GradeRuns)
		}
		l.GradeLow, l.GradeHigh = &low, &high
	}
	if err := v.ps.Err(); err != nil {
		return err
	}
	if v.changed("stock_type", "genus") {
		if l.StockTypeID, err = q.StockTypeFor(ctx, stock, v.typed["genus"]); err != nil {
			return err
		}
	}
	more := came - l.Received
	l.Received = came
	if err := q.CorrectLot(ctx, l); err != nil {
		return err
	}
	return moved(q.MoveStock(ctx, diff(l.ID, more, a, s.Stage)...), "received")
}

// diff is the ledger's line of so many more that came, or fewer.
func diff(of int64, more int, a nursery.Actor, s *Stage) []store.Move {
	m := store.Move{Of: of, N: more, From: store.Outside, To: store.Free, Reason: string(tally.PutRight), PersonID: a.ID, At: s.Now()}
	switch {
	case more == 0:
		return nil
	case more < 0:
		m.N, m.From, m.To = -more, store.Free, store.Outside
	}
	return []store.Move{m}
}
