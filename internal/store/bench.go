package store

import (
	"context"
	"fmt"
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

const batchSelect = `select b.*, o.code as order_code, v.name as variety, v.genus, s.name as stock_type, s.genus as stock_genus, tie.name as tie_name, p.name as person,
	coalesce(g.tags, 0) as tags, coalesce(g.tagged, 0) as tagged, coalesce(g.finished, 0) as finished, coalesce(g.started, 0) as started, coalesce(g.tied, 0) as tied
	from batch b join orders o on o.id = b.order_id join variety v on v.id = o.variety_id join stock_type s on s.id = o.stock_type_id
	join tie on tie.key = b.tie join person p on p.id = b.person_id
	left join lateral (select count(*) as tags, sum(planned)::int as tagged, count(finished_at) as finished, count(started_at) as started, sum(x.tied)::int as tied
		from tag t left join lateral (` + tiedOfTag + `) x on true where t.batch_id = b.id) g on true `

// tiedOfTag sums what counts as tied on tag t.
const tiedOfTag = `select coalesce(sum(y.n) filter (where y.kind = 'tied' and y.held is null
	and not exists (select 1 from tally u where u.undoes = y.id and u.held is null)), 0)::int as tied from tally y where y.tag_id = t.id`

// Batches lists standing batches, newest first; after is the id to go on
// from, or 0.
func (q Q) Batches(ctx context.Context, after int64, limit int) (bs []Batch, err error) {
	err = q.all(ctx, &bs, batchSelect+`where b.undone_at is null and ($1 = 0 or b.id < $1) order by b.id desc limit $2`, after, limit)
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

// CodeUsed says whether a tag or a batch bears a code.
func (q Q) CodeUsed(ctx context.Context, code string) (used bool, err error) {
	err = q.get(ctx, &used, `select exists (select 1 from tag where code = $1) or exists (select 1 from batch where code = $1)`, code)
	return used, err
}

// LockBatch holds a batch until the transaction ends.
func (q Q) LockBatch(ctx context.Context, id int64) error {
	var got int64
	return q.get(ctx, &got, `select id from batch where id = $1 for update`, id)
}

// AddBatch keeps a batch.
func (q Q) AddBatch(ctx context.Context, b Batch) (int64, error) {
	return q.insert(ctx, `insert into batch (code, order_id, tie, healing, grafts, person_id, made_at)
		values (:code, :order_id, :tie, :healing, :grafts, :person_id, :made_at) returning id`, b)
}

// UndoBatch marks a batch as never made.
func (q Q) UndoBatch(ctx context.Context, id int64, at time.Time) error {
	_, err := q.exec(ctx, `update batch set undone_at = $2 where id = $1`, id, at)
	return err
}

// Thread is one line of a batch's weave.
type Thread struct {
	BatchID   int64   `db:"batch_id"`
	LotID     int64   `db:"lot_id"`
	Lot       string  `db:"lot"`
	StockMM   float64 `db:"stock_mm"`
	BundleID  int64   `db:"bundle_id"`
	Bundle    string  `db:"bundle"`
	WoodMM    float64 `db:"wood_mm"`
	Technique string  `db:"technique"`
	N         int     `db:"n"`
	Against   string  `db:"against"` // why it is used although the season shuts it
}

// AddThread keeps one.
func (q Q) AddThread(ctx context.Context, t Thread) error {
	return q.named(ctx, `insert into batch_thread (batch_id, lot_id, stock_mm, bundle_id, wood_mm, technique, n, against)
		values (:batch_id, :lot_id, :stock_mm, :bundle_id, :wood_mm, :technique, :n, :against)`, t)
}

// Threads lists a batch's weave, thickest stock first.
func (q Q) Threads(ctx context.Context, batchID int64) (ts []Thread, err error) {
	err = q.all(ctx, &ts, `select t.*, l.code as lot, w.code as bundle from batch_thread t join stock_lot l on l.id = t.lot_id
		join wood_bundle w on w.id = t.bundle_id where t.batch_id = $1 order by stock_mm desc, wood_mm desc, lot, bundle`, batchID)
	return ts, err
}

// Tag is the unit of record: one worker, technique, lot, bundle and day.
type Tag struct {
	ID            int64      `db:"id"`
	Code          string     `db:"code"`
	BatchID       int64      `db:"batch_id"`
	Batch         string     `db:"batch"`
	Order         string     `db:"order_code"`
	LotID         int64      `db:"lot_id"`
	Lot           string     `db:"lot"`
	BundleID      int64      `db:"bundle_id"`
	Bundle        string     `db:"bundle"`
	BundleCutOn   time.Time  `db:"bundle_cut_on"`
	BudsPerPiece  int        `db:"buds_per_piece"`
	Plant         string     `db:"plant"`
	Variety       string     `db:"variety"`
	Genus         string     `db:"genus"`
	StockType     string     `db:"stock_type"`
	Technique     string     `db:"technique"`
	TechniqueName string     `db:"technique_name"`
	TieName       string     `db:"tie_name"`
	Tie           string     `db:"tie"`
	Priority      int        `db:"priority"` // of its order
	StockGenus    string     `db:"stock_genus"`
	BundlePlace   string     `db:"bundle_place"`
	LotPlace      string     `db:"lot_place"`
	Healing       string     `db:"healing"`
	WorkerID      int64      `db:"worker_id"`
	Worker        string     `db:"worker"`
	Day           time.Time  `db:"day"`
	Half          int        `db:"half"` // 1 morning, 2 afternoon
	Locked        bool       `db:"locked"`
	Planned       int        `db:"planned"`
	StartedAt     *time.Time `db:"started_at"`
	FinishedAt    *time.Time `db:"finished_at"`
	HealPlace     string     `db:"heal_place"`
	StockLow      float64    `db:"stock_low"`
	StockHigh     float64    `db:"stock_high"`
	WoodLow       float64    `db:"wood_low"`
	WoodHigh      float64    `db:"wood_high"`
	Tied          int        `db:"tied"`
	Against       string     `db:"against"` // why it is made although the season shuts its technique
	LookID        *string    `db:"look_id"` // the count that stands
	Looked        bool       `db:"looked"`
	Taken         int        `db:"taken"`
	Doubtful      int        `db:"doubtful"`
	Dead          int        `db:"dead"`
}

const tagSelect = `select t.*, b.code as batch, o.code as order_code, l.code as lot, w.code as bundle, w.cut_on as bundle_cut_on, w.buds_per_piece,
	m.code as plant, v.name as variety, v.genus, s.name as stock_type, k.name as technique_name, tie.name as tie_name, b.tie, o.priority, s.genus as stock_genus, w.place as bundle_place, l.place as lot_place, b.healing, p.name as worker,
	h.stock_low, h.stock_high, h.wood_low, h.wood_high, x.tied,
	c.id is not null as looked, coalesce(c.taken, 0) as taken, coalesce(c.doubtful, 0) as doubtful, coalesce(c.dead, 0) as dead
	from tag t join batch b on b.id = t.batch_id and b.undone_at is null join orders o on o.id = b.order_id join variety v on v.id = o.variety_id
	join stock_lot l on l.id = t.lot_id join stock_type s on s.id = l.stock_type_id join wood_bundle w on w.id = t.bundle_id join mother_plant m on m.id = w.plant_id
	join technique k on k.key = t.technique join tie on tie.key = b.tie join person p on p.id = t.worker_id
	join lateral (select min(stock_mm) - 0.25 as stock_low, max(stock_mm) + 0.25 as stock_high, min(wood_mm) - 0.25 as wood_low, max(wood_mm) + 0.25 as wood_high
		from tag_thread where tag_id = t.id) h on true
	join lateral (` + tiedOfTag + `) x on true
	left join take_count c on c.id = t.look_id `

// Which says which tags to list.
type Which struct {
	BatchID, WorkerID, LotID, BundleID, PlantID int64
	Open                                        bool      // not finished
	Live                                        bool      // started, not finished
	Day                                         time.Time // of work; zero for any
	Uncounted                                   bool      // finished, tied, and without a count
	FinishedBy                                  time.Time // zero for any
	AfterID                                     int64     // page: ids above, or below when Newest
	Newest                                      bool
	Limit                                       int  // 0 for 500
	All                                         bool // without a limit
}

// Tags lists tags that answer to w, in the order of their ids.
func (q Q) Tags(ctx context.Context, w Which) (ts []Tag, err error) {
	var args []any
	where := "where true"
	and := func(clause string, v any) {
		args = append(args, v)
		where += fmt.Sprintf(" and "+clause, len(args))
	}
	for _, c := range []struct {
		clause string
		id     int64
	}{{"t.batch_id = $%d", w.BatchID}, {"t.worker_id = $%d", w.WorkerID}, {"t.lot_id = $%d", w.LotID},
		{"t.bundle_id = $%d", w.BundleID}, {"w.plant_id = $%d", w.PlantID}} {
		if c.id != 0 {
			and(c.clause, c.id)
		}
	}
	if w.Open {
		where += " and t.finished_at is null"
	}
	if w.Live {
		where += " and t.finished_at is null and t.started_at is not null"
	}
	if !w.Day.IsZero() {
		and("t.day = $%d", w.Day)
	}
	if w.Uncounted {
		where += " and t.finished_at is not null and t.look_id is null and x.tied > 0"
	}
	if !w.FinishedBy.IsZero() {
		and("t.finished_at <= $%d", w.FinishedBy)
	}
	order := " order by t.id"
	switch {
	case w.Newest && w.AfterID != 0:
		and("t.id < $%d", w.AfterID)
	case w.AfterID != 0:
		and("t.id > $%d", w.AfterID)
	}
	if w.Newest {
		order += " desc"
	}
	if w.Limit == 0 {
		w.Limit = 500
	}
	limit := ""
	if !w.All {
		args = append(args, w.Limit)
		limit = fmt.Sprintf(" limit $%d", len(args))
	}
	err = q.all(ctx, &ts, tagSelect+where+order+limit, args...)
	return ts, err
}

// TagByCode finds one.
func (q Q) TagByCode(ctx context.Context, code string) (t Tag, err error) {
	err = q.get(ctx, &t, tagSelect+`where t.code = $1`, code)
	return t, err
}

// AddTag keeps a tag with its classes.
func (q Q) AddTag(ctx context.Context, t Tag, threads []Thread) (int64, error) {
	id, err := q.insert(ctx, `insert into tag (code, batch_id, lot_id, bundle_id, technique, worker_id, day, half, planned, against)
		values (:code, :batch_id, :lot_id, :bundle_id, :technique, :worker_id, :day, greatest(:half, 1), :planned,
			coalesce((select max(h.against) from batch_thread h where h.batch_id = :batch_id and h.technique = :technique), '')) returning id`, t)
	if err != nil {
		return 0, err
	}
	for _, th := range threads {
		if _, err := q.exec(ctx, `insert into tag_thread (tag_id, stock_mm, wood_mm, n) values ($1, $2, $3, $4)
			on conflict (tag_id, stock_mm, wood_mm) do update set n = tag_thread.n + excluded.n`, id, th.StockMM, th.WoodMM, th.N); err != nil {
			return 0, err
		}
	}
	return id, nil
}

// DropTags takes away a batch's tags that nobody has begun.
func (q Q) DropTags(ctx context.Context, batchID int64) error {
	if _, err := q.exec(ctx, `delete from tag_thread where tag_id in (select id from tag where batch_id = $1 and started_at is null)`, batchID); err != nil {
		return err
	}
	_, err := q.exec(ctx, `delete from tag where batch_id = $1 and started_at is null`, batchID)
	return err
}

// TagThreads lists the classes laid out for a tag, thickest stock first.
func (q Q) TagThreads(ctx context.Context, tagID int64) (ts []Thread, err error) {
	err = q.all(ctx, &ts, `select stock_mm, wood_mm, n from tag_thread where tag_id = $1 order by stock_mm desc, wood_mm desc`, tagID)
	return ts, err
}

// TagState is a tag's own row, held until the transaction ends.
type TagState struct {
	ID         int64      `db:"id"`
	Code       string     `db:"code"`
	BatchID    int64      `db:"batch_id"`
	LotID      int64      `db:"lot_id"`
	BundleID   int64      `db:"bundle_id"`
	WorkerID   int64      `db:"worker_id"`
	Planned    int        `db:"planned"`
	StartedAt  *time.Time `db:"started_at"`
	FinishedAt *time.Time `db:"finished_at"`
}

// LockTag holds a tag until the transaction ends.
func (q Q) LockTag(ctx context.Context, code string) (t TagState, err error) {
	err = q.get(ctx, &t, `select id, code, batch_id, lot_id, bundle_id, worker_id, planned, started_at, finished_at from tag where code = $1 for update`, code)
	return t, err
}

// MarkTag keeps when a tag was started and finished, who works it and where
// it heals.
func (q Q) MarkTag(ctx context.Context, id int64, started, finished *time.Time) error {
	_, err := q.exec(ctx, `update tag set started_at = $2, finished_at = $3 where id = $1`, id, started, finished)
	return err
}

// HandOver gives a tag to another worker.
func (q Q) HandOver(ctx context.Context, id, worker int64) error {
	_, err := q.exec(ctx, `update tag set worker_id = $2 where id = $1`, id, worker)
	return err
}

// SetHealPlace says where finished tags of a batch stand to heal.
func (q Q) SetHealPlace(ctx context.Context, id int64, place string) error {
	_, err := q.exec(ctx, `update tag set heal_place = $2 where id = $1`, id, place)
	return err
}

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

// AddTally keeps a tap; false when it was kept before.
func (q Q) AddTally(ctx context.Context, t Tally) (bool, error) {
	n, err := q.exec(ctx, `insert into tally (id, tag_id, person_id, kind, n, undoes, at, received_at, held)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9) on conflict (id) do nothing`,
		t.ID, t.TagID, t.PersonID, t.Kind, t.N, t.Undoes, t.At, t.ReceivedAt, t.Held)
	return n == 1, err
}

// HasTally says whether a tap was kept.
func (q Q) HasTally(ctx context.Context, id string) (has bool, err error) {
	err = q.get(ctx, &has, `select exists (select 1 from tally where id = $1)`, id)
	return has, err
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

// PaceOf gives a worker's tied grafts by ten minutes since a time.
func (q Q) PaceOf(ctx context.Context, worker int64, since time.Time) (ps []Pace, err error) {
	err = q.all(ctx, &ps, `select to_timestamp(floor(extract(epoch from at) / 600) * 600) as from_at, sum(n)::int as n from tally y
		where person_id = $1 and kind = 'tied' and at >= $2 and held is null
		and not exists (select 1 from tally u where u.undoes = y.id and u.held is null) group by 1 order by 1`, worker, since)
	return ps, err
}
