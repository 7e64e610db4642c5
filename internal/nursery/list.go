package nursery

import (
	"context"
	"errors"
	"fmt"
	"time"

	"unionknot/internal/exchange"
	"unionknot/internal/store"
)

// List is what a stage gives for one kind of file: how its rows are read into
// what they would add, and how the list is written in the same columns.
type List struct {
	Kind string // a LoadKind's key
	Read func(ctx context.Context, q store.Q, l *Loading, t *exchange.Table) error
	Rows func(ctx context.Context, q store.Q, row func(...any) error) error
}

// Sieve is which rows of a list are shown, and Sifted how many pass.
type (
	Sieve  = store.Sieve
	Sifted = store.Sifted
)

// OrEmpty gives what p points to, or "", for a file's cell.
func OrEmpty[T any](p *T) any {
	if p == nil {
		return ""
	}
	return *p
}

// LastOf gives the id to go on from after a page of n rows; 0 at the end.
func LastOf(n int, after int64) int64 {
	if n == 0 {
		return 0
	}
	return after
}

// Pages goes on from id to id until a page is empty.
func Pages(next func(after int64) (int64, error)) error {
	after := int64(0)
	for {
		last, err := next(after)
		if err != nil || last == 0 {
			return err
		}
		after = last
	}
}

// YesNo writes a choice as a file has it.
func YesNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

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
	{
		"lots",
		"stock lots",
		[]string{"code", "genus", "stock", "received_on", "form", "stems"},
		[]string{"supplier", "grade_low_mm", "grade_high_mm", "place", "health"},
		"lots.csv",
		"/stock",
	},
	{"readings", "caliper readings", []string{"lot", "taken_on", "mm"}, []string{"no"}, "readings.csv", "/stock"},
	{
		"plants",
		"mother plants",
		[]string{"code", "genus", "variety"},
		[]string{"place", "planted_year", "seen_true_by", "seen_true_on", "health", "licence"},
		"plants.csv",
		"/wood",
	},
	{
		"bundles",
		"wood bundles",
		[]string{"code", "plant", "cut_on", "sticks", "length_mm", "base_mm", "tip_mm", "internode_mm", "buds_per_piece"},
		[]string{"state", "blind_pct", "place", "whole_shoot"},
		"bundles.csv",
		"/wood",
	},
	{"store", "store readings", []string{"store", "at", "c"}, nil, "store.csv", "/wood/store"},
	{"weather", "weather", []string{"day", "mean_c"}, []string{"low_c"}, "weather.csv", "/season"},
	{
		"orders",
		"orders",
		[]string{"code", "genus", "variety", "stock", "trees", "due_on"},
		[]string{"stock_genus", "priority", "buyer"},
		"orders.csv",
		"/orders",
	},
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

type addition struct {
	Line int
	Do   func(context.Context, store.Q, Actor) error
}

// Loading is a file's rows sorted into new, known and bad.
type Loading struct {
	Adds     []addition
	Readings []store.Reading
	Colds    map[int64][]store.ColdReading
	Weather  []store.WeatherDay
	Same     int
	Bad      []exchange.Bad
	BadRows  int
	Seen     map[string]int
}

// News is how many rows would be added.
func (l *Loading) News() int {
	n := len(l.Adds) + len(l.Readings) + len(l.Weather)
	for _, rs := range l.Colds {
		n += len(rs)
	}
	return n
}

// BadKept is how many bad cells are told apart; further bad rows are only counted.
const BadKept = 200

// Spoil notes a row that cannot be loaded, with what is wrong in it.
func (l *Loading) Spoil(c *exchange.Cells) {
	l.BadRows++
	l.Bad = append(l.Bad, c.Bads[:min(len(c.Bads), max(0, BadKept-len(l.Bad)))]...)
}

// Twice notes a code that an earlier line has too.
func (l *Loading) Twice(c *exchange.Cells, key string) {
	if line, ok := l.Seen[key]; ok {
		c.Spoil("code", "%s stands on line %d too.", key, line)
	}
	l.Seen[key] = c.Line
}

// columnOf names a form's field by the file's column.
var columnOf = map[string]string{"stock_type": "stock", "received": "stems", "grade_low": "grade_low_mm"}

// SpoilAll notes a form's problems at the columns that they are about.
func SpoilAll(c *exchange.Cells, ps Problems) {
	if len(c.Bads) > 0 { // a cell that could not be read explains the rest
		return
	}
	for _, p := range ps {
		col := p.Field
		if columnOf[col] != "" {
			col = columnOf[col]
		}
		c.Spoil(col, "%s", p.Says)
	}
}

// Differs compares a row with what is here already, and names the first
// difference. Fields come in pairs: name, here, file.
func Differs(fields ...any) (column, says string) {
	for i := 0; i+2 < len(fields); i += 3 {
		here, file := fields[i+1], fields[i+2]
		if t, ok := here.(time.Time); ok {
			here, file = t.Format(time.DateOnly), file.(time.Time).Format(time.DateOnly)
		}
		if here != file {
			return fields[i].(string), fmt.Sprintf(
				"is %v here and %v in the file. Change it here, or give this row another code.",
				here,
				file,
			)
		}
	}
	return "", ""
}

// SortRow puts a row where it belongs: bad, known, or to be added. known gives
// the first difference from what is here; ErrNotFound means the row is new.
func (l *Loading) SortRow(
	c *exchange.Cells,
	known func() (column, says string, err error),
	add func(context.Context, store.Q, Actor) error,
) error {
	if len(c.Bads) == 0 {
		column, says, err := known()
		switch {
		case errors.Is(err, ErrNotFound):
			l.Adds = append(l.Adds, addition{c.Line, add})
			return nil
		case err != nil:
			return err
		case says == "":
			l.Same++
			return nil
		}
		c.Spoil(column, "It %s", says)
	}
	l.Spoil(c)
	return nil
}

// Round3 rounds to three places, as files have figures.
func Round3(x float64) float64 { return float64(int(x*1000+0.5)) / 1000 }

// AddTyped keeps what the propagator typed: its genus must be known, nothing of
// it may be wrong, and its code, said of what is named, must be free.
func (k *Kernel) AddTyped(
	ctx context.Context, a Actor, what, code string,
	check func(genera map[string]bool) Problems, add func(context.Context, store.Q) error,
) error {
	if err := a.Must(Propagator); err != nil {
		return err
	}
	genera, err := k.KnownGenera(ctx, k.DB.Q())
	if err != nil {
		return err
	}
	if ps := check(genera); len(ps) > 0 {
		return ps
	}
	return Taken(k.DB.Tx(ctx, func(q store.Q) error { return add(ctx, q) }), "code", what, code)
}

// KnownGenera gives the keys of the genera, to check what was typed.
func (k *Kernel) KnownGenera(ctx context.Context, q store.Q) (map[string]bool, error) {
	gs, err := q.Genera(ctx)
	m := map[string]bool{}
	for _, g := range gs {
		m[g.Key] = true
	}
	return m, err
}
