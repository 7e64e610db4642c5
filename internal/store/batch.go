package store

import (
	"context"
	"time"
)

// Batch is the grafts made ready for one order in one go.
type Batch struct {
	ID         int64      `db:"id"`
	Code       string     `db:"code"`
	OrderID    int64      `db:"order_id"`
	Order      string     `db:"order_code"`
	Variety    string     `db:"variety"`
	Genus      string     `db:"genus"`
	StockType  string     `db:"stock_type"`
	StockGenus string     `db:"stock_genus"`
	Tie        string     `db:"tie"`
	TieName    string     `db:"tie_name"`
	Healing    string     `db:"healing"`
	Grafts     int        `db:"grafts"`
	PersonID   int64      `db:"person_id"`
	Person     string     `db:"person"`
	MadeAt     time.Time  `db:"made_at"`
	UndoneAt   *time.Time `db:"undone_at"`
	Tags       int        `db:"tags"`
	Tagged     int        `db:"tagged"`
	Finished   int        `db:"finished"`
	Started    int        `db:"started"`
	Tied       int        `db:"tied"`
}

const batchSelect = `select b.id, b.code, b.order_id, b.tie, b.healing, b.grafts, b.person_id, b.made_at, b.undone_at, b.tagged,
	o.code as order_code, v.name as variety, v.genus, s.name as stock_type, s.genus as stock_genus, tie.name as tie_name, p.name as person,
	coalesce(g.tags, 0) as tags, coalesce(g.finished, 0) as finished, coalesce(g.started, 0) as started, coalesce(g.tied, 0) as tied
	from batch b join orders o on o.id = b.order_id join variety v on v.id = o.variety_id join stock_type s on s.id = o.stock_type_id
	join tie on tie.key = b.tie join person p on p.id = b.person_id
	left join lateral (select count(*) as tags, count(finished_at) as finished, count(started_at) as started, sum(t.tied)::int as tied
		from tag t where t.batch_id = b.id) g on true `

// BatchesUnbegun lists the batches that nobody has begun, the newest first.
func (q Q) BatchesUnbegun(ctx context.Context) (bs []Batch, err error) {
	err = q.all(ctx, &bs, batchSelect+`where b.undone_at is null and coalesce(g.started, 0) = 0
		and (b.untagged > 0 or b.id in (select batch_id from tag where finished_at is null)) order by b.id desc`)
	return bs, err
}

// Batches lists standing batches, newest first; after is the id to go on
// from, or 0.
func (q Q) Batches(ctx context.Context, after int64, limit int) (bs []Batch, err error) {
	err = q.all(ctx, &bs, batchSelect+`where b.undone_at is null and ($1 = 0 or b.id < $1) order by b.id desc limit $2`, after, limit)
	return bs, err
}

// UnsplitBatches lists standing batches that have no tag yet, newest first.
func (q Q) UnsplitBatches(ctx context.Context) (bs []Batch, err error) {
	err = q.all(ctx, &bs, batchSelect+`where b.undone_at is null and b.untagged > 0 and b.tagged = 0 order by b.id desc`)
	return bs, err
}

// BatchesOfOrder lists an order's batches, undone ones too.
func (q Q) BatchesOfOrder(ctx context.Context, orderID int64) (bs []Batch, err error) {
	err = q.all(ctx, &bs, batchSelect+`where b.order_id = $1 order by b.id`, orderID)
	return bs, err
}

// BatchByCode finds one.
func (q Q) BatchByCode(ctx context.Context, code string) (b Batch, err error) {
	err = q.get(ctx, &b, batchSelect+`where b.code = $1`, code)
	return b, err
}

// CodesUsed gives those of codes that a tag or a batch bears, or a tag that was
// dropped bore.
func (q Q) CodesUsed(ctx context.Context, codes []string) (used []string, err error) {
	err = q.all(ctx, &used, `select code from any_tag where code = any($1) union select code from batch where code = any($1)
		union select code from code_gone where code = any($1)`, codes)
	return used, err
}

// BatchesByCode lists batches by id, undone ones too.
func (q Q) BatchesByCode(ctx context.Context, codes []string) (bs []Batch, err error) {
	err = q.all(ctx, &bs, batchSelect+`where b.code = any($1) order by b.id`, codes)
	return bs, err
}

// LockBatches holds batches until the transaction ends, in the order of ids.
func (q Q) LockBatches(ctx context.Context, ids []int64) error {
	var got []int64
	return q.all(ctx, &got, `select id from batch where id = any($1) order by id for no key update`, ids)
}

// LockTagsOf holds all tags of batches until the transaction ends, in the order
// of ids: nobody begins one meanwhile.
func (q Q) LockTagsOf(ctx context.Context, batches []int64) error {
	var got []int64
	return q.all(ctx, &got, `select id from tag where batch_id = any($1) order by id for no key update`, batches)
}

// AddBatches keeps batches, all in one statement, and gives their ids by code.
func (q Q) AddBatches(ctx context.Context, bs []Batch) (map[string]int64, error) {
	n := len(bs)
	codes, orders, ties, healing := make([]string, n), make([]int64, n), make([]string, n), make([]string, n)
	grafts, by, at := make([]int, n), make([]int64, n), make([]time.Time, n)
	for i, b := range bs {
		codes[i], orders[i], ties[i], healing[i], grafts[i], by[i], at[i] = b.Code, b.OrderID, b.Tie, b.Healing, b.Grafts, b.PersonID,
			b.MadeAt
	}
	var rows []struct {
		ID   int64  `db:"id"`
		Code string `db:"code"`
	}
	err := q.all(ctx, &rows, `insert into batch (code, order_id, tie, healing, grafts, person_id, made_at)
		select * from unnest($1::text[], $2::bigint[], $3::text[], $4::text[], $5::int[], $6::bigint[], $7::timestamptz[]) returning id,
		code`, codes, orders, ties, healing, grafts, by, at)
	ids := map[string]int64{}
	for _, r := range rows {
		ids[r.Code] = r.ID
	}
	return ids, err
}

// UndoBatches marks batches as never made.
func (q Q) UndoBatches(ctx context.Context, ids []int64, at time.Time) error {
	_, err := q.exec(ctx, `update batch set undone_at = $2 where id = any($1)`, ids, at)
	return err
}

// Thread is one line of a batch's weave.
type Thread struct {
	BatchID   int64    `db:"batch_id"`
	LotID     int64    `db:"lot_id"`
	Lot       string   `db:"lot"`
	StockMM   float64  `db:"stock_mm"`
	BundleID  int64    `db:"bundle_id"`
	Bundle    string   `db:"bundle"`
	WoodMM    float64  `db:"wood_mm"`
	Technique string   `db:"technique"`
	N         int      `db:"n"`
	Buds      int      `db:"buds"`      // on each stock
	Against   string   `db:"against"`   // why it is used although the season shuts it
	LotTaper  *float64 `db:"lot_taper"` // thinner by so many mm a cm above the usual cut; nil: not known
}

// AddThreads keeps them, all in one statement.
func (q Q) AddThreads(ctx context.Context, ts []Thread) error {
	n := len(ts)
	batches, lots, bundles, many := make([]int64, n), make([]int64, n), make([]int64, n), make([]int, n)
	stock, wood, techniques, against := make([]float64, n), make([]float64, n), make([]string, n), make([]string, n)
	buds := make([]int, n)
	for i, t := range ts {
		batches[i], lots[i], bundles[i], many[i] = t.BatchID, t.LotID, t.BundleID, t.N
		stock[i], wood[i], techniques[i], against[i] = t.StockMM, t.WoodMM, t.Technique, t.Against
		buds[i] = max(1, t.Buds)
	}
	_, err := q.exec(ctx, `insert into batch_thread (batch_id, lot_id, stock_mm, bundle_id, wood_mm, technique, n, against, buds)
		select * from unnest($1::bigint[], $2::bigint[], $3::numeric[], $4::bigint[], $5::numeric[], $6::text[], $7::int[], $8::text[],
		$9::int[])`,
		batches, lots, stock, bundles, wood, techniques, many, against, buds)
	return err
}

// ThreadsOf lists the weaves of batches.
func (q Q) ThreadsOf(ctx context.Context, batches []int64) (ts []Thread, err error) {
	err = q.all(ctx, &ts, `select t.*, l.code as lot, l.taper_mm as lot_taper, w.code as bundle from batch_thread t join stock_lot l on
		l.id = t.lot_id
		join wood_bundle w on w.id = t.bundle_id where t.batch_id = any($1) order by batch_id, stock_mm desc, wood_mm desc, lot,
		bundle`, batches)
	return ts, err
}

// Threads lists a batch's weave, thickest stock first.
func (q Q) Threads(ctx context.Context, batchID int64) (ts []Thread, err error) {
	err = q.all(ctx, &ts, `select t.*, l.code as lot, l.taper_mm as lot_taper, w.code as bundle from batch_thread t join stock_lot l on
		l.id = t.lot_id
		join wood_bundle w on w.id = t.bundle_id where t.batch_id = $1 order by stock_mm desc, wood_mm desc, lot, bundle`, batchID)
	return ts, err
}
