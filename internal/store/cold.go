package store

import (
	"context"
	"time"
)

// ColdPlace is a place with a temperature: a cold store, a box, a shed.
type ColdPlace struct {
	ID         int64      `db:"id"`
	Name       string     `db:"name"`
	SetC       float64    `db:"set_c"`
	LowC       float64    `db:"low_c"`
	HighC      float64    `db:"high_c"`
	FruitSince *time.Time `db:"fruit_since"`
	KeyHash    []byte     `db:"key_hash"`
	MadeAt     time.Time  `db:"made_at"`
	Rev        int64      `db:"rev"`  // rises with its readings
	Kind       string     `db:"kind"` // store, heal, grow
}

// ColdPlaces lists them by name.
func (q Q) ColdPlaces(ctx context.Context) (ps []ColdPlace, err error) {
	err = q.all(ctx, &ps, `select * from store_place order by lower(name)`)
	return ps, err
}

// ColdPlaceByName finds one; capitals do not matter.
func (q Q) ColdPlaceByName(ctx context.Context, name string) (p ColdPlace, err error) {
	err = q.get(ctx, &p, `select * from store_place where lower(name) = lower($1)`, name)
	return p, err
}

// ColdPlace finds one by its number.
func (q Q) ColdPlace(ctx context.Context, id int64) (p ColdPlace, err error) {
	err = q.get(ctx, &p, `select * from store_place where id = $1`, id)
	return p, err
}

// ColdPlaceByKey finds the place whose logger has a key, by the key's hash.
func (q Q) ColdPlaceByKey(ctx context.Context, hash []byte) (p ColdPlace, err error) {
	err = q.get(ctx, &p, `select * from store_place where key_hash = $1`, hash)
	return p, err
}

// AddColdPlace keeps a place. ErrTaken: the name is there.
func (q Q) AddColdPlace(ctx context.Context, p ColdPlace) (int64, error) {
	return q.insert(
		ctx,
		`insert into store_place (name, set_c, low_c, high_c, kind, made_at) values (:name, :set_c, :low_c, :high_c, :kind,
			:made_at) returning id`,
		p,
	)
}

// ChangeColdPlace keeps a place's settings.
func (q Q) ChangeColdPlace(ctx context.Context, p ColdPlace) error {
	return q.named(
		ctx,
		`update store_place set set_c = :set_c, low_c = :low_c, high_c = :high_c, fruit_since = :fruit_since, key_hash = :key_hash where
			id = :id`,
		p,
	)
}

// ColdReading is one reading of a place's temperature in °C.
type ColdReading struct {
	At     time.Time `db:"at"`
	C      float64   `db:"c"`
	Source string    `db:"source"`
	// Doubted says that it lies beyond what is believed of a thermometer, and does
	// not count until somebody says that it is right.
	Doubted bool `db:"doubted"`
}

// SettleReading keeps a doubted reading, or strikes it. ErrNotFound: it was
// settled already.
func (q Q) SettleReading(ctx context.Context, place int64, at time.Time, keep bool) (r ColdReading, err error) {
	do := `delete from store_reading where place_id = $1 and at = $2 and doubted returning at, c, source`
	if keep {
		do = `update store_reading set doubted = false where place_id = $1 and at = $2 and doubted returning at, c, source`
	}
	err = q.get(ctx, &r, do, place, at)
	return r, err
}

// AddColdReadings keeps readings; one of the same place and time is left as it
// is. It gives how many were new.
func (q Q) AddColdReadings(ctx context.Context, place int64, rs []ColdReading, by *int64) (int, error) {
	ats, cs, sources, doubted := make([]time.Time, len(rs)), make([]float64, len(rs)), make([]string, len(rs)), make([]bool, len(rs))
	for i, r := range rs {
		ats[i], cs[i], sources[i], doubted[i] = r.At, r.C, r.Source, r.Doubted
	}
	n, err := q.exec(ctx, `insert into store_reading (place_id, at, c, source, doubted, person_id)
		select $1, a, b, c, d, $6 from unnest($2::timestamptz[], $3::numeric[], $4::text[], $5::bool[]) u(a, b, c, d) on conflict do
		nothing`, place, ats, cs, sources, doubted, by)
	return int(n), err
}

// Look is what was found in a place or a bundle.
type Look struct {
	ID       int64     `db:"id"`
	PlaceID  *int64    `db:"place_id"`
	BundleID *int64    `db:"bundle_id"`
	Bundle   string    `db:"bundle"`
	Found    string    `db:"found"`
	Thrown   int       `db:"thrown"`
	Note     string    `db:"note"`
	PersonID int64     `db:"person_id"`
	Person   string    `db:"person"`
	At       time.Time `db:"at"`
	Lies     string    `db:"lies"` // where the bundle lies now
}

const lookSelect = `select k.*, p.name as person, coalesce(b.code, '') as bundle, coalesce(b.place, '') as lies from store_look k
	join person p on p.id = k.person_id left join wood_bundle b on b.id = k.bundle_id `

// AddLook keeps a look.
func (q Q) AddLook(ctx context.Context, l Look) error {
	return q.named(
		ctx,
		`insert into store_look (place_id, bundle_id, found, thrown, note, person_id, at) values (:place_id, :bundle_id, :found,
			:thrown, :note, :person_id, :at)`,
		l,
	)
}

// LooksAt lists the looks at a place and at the bundles kept there, newest first.
func (q Q) LooksAt(ctx context.Context, p ColdPlace, limit int) (ls []Look, err error) {
	err = q.all(
		ctx,
		&ls,
		lookSelect+`where k.place_id = $1 or k.bundle_id in (select id from wood_bundle where lower(place) = lower($2)) order by k.at
			desc limit $3`,
		p.ID,
		p.Name,
		limit,
	)
	return ls, err
}

// LooksInPlaces lists the looks at places and at the bundles kept there, newest
// first, since a time.
func (q Q) LooksInPlaces(ctx context.Context, since time.Time) (ls []Look, err error) {
	err = q.all(ctx, &ls, lookSelect+`where k.at >= $1 order by k.at desc, k.id desc`, since)
	return ls, err
}

// LooksAtBundle lists a bundle's looks, newest first.
func (q Q) LooksAtBundle(ctx context.Context, bundle int64) (ls []Look, err error) {
	err = q.all(ctx, &ls, lookSelect+`where k.bundle_id = $1 order by k.at desc limit 50`, bundle)
	return ls, err
}

// MoveBundle notes where a bundle is kept from a time on.
func (q Q) MoveBundle(ctx context.Context, id int64, place string, at time.Time) error {
	if _, err := q.exec(ctx, `insert into bundle_stay (bundle_id, since, place) values ($1, $2, $3) on conflict (bundle_id, since) do
		update set place = excluded.place`, id, at, place); err != nil {
		return err
	}
	_, err := q.exec(ctx, `update wood_bundle set place = $2 where id = $1`, id, place)
	return err
}
