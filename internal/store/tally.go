package store

import (
	"context"
	"time"
)

// Tally is one tap at the bench.
type Tally struct {
	ID         string    `db:"id"`
	TagID      int64     `db:"tag_id"`
	PersonID   int64     `db:"person_id"`
	Kind       string    `db:"kind"`
	N          int       `db:"n"`
	Undoes     *string   `db:"undoes"`
	At         time.Time `db:"at"`
	ReceivedAt time.Time `db:"received_at"`
	Held       *string   `db:"held"`
	Undone     bool      `db:"undone"`
}

// TalliesByID lists taps by their ids.
func (q Q) TalliesByID(ctx context.Context, ids []string) (ts []Tally, err error) {
	err = q.all(ctx, &ts, talliesByID, ids)
	return ts, err
}

// KeepTaps keeps taps and the sums of their tags, in one statement.
func (q Q) KeepTaps(ctx context.Context, ys []Tally, ts []TagState) error {
	sql, args := keepTaps(ys, ts)
	_, err := q.exec(ctx, sql, args...)
	return err
}

func keepTaps(ys []Tally, ts []TagState) (sql string, args []any) {
	n, k := len(ys), len(ts)
	ids, tags, by, kinds, many := make([]string, n), make([]int64, n), make([]int64, n), make([]string, n), make([]int, n)
	undoes, held, at, received := make([]*string, n), make([]*string, n), make([]time.Time, n), make([]time.Time, n)
	for i, y := range ys {
		ids[i], tags[i], by[i], kinds[i], many[i], undoes[i], held[i], at[i], received[i] = y.ID, y.TagID, y.PersonID, y.Kind, y.N,
			y.Undoes, y.Held, y.At, y.ReceivedAt
	}
	of, started, tied, wiped, refused := make([]int64, k), make([]*time.Time, k), make([]int, k), make([]int, k), make([]int, k)
	for i, t := range ts {
		of[i], started[i], tied[i], wiped[i], refused[i] = t.ID, t.StartedAt, t.Tied, t.SinceWipe, t.Refused
	}
	return `with kept as (insert into tally (id, tag_id, person_id, kind, n, undoes, at, received_at, held)
			select * from unnest($1::uuid[], $2::bigint[], $3::bigint[], $4::text[], $5::int[], $6::uuid[], $7::timestamptz[],
			$8::timestamptz[], $9::text[]))
		update tag t set started_at = u.s, tied = u.n, since_wipe = u.w, refused = u.r
		from unnest($10::bigint[], $11::timestamptz[], $12::int[], $13::int[], $14::int[]) u(id, s, n, w, r) where t.id = u.id`,
		[]any{ids, tags, by, kinds, many, undoes, at, received, held, of, started, tied, wiped, refused}
}

// TalliesKnown gives those of taps' ids that were kept.
func (q Q) TalliesKnown(ctx context.Context, ids []string) (known []string, err error) {
	err = q.all(ctx, &known, `select id::text from tally where id = any($1::uuid[])`, ids)
	return known, err
}

// Tallies lists a tag's taps in the order they were made.
func (q Q) Tallies(ctx context.Context, tagID int64) (ts []Tally, err error) {
	err = q.all(ctx, &ts, `select y.*, exists (select 1 from tally u where u.undoes = y.id and u.held is null) as undone
		from tally y where y.tag_id = $1 order by y.at, y.received_at, y.id`, tagID)
	return ts, err
}

// Posted is what the ledgers already hold of a tag, by account.
type Posted struct {
	Account string `db:"account"`
	N       int    `db:"n"`
}

// PostedStock sums the stems a tag has moved out of aside, net.
func (q Q) PostedStock(ctx context.Context, tagID int64) (ps []Posted, err error) {
	err = q.all(ctx, &ps, posted("stock_ledger"), tagID)
	return ps, err
}

// PostedWood sums the pieces a tag has moved out of aside, net.
func (q Q) PostedWood(ctx context.Context, tagID int64) (ps []Posted, err error) {
	err = q.all(ctx, &ps, posted("wood_ledger"), tagID)
	return ps, err
}

func posted(table string) string {
	return `select account, sum(n)::int as n from (
		select to_account as account, n from ` + table + ` where tag_id = $1 and from_account = 'aside'
		union all select from_account, -n from ` + table + ` where tag_id = $1 and to_account = 'aside') x
		group by account having sum(n) <> 0`
}

// Pace is grafts tied in a stretch of ten minutes.
type Pace struct {
	From time.Time `db:"from_at"`
	N    int       `db:"n"`
}

// WorkerPace is a stretch of a worker's.
type WorkerPace struct {
	WorkerID int64     `json:"worker"`
	From     time.Time `json:"from"`
	N        int       `json:"n"`
}

// NewBatch is a batch made and not shared out.
type NewBatch struct {
	Code      string `json:"code"`
	Variety   string `json:"variety"`
	StockType string `json:"stock"`
	Grafts    int    `json:"grafts"`
}

// GoingOn is what goes on at the benches, and what waits to be taken up.
type GoingOn struct {
	Paces   List[WorkerPace] `db:"paces"`   // of those with a live tag, by ten minutes
	Batches List[NewBatch]   `db:"batches"` // to share out, newest first
	Failed  List[FailedLot]  `db:"failed"`  // lots with stocks whose graft failed and that have not come back
}

// GoingOn gathers it: paces since a time, failed stocks of work since a day; cameBack is
// the ledger's code of those that came back.
func (q Q) GoingOn(ctx context.Context, since, failedFrom time.Time, cameBack string) (g GoingOn, err error) {
	err = q.get(ctx, &g, `select
		(select json_agg(json_build_object('worker', x.person_id, 'from', x.at, 'n', x.n) order by x.person_id, x.at) from (
			select person_id, to_timestamp(floor(extract(epoch from at) / 600) * 600) as at, sum(n)::int as n from tally y
			where person_id in (select worker_id from tag where finished_at is null and started_at is not null) and kind = 'tied' and at >= $1
			and held is null and not exists (select 1 from tally u where u.undoes = y.id and u.held is null) group by 1, 2) x)::text as paces,
		(select json_agg(json_build_object('code', b.code, 'variety', v.name, 'stock', s.name, 'grafts', b.grafts) order by b.id desc)
			from batch b join orders o on o.id = b.order_id join variety v on v.id = o.variety_id join stock_type s on s.id = o.stock_type_id
			where b.undone_at is null and b.untagged > 0 and b.tagged = 0)::text as batches,
		(select json_agg(json_build_object('code', f.code, 'n', f.n)) from (select l.code, x.n from (select t.lot_id, sum(c.dead)::int
			- coalesce((select sum(g.n) from stock_ledger g where g.lot_id = t.lot_id and g.reason = $3), 0)::int as n
			from tag t join take_count c on c.id = t.look_id where t.day >= $2 and c.dead > 0
			group by t.lot_id) x join stock_lot l on l.id = x.lot_id where x.n > 0 order by x.n desc, l.code limit 12) f)::text as failed`,
		since, failedFrom, cameBack)
	return g, err
}

// PaceOf gives a worker's tied grafts by ten minutes since a time.
func (q Q) PaceOf(ctx context.Context, worker int64, since time.Time) (ps []Pace, err error) {
	err = q.all(ctx, &ps, `select to_timestamp(floor(extract(epoch from at) / 600) * 600) as from_at, sum(n)::int as n from tally y
		where person_id = $1 and kind = 'tied' and at >= $2 and held is null
		and not exists (select 1 from tally u where u.undoes = y.id and u.held is null) group by 1 order by 1`, worker, since)
	return ps, err
}

const talliesByID = `select y.id::text, y.tag_id, y.person_id, y.kind, y.n, y.undoes::text, y.at, y.received_at, y.held,
	exists (select 1 from tally u where u.undoes = y.id and u.held is null) as undone from tally y where y.id = any($1::uuid[])`
