package store

import (
	"context"
	"time"
)

// Accounts that stems and pieces move between.
const (
	Outside = "outside" // beyond the gate
	Free    = "free"
	Aside   = "aside" // set aside for a batch
	Grafted = "grafted"
	Spoiled = "spoiled"
	Lost    = "lost"
)

// StockType is a kind of rootstock.
type StockType struct {
	ID      int64  `db:"id"`
	Genus   string `db:"genus"`
	Name    string `db:"name"`
	Section string `db:"section"` // or species; "" where it is not noted
}

// StockTypes lists them by name.
func (q Q) StockTypes(ctx context.Context) (ts []StockType, err error) {
	err = q.all(ctx, &ts, `select * from stock_type t where not exists (select from limb m where m.stock_type_id = t.id) order by name,
		genus`)
	return ts, err
}

// StockTypeFor finds a stock type by name and genus, and adds it if new.
func (q Q) StockTypeFor(ctx context.Context, name, genus string) (id int64, err error) {
	err = q.get(ctx, &id, `with new as (insert into stock_type (genus, name) values ($2, $1) on conflict do nothing returning id)
		select id from new union all select id from stock_type where lower(name) = lower($1) and genus = $2 limit 1`, name, genus)
	return id, err
}

// Lot is stock received or lined out together.
type Lot struct {
	ID          int64      `db:"id"`
	Code        string     `db:"code"`
	StockTypeID int64      `db:"stock_type_id"`
	StockType   string     `db:"stock_type"`
	Genus       string     `db:"genus"`
	Supplier    string     `db:"supplier"`
	ReceivedOn  time.Time  `db:"received_on"`
	Form        string     `db:"form"`
	Place       string     `db:"place"`
	Received    int        `db:"received"`
	GradeLow    *float64   `db:"grade_low_mm"`
	GradeHigh   *float64   `db:"grade_high_mm"`
	Health      string     `db:"health"`
	MadeAt      time.Time  `db:"made_at"`
	CameFrom    *int64     `db:"came_from_lot"`
	FailedNote  string     `db:"failed_note"`
	WaitsUntil  *time.Time `db:"waits_until"` // for its second chance; nil: it waits for nothing
	WaitsFor    string     `db:"waits_for"`
	Taper       *float64   `db:"taper_mm"` // thinner by so many mm for each cm above the usual cut; nil: not known
	Free        int        `db:"free"`
	Measured    int        `db:"measured"`
}

const lotSelect = `select l.*, t.name as stock_type, t.genus,
	coalesce((select n from stock_balance b where b.lot_id = l.id and account = 'free'), 0) as free,
	(select count(*) from caliper_reading r where r.lot_id = l.id) as measured
	from stock_lot l join stock_type t on t.id = l.stock_type_id `

// Lots lists lots, newest first; after is the id to go on from, or 0.
func (q Q) Lots(ctx context.Context, after int64, limit int) (ls []Lot, err error) {
	err = q.all(ctx, &ls, lotSelect+`where $1 = 0 or l.id < $1 order by l.id desc limit $2`, after, limit)
	return ls, err
}

// LotByCode finds one.
func (q Q) LotByCode(ctx context.Context, code string) (l Lot, err error) {
	err = q.get(ctx, &l, lotSelect+`where l.code = $1`, code)
	return l, err
}

// LockLots holds lots until the transaction ends, always in the order of
// their ids so that two planners never wait for each other.
func (q Q) LockLots(ctx context.Context, ids []int64) error {
	var got []int64
	return q.all(ctx, &got, `select id from stock_lot where id = any($1) order by id for no key update`, ids)
}

const lotInsert = `insert into stock_lot (code, stock_type_id, supplier, received_on, form, place, received, grade_low_mm, grade_high_mm,
		health, made_at, came_from_lot, failed_note, waits_until, waits_for)
	values (:code, :stock_type_id, :supplier, :received_on, :form, :place, :received, :grade_low_mm, :grade_high_mm, :health,
		:made_at, :came_from_lot, :failed_note, :waits_until, :waits_for) returning code, id`

// AddLot keeps a lot and receives its stems into the ledger.
func (q Q) AddLot(ctx context.Context, l Lot, by int64) (int64, error) {
	ids, err := q.addLots(ctx, []Lot{l}, by)
	return ids[l.Code], err
}

// AddLots keeps lots and receives their stems into the ledger.
func (q Q) AddLots(ctx context.Context, ls []Lot, by int64) error {
	_, err := q.addLots(ctx, ls, by)
	return err
}

func (q Q) addLots(ctx context.Context, ls []Lot, by int64) (map[string]int64, error) {
	ids, err := q.insertAll(ctx, lotInsert, ls)
	if err != nil {
		return nil, err
	}
	ms := make([]Move, len(ls))
	for i, l := range ls {
		ms[i] = Move{Of: ids[l.Code], N: l.Received, From: Outside, To: Free, Reason: "received", PersonID: by, At: l.MadeAt}
	}
	return ids, q.MoveStock(ctx, ms...)
}

// LotsByCodes finds those of these codes that are here, by code.
func (q Q) LotsByCodes(ctx context.Context, codes []string) (map[string]Lot, error) {
	var ls []Lot
	err := q.all(ctx, &ls, lotSelect+`where l.code = any($1)`, codes)
	return byCode(ls, func(l Lot) string { return l.Code }), err
}

// Reading is one caliper reading in mm.
type Reading struct {
	LotID    int64     `db:"lot_id"`
	TakenOn  time.Time `db:"taken_on"`
	No       int       `db:"no"`
	MM       float64   `db:"mm"`      // of an oval stem the mean of both
	Wide     *float64  `db:"wide_mm"` // of an oval stem the wider; nil where it is round
	PersonID *int64    `db:"person_id"`
}

// Narrow is the narrower diameter of an oval stem, in mm: there it is split.
func (r Reading) Narrow() float64 {
	if r.Wide == nil {
		return r.MM
	}
	return 2*r.MM - *r.Wide
}

// Readings lists a lot's readings in the order they were taken.
func (q Q) Readings(ctx context.Context, lotID int64) (rs []Reading, err error) {
	err = q.all(ctx, &rs, `select * from caliper_reading where lot_id = $1 order by taken_on, no`, lotID)
	return rs, err
}

// AddReadings keeps readings; one with the same lot, day and number is left
// as it is. It gives how many were new.
func (q Q) AddReadings(ctx context.Context, rs []Reading, by int64) (int, error) {
	lots, days, nos, mms := make([]int64, len(rs)), make([]time.Time, len(rs)), make([]int, len(rs)), make([]float64, len(rs))
	wide := make([]*float64, len(rs))
	for i, r := range rs {
		lots[i], days[i], nos[i], mms[i], wide[i] = r.LotID, r.TakenOn, r.No, r.MM, r.Wide
	}
	n, err := q.exec(ctx, `insert into caliper_reading (lot_id, taken_on, no, mm, wide_mm, person_id)
		select a, b, c, d, e, $6 from unnest($1::bigint[], $2::date[], $3::int[], $4::numeric[], $5::numeric[]) u(a, b, c, d, e)
		on conflict do nothing`,
		lots, days, nos, mms, wide, by)
	return int(n), err
}

// RemoveReading takes a wrong reading out again.
func (q Q) RemoveReading(ctx context.Context, lotID int64, on time.Time, no int) (Reading, error) {
	var r Reading
	err := q.get(ctx, &r, `delete from caliper_reading where lot_id = $1 and taken_on = $2 and no = $3 returning *`, lotID, on, no)
	return r, err
}

// LastReadingNo is the highest number used for a lot on a day, or 0.
func (q Q) LastReadingNo(ctx context.Context, lotID int64, on time.Time) (n int, err error) {
	err = q.get(ctx, &n, `select coalesce(max(no), 0) from caliper_reading where lot_id = $1 and taken_on = $2`, lotID, on)
	return n, err
}

// ReadingsOn is how many readings a lot has of a day.
func (q Q) ReadingsOn(ctx context.Context, lotID int64, on time.Time) (n int, err error) {
	err = q.get(ctx, &n, `select count(*) from caliper_reading where lot_id = $1 and taken_on = $2`, lotID, on)
	return n, err
}

// Move is a line of the stock or the wood ledger. Of is a lot or a bundle.
type Move struct {
	ID       int64     `db:"id"`
	Of       int64     `db:"of_id"`
	N        int       `db:"n"`
	From     string    `db:"from_account"`
	To       string    `db:"to_account"`
	MM       *float64  `db:"mm"`
	Reason   string    `db:"reason"` // a code
	Note     string    `db:"note"`
	BatchID  *int64    `db:"batch_id"`
	TagID    *int64    `db:"tag_id"`
	PersonID int64     `db:"person_id"`
	At       time.Time `db:"at"`
	Person   string    `db:"person"`
	Tag      string    `db:"tag"`
	Batch    string    `db:"batch"`
}

// MoveStock adds to the stock ledger. ErrShort: an account holds fewer.
func (q Q) MoveStock(ctx context.Context, ms ...Move) error {
	return q.move(ctx, "stock_ledger", "lot_id", ms)
}

// MoveWood adds to the wood ledger. ErrShort: an account holds fewer.
func (q Q) MoveWood(ctx context.Context, ms ...Move) error {
	return q.move(ctx, "wood_ledger", "bundle_id", ms)
}

// move writes lines, all in one statement and in their order.
func (q Q) move(ctx context.Context, table, of string, ms []Move) error {
	if len(ms) == 0 {
		return nil
	}
	n := len(ms)
	ids, many, from, to, mm := make([]int64, n), make([]int, n), make([]string, n), make([]string, n), make([]*float64, n)
	why, note, batch, tag, by, at := make(
		[]string,
		n,
	), make(
		[]string,
		n,
	), make(
		[]*int64,
		n,
	), make(
		[]*int64,
		n,
	), make(
		[]int64,
		n,
	), make(
		[]time.Time,
		n,
	)
	for i, m := range ms {
		ids[i], many[i], from[i], to[i], mm[i], why[i], note[i] = m.Of, m.N, m.From, m.To, m.MM, m.Reason, m.Note
		batch[i], tag[i], by[i], at[i] = m.BatchID, m.TagID, m.PersonID, m.At
	}
	_, err := q.exec(ctx, `insert into `+table+` (`+of+`, n, from_account, to_account, mm, reason, note, batch_id, tag_id, person_id, at)
		select * from unnest($1::bigint[], $2::int[], $3::text[], $4::text[], $5::numeric[], $6::text[], $7::text[], $8::bigint[],
		$9::bigint[], $10::bigint[], $11::timestamptz[])`,
		ids, many, from, to, mm, why, note, batch, tag, by, at)
	return err
}

const movesSelect = ` as of_id, g.id, g.n, g.from_account, g.to_account, g.mm, g.reason, g.note, g.batch_id, g.tag_id,
	coalesce(g.person_id, 0) as person_id, g.at,
	coalesce(p.name, '') as person, coalesce(t.code, '') as tag, coalesce(b.code, '') as batch `

// StockMoves lists a lot's ledger, newest first; those before a move, or with 0 all.
func (q Q) StockMoves(ctx context.Context, lotID, before int64) (ms []Move, err error) {
	err = q.all(ctx, &ms, `select g.lot_id`+movesSelect+`from stock_ledger g left join person p on p.id = g.person_id
		left join tag t on t.id = g.tag_id left join batch b on b.id = g.batch_id
		where g.lot_id = $1 and ($2 = 0 or g.id < $2) order by g.id desc`, lotID, before)
	return ms, err
}

// WoodMoves lists a bundle's ledger, newest first; those before a move, or with 0 all.
func (q Q) WoodMoves(ctx context.Context, bundleID, before int64) (ms []Move, err error) {
	err = q.all(ctx, &ms, `select g.bundle_id`+movesSelect+`from wood_ledger g left join person p on p.id = g.person_id
		left join tag t on t.id = g.tag_id left join batch b on b.id = g.batch_id
		where g.bundle_id = $1 and ($2 = 0 or g.id < $2) order by g.id desc`, bundleID, before)
	return ms, err
}

// Balance is what an account holds.
type Balance struct {
	Account string `db:"account"`
	N       int    `db:"n"`
}

// StockBalances gives a lot's accounts that hold stems.
func (q Q) StockBalances(ctx context.Context, lotID int64) (bs []Balance, err error) {
	err = q.all(ctx, &bs, `select account, n from stock_balance where lot_id = $1 and n > 0 order by account`, lotID)
	return bs, err
}

// WoodBalances gives a bundle's accounts that hold pieces.
func (q Q) WoodBalances(ctx context.Context, bundleID int64) (bs []Balance, err error) {
	err = q.all(ctx, &bs, `select account, n from wood_balance where bundle_id = $1 and n > 0 order by account`, bundleID)
	return bs, err
}
