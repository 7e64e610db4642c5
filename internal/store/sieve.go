package store

import (
	"context"
	"strings"
)

// Sieve is which rows of a list are shown.
type Sieve struct {
	Find string // words, all of which must stand in what names the row, however written
	Left bool   // only those of which something is free
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
