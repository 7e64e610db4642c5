package files

import (
	"context"
	"io"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
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
