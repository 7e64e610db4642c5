package store

import (
	"cmp"
	"context"
	"fmt"
	"time"
)

// LockTags holds tags until the transaction ends, in the order of ids.
func (q Q) LockTags(ctx context.Context, codes []string) error {
	var got []int64
	return q.all(ctx, &got, `select id from tag where code = any($1) order by id for no key update`, codes)
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
	Part          string     `db:"part"` // of the shoot its wood is from
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
	LotForm       string     `db:"lot_form"`
	LotTaper      *float64   `db:"lot_taper"`
	Healing       string     `db:"healing"`
	WorkerID      int64      `db:"worker_id"`
	Worker        string     `db:"worker"`
	Day           time.Time  `db:"day"`
	Half          int        `db:"half"` // 1 morning, 2 afternoon
	Locked        bool       `db:"locked"`
	Planned       int        `db:"planned"`
	Buds          int        `db:"buds"`    // on each stock
	TierID        *int64     `db:"tier_id"` // who ties what the worker cuts; nil: the worker does both
	Tier          string     `db:"tier"`
	StartedAt     *time.Time `db:"started_at"`
	FinishedAt    *time.Time `db:"finished_at"`
	HealPlace     string     `db:"heal_place"`
	Form          string     `db:"form"`     // box, pot, row, lifted; "" not noted
	Cover         string     `db:"cover"`    // bag, sleeve, shade
	Standing      int        `db:"standing"` // alive or doubtful by the look that stands, less what was lost or went since
	LostSince     int        `db:"lost_since"`
	Gone          int        `db:"gone"` // sold or planted
	GoneSince     int        `db:"gone_since"`
	Below         int        `db:"below"` // of gone: below grade, or cut out
	Lost          int        `db:"lost"`  // by all counts, and between them
	StockLow      float64    `db:"stock_low"`
	StockHigh     float64    `db:"stock_high"`
	WoodLow       float64    `db:"wood_low"`
	WoodHigh      float64    `db:"wood_high"`
	Mismatch      float64    `db:"mismatch"` // |1 − wood ÷ stock| over what was laid out
	TagSums
	Against  string  `db:"against"`  // why it is made although the season shuts its technique
	LookID   *string `db:"look_id"`  // the count that stands
	FirstID  *string `db:"first_id"` // the first look that stands
	Looked   bool    `db:"looked"`
	Taken    int     `db:"taken"`
	Doubtful int     `db:"doubtful"`
	Dead     int     `db:"dead"`      // by all counts that stand
	Both     int     `db:"both_live"` // of those taken, stocks of which both buds live
}

// By says who made it: the worker, or the cutter and the tier.
func (t Tag) By() string {
	if t.Tier == "" {
		return t.Worker
	}
	return t.Worker + " + " + t.Tier
}

// Has says whether a person cuts or ties on it.
func (t Tag) Has(person int64) bool {
	return t.WorkerID == person || t.TierID != nil && *t.TierID == person
}

// Stands is where it stands: the place noted, else where its stems stand in the row, or
// how it heals.
func (t Tag) Stands() string { return standsIn(t.HealPlace, t.LotForm, t.LotPlace, t.Healing) }

func standsIn(place, form, lotPlace, healing string) string {
	if place == "" && form == "in the row" {
		place = lotPlace
	}
	return cmp.Or(place, healing)
}

// Joins is how many buds or grafts are on so many of its stocks.
func (t Tag) Joins(stocks int) int { return stocks * max(1, t.Buds) }

const tagSelect = `select t.*, b.code as batch, o.code as order_code, l.code as lot, w.code as bundle, w.cut_on as bundle_cut_on,
	w.buds_per_piece, w.part,
	m.code as plant, v.name as variety, v.genus, s.name as stock_type, k.name as technique_name, tie.name as tie_name, b.tie,
	o.priority, s.genus as stock_genus, w.place as bundle_place, l.place as lot_place, l.form as lot_form, l.taper_mm as lot_taper,
		b.healing,
	p.name || coalesce(', place ' || (select n.place from learner_tag x join learner n on n.id = x.learner_id where x.tag_id = t.id), '')
	as worker,
	coalesce(p2.name, '') as tier,
	c.id is not null as looked, coalesce(c.taken, 0) as taken, coalesce(c.doubtful, 0) as doubtful,
	sums.below, sums.dead, sums.lost,
	coalesce(c.both_live, 0) as both_live
	from tag t join any_tag sums on sums.id = t.id join batch b on b.id = t.batch_id and b.undone_at is null join orders o on o.id
		= b.order_id
	join variety v on v.id = o.variety_id
	join stock_lot l on l.id = t.lot_id join stock_type s on s.id = l.stock_type_id join wood_bundle w on w.id = t.bundle_id
	join mother_plant m on m.id = w.plant_id
	join technique k on k.key = t.technique join tie on tie.key = b.tie join person p on p.id = t.worker_id
	left join person p2 on p2.id = t.tier_id left join take_count c on c.id = t.look_id `

// Which says which tags to list.
type Which struct {
	BatchID, LotID, BundleID, PlantID int64
	WorkerID                          int64     // who cuts or ties
	Open                              bool      // not finished
	Live                              bool      // started, not finished
	Day                               time.Time // of work; zero for any
	Uncounted                         bool      // finished, tied, and without a count
	FinishedBy                        time.Time // zero for any
	AfterID                           int64     // page: ids above, or below when Newest
	Newest                            bool
	Limit                             int  // 0 for 500
	All                               bool // without a limit
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
	}{{"t.batch_id = $%d", w.BatchID}, {"(t.worker_id = $%[1]d or t.tier_id = $%[1]d)", w.WorkerID}, {"t.lot_id = $%d", w.LotID},
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
		where += " and t.finished_at is not null and t.look_id is null and t.tied > 0"
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

// TagsByCode lists tags by their codes, in the order of ids.
func (q Q) TagsByCode(ctx context.Context, codes []string) (ts []Tag, err error) {
	err = q.all(ctx, &ts, tagSelect+`where t.code = any($1) order by t.id`, codes)
	return ts, err
}

// WorkTags lists the tags that are open, or finished with grafts that nobody
// counted yet, by id.
func (q Q) WorkTags(ctx context.Context) (ts []Tag, err error) {
	err = q.all(ctx, &ts, tagSelect+`where t.id = any(array(select id from tag where finished_at is null
		union all select id from tag where finished_at is not null and look_id is null and tied > 0)) order by t.id`)
	return ts, err
}

// TagByCode finds one.
func (q Q) TagByCode(ctx context.Context, code string) (t Tag, err error) {
	err = q.get(ctx, &t, tagSelect+`where t.code = $1`, code)
	return t, err
}

// NewTag is a tag to be made, with the classes laid out for it.
type NewTag struct {
	Tag
	Threads []Thread
}

// AddTags keeps tags with their classes, all of them in two statements.
func (q Q) AddTags(ctx context.Context, ts []NewTag) error {
	if len(ts) == 0 {
		return nil
	}
	n := len(ts)
	codes, techniques, days := make([]string, n), make([]string, n), make([]time.Time, n)
	batches, lots, bundles, workers := make([]int64, n), make([]int64, n), make([]int64, n), make([]int64, n)
	halves, planned, buds, tiers := make([]int, n), make([]int, n), make([]int, n), make([]*int64, n)
	bounds, mismatch := [4][]float64{}, make([]float64, n)
	for k := range bounds {
		bounds[k] = make([]float64, n)
	}
	var of []string
	var stock, wood []float64
	var many []int
	for i, t := range ts {
		codes[i], batches[i], lots[i], bundles[i], techniques[i], workers[i] = t.Code, t.BatchID, t.LotID, t.BundleID, t.Technique,
			t.WorkerID
		days[i], halves[i], planned[i], mismatch[i] = t.Day, max(1, t.Half), t.Planned, t.Mismatch
		buds[i], tiers[i] = max(1, t.Buds), t.TierID
		bounds[0][i], bounds[1][i], bounds[2][i], bounds[3][i] = t.StockLow, t.StockHigh, t.WoodLow, t.WoodHigh
		for _, h := range t.Threads {
			of, stock, wood, many = append(of, t.Code), append(stock, h.StockMM), append(wood, h.WoodMM), append(many, h.N)
		}
	}
	if _, err := q.exec(ctx, `insert into tag (code, batch_id, lot_id, bundle_id, technique, worker_id, day, half, planned, stock_low,
		stock_high, wood_low, wood_high, mismatch, buds, tier_id, against)
		select u.*, coalesce((select max(h.against) from batch_thread h where h.batch_id = u.b and h.technique = u.k
			and h.lot_id = u.l and h.bundle_id = u.w), '')
		from unnest($1::text[], $2::bigint[], $3::bigint[], $4::bigint[], $5::text[], $6::bigint[], $7::date[], $8::int[], $9::int[],
			$10::numeric[], $11::numeric[], $12::numeric[], $13::numeric[], $14::float8[], $15::int[],
			$16::bigint[]) u(c, b, l, w, k, p, d, h, n, sl, sh, wl, wh, m, y, r)`,
		codes, batches, lots, bundles, techniques, workers, days, halves, planned, bounds[0], bounds[1], bounds[2], bounds[3],
		mismatch, buds, tiers); err != nil {
		return err
	}
	return q.addTagThreads(ctx, of, stock, wood, many)
}

// DropTags drops the tags of batches that nobody has begun, and gives their codes.
func (q Q) DropTags(ctx context.Context, batches []int64, by int64, at time.Time) (codes []string, err error) {
	err = q.all(ctx, &codes, `with gone as (update any_tag set dropped_at = $3, dropped_by = $2, locked = false
		where batch_id = any($1) and started_at is null and dropped_at is null returning id, code) select code from gone order by id`,
		batches, by, at)
	return codes, err
}

// PickUpTags lets dropped tags stand again as they are laid out now: a label may bear
// their codes. Those that are not dropped stay as they are.
func (q Q) PickUpTags(ctx context.Context, ts []NewTag) error {
	if len(ts) == 0 {
		return nil
	}
	n := len(ts)
	codes, workers, tiers, days, halves := make([]string, n), make([]int64, n), make([]*int64, n), make([]time.Time, n), make([]int, n)
	low, high, mismatch := make([]float64, n), make([]float64, n), make([]float64, n)
	var of []string
	var stock, wood []float64
	var many []int
	for i, t := range ts {
		codes[i], workers[i], tiers[i], days[i], halves[i] = t.Code, t.WorkerID, t.TierID, t.Day, max(1, t.Half)
		low[i], high[i], mismatch[i] = t.WoodLow, t.WoodHigh, t.Mismatch
		for _, h := range t.Threads {
			of, stock, wood, many = append(of, t.Code), append(stock, h.StockMM), append(wood, h.WoodMM), append(many, h.N)
		}
	}
	if _, err := q.exec(ctx, `update any_tag t set dropped_at = null, dropped_by = null, worker_id = u.w, tier_id = u.r, day = u.d,
		half = u.h, wood_low = u.l, wood_high = u.g, mismatch = u.m
		from unnest($1::text[], $2::bigint[], $3::bigint[], $4::date[], $5::int[], $6::numeric[], $7::numeric[],
			$8::float8[]) u(c, w, r, d, h, l, g, m) where t.code = u.c and t.dropped_at is not null`,
		codes, workers, tiers, days, halves, low, high, mismatch); err != nil {
		return err
	}
	if _, err := q.exec(ctx, `delete from tag_thread where tag_id in (select id from tag where code = any($1))`, codes); err != nil {
		return err
	}
	return q.addTagThreads(ctx, of, stock, wood, many)
}

func (q Q) addTagThreads(ctx context.Context, of []string, stock, wood []float64, many []int) error {
	_, err := q.exec(ctx, `insert into tag_thread (tag_id, stock_mm, wood_mm, n)
		select t.id, u.s, u.w, sum(u.n) from unnest($1::text[], $2::numeric[], $3::numeric[], $4::int[]) u(c, s, w, n)
		join tag t on t.code = u.c group by 1, 2, 3`, of, stock, wood, many)
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
	TierID     *int64     `db:"tier_id"`
	Planned    int        `db:"planned"`
	Buds       int        `db:"buds"`
	StartedAt  *time.Time `db:"started_at"`
	FinishedAt *time.Time `db:"finished_at"`
	Standing   int        `db:"standing"` // alive or doubtful by the look that stands, less what was lost or went since
	Gone       int        `db:"gone"`     // sold or planted
	GoneSince  int        `db:"gone_since"`
	LookID     *string    `db:"look_id"` // the count that stands
	DroppedAt  *time.Time `db:"dropped_at"`
	LastDevice string     `db:"last_device"` // of the newest tap, with its number there and its time
	LastNo     int64      `db:"last_no"`
	LastAt     *time.Time `db:"last_at"`
	Passed     *int       `db:"passed"`  // of a learner's grafts; nil: none has to be passed
	Tangled    bool       `db:"tangled"` // its taps say more than the sums: all are weighed again with each that comes in
	Version    string     `db:"version"` // of the row as it was read: the transaction that wrote it
	TagSums
}

// TagSums are a tag's taps added up, and what is no longer on the bench for it.
type TagSums struct {
	Tied         int      `db:"tied"`
	SpoiledStock int      `db:"spoiled_stock"`
	SpoiledWood  int      `db:"spoiled_wood"`
	Dropped      int      `db:"dropped"`
	SetAside     int      `db:"set_aside"`
	SinceWipe    int      `db:"since_wipe"`
	Refused      int      `db:"refused"`
	StockBack    int      `db:"stock_back"`
	WoodBack     int      `db:"wood_back"`
	PaceHours    *float64 `db:"pace_hours"`
}

const tagState = `select id, code, batch_id, lot_id, bundle_id, worker_id, tier_id, planned, buds, started_at, finished_at,
	standing, gone, gone_since, look_id::text as look_id, tied, spoiled_stock, spoiled_wood, dropped, set_aside, since_wipe, refused,
	stock_back, wood_back, pace_hours, dropped_at, last_device, last_no, last_at, passed, tangled, xmin::text as version from any_tag `

// LockTag holds a tag that stands until the transaction ends.
func (q Q) LockTag(ctx context.Context, code string) (t TagState, err error) {
	err = q.get(ctx, &t, tagState+`where code = $1 and dropped_at is null for no key update`, code)
	return t, err
}

// LockAnyTags holds tags, dropped ones too, until the transaction ends, in the order of
// their ids.
func (q Q) LockAnyTags(ctx context.Context, codes []string) (ts []TagState, err error) {
	err = q.all(ctx, &ts, tagState+`where code = any($1) order by id for no key update`, codes)
	return ts, err
}

// AnyTags lists tags, dropped ones too, holding none of them.
func (q Q) AnyTags(ctx context.Context, codes []string) (ts []TagState, err error) {
	err = q.all(ctx, &ts, tagState+`where code = any($1)`, codes)
	return ts, err
}

// Tangled lists those of tags, dropped ones too, whose taps are weighed again when the
// tag changes.
func (q Q) Tangled(ctx context.Context, codes []string) (out []string, err error) {
	err = q.all(ctx, &out, `select code from any_tag where code = any($1) and tangled order by id`, codes)
	return out, err
}

// KeepTag keeps what taps changed of a tag: when it was started and finished,
// and its sums.
func (q Q) KeepTag(ctx context.Context, t TagState) error {
	_, err := q.exec(
		ctx,
		`update any_tag set started_at = $2, finished_at = $3, tied = $4, spoiled_stock = $5, spoiled_wood = $6, dropped = $7, set_aside
			= $8,
		since_wipe = $9, refused = $10, stock_back = $11, wood_back = $12, pace_hours = $13, last_device = $14, last_no = $15, last_at =
			$16,
		tangled = $17 where id = $1`,
		t.ID,
		t.StartedAt,
		t.FinishedAt,
		t.Tied,
		t.SpoiledStock,
		t.SpoiledWood,
		t.Dropped,
		t.SetAside,
		t.SinceWipe,
		t.Refused,
		t.StockBack,
		t.WoodBack,
		t.PaceHours,
		t.LastDevice,
		t.LastNo,
		t.LastAt,
		t.Tangled,
	)
	return err
}

// IsDropped says whether it was dropped.
func (t TagState) IsDropped() bool { return t.DroppedAt != nil }

// Has says whether a person cuts or ties on it.
func (t TagState) Has(person int64) bool {
	return t.WorkerID == person || t.TierID != nil && *t.TierID == person
}

// HandOver gives a tag to another worker, and to a tier; nil where the worker ties
// too.
func (q Q) HandOver(ctx context.Context, id, worker int64, tier *int64) error {
	_, err := q.exec(ctx, `update tag set worker_id = $2, tier_id = $3 where id = $1`, id, worker, tier)
	return err
}
