package nursery

import (
	"context"

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
	Days      []string // columns that hold days
	Hours     []string // columns that hold days with their hours
}

// LoadKinds are the files that can be loaded.
var LoadKinds = []LoadKind{
	{
		Key: "lots", Name: "stock lots", Example: "lots.csv", Stage: "/stock", Days: []string{"received_on"},
		Needs: []string{"code", "genus", "stock", "received_on", "form", "stems"},
		May:   []string{"supplier", "grade_low_mm", "grade_high_mm", "place", "health"},
	},
	{
		Key: "readings", Name: "caliper readings", Example: "readings.csv", Stage: "/stock", Days: []string{"taken_on"},
		Needs: []string{"lot", "taken_on", "mm"}, May: []string{"no"},
	},
	{
		Key: "plants", Name: "mother plants", Example: "plants.csv", Stage: "/wood", Days: []string{"seen_true_on"},
		Needs: []string{"code", "genus", "variety"},
		May:   []string{"place", "planted_year", "seen_true_by", "seen_true_on", "health", "licence"},
	},
	{
		Key: "bundles", Name: "wood bundles", Example: "bundles.csv", Stage: "/wood", Days: []string{"cut_on"},
		Needs: []string{"code", "plant", "cut_on", "sticks", "length_mm", "base_mm", "tip_mm", "internode_mm", "buds_per_piece"},
		May:   []string{"state", "blind_pct", "place", "whole_shoot"},
	},
	{
		Key: "store", Name: "store readings", Example: "store.csv", Stage: "/wood/store", Hours: []string{"at"},
		Needs: []string{"store", "at", "c"},
	},
	{
		Key: "weather", Name: "weather", Example: "weather.csv", Stage: "/season", Days: []string{"day"},
		Needs: []string{"day", "mean_c"}, May: []string{"low_c"},
	},
	{
		Key: "orders", Name: "orders", Example: "orders.csv", Stage: "/orders", Days: []string{"due_on"},
		Needs: []string{"code", "genus", "variety", "stock", "trees", "due_on"}, May: []string{"stock_genus", "priority", "buyer"},
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

// Names finds varieties and stocks by name within one transaction, and asks for each once.
type Names struct {
	q                 store.Q
	varieties, stocks map[[2]string]int64
}

// NamesIn readies them.
func NamesIn(q store.Q) *Names { return &Names{q, map[[2]string]int64{}, map[[2]string]int64{}} }

// Variety gives a variety's number; a new name is kept.
func (n *Names) Variety(ctx context.Context, name, genus string) (int64, error) {
	return once(ctx, n.varieties, name, genus, n.q.VarietyFor)
}

// Stock gives a stock type's number; a new name is kept.
func (n *Names) Stock(ctx context.Context, name, genus string) (int64, error) {
	return once(ctx, n.stocks, name, genus, n.q.StockTypeFor)
}

func once(
	ctx context.Context, known map[[2]string]int64, name, genus string, find func(context.Context, string, string) (int64, error),
) (id int64, err error) {
	key := [2]string{name, genus}
	id, ok := known[key]
	if !ok {
		if id, err = find(ctx, name, genus); err == nil {
			known[key] = id
		}
	}
	return id, err
}
