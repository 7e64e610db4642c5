package files

import (
	"context"
	"io"
	"slices"
	"time"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Export writes a list in the columns that it is loaded by, so that a file
// written here can be read back.
func (s *Stage) Export(ctx context.Context, a nursery.Actor, kind string, f exchange.Format, w io.Writer) error {
	if err := a.Must(nursery.Propagator, nursery.Looker); err != nil {
		return err
	}
	k, ok := nursery.KindOf(kind)
	if !ok {
		return nursery.ErrNotFound
	}
	q := s.DB.Q()
	if err := s.Changed(ctx, q, a, "list", kind, words.TookAway, nil, string(f)); err != nil {
		return err
	}
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
		return s.lists[kind].Rows(ctx, q, row)
	})
}

// HistoryKind is a list that can be taken away and is not loaded.
type HistoryKind struct {
	Key  string
	Boss bool // for the propagator alone
}

// HistoryKinds are all of them, in the order of work.
var HistoryKinds = []HistoryKind{{Key: "tags"}, {Key: "taps"}, {Key: "counts"}, {Key: "steps"}, {Key: "trees"}, {Key: "looks"},
	{Key: "stock-ledger"}, {Key: "wood-ledger"}, {"people", true}, {"hours", true}, {"changes", true}}

// mostSheet is how many rows a spreadsheet holds beside its names.
const mostSheet = 1_048_575

// ExportHistory writes a list, all of it from a day to another, both with it; a zero day is
// no bound. That it was taken away is in the record.
func (s *Stage) ExportHistory(ctx context.Context, a nursery.Actor, kind string, from, to time.Time, f exchange.Format, w io.Writer) error {
	i := slices.IndexFunc(HistoryKinds, func(k HistoryKind) bool { return k.Key == kind })
	if i < 0 {
		return nursery.ErrNotFound
	}
	may := []nursery.Role{nursery.Propagator, nursery.Looker}
	if HistoryKinds[i].Boss {
		may = may[:1]
	}
	if err := a.Must(may...); err != nil {
		return err
	}
	after := to
	if !to.IsZero() {
		if to.Before(from) {
			return nursery.Problem{Field: "to", Says: words.SpanTurned}
		}
		after = to.AddDate(0, 0, 1)
	}
	span := map[string]string{"format": string(f), "from": nursery.IsoDay(notZero(from)), "to": nursery.IsoDay(notZero(to))}
	if err := s.Changed(ctx, s.DB.Q(), a, "list", kind, words.TookAway, nil, span); err != nil {
		return err
	}
	return s.DB.Look(ctx, func(q store.Q) error {
		var names []string
		return exchange.WriteRows(w, f, func(head func([]string) error, add func(...any) error) error {
			n := 0
			return q.History(ctx, kind, from, after, func(ns []string) error {
				names = ns
				return head(names)
			}, func(cells []any) error {
				if n++; f == exchange.XLSX && n > mostSheet {
					return nursery.Problem{Field: "from", Says: words.SheetFull}
				}
				return add(cells...)
			})
		})
	})
}

func notZero(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}
