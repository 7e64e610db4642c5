package store

import (
	"context"
	"time"
)

// Tally is one tap at the bench.
type Tally struct {
	ID         string     `db:"id"`
	TagID      int64      `db:"tag_id"` // that it was made on
	PersonID   int64      `db:"person_id"`
	Kind       string     `db:"kind"`
	N          int        `db:"n"`
	Undoes     *string    `db:"undoes"`
	At         time.Time  `db:"at"`
	ReceivedAt time.Time  `db:"received_at"`
	Held       *string    `db:"held"` // the code of why it does not count
	Device     string     `db:"device"`
	No         int64      `db:"no"`      // its place among the device's
	SentBy     *int64     `db:"sent_by"` // who was signed in when it came in, where it was another
	Theirs     bool       `db:"theirs"`  // the tag was its worker's when it came in
	CountsOn   *int64     `db:"counts_on"`
	Settled    *string    `db:"settled"`
	SettledBy  *int64     `db:"settled_by"`
	SettledAt  *time.Time `db:"settled_at"`
	Undone     bool       `db:"undone"`
}

// TalliesByID lists taps by their ids.
func (q Q) TalliesByID(ctx context.Context, ids []string) (ts []Tally, err error) {
	err = q.all(ctx, &ts, talliesByID, ids)
	return ts, err
}

// KeepTaps keeps taps and the sums of their tags, in one statement.
func (q Q) KeepTaps(ctx context.Context, ys []Tally, ts []TagState) error {
	_, err := q.exec(ctx, keepTaps, tapArgs(ys, ts)...)
	return err
}

// KeepTapsIf keeps taps and the sums of their tags if none of the tags was written since it
// was read: one call, and a transaction by itself. It gives the version that all of the
// tags have from then on. ErrMoved: one was written meanwhile, and nothing is kept.
func (d *DB) KeepTapsIf(ctx context.Context, ys []Tally, ts []TagState) (version string, err error) {
	versions := make([]string, len(ts))
	for i, t := range ts {
		versions[i] = t.Version
	}
	err = d.Q().get(ctx, &version, keepTapsIf, append(tapArgs(ys, ts), versions)...)
	return version, err
}

const (
	keepTaps = `with kept as (insert into tap (id, tag_id, person_id, kind, n, undoes, at, received_at, held, device, no, sent_by, theirs)
		select * from unnest($1::uuid[], $2::bigint[], $3::bigint[], $4::text[], $5::int[], $6::uuid[], $7::timestamptz[],
		$8::timestamptz[], $9::text[], $10::text[], $11::bigint[], $12::bigint[], $13::bool[]))
		update any_tag t set started_at = u.s, tied = u.n, since_wipe = u.w, last_at = u.a, last_device = u.d, last_no = u.o
		from unnest($14::bigint[], $15::timestamptz[], $16::int[], $17::int[], $18::timestamptz[], $19::text[],
		$20::bigint[]) u(id, s, n, w, a, d, o) where t.id = u.id`
	keepTapsIf = `select keep_taps($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, $20, $21)`
)

// tapArgs are keepTaps' values: of the taps, a slice a column, and then of the tags.
func tapArgs(ys []Tally, ts []TagState) []any {
	n, k := len(ys), len(ts)
	ids, tags, by, kinds, many := make([]string, n), make([]int64, n), make([]int64, n), make([]string, n), make([]int, n)
	undoes, held, at, received := make([]*string, n), make([]*string, n), make([]time.Time, n), make([]time.Time, n)
	devices, nos, sent, theirs := make([]string, n), make([]int64, n), make([]*int64, n), make([]bool, n)
	for i, y := range ys {
		ids[i], tags[i], by[i], kinds[i], many[i] = y.ID, y.TagID, y.PersonID, y.Kind, y.N
		undoes[i], held[i], at[i], received[i] = y.Undoes, y.Held, y.At, y.ReceivedAt
		devices[i], nos[i], sent[i], theirs[i] = y.Device, y.No, y.SentBy, y.Theirs
	}
	of, started, tied, wiped, lastAt := make([]int64, k), make([]*time.Time, k), make([]int, k), make([]int, k), make([]*time.Time, k)
	last, lastNo := make([]string, k), make([]int64, k)
	for i, t := range ts {
		of[i], started[i], tied[i], wiped[i], lastAt[i] = t.ID, t.StartedAt, t.Tied, t.SinceWipe, t.LastAt
		last[i], lastNo[i] = t.LastDevice, t.LastNo
	}
	return []any{ids, tags, by, kinds, many, undoes, at, received, held, devices, nos, sent, theirs,
		of, started, tied, wiped, lastAt, last, lastNo}
}

// WeighTaps keeps what taps that were kept before were weighed as: their refusals, or
// nil for those that count.
func (q Q) WeighTaps(ctx context.Context, ids []string, held []*string) error {
	if len(ids) == 0 {
		return nil
	}
	_, err := q.exec(ctx, `update tap y set held = u.h from unnest($1::uuid[], $2::text[]) u(id, h) where y.id = u.id`, ids, held)
	return err
}

// SettleTaps keeps what the propagator decided of taps, "" for nothing any more: on which
// tag they count, 0 for their own.
func (q Q) SettleTaps(ctx context.Context, ids []string, decided string, on, by int64, at time.Time) error {
	_, err := q.exec(ctx, `update tap set settled = nullif($2, ''), counts_on = nullif($3, 0), settled_by = $4, settled_at = $5
		where id = any($1::uuid[])`, ids, decided, on, by, at)
	return err
}

// TalliesKnown gives those of taps' ids that were kept.
func (q Q) TalliesKnown(ctx context.Context, ids []string) (known []string, err error) {
	err = q.all(ctx, &known, `select id::text from tap where id = any($1::uuid[])`, ids)
	return known, err
}

// Tallies lists a tag's taps in the order they were made.
func (q Q) Tallies(ctx context.Context, tagID int64) (ts []Tally, err error) {
	err = q.all(ctx, &ts, `select y.*, exists (select 1 from tap u where u.undoes = y.id and u.held is null) as undone
		from tap y where coalesce(y.counts_on, y.tag_id) = $1 order by y.at, y.received_at, y.id`, tagID)
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
	Strays  int              `db:"strays"`  // taps that do not count until the propagator says so
}

// GoingOn gathers it: paces since a time, failed stocks of work since a day; cameBack is
// the ledger's code of those that came back.
func (q Q) GoingOn(ctx context.Context, since, failedFrom time.Time, cameBack string) (g GoingOn, err error) {
	err = q.get(ctx, &g, `select
		(select json_agg(json_build_object('worker', x.person_id, 'from', x.at, 'n', x.n) order by x.person_id, x.at) from (
			select t.worker_id as person_id, to_timestamp(floor(extract(epoch from y.at) / 600) * 600) as at, sum(y.n)::int as n
			from tap y join tag t on t.id = coalesce(y.counts_on, y.tag_id)
			where t.worker_id in (select worker_id from tag where finished_at is null and started_at is not null) and y.kind = 'tied'
			and y.at >= $1 and y.held is null and not exists (select 1 from tap u where u.undoes = y.id and u.held is null)
			group by 1, 2) x)::text as paces,
		(select json_agg(json_build_object('code', b.code, 'variety', v.name, 'stock', s.name, 'grafts', b.grafts) order by b.id desc)
			from batch b join orders o on o.id = b.order_id join variety v on v.id = o.variety_id join stock_type s on s.id =
			o.stock_type_id
			where b.undone_at is null and b.untagged > 0 and b.tagged = 0)::text as batches,
		(select json_agg(json_build_object('code', f.code, 'n', f.n)) from (select l.code, x.n from (select t.lot_id, sum(t.dead)::int
			- coalesce((select sum(g.n) from stock_ledger g where g.lot_id = t.lot_id and g.reason = $3), 0)::int as n
			from graded_tag t where t.day >= $2 and t.dead > 0
			group by t.lot_id) x join stock_lot l on l.id = x.lot_id where x.n > 0 order by x.n desc, l.code) f)::text as failed,
		(select count(*) from tap y where `+stray+`)::int as strays`,
		since, failedFrom, cameBack)
	return g, err
}

// PaceOf gives a worker's tied grafts by ten minutes since a time. A tag that was finished before
// it has none, which spares going through all that they ever made.
func (q Q) PaceOf(ctx context.Context, worker int64, since time.Time) (ps []Pace, err error) {
	err = q.all(ctx, &ps, `select to_timestamp(floor(extract(epoch from y.at) / 600) * 600) as from_at, sum(y.n)::int as n
		from tap y join tag t on t.id = coalesce(y.counts_on, y.tag_id)
		where t.worker_id = $1 and (t.finished_at is null or t.finished_at >= $2) and y.kind = 'tied' and y.at >= $2 and y.held is null
		and not exists (select 1 from tap u where u.undoes = y.id and u.held is null) group by 1 order by 1`, worker, since)
	return ps, err
}

const talliesByID = `select y.id::text, y.tag_id, y.person_id, y.kind, y.n, y.undoes::text, y.at, y.received_at, y.held, y.device, y.no,
	y.sent_by, y.theirs, y.counts_on, y.settled, y.settled_by, y.settled_at,
	exists (select 1 from tap u where u.undoes = y.id and u.held is null) as undone from tap y where y.id = any($1::uuid[])`

// stray says which taps wait for the propagator: those that do not count and would
// change something if they did. An undo that takes back a tap of which the same is true
// goes with it, and one whose tap has not come in waits for that.
const stray = `y.held is not null and y.settled is null and y.held not in ('unknown tap', 'taken back', 'did not count')
	and not (y.kind in ('finish', 'wiped', 'new blade') and y.held in ('finished', 'takes counted', 'tag dropped'))`

// StrayTap is taps of one kind by one worker on a tag that do not count, or of which the
// propagator decided lately.
type StrayTap struct {
	Code       string     `db:"code"`
	Dropped    bool       `db:"dropped"`
	TagOf      string     `db:"tag_of"` // whose tag it is
	Batch      string     `db:"batch"`
	Variety    string     `db:"variety"`
	StockType  string     `db:"stock_type"`
	WorkerID   int64      `db:"person_id"`
	Worker     string     `db:"worker"`
	Kind       string     `db:"kind"`
	Held       *string    `db:"held"`
	N          int        `db:"n"`
	From       time.Time  `db:"from_at"`
	To         time.Time  `db:"to_at"`
	Settled    *string    `db:"settled"`
	SettledAt  *time.Time `db:"settled_at"`
	CountsOn   *string    `db:"counts_on"` // the tag on which they count
	SettledBy  *string    `db:"settled_by"`
	Candidates List[Code] `db:"candidates"` // tags of the same lot, bundle and technique that are not counted yet
}

// Code is a tag's code with whose it is.
type Code struct {
	Code string `json:"code"`
	Of   string `json:"of"`
}

// StrayTaps lists taps that wait for the propagator, and those decided on since a time.
func (q Q) StrayTaps(ctx context.Context, since time.Time) (ss []StrayTap, err error) {
	err = q.all(ctx, &ss, `select t.code, t.dropped_at is not null as dropped, w.name as tag_of, b.code as batch, v.name as variety,
			s.name as stock_type, y.person_id, p.name as worker, y.kind, y.held, y.n, y.from_at, y.to_at, y.settled, y.settled_at,
			y.on_code as counts_on, d.name as settled_by,
			(select json_agg(json_build_object('code', x.code, 'of', z.name) order by x.id) from tag x join person z on z.id = x.worker_id
				where x.lot_id = t.lot_id and x.bundle_id = t.bundle_id and x.technique = t.technique and x.look_id is null)::text as
				candidates
		from (select y.tag_id, y.person_id, y.kind, y.held, y.settled, y.settled_by, max(y.settled_at) as settled_at, o.code as on_code,
				sum(y.n)::int as n, min(y.at) as from_at, max(y.at) as to_at
			from tap y left join any_tag o on o.id = y.counts_on
			where `+stray+` or y.settled_at >= $1 group by 1, 2, 3, 4, 5, 6, 8) y
		join any_tag t on t.id = y.tag_id join batch b on b.id = t.batch_id join person w on w.id = t.worker_id
		join person p on p.id = y.person_id join wood_bundle u on u.id = t.bundle_id join mother_plant m on m.id = u.plant_id
		join variety v on v.id = m.variety_id join stock_lot l on l.id = t.lot_id join stock_type s on s.id = l.stock_type_id
		left join person d on d.id = y.settled_by
		order by y.settled is not null, t.id, y.person_id, y.kind`, since)
	return ss, err
}

// StrayIDs lists the taps of a worker on a tag that do not count and of which nobody
// decided; with decided those that were.
func (q Q) StrayIDs(ctx context.Context, tag, worker int64, decided bool) (ts []Tally, err error) {
	where := `y.held is not null and y.settled is null`
	if decided {
		where = `y.settled is not null`
	}
	err = q.all(ctx, &ts, `select y.id::text, y.tag_id, y.person_id, y.kind, y.n, y.undoes::text, y.at, y.received_at, y.held, y.counts_on
		from tap y where y.tag_id = $1 and y.person_id = $2 and `+where, tag, worker)
	return ts, err
}

// CountedOn lists the tags on which taps that a worker made on a tag count instead.
func (q Q) CountedOn(ctx context.Context, code string, worker int64) (codes []string, err error) {
	err = q.all(ctx, &codes, `select distinct o.code from tap y join any_tag t on t.id = y.tag_id join any_tag o on o.id = y.counts_on
		where t.code = $1 and y.person_id = $2 order by 1`, code, worker)
	return codes, err
}
