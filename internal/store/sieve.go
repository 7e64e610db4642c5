package store

import (
	"context"
	"strings"
)

// Sieve is which rows of a list are shown.
type Sieve struct {
	Find string // words, all of which must stand in what names the row, however written
	Left bool   // only those of which something is free
	Sort string // one of LotSorts or BundleSorts; "" is the newest first
}

// All says that the sieve holds nothing back.
func (s Sieve) All() bool { return len(s.words()) == 0 && !s.Left }

func (s Sieve) words() []string { return strings.Fields(strings.ToLower(s.Find)) }

// found is the condition that all words of $n stand in the text of some columns.
func found(n, columns string) string {
	return ` not exists (select 1 from unnest(` + n + `::text[]) w where strpos(lower(concat_ws(' ', ` + columns + `)), w) = 0)`
}

const (
	lotNames    = `l.code, t.name, t.genus, l.supplier, l.place, l.form`
	bundleNames = `b.code, m.code, v.name, v.genus, b.place, b.state, b.part`
	plantNames  = `m.code, v.name, v.genus, m.place`
)

// Sifted is how many rows pass a sieve, and what is free of all of them.
type Sifted struct {
	Rows int `db:"rows"`
	Free int `db:"free"`
}

// SiftedLots counts the lots that pass, and their free stems.
func (q Q) SiftedLots(ctx context.Context, s Sieve) (n Sifted, err error) {
	err = q.get(
		ctx,
		&n,
		`select count(*)::int as rows, coalesce(sum(b.n), 0)::int as free from stock_lot l join stock_type t on t.id = l.stock_type_id
		left join stock_balance b on b.lot_id = l.id and b.account = 'free' where`+found("$1", lotNames)+` and (not $2 or b.n > 0)`,
		s.words(),
		s.Left,
	)
	return n, err
}

// SiftedBundles counts the bundles that pass, and their free pieces.
func (q Q) SiftedBundles(ctx context.Context, s Sieve) (n Sifted, err error) {
	err = q.get(
		ctx,
		&n,
		`select count(*)::int as rows, coalesce(sum(w.n), 0)::int as free from wood_bundle b join mother_plant m on m.id = b.plant_id
		join variety v on v.id = m.variety_id left join wood_balance w on w.bundle_id = b.id and w.account = 'free'
		where`+found("$1", bundleNames)+` and (not $2 or w.n > 0)`,
		s.words(),
		s.Left,
	)
	return n, err
}

// Sorts of lots and of bundles, by what each is sorted by, and whether the largest comes
// first.
var (
	lotSorts = map[string]sorted{"": {"l.id", true}, "code": {"l.code", false}, "stock": {"lower(t.name)", false},
		"free":  {"coalesce((select n from stock_balance b where b.lot_id = l.id and b.account = 'free'), 0)", true},
		"place": {"lower(l.place)", false}}
	bundleSorts = map[string]sorted{"": {"b.id", true}, "code": {"b.code", false}, "variety": {"lower(v.name)", false},
		"cut":  {"b.cut_on", false},
		"free": {"coalesce((select n from wood_balance w where w.bundle_id = b.id and w.account = 'free'), 0)", true}}
	LotSorts    = []string{"", "code", "stock", "free", "place"}
	BundleSorts = []string{"", "code", "variety", "cut", "free"}
)

type sorted struct {
	by   string
	desc bool
}

// sort gives the conditions that go on after the row whose id is $1, and the order; id is the
// row's own, and from what it is read from.
func (s Sieve) sort(sorts map[string]sorted, id, from string) (after, order string) {
	x, ok := sorts[s.Sort]
	if !ok {
		x = sorts[""]
	}
	than, way := ">", " asc"
	if x.desc {
		than, way = "<", " desc"
	}
	at := `(select ` + x.by + ` from ` + from + ` where ` + id + ` = $1)`
	return `($1 = 0 or ` + x.by + ` ` + than + ` ` + at + ` or ` + x.by + ` = ` + at + ` and ` + id + ` < $1)`, x.by + way + `, ` + id +
		` desc`
}
