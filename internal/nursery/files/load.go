package files

import (
	"context"
	"crypto/sha256"
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

// badShown is how many bad cells the preview names; the rest are counted.
const badShown = 200

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
	l, table, err := s.readLoad(ctx, q, p.Load)
	if err != nil {
		p.Whole = words.Capital(err.Error()) + "."
		return p, nil
	}
	p.Rows, p.New, p.Same = len(table.Rows), l.News(), l.Same
	p.Bad, p.BadN, p.Names = l.Bad, l.BadRows, table.Names
	if len(p.Bad) > badShown {
		p.Bad = p.Bad[:badShown]
	}
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
	return s.DB.Tx(ctx, func(q store.Q) error {
		f, err := q.LockLoad(ctx, id)
		if err != nil || f.State != "read" {
			return err
		}
		l, _, err := s.readLoad(ctx, q, f)
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
		return s.Changed(ctx, q, a, "load", f.FileName, "loaded "+f.Kind, nil, map[string]int{"added": l.News(), "unchanged": l.Same})
	})
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
		return q.EndLoad(ctx, id, "dropped", 0, 0)
	})
}

func (s *Stage) readLoad(ctx context.Context, q store.Q, f store.Load) (*nursery.Loading, *exchange.Table, error) {
	k, _ := nursery.KindOf(f.Kind)
	t, err := exchange.Read(f.Body)
	if err != nil {
		return nil, nil, err
	}
	if miss := t.Missing(k.Needs...); len(miss) > 0 {
		return nil, nil, fmt.Errorf("a file of %s needs the columns %s; this one lacks %s (it has %s)",
			k.Name, strings.Join(k.Needs, ", "), strings.Join(miss, ", "), strings.Join(t.Names, ", "))
	}
	l := &nursery.Loading{Seen: map[string]int{}}
	return l, t, s.lists[f.Kind].Read(ctx, q, l, t)
}
