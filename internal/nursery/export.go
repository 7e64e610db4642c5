package nursery

import (
	"context"
	"fmt"
	"io"
	"time"

	"unionknot/internal/exchange"
	"unionknot/internal/standin"
	"unionknot/internal/store"
)

// Export writes a list in the columns that it is loaded by, so that a file
// written here can be read back.
func (s *Service) Export(ctx context.Context, a Actor, kind string, f exchange.Format, w io.Writer) error {
	if err := a.must(Propagator, Looker); err != nil {
		return err
	}
	k, ok := KindOf(kind)
	if !ok {
		return ErrNotFound
	}
	q := s.db.Q()
	names := append(append([]string{}, k.Needs...), k.May...)
	at := map[string]int{}
	for i, n := range names {
		at[n] = i
	}
	return exchange.Write(w, f, names, func(add func(...any) error) error {
		// row lays pairs of column and value out in the file's columns.
		row := func(pairs ...any) error {
			cells := make([]any, len(names))
			for i := range cells {
				cells[i] = ""
			}
			for i := 0; i+1 < len(pairs); i += 2 {
				cells[at[pairs[i].(string)]] = pairs[i+1]
			}
			return add(cells...)
		}
		return s.rows(ctx, q, kind, row)
	})
}

func isoDay(t *time.Time) string {
	if t == nil {
		return ""
	}
	return t.Format(time.DateOnly)
}

func orEmpty[T any](p *T) any {
	if p == nil {
		return ""
	}
	return *p
}

func (s *Service) rows(ctx context.Context, q store.Q, kind string, row func(...any) error) error {
	switch kind {
	case "readings":
		return q.AllReadings(ctx, func(lot string, on time.Time, no int, mm float64) error {
			return row("lot", lot, "taken_on", on.Format(time.DateOnly), "mm", mm, "no", no)
		})
	case "weather":
		ws, err := q.Weather(ctx, time.Time{})
		for _, w := range ws {
			if err := row("day", w.On.Format(time.DateOnly), "mean_c", w.MeanC, "low_c", w.LowC); err != nil {
				return err
			}
		}
		return err
	case "store":
		return q.AllColdReadings(ctx, func(place string, at time.Time, c float64) error {
			return row("store", place, "at", at.Local().Format(time.RFC3339), "c", c)
		})
	case "lots":
		return pages(func(after int64) (int64, error) {
			ls, err := q.Lots(ctx, after, 500)
			for _, l := range ls {
				if err := row("code", l.Code, "genus", l.Genus, "stock", l.StockType, "received_on", l.ReceivedOn.Format(time.DateOnly), "form", l.Form, "stems", l.Received, "supplier", l.Supplier,
					"grade_low_mm", orEmpty(l.GradeLow), "grade_high_mm", orEmpty(l.GradeHigh), "place", l.Place, "health", l.Health); err != nil {
					return 0, err
				}
				after = l.ID
			}
			return lastOf(len(ls), after), err
		})
	case "bundles":
		return pages(func(after int64) (int64, error) {
			bs, err := q.Bundles(ctx, after, 500)
			for _, b := range bs {
				if err := row("code", b.Code, "plant", b.Plant, "cut_on", b.CutOn.Format(time.DateOnly), "sticks", b.Sticks, "length_mm", b.LengthMM, "base_mm", b.BaseMM, "tip_mm", b.TipMM,
					"internode_mm", b.InternodeMM, "buds_per_piece", b.BudsPerPiece, "whole_shoot", yesNo(b.WholeShoot), "state", b.State, "blind_pct", round3(b.BlindShare*100), "place", b.Place); err != nil {
					return 0, err
				}
				after = b.ID
			}
			return lastOf(len(bs), after), err
		})
	case "plants":
		after := ""
		for {
			ps, err := q.Plants(ctx, after, 500)
			if err != nil || len(ps) == 0 {
				return err
			}
			for _, p := range ps {
				if err := row("code", p.Code, "genus", p.Genus, "variety", p.Variety, "place", p.Place, "planted_year", orEmpty(p.PlantedYear), "seen_true_by", p.SeenTrueBy,
					"seen_true_on", isoDay(p.SeenTrueOn), "health", p.Health, "licence", p.Licence); err != nil {
					return err
				}
				after = p.Code
			}
		}
	case "orders":
		os, err := q.OpenOrders(ctx, time.Date(1900, 1, 1, 0, 0, 0, 0, time.UTC))
		if err != nil {
			return err
		}
		for _, o := range os {
			if err := row("code", o.Code, "genus", o.Genus, "variety", o.Variety, "stock", o.StockType, "trees", o.Trees, "due_on", o.DueOn.Format(time.DateOnly), "stock_genus", o.StockGenus,
				"priority", o.Priority, "buyer", o.Buyer); err != nil {
				return err
			}
		}
		return nil
	}
	return fmt.Errorf("writing %s: %w", kind, ErrNotFound)
}

func lastOf(n int, after int64) int64 {
	if n == 0 {
		return 0
	}
	return after
}

// pages goes on from id to id until a page is empty.
func pages(next func(after int64) (int64, error)) error {
	after := int64(0)
	for {
		last, err := next(after)
		if err != nil || last == 0 {
			return err
		}
		after = last
	}
}

// printer is where labels go: the stand-in that ships keeps them.
func (s *Service) printer(a Actor) standin.Printer {
	return standin.KeepingPrinter(func(ctx context.Context, title string, labels int, pdf []byte) (int64, error) {
		return s.db.Q().AddLabelPrint(ctx, store.LabelPrint{Title: title, Labels: labels, PDF: pdf, PersonID: a.ID, At: s.Now()})
	})
}

// mostLabels bounds one job of the label printer.
const mostLabels = 2000

// PrintLabels sends labels to the label printer and gives the job's number.
func (s *Service) PrintLabels(ctx context.Context, a Actor, title string, labels []exchange.Label) (int64, error) {
	if err := a.must(Propagator); err != nil {
		return 0, err
	}
	switch {
	case len(labels) == 0:
		return 0, Problem{"", "There is no label to print."}
	case len(labels) > mostLabels:
		return 0, Problem{"", fmt.Sprintf("That is %d labels; print at most %d at a time.", len(labels), mostLabels)}
	}
	pdf, err := exchange.LabelsPDF(labels)
	if err != nil {
		return 0, fmt.Errorf("drawing labels: %w", err)
	}
	return s.printer(a).Print(ctx, title, len(labels), pdf)
}

// Printed lists what the label printer was sent.
func (s *Service) Printed(ctx context.Context) ([]store.LabelPrint, error) {
	return s.db.Q().LabelPrints(ctx)
}

// PrintedPDF gives one job's PDF.
func (s *Service) PrintedPDF(ctx context.Context, id int64) (store.LabelPrint, error) {
	return s.db.Q().LabelPrint(ctx, id)
}

// yesNo writes a choice as a file has it.
func yesNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}
