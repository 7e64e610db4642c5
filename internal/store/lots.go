package store

import (
	"context"
	"time"
)

// LotLook is a look at a lot's health.
type LotLook struct {
	ID       int64     `db:"id"`
	LotID    int64     `db:"lot_id"`
	Ready    string    `db:"ready"`
	Roots    string    `db:"roots"`
	Bark     string    `db:"bark"`
	Leaves   string    `db:"leaves"`
	Note     string    `db:"note"`
	PersonID int64     `db:"person_id"`
	Person   string    `db:"person"`
	At       time.Time `db:"at"`
}

// AddLotLook keeps a look.
func (q Q) AddLotLook(ctx context.Context, l LotLook) error {
	return q.named(
		ctx,
		`insert into lot_look (lot_id, ready, roots, bark, leaves, note, person_id, at) values (:lot_id, :ready, :roots, :bark, :leaves,
			:note, :person_id, :at)`,
		l,
	)
}

// LotLooks lists a lot's looks, newest first.
func (q Q) LotLooks(ctx context.Context, lot int64) (ls []LotLook, err error) {
	err = q.all(
		ctx,
		&ls,
		`select k.*, p.name as person from lot_look k join person p on p.id = k.person_id where lot_id = $1 order by at desc limit 50`,
		lot,
	)
	return ls, err
}

// FailedOf tells of a lot's stocks whose grafts failed and that have not come
// back yet: how many, and the thinnest and thickest class they were of.
type FailedOf struct {
	N    int      `db:"n"`
	Low  *float64 `db:"low"`
	High *float64 `db:"high"`
	Tags string   `db:"tags"`
	Buds bool     `db:"buds"` // buds are among those that failed
	// Before is how often these stocks had failed before: each return made a lot.
	Before int `db:"before"`
}

// FailedStocks sums them up. cameBack is the ledger's code of those that came
// back.
func (q Q) FailedStocks(ctx context.Context, lot int64, cameBack string) (f FailedOf, err error) {
	err = q.get(
		ctx,
		&f,
		`select coalesce(sum(t.dead), 0)::int - coalesce((select sum(n) from stock_ledger g where g.lot_id = $1 and g.reason = $2),
			0)::int as n,
		min((select min(stock_mm) from tag_thread x where x.tag_id = t.id)) as low, max((select max(stock_mm) from tag_thread x where
		x.tag_id = t.id)) as high,
		coalesce(string_agg(t.code || ' (' || t.dead || ')', ', ' order by t.id), '') as tags,
		coalesce(bool_or(k.buds_max = 1), false) as buds,
		(with recursive was as (select came_from_lot as of, failed_note <> '' as failed from stock_lot where id = $1
			union all select l.came_from_lot, l.failed_note <> '' from was join stock_lot l on l.id = was.of)
			select count(*) filter (where failed and of is not null) from was)::int as before
		from graded_tag t join technique k on k.key = t.technique where t.lot_id = $1 and t.dead > 0`,
		lot,
		cameBack,
	)
	return f, err
}

// FailedWood lists the mother plants, not bought ones, of the varieties whose grafts
// failed on a lot.
func (q Q) FailedWood(ctx context.Context, lot int64) (ps []Plant, err error) {
	err = q.all(ctx, &ps, plantSelect+`where not m.bought and m.variety_id in (select x.variety_id from graded_tag t
		join wood_bundle b on b.id = t.bundle_id join mother_plant x on x.id =
		b.plant_id
		where t.lot_id = $1 and t.dead > 0) order by v.name, m.code`, lot)
	return ps, err
}

// LotMove is stems of a lot that were lifted, potted, heeled in or lined out.
type LotMove struct {
	ID        int64     `db:"id"`
	LotID     int64     `db:"lot_id"`
	Doing     string    `db:"doing"`
	N         int       `db:"n"`
	NewLotID  *int64    `db:"new_lot_id"`
	NewLot    string    `db:"new_lot"` // its code, "" where the whole lot moved
	FromForm  string    `db:"from_form"`
	FromPlace string    `db:"from_place"`
	ToForm    string    `db:"to_form"`
	ToPlace   string    `db:"to_place"`
	PersonID  int64     `db:"person_id"`
	Person    string    `db:"person"`
	At        time.Time `db:"at"`
}

// AddLotMove keeps a move.
func (q Q) AddLotMove(ctx context.Context, m LotMove) error {
	return q.named(ctx, `insert into lot_move (lot_id, doing, n, new_lot_id, from_form, from_place, to_form, to_place, person_id, at)
		values (:lot_id, :doing, :n, :new_lot_id, :from_form, :from_place, :to_form, :to_place, :person_id, :at)`, m)
}

// LotEvent is one thing that happened to the stocks of a lot, in it or in the lots
// from which they came.
type LotEvent struct {
	On    time.Time `db:"on_day"`
	Lot   string    `db:"lot"`  // in which they were then
	Kind  string    `db:"kind"` // one of the kinds below
	N     int       `db:"n"`
	Dead  int       `db:"dead"`  // of those worked, by the look that stands
	What  string    `db:"what"`  // form, move, look or technique
	Other string    `db:"other"` // variety, or the lot that was made
	Place string    `db:"place"`
	By    string    `db:"by"` // who did it; of those that came, the supplier
	K     int       `db:"k"`  // the order within a day
}

// Kinds of LotEvent.
const (
	LotCame   = "came"
	LotMoved  = "moved"
	LotLooked = "looked"
	LotWorked = "worked"
	LotParted = "parted" // some became a lot of their own
	LotBack   = "back"   // those whose graft failed did
)

// MadeLot reports whether the event made another lot, which Other names.
func (e LotEvent) MadeLot() bool { return e.Kind == LotBack || e.Kind == LotParted }

// LotStory lists what happened to a lot's stocks, the oldest first: of the lots from
// which they came only what they went through, of the lot itself all.
func (q Q) LotStory(ctx context.Context, lot int64) (es []LotEvent, err error) {
	err = q.all(ctx, &es, `with recursive was as (select id, code, 'infinity'::timestamptz as until, 0 as up, null::bigint as child
			from stock_lot where id = $1
		union all select p.id, p.code, l.made_at, was.up + 1, l.id
			from was join stock_lot l on l.id = was.id join stock_lot p on p.id = l.came_from_lot)
		select l.received_on::timestamptz as on_day, was.code as lot, 'came' as kind, l.received as n, 0 as dead,
			coalesce((select m.from_form from lot_move m where m.lot_id = l.id and m.new_lot_id is null order by m.id limit 1), l.form)
			as what,
			'' as other,
			coalesce((select m.from_place from lot_move m where m.lot_id = l.id and m.new_lot_id is null order by m.id limit 1), l.place)
			as place,
			l.supplier as by, 0 as k
		from was join stock_lot l on l.id = was.id where l.came_from_lot is null
		union all select m.at, was.code, 'moved', m.n, 0, m.doing, '', m.to_place, p.name, 1
		from was join lot_move m on m.lot_id = was.id and m.at < was.until and m.new_lot_id is null join person p on p.id = m.person_id
		union all select k.at, was.code, 'looked', 0, 0, k.ready, k.note, '', p.name, 2
		from was join lot_look k on k.lot_id = was.id and k.at < was.until join person p on p.id = k.person_id
		union all select max(t.finished_at), was.code, 'worked', sum(t.tied)::int, coalesce(sum(t.dead), 0)::int, t.technique, v.name,
		'', '', 3
		from was join graded_tag t on t.lot_id = was.id and t.finished_at < was.until and t.tied > 0 join wood_bundle w on w.id =
			t.bundle_id
			join mother_plant x on x.id = w.plant_id join variety v on v.id = x.variety_id
		where was.up = 0 or t.dead > 0 group by was.code, t.technique, v.name, t.day
		union all select l.made_at, was.code, case when l.failed_note <> '' then 'back' else 'parted' end, l.received, 0,
			coalesce(m.doing, ''), l.code, l.place, coalesce(p.name, ''), 4
		from was join stock_lot l on l.came_from_lot = was.id and (was.up = 0 or l.id = was.child)
			left join lot_move m on m.new_lot_id = l.id left join person p on p.id = m.person_id
		order by on_day, k, n`, lot)
	return es, err
}

// StandElsewhere changes a lot's form and place.
func (q Q) StandElsewhere(ctx context.Context, lot int64, form, place string) error {
	_, err := q.exec(ctx, `update stock_lot set form = $2, place = $3 where id = $1`, lot, form, place)
	return err
}

// CopyReadings gives a lot the readings of another: they are a sample of both.
func (q Q) CopyReadings(ctx context.Context, from, to int64) error {
	_, err := q.exec(ctx, `insert into caliper_reading (lot_id, taken_on, no, mm, wide_mm, person_id)
		select $2, taken_on, no, mm, wide_mm, person_id from caliper_reading where lot_id = $1`, from, to)
	return err
}

// LotTaper is how much thinner a lot's stems are higher up, as it was measured or
// entered.
type LotTaper struct {
	ID       int64     `db:"id"`
	LotID    int64     `db:"lot_id"`
	PerCM    float64   `db:"per_cm"`
	Low      float64   `db:"low"`
	High     float64   `db:"high"`
	Stems    int       `db:"stems"`
	CM       float64   `db:"cm"`
	Pairs    string    `db:"pairs"`
	PersonID int64     `db:"person_id"`
	At       time.Time `db:"at"`
}

// SetTaper keeps a lot's taper, and what it is from.
func (q Q) SetTaper(ctx context.Context, t LotTaper) error {
	if err := q.named(ctx, `insert into lot_taper (lot_id, per_cm, low, high, stems, cm, pairs, person_id, at)
		values (:lot_id, :per_cm, :low, :high, :stems, :cm, :pairs, :person_id, :at)`, t); err != nil {
		return err
	}
	_, err := q.exec(ctx, `update stock_lot set taper_mm = $2 where id = $1`, t.LotID, t.PerCM)
	return err
}

// Tapers lists a lot's, newest first.
func (q Q) Tapers(ctx context.Context, lot int64) (ts []LotTaper, err error) {
	err = q.all(ctx, &ts, `select * from lot_taper where lot_id = $1 order by id desc`, lot)
	return ts, err
}

// FailedLot is a lot with stocks whose graft failed and that have not come back.
type FailedLot struct {
	Code string `json:"code"`
	N    int    `json:"n"`
}
