package files

import (
	"context"
	"io"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

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
	{Key: "learner-looks"}, {Key: "practice"},
	{Key: "stock-ledger"}, {Key: "wood-ledger"}, {Key: "stock"}, {Key: "wood"},
	{Key: "mother-plants"}, {Key: "all-orders"}, {Key: "caliper"}, {Key: "store-readings"}, {"people", true}, {"hours", true}, {"changes",
		true}}

// mostSheet is how many rows a spreadsheet holds beside its names.
const mostSheet = 1_048_575

// Browse is how a list is looked at, and Browsed a page of it.
type (
	Browse  = store.Browse
	Browsed = store.Browsed
)

// ErrAfter says that the row that a list goes on from is gone.
var ErrAfter = store.ErrAfter

// MayBrowse says whether somebody may look at a list.
func MayBrowse(a nursery.Actor, kind string) error {
	i := slices.IndexFunc(HistoryKinds, func(k HistoryKind) bool { return k.Key == kind })
	if i < 0 {
		return nursery.ErrNotFound
	}
	may := []nursery.Role{nursery.Propagator, nursery.Looker}
	if HistoryKinds[i].Boss {
		may = may[:1]
	}
	return a.Must(may...)
}

// spanned turns the last day of a span into the moment after it.
func spanned(b Browse) (Browse, error) {
	if b.To.IsZero() {
		return b, nil
	}
	if b.To.Before(b.From) {
		return b, nursery.Problem{Field: "to", Says: words.SpanTurned}
	}
	b.To = b.To.AddDate(0, 0, 1)
	return b, nil
}

// Browse gives a page of a list; both days of its span with it.
func (s *Stage) Browse(ctx context.Context, a nursery.Actor, kind string, b Browse) (p Browsed, err error) {
	if err := MayBrowse(a, kind); err != nil {
		return p, err
	}
	if b, err = spanned(b); err != nil {
		return p, err
	}
	b.Limit = nursery.PageSize
	return s.DB.Q().Browse(ctx, kind, b)
}

// ExportBrowsed writes a list as it is looked at, all of it.
func (s *Stage) ExportBrowsed(ctx context.Context, a nursery.Actor, kind string, b Browse, f exchange.Format, w io.Writer) error {
	if err := MayBrowse(a, kind); err != nil {
		return err
	}
	b, err := spanned(b)
	if err != nil {
		return err
	}
	b.After, b.Limit = "", 0
	p, err := s.DB.Q().Browse(ctx, kind, b)
	if err != nil {
		return err
	}
	if f == exchange.XLSX && len(p.Rows) > mostSheet {
		return nursery.Problem{Field: "from", Says: words.SheetFull}
	}
	if err := s.Changed(ctx, s.DB.Q(), a, "list", kind, words.TookAway, nil,
		map[string]any{"format": string(f), "find": b.Find, "rows": p.Count}); err != nil {
		return err
	}
	return exchange.Write(w, f, p.Shown, func(add func(...any) error) error {
		for _, r := range p.Rows {
			if err := add(r...); err != nil {
				return err
			}
		}
		return nil
	})
}

// Views lists somebody's own views of a page.
func (s *Stage) Views(ctx context.Context, a nursery.Actor, path string) ([]View, error) {
	return s.DB.Q().Views(ctx, a.ID, path)
}

// View is a list as somebody looks at it.
type View = store.View

// SaveView keeps a view for whoever asks; one of the same name is replaced.
func (s *Stage) SaveView(ctx context.Context, a nursery.Actor, v View) error {
	v.Name = strings.Join(strings.Fields(v.Name), " ")
	if v.Name == "" || utf8.RuneCountInString(v.Name) > 60 || len(v.Query) > 1000 {
		return nursery.Problem{Field: "view", Says: words.NameView}
	}
	return s.DB.Q().SaveView(ctx, a.ID, v)
}

// DropView lets go of one of one's own views, and gives it.
func (s *Stage) DropView(ctx context.Context, a nursery.Actor, id int64) (View, error) {
	return s.DB.Q().DropView(ctx, a.ID, id)
}

// ExportHistory writes a list, all of it from a day to another, both with it; a zero day is
// no bound. That it was taken away is in the record.
func (s *Stage) ExportHistory(ctx context.Context, a nursery.Actor, kind string, from, to time.Time, f exchange.Format, w io.Writer) error {
	if err := MayBrowse(a, kind); err != nil {
		return err
	}
	span0, err := spanned(Browse{From: from, To: to})
	if err != nil {
		return err
	}
	after := span0.To
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
