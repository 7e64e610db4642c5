package files

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// LoadPage is what a file's preview shows.
type LoadPage struct {
	Load   store.Load
	Kind   nursery.LoadKind
	Rows   int
	New    int
	Same   int
	Bad    []exchange.Bad
	BadN   int
	Whole  string // what is wrong with the file as a whole, or ""
	Sample [][]string
	Names  []string
}

// ReadFile keeps a file for its preview and gives its number. Nothing is
// loaded yet.
func (s *Stage) ReadFile(ctx context.Context, a nursery.Actor, kind, name string, body []byte) (int64, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return 0, err
	}
	if _, ok := nursery.KindOf(kind); !ok {
		return 0, nursery.ErrNotFound
	}
	if len(body) > exchange.MaxBytes {
		return 0, nursery.Problem{Field: "file", Says: words.Capital(exchange.ErrTooLarge.Error()) + "."}
	}
	if len(body) == 0 {
		return 0, nursery.Problem{Field: "file", Says: "Choose a file first; that one is empty."}
	}
	sum := sha256.Sum256(body)
	return s.DB.Q().
		AddLoad(ctx, store.Load{Kind: kind, FileName: filepath.Base(name), SHA256: sum[:], Body: body, PersonID: a.ID, At: s.Now()})
}

// Preview says what loading a file would do.
func (s *Stage) Preview(ctx context.Context, a nursery.Actor, id int64) (LoadPage, error) {
	var p LoadPage
	if err := a.Must(nursery.Propagator); err != nil {
		return p, err
	}
	q := s.DB.Q()
	var err error
	if p.Load, err = q.Load(ctx, id); err != nil {
		return p, err
	}
	p.Kind, _ = nursery.KindOf(p.Load.Kind)
	if len(p.Load.Body) == 0 {
		p.Whole = words.FileGone
		return p, nil
	}
	table, err := s.tableOf(ctx, p.Load)
	if err != nil {
		if errors.Is(err, nursery.ErrTurn) || ctx.Err() != nil {
			return p, err
		}
		p.Whole = words.Capital(err.Error()) + "."
		return p, nil
	}
	l, err := s.readLoad(ctx, q, p.Load, table)
	if err != nil {
		p.Whole = words.Capital(err.Error()) + "."
		return p, nil
	}
	p.Rows, p.New, p.Same = len(table.Rows), l.News(), l.Same
	p.Bad, p.BadN, p.Names = l.Bad, l.BadRows, table.Names
	for _, r := range table.Rows[:min(8, len(table.Rows))] {
		var cells []string
		for _, n := range table.Names {
			cells = append(cells, r.Cell(n))
		}
		p.Sample = append(p.Sample, cells)
	}
	return p, nil
}

// LoadNow loads a file's good rows, all of them or none. Told twice it loads
// once.
func (s *Stage) LoadNow(ctx context.Context, a nursery.Actor, id int64) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	read, err := s.DB.Q().Load(ctx, id)
	if err != nil || read.State != "read" {
		return err
	}
	table, err := s.tableOf(ctx, read)
	if errors.Is(err, nursery.ErrTurn) || ctx.Err() != nil {
		return err
	} else if err != nil {
		return nursery.Problem{Field: "", Says: words.Capital(err.Error()) + "."}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		f, err := q.LockLoad(ctx, id)
		if err != nil || f.State != "read" {
			return err
		}
		l, err := s.readLoad(ctx, q, f, table)
		if err != nil {
			return nursery.Problem{Field: "", Says: words.Capital(err.Error()) + "."}
		}
		for _, add := range l.Adds {
			if err := add.Do(ctx, q, a); err != nil {
				if errors.Is(err, store.ErrTaken) {
					return nursery.Problem{
						Field: "",
						Says:  fmt.Sprintf("Line %d was added by somebody else meanwhile. Look at the preview again.", add.Line),
					}
				}
				return fmt.Errorf("line %d: %w", add.Line, err)
			}
		}
		if n := len(l.Readings); n > 0 {
			if _, err := q.AddReadings(ctx, l.Readings, a.ID); err != nil {
				return err
			}
		}
		for _, place := range slices.Sorted(maps.Keys(l.Colds)) { // two loads at once take the places in one order
			if _, err := q.AddColdReadings(ctx, place, l.Colds[place], &a.ID); err != nil {
				return err
			}
		}
		if len(l.Weather) > 0 {
			if _, err := q.AddWeather(ctx, l.Weather); err != nil {
				return err
			}
		}
		if err := q.EndLoad(ctx, id, "loaded", l.News(), l.Same); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "load", f.FileName, "loaded "+f.Kind, nil, map[string]any{
			"added": l.News(), "unchanged": l.Same, "left out": l.BadRows, "codes": codesOf(l), "sha256": hex.EncodeToString(f.SHA256)})
	})
}

// codesOf names what a file added, as far as rows have codes; at most mostCodes of them.
func codesOf(l *nursery.Loading) []string {
	const mostCodes = 500
	byLine := map[int]string{}
	for code, line := range l.Seen {
		byLine[line] = code
	}
	var out []string
	for _, add := range l.Adds[:min(len(l.Adds), mostCodes)] {
		if c := byLine[add.Line]; c != "" {
			out = append(out, c)
		}
	}
	return out
}

// DropLoad forgets a file that was only looked at.
func (s *Stage) DropLoad(ctx context.Context, a nursery.Actor, id int64) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		f, err := q.LockLoad(ctx, id)
		if err != nil || f.State != "read" {
			return err
		}
		if err := q.EndLoad(ctx, id, "dropped", 0, 0); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "load", f.FileName, "dropped", map[string]any{"kind": f.Kind, "bytes": len(f.Body)}, nil)
	})
}

// tableOf unpacks a file, in its turn, and sees that it has the columns its kind needs.
func (s *Stage) tableOf(ctx context.Context, f store.Load) (*exchange.Table, error) {
	k, _ := nursery.KindOf(f.Kind)
	t, err := nursery.Heavy(ctx, s.Kernel, func() (*exchange.Table, error) { return exchange.Read(f.Body) })
	if err != nil {
		return nil, err
	}
	if miss := t.Missing(k.Needs...); len(miss) > 0 {
		return nil, fmt.Errorf("a file of %s needs the columns %s; this one lacks %s (it has %s)",
			k.Name, strings.Join(k.Needs, ", "), strings.Join(miss, ", "), strings.Join(t.Names, ", "))
	}
	return t, nil
}

func (s *Stage) readLoad(ctx context.Context, q store.Q, f store.Load, t *exchange.Table) (*nursery.Loading, error) {
	l := &nursery.Loading{Seen: map[string]int{}}
	return l, s.lists[f.Kind].Read(ctx, q, l, t)
}
