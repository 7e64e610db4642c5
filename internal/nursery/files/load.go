package files

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// LoadPage is what a file's preview shows.
type LoadPage struct {
	Load   store.Load
	Kind   nursery.LoadKind
	Run    *store.LoadRun  // what is being done with it, or came to nothing; nil
	Back   *store.LoadBack // how it was taken back; nil
	SeenAt time.Time       // when it was gone through; zero: just now
	Mended int             // cells that were mended
	Holds
}

// Holds is what a file holds.
type Holds struct {
	Rows, New, Same int
	Bad             []exchange.Bad
	BadN            int
	Whole           string // what is wrong with the file as a whole, or ""
	Sample          [][]string
	Names           []string
}

// small is a file that is gone through while its preview is asked for; a larger one is gone
// through behind it. In bytes.
const small = 256 << 10

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
		return 0, nursery.Problem{Field: "file", Says: words.ChooseAFileFirstThat}
	}
	sum := sha256.Sum256(body)
	id, err := s.DB.Q().
		AddLoad(ctx, store.Load{Kind: kind, FileName: filepath.Base(name), SHA256: sum[:], Body: body, PersonID: a.ID, At: s.Now()})
	if err == nil && len(body) > small {
		_, err = s.begin(ctx, id, "reading", s.readBehind)
	}
	return id, err
}

// Preview says what loading a file would do, or how far it is.
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
	if run, err := q.Run(ctx, id); err == nil {
		p.Run = &run
	} else if !errors.Is(err, store.ErrNotFound) {
		return p, err
	}
	if b, err := q.Back(ctx, id); err == nil {
		p.Back = &b
	} else if !errors.Is(err, store.ErrNotFound) {
		return p, err
	}
	if p.Load.State == "dropped" {
		p.Whole = words.FileGone
	}
	if p.Working() || p.Load.State != "read" {
		return p, nil
	}
	mends, err := q.Mends(ctx, id)
	if err != nil {
		return p, err
	}
	p.Mended = len(mends)
	if len(p.Load.Body) == 0 {
		p.Whole = words.FileGone
		return p, nil
	}
	if len(p.Load.Body) > small {
		p.SeenAt, err = q.Seen(ctx, id, &p.Holds)
		if errors.Is(err, store.ErrNotFound) { // its reading broke off
			err = nil
		}
		return p, err
	}
	p.Holds, err = s.holds(ctx, p.Load, nil)
	return p, err
}

// Working says whether something is being done with the file just now.
func (p LoadPage) Working() bool { return p.Run != nil && !p.Run.Ended && !p.Run.Silent }

// Unread says that a large file was not gone through to its end.
func (p LoadPage) Unread() bool {
	return p.Load.State == "read" && len(p.Load.Body) > small && p.SeenAt.IsZero()
}

// Doing says what is being done, in words.
func (p LoadPage) Doing() string { return words.RunDoing(p.Run.Doing) }

// Failed says why what was last done with the file came to nothing, or is "".
func (p LoadPage) Failed() string {
	switch {
	case p.Run == nil || p.Working():
		return ""
	case p.Run.Silent:
		return words.FileBrokeOff
	}
	return p.Run.Failed
}

// holds goes through a file and says what it holds. gone is told how many rows were gone
// through, of how many.
func (s *Stage) holds(ctx context.Context, f store.Load, gone func(done, of int)) (h Holds, err error) {
	var l *nursery.Loading
	table, err := s.unpacked(ctx, f)
	if err == nil {
		l, err = s.sorted(ctx, s.DB.Q(), f, table, gone)
	}
	if errors.Is(err, nursery.ErrTurn) || ctx.Err() != nil {
		return h, errors.Join(err, ctx.Err())
	} else if err != nil {
		h.Whole = words.Capital(err.Error()) + "."
		return h, nil
	}
	h.Rows, h.New, h.Same = len(table.Rows), l.News(), l.Same
	h.Bad, h.BadN, h.Names = l.Bad, l.BadRows, table.Names
	k, _ := nursery.KindOf(f.Kind)
	for _, r := range table.Rows[:min(8, len(table.Rows))] {
		var cells []string
		for _, n := range table.Names {
			cells = append(cells, r.Shown(n, slices.Contains(k.Days, n), slices.Contains(k.Hours, n)))
		}
		h.Sample = append(h.Sample, cells)
	}
	return h, nil
}

// unpacked gives a file's table, in its turn, with what was mended.
func (s *Stage) unpacked(ctx context.Context, f store.Load) (*exchange.Table, error) {
	table, err := s.tableOf(ctx, f)
	if err != nil {
		return nil, err
	}
	mends, err := s.DB.Q().Mends(ctx, f.ID)
	for _, m := range mends {
		table.Mend(m.Line, m.Field, m.Value)
	}
	return table, err
}

// sorted sorts a table's rows into new, known and bad.
func (s *Stage) sorted(
	ctx context.Context, q store.Q, f store.Load, table *exchange.Table, gone func(done, of int),
) (*nursery.Loading, error) {
	l := &nursery.Loading{Seen: map[string]int{}}
	if gone != nil {
		l.Gone = func(n int) { gone(n, len(table.Rows)) }
	}
	return l, s.lists[f.Kind].Read(ctx, q, l, table)
}

// loadAll loads a file's good rows, all of them or none. It is unpacked before anything is
// held.
func (s *Stage) loadAll(ctx context.Context, a nursery.Actor, id int64, gone func(done, of int)) error {
	says := func(err error) error {
		if errors.Is(err, nursery.ErrTurn) || ctx.Err() != nil {
			return err
		}
		return nursery.Problem{Says: words.Capital(err.Error()) + "."}
	}
	read, err := s.DB.Q().Load(ctx, id)
	if err != nil || read.State != "read" {
		return err
	}
	table, err := s.unpacked(ctx, read)
	if err != nil {
		return says(err)
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		f, err := q.LockLoad(ctx, id)
		if err != nil || f.State != "read" {
			return err
		}
		l, err := s.sorted(ctx, q, f, table, nil)
		if err != nil {
			return says(err)
		}
		l.Gone = func(n int) { gone(n, l.News()) }
		if err := l.Keep(ctx, q, a); err != nil {
			return err
		}
		if err := q.SetAdded(ctx, id, l.Keys()); err != nil {
			return err
		}
		if err := q.EndLoad(ctx, id, "loaded", l.News(), l.Same); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "load", f.FileName, "loaded "+f.Kind, nil, map[string]any{
			"added": l.News(), "unchanged": l.Same, "left out": l.BadRows, "codes": codesOf(f.Kind, l),
			"sha256": hex.EncodeToString(f.SHA256)})
	})
}

// codesOf names what a file added, as far as rows have codes; at most mostCodes of them.
func codesOf(kind string, l *nursery.Loading) []string {
	const mostCodes = 500
	if k, _ := nursery.KindOf(kind); !slices.Contains(k.Needs, "code") {
		return nil
	}
	keys := l.Keys()
	return keys[:min(len(keys), mostCodes)]
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
