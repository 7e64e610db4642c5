package nursery

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"path/filepath"
	"strings"

	"unionknot/internal/exchange"
	"unionknot/internal/store"
)

// LoadKind is a sort of file that can be loaded.
type LoadKind struct {
	Key, Name string
	Needs     []string // columns it must have
	May       []string // columns it may have
	Example   string   // in docs/examples
	Stage     string   // where it leads
}

// LoadKinds are the files that can be loaded.
var LoadKinds = []LoadKind{
	{"lots", "stock lots", []string{"code", "genus", "stock", "received_on", "form", "stems"}, []string{"supplier", "grade_low_mm", "grade_high_mm", "place", "health"}, "lots.csv", "/stock"},
	{"readings", "caliper readings", []string{"lot", "taken_on", "mm"}, []string{"no"}, "readings.csv", "/stock"},
	{"plants", "mother plants", []string{"code", "genus", "variety"}, []string{"place", "planted_year", "seen_true_by", "seen_true_on", "health", "licence"}, "plants.csv", "/wood"},
	{"bundles", "wood bundles", []string{"code", "plant", "cut_on", "sticks", "length_mm", "base_mm", "tip_mm", "internode_mm", "buds_per_piece"}, []string{"state", "blind_pct", "place", "whole_shoot"}, "bundles.csv", "/wood"},
	{"store", "store readings", []string{"store", "at", "c"}, nil, "store.csv", "/wood/store"},
	{"weather", "weather", []string{"day", "mean_c"}, []string{"low_c"}, "weather.csv", "/season"},
	{"orders", "orders", []string{"code", "genus", "variety", "stock", "trees", "due_on"}, []string{"stock_genus", "priority", "buyer"}, "orders.csv", "/orders"},
}

// KindOf finds a kind of file by its key.
func KindOf(key string) (LoadKind, bool) {
	for _, k := range LoadKinds {
		if k.Key == key {
			return k, true
		}
	}
	return LoadKind{}, false
}

// LoadPage is what a file's preview shows.
type LoadPage struct {
	Load   store.Load
	Kind   LoadKind
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
func (s *Service) ReadFile(ctx context.Context, a Actor, kind, name string, body []byte) (int64, error) {
	if err := a.must(Propagator); err != nil {
		return 0, err
	}
	if _, ok := KindOf(kind); !ok {
		return 0, ErrNotFound
	}
	if len(body) > exchange.MaxBytes {
		return 0, Problem{"file", capital(exchange.ErrTooLarge.Error()) + "."}
	}
	if len(body) == 0 {
		return 0, Problem{"file", "Choose a file first; that one is empty."}
	}
	sum := sha256.Sum256(body)
	return s.db.Q().AddLoad(ctx, store.Load{Kind: kind, FileName: filepath.Base(name), SHA256: sum[:], Body: body, PersonID: a.ID, At: s.Now()})
}

// Preview says what loading a file would do.
func (s *Service) Preview(ctx context.Context, a Actor, id int64) (LoadPage, error) {
	var p LoadPage
	if err := a.must(Propagator); err != nil {
		return p, err
	}
	q := s.db.Q()
	var err error
	if p.Load, err = q.Load(ctx, id); err != nil {
		return p, err
	}
	p.Kind, _ = KindOf(p.Load.Kind)
	l, table, err := s.readLoad(ctx, q, p.Load)
	if err != nil {
		p.Whole = capital(err.Error()) + "."
		return p, nil
	}
	p.Rows, p.New, p.Same = len(table.Rows), l.news(), l.same
	p.Bad, p.BadN, p.Names = l.bad, l.badRows, table.Names
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
func (s *Service) LoadNow(ctx context.Context, a Actor, id int64) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		f, err := q.LockLoad(ctx, id)
		if err != nil || f.State != "read" {
			return err
		}
		l, _, err := s.readLoad(ctx, q, f)
		if err != nil {
			return Problem{"", capital(err.Error()) + "."}
		}
		for _, add := range l.adds {
			if err := add.do(ctx, q, a); err != nil {
				if errors.Is(err, store.ErrTaken) {
					return Problem{"", fmt.Sprintf("Line %d was added by somebody else meanwhile. Look at the preview again.", add.line)}
				}
				return fmt.Errorf("line %d: %w", add.line, err)
			}
		}
		if n := len(l.readings); n > 0 {
			if _, err := q.AddReadings(ctx, l.readings, a.ID); err != nil {
				return err
			}
		}
		for place, rs := range l.colds {
			if _, err := q.AddColdReadings(ctx, place, rs, &a.ID); err != nil {
				return err
			}
		}
		if len(l.weather) > 0 {
			if _, err := q.AddWeather(ctx, l.weather); err != nil {
				return err
			}
		}
		if err := q.EndLoad(ctx, id, "loaded", l.news(), l.same); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "load", f.FileName, "loaded "+f.Kind, nil, map[string]int{"added": l.news(), "unchanged": l.same})
	})
}

// DropLoad forgets a file that was only looked at.
func (s *Service) DropLoad(ctx context.Context, a Actor, id int64) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		f, err := q.LockLoad(ctx, id)
		if err != nil || f.State != "read" {
			return err
		}
		return q.EndLoad(ctx, id, "dropped", 0, 0)
	})
}

type addition struct {
	line int
	do   func(context.Context, store.Q, Actor) error
}

// loading is a file's rows sorted into new, known and bad.
type loading struct {
	adds     []addition
	readings []store.Reading
	colds    map[int64][]store.ColdReading
	weather  []store.WeatherDay
	same     int
	bad      []exchange.Bad
	badRows  int
	seen     map[string]int
}

// news is how many rows would be added.
func (l *loading) news() int {
	n := len(l.adds) + len(l.readings) + len(l.weather)
	for _, rs := range l.colds {
		n += len(rs)
	}
	return n
}

func (l *loading) spoil(c *exchange.Cells) {
	l.badRows++
	l.bad = append(l.bad, c.Bads...)
}

// twice notes a code that an earlier line has too.
func (l *loading) twice(c *exchange.Cells, key string) {
	if line, ok := l.seen[key]; ok {
		c.Spoil("code", "%s stands on line %d too.", key, line)
	}
	l.seen[key] = c.Line
}

func (s *Service) readLoad(ctx context.Context, q store.Q, f store.Load) (*loading, *exchange.Table, error) {
	k, _ := KindOf(f.Kind)
	t, err := exchange.Read(f.Body)
	if err != nil {
		return nil, nil, err
	}
	if miss := t.Missing(k.Needs...); len(miss) > 0 {
		return nil, nil, fmt.Errorf("a file of %s needs the columns %s; this one lacks %s (it has %s)",
			k.Name, strings.Join(k.Needs, ", "), strings.Join(miss, ", "), strings.Join(t.Names, ", "))
	}
	l := &loading{seen: map[string]int{}}
	read := map[string]func(context.Context, store.Q, *loading, *exchange.Table) error{
		"lots": s.readLots, "readings": s.readReadings, "plants": s.readPlants, "bundles": s.readBundles, "orders": s.readOrders, "store": s.readColds, "weather": s.readWeather}[f.Kind]
	return l, t, read(ctx, q, l, t)
}
