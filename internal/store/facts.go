package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"
)

// Stamp tells what has moved since it was last read: a revision for each kind
// of thing that changes seldom.
type Stamp struct {
	Settings int64 `db:"settings"`
	Season   int64 `db:"season"`
	People   int64 `db:"people"`
	Takes    int64 `db:"takes"`
	Paces    int64 `db:"paces"`
	Grades   int64 `db:"grades"`
}

// Stamp reads them.
func (q Q) Stamp(ctx context.Context) (s Stamp, err error) {
	err = q.get(ctx, &s, `select max(n) filter (where kind = 'settings') as settings, max(n) filter (where kind = 'season') as season,
		max(n) filter (where kind = 'people') as people, max(n) filter (where kind = 'takes') as takes, max(n) filter (where kind =
		'paces') as paces, max(n) filter (where kind = 'grades') as grades from revision`)
	return s, err
}

// List is a list that the database gives as JSON in one column.
type List[T any] []T

// Scan reads it.
func (l *List[T]) Scan(v any) error {
	switch v := v.(type) {
	case nil:
		*l = nil
		return nil
	case string:
		return json.Unmarshal([]byte(v), l)
	case []byte:
		return json.Unmarshal(v, l)
	}
	return fmt.Errorf("a list cannot be read from %T", v)
}

// Day is a date in a List.
type Day struct{ time.Time }

// UnmarshalJSON reads 2027-02-23.
func (d *Day) UnmarshalJSON(b []byte) (err error) {
	d.Time, err = time.Parse(`"`+time.DateOnly+`"`, string(b))
	return err
}

// ClassUse is how many of a class have left the free account, net of those
// that came back.
type ClassUse struct {
	MM float64 `json:"mm"`
	N  int     `json:"n"`
}

// Caliper is a reading without its lot.
type Caliper struct {
	On Day     `json:"on"`
	MM float64 `json:"mm"`
}

// LotPile is a lot with what its classes are reckoned from: every reading in
// the order they were taken, and what was used of each class.
type LotPile struct {
	Lot
	Use      List[ClassUse] `db:"use"`
	Calipers List[Caliper]  `db:"calipers"`
	Ready    string         `db:"ready"`  // what the last look at it said
	LetIn    List[LetIn]    `db:"let_in"` // one, or none
}

const classUse = `(select json_agg(json_build_object('mm', u.mm, 'n', u.n) order by u.mm) from (select g.mm,
	sum(case when from_account = 'free' then n when to_account = 'free' then -n else 0 end)::int as n from `

var lotPileSelect = `select x.*, ` + classUse + `stock_ledger g where g.lot_id = x.id and g.mm is not null group by 1) u)::text as use,
	(select json_agg(json_build_object('on', r.taken_on, 'mm', r.mm) order by r.taken_on, r.no) from caliper_reading r
	where r.lot_id = x.id)::text as calipers,
	coalesce((select k.ready from lot_look k where k.lot_id = x.id order by k.at desc, k.id desc limit 1), '') as ready,
	` + letIn("lot_id", "lot_look") + ` from (`

// FreeLots lists every lot that has stems free, oldest first.
func (q Q) FreeLots(ctx context.Context) (ls []LotPile, err error) {
	err = q.all(
		ctx,
		&ls,
		lotPileSelect+lotSelect+`where l.id = any(array(select lot_id from stock_balance where account = 'free' and n > 0))) x order by
			x.id`,
	)
	return ls, err
}

// LotPiles lists the lots that pass a sieve, newest first; after is the id to go on from,
// or 0.
func (q Q) LotPiles(ctx context.Context, s Sieve, after int64, limit int) (ls []LotPile, err error) {
	later, order := s.sort(lotSorts, "l.id", `stock_lot l join stock_type t on t.id = l.stock_type_id`)
	var ids []int64
	if err := q.all(ctx, &ids, `select l.id from stock_lot l join stock_type t on t.id = l.stock_type_id where `+later+` and`+
		found("$3", lotNames)+` and (not $4 or exists (select 1 from stock_balance b where b.lot_id = l.id and b.account = 'free' and b.n
			> 0))
		order by `+order+` limit $2`, after, limit, s.words(), s.Left); err != nil || len(ids) == 0 {
		return nil, err
	}
	err = q.all(ctx, &ls, lotPileSelect+lotSelect+`where l.id = any($1)) x order by array_position($1::bigint[], x.id)`, ids)
	return ls, err
}

// LotPile finds one by its code.
func (q Q) LotPile(ctx context.Context, code string) (l LotPile, err error) {
	err = q.get(ctx, &l, lotPileSelect+lotSelect+`where l.code = $1) x`, code)
	return l, err
}

// BundlePile is a bundle with what was used of its classes, where it was kept,
// oldest first, and what the last look at it found.
type BundlePile struct {
	Bundle
	Use   List[ClassUse] `db:"use"`
	Stays List[Stay]     `db:"stays"`
	Found string         `db:"found"`
	LetIn List[LetIn]    `db:"let_in"` // one, or none
	Live  bool           `db:"live"`   // pieces are free or set aside
}

// Stay is a stretch in which a bundle was kept in one place, until the next.
type Stay struct {
	Since time.Time `json:"since"`
	Place string    `json:"place"`
}

var bundlePileSelect = `select x.*, ` + classUse + `wood_ledger g where g.bundle_id = x.id and g.mm is not null group by 1)
	u)::text as use,
	(select json_agg(json_build_object('since', s.since, 'place', s.place) order by s.since) from bundle_stay s
	where s.bundle_id = x.id)::text as stays,
	coalesce((select k.found from store_look k where k.bundle_id = x.id order by k.at desc, k.id desc limit 1), '') as found,
	` + letIn("bundle_id", "store_look") + `,
	exists (select 1 from wood_balance w where w.bundle_id = x.id and w.account in ('free', 'aside') and w.n > 0) as live from (`

// LiveBundles lists every bundle with pieces free or set aside, or under an
// open tag, the oldest wood first.
func (q Q) LiveBundles(ctx context.Context) (bs []BundlePile, err error) {
	err = q.all(
		ctx,
		&bs,
		bundlePileSelect+bundleSelect+`where b.id = any(array(select bundle_id from wood_balance where account in ('free', 'aside') and
			n > 0
		union select bundle_id from tag where finished_at is null))) x order by x.cut_on, x.id`,
	)
	return bs, err
}

// BundlePiles lists the bundles that pass a sieve, newest first; after is the id to go on
// from, or 0.
func (q Q) BundlePiles(ctx context.Context, s Sieve, after int64, limit int) (bs []BundlePile, err error) {
	const from = `wood_bundle b join mother_plant m on m.id = b.plant_id join variety v on v.id = m.variety_id`
	later, order := s.sort(bundleSorts, "b.id", from)
	var ids []int64
	if err := q.all(ctx, &ids, `select b.id from `+from+` where `+later+` and`+found("$3", bundleNames)+`
		and (not $4 or exists (select 1 from wood_balance w where w.bundle_id = b.id and w.account = 'free' and w.n > 0))
		order by `+order+` limit $2`, after, limit, s.words(), s.Left); err != nil || len(ids) == 0 {
		return nil, err
	}
	err = q.all(ctx, &bs, bundlePileSelect+bundleSelect+`where b.id = any($1)) x order by array_position($1::bigint[], x.id)`, ids)
	return bs, err
}

// BundlePile finds one by its code.
func (q Q) BundlePile(ctx context.Context, code string) (b BundlePile, err error) {
	err = q.get(ctx, &b, bundlePileSelect+bundleSelect+`where b.code = $1) x`, code)
	return b, err
}

// PlaceNow is a place with a temperature as it stands.
type PlaceNow struct {
	ColdPlace
	Doubted List[ColdReading] `db:"doubted"` // that wait for somebody to say that they are right, oldest first
	Logged  *time.Time        `db:"logged"`  // when a logger last spoke
}

// PlacesNow lists every place by name.
func (q Q) PlacesNow(ctx context.Context) (ps []PlaceNow, err error) {
	err = q.all(
		ctx,
		&ps,
		`select s.*, (select json_agg(json_build_object('At', r.at, 'C', r.c, 'Source', r.source) order by r.at) from store_reading r
			where r.place_id = s.id and r.doubted)::text as doubted,
		(select r.at from store_reading r where r.place_id = s.id and r.source like '%logger' order by r.at desc limit 1) as logged from
		store_place s order by lower(name)`,
	)
	return ps, err
}

// PlaceReading is a reading with its place.
type PlaceReading struct {
	PlaceID int64 `db:"place_id"`
	ColdReading
}

// ReadingsIn lists the readings of places from a time on, oldest first, those in
// doubt left out.
func (q Q) ReadingsIn(ctx context.Context, places []int64, from time.Time) (rs []PlaceReading, err error) {
	err = q.all(
		ctx,
		&rs,
		`select place_id, at, c, source from store_reading where place_id = any($1) and at >= $2 and not doubted order by place_id, at`,
		places,
		from,
	)
	return rs, err
}
