package store

import (
	"context"
	"encoding/json"
	"time"
)

// RestThread is part of a batch's weave that is on no tag yet.
type RestThread struct {
	Thread
	Batch      string    `db:"batch"`
	Order      string    `db:"order_code"`
	Priority   int       `db:"priority"`
	StockGenus string    `db:"stock_genus"`
	Variety    string    `db:"variety"`
	CutOn      time.Time `db:"cut_on"` // the bundle's
	LotForm    string    `db:"lot_form"`
}

// RestThreads lists what standing batches have on no tag.
func (q Q) RestThreads(ctx context.Context) (rs []RestThread, err error) {
	err = q.all(
		ctx,
		&rs,
		`select h.batch_id, h.lot_id, l.code as lot, h.stock_mm, h.bundle_id, w.code as bundle, h.wood_mm, h.technique, h.buds, h.n -
			coalesce(g.n, 0)::int as n,
		b.code as batch, o.code as order_code, o.priority, s.genus as stock_genus, v.name as variety, w.cut_on,
		l.form as lot_form, l.taper_mm as lot_taper
		from batch b join batch_thread h on h.batch_id = b.id join orders o on o.id = b.order_id join variety v on v.id = o.variety_id
		join stock_lot l on l.id = h.lot_id join stock_type s on s.id = l.stock_type_id join wood_bundle w on w.id = h.bundle_id
		left join lateral (select sum(x.n) as n from tag t join tag_thread x on x.tag_id = t.id where t.batch_id = h.batch_id and
		t.lot_id = h.lot_id
			and t.bundle_id = h.bundle_id and t.technique = h.technique and x.stock_mm = h.stock_mm and x.wood_mm = h.wood_mm) g on true
		where b.undone_at is null and b.untagged > 0 and h.n > coalesce(g.n, 0)
		order by h.batch_id, h.technique, l.code, w.code, h.stock_mm desc, h.wood_mm desc`,
	)
	return rs, err
}

// TagPlace is where a tag stands in the days.
type TagPlace struct {
	Code     string    `db:"code" json:"code"`
	WorkerID int64     `db:"worker_id" json:"worker_id"`
	Day      time.Time `db:"day" json:"day"`
	Half     int       `db:"half" json:"half"`
	Locked   bool      `db:"locked" json:"locked"`
	TierID   *int64    `db:"tier_id" json:"tier_id,omitempty"` // who ties, where Ties is set
	Ties     bool      `db:"-" json:"ties,omitempty"`          // who ties is set too; else it stays
}

// TagPlaces gives where tags stand in the plan, by code.
func (q Q) TagPlaces(ctx context.Context, codes []string) (map[string]TagPlace, error) {
	var ps []TagPlace
	err := q.all(ctx, &ps, `select code, worker_id, coalesce(day, '0001-01-01') as day, coalesce(half, 0) as half, locked, tier_id from tag
		where code = any($1)`, codes)
	out := map[string]TagPlace{}
	for _, p := range ps {
		out[p.Code] = p
	}
	return out, err
}

// PlaceTags moves tags that nobody has begun, all at once, and gives those that
// moved, in the order of their codes.
func (q Q) PlaceTags(ctx context.Context, ps []TagPlace) (moved []string, err error) {
	codes, workers, days, halves, locked := make(
		[]string,
		len(ps),
	), make(
		[]int64,
		len(ps),
	), make(
		[]time.Time,
		len(ps),
	), make(
		[]int,
		len(ps),
	), make(
		[]bool,
		len(ps),
	)
	tiers, set := make([]*int64, len(ps)), make([]bool, len(ps))
	for i, p := range ps {
		tiers[i], set[i] = p.TierID, p.Ties
		codes[i], workers[i], days[i], halves[i], locked[i] = p.Code, p.WorkerID, p.Day, p.Half, p.Locked
	}
	err = q.all(ctx, &moved, `with moved as (update tag t set worker_id = u.w, tier_id = case when u.s then u.t else nullif(t.tier_id,
		u.w) end, day = u.d, half = u.h, locked = u.l
		from unnest($1::text[], $2::bigint[], $3::date[], $4::int[], $5::bool[], $6::bigint[], $7::bool[]) u(c, w, d, h, l, t, s)
		where t.code = u.c and t.started_at is null and t.finished_at is null returning t.code) select code from moved order by
		code`, codes, workers, days, halves, locked, tiers, set)
	return moved, err
}

// PinTags holds tags that nobody has begun where they stand, or lets them go.
func (q Q) PinTags(ctx context.Context, codes []string, pin bool) error {
	if err := q.LockTags(ctx, codes); err != nil {
		return err
	}
	_, err := q.exec(ctx, `update tag set locked = $2 where code = any($1) and started_at is null and finished_at is null`, codes, pin)
	return err
}

// BatchesOfTags gives the batches of tags.
func (q Q) BatchesOfTags(ctx context.Context, codes []string) (ids []int64, err error) {
	err = q.all(ctx, &ids, `select distinct batch_id from any_tag where code = any($1) order by 1`, codes)
	return ids, err
}

// DropTagsByCode drops tags that nobody has begun.
func (q Q) DropTagsByCode(ctx context.Context, codes []string, by int64, at time.Time) error {
	_, err := q.exec(ctx, `update any_tag set dropped_at = $3, dropped_by = $2, locked = false where code = any($1) and started_at is null
		and dropped_at is null`, codes, by, at)
	return err
}

// DayPlan is what a plan of the days changed.
type DayPlan struct {
	ID       int64      `db:"id"`
	PersonID int64      `db:"person_id"`
	At       time.Time  `db:"at"`
	Made     []string   `db:"-"`
	Moved    []TagPlace `db:"-"`
}

// AddDayPlan keeps what a plan changed.
func (q Q) AddDayPlan(ctx context.Context, p DayPlan) (id int64, err error) {
	moved, err := json.Marshal(p.Moved)
	if err != nil {
		return 0, err
	}
	if p.Made == nil {
		p.Made = []string{}
	}
	err = q.get(
		ctx,
		&id,
		`insert into day_plan (person_id, at, made, moved) values ($1, $2, $3, $4) returning id`,
		p.PersonID,
		p.At,
		p.Made,
		string(moved),
	)
	return id, err
}

// LastDayPlan gives the newest plan, if it was not taken back; ErrNotFound else.
func (q Q) LastDayPlan(ctx context.Context) (p DayPlan, err error) {
	var row struct {
		DayPlan
		MadeJSON  string     `db:"made_json"`
		MovedJSON string     `db:"moved_json"`
		UndoneAt  *time.Time `db:"undone_at"`
	}
	if err = q.get(ctx, &row, `select id, person_id, at, to_json(made)::text as made_json, moved::text as moved_json, undone_at from
		day_plan order by id desc limit 1`); err != nil {
		return p, err
	}
	if row.UndoneAt != nil {
		return p, ErrNotFound
	}
	p = row.DayPlan
	if err = json.Unmarshal([]byte(row.MadeJSON), &p.Made); err == nil {
		err = json.Unmarshal([]byte(row.MovedJSON), &p.Moved)
	}
	return p, err
}

// UndoDayPlan marks a plan as taken back.
func (q Q) UndoDayPlan(ctx context.Context, id int64, at time.Time) error {
	_, err := q.exec(ctx, `update day_plan set undone_at = $2 where id = $1`, id, at)
	return err
}

// LockDays holds the plan of the days until the transaction ends: one planner
// at a time.
func (q Q) LockDays(ctx context.Context) error {
	_, err := q.exec(ctx, `select pg_advisory_xact_lock(6174012)`)
	return err
}

// NextTags lists the tags of the first day after one on which any stands.
func (q Q) NextTags(ctx context.Context, after time.Time) (ts []Tag, err error) {
	err = q.all(ctx, &ts, tagSelect+`where t.day = (select min(day) from tag where day > $1 and finished_at is null) order by t.id`, after)
	return ts, err
}

// PairPace is the pace of one tag of a cutter and a tier.
type PairPace struct {
	WorkerID  int64   `db:"worker_id"`
	TierID    int64   `db:"tier_id"`
	Technique string  `db:"technique"`
	PerHour   float64 `db:"per_hour"`
	Grafts    float64 `db:"grafts"` // buds, where a stem gets two
	Hours     float64 `db:"hours"`
}

// PairPaces lists the paces of tags that two worked on.
func (q Q) PairPaces(ctx context.Context) (ps []PairPace, err error) {
	err = q.all(ctx, &ps, `select worker_id, tier_id, technique, tied * greatest(1, buds) / pace_hours as per_hour,
		tied * greatest(1, buds) as grafts, pace_hours as hours from tag
		where tier_id is not null and pace_hours > 0 and tied > 0 order by id`)
	return ps, err
}

// PairMet is how often a cutter and a tier worked on a tag together since a day.
type PairMet struct {
	WorkerID int64 `db:"worker_id"`
	TierID   int64 `db:"tier_id"`
	Tags     int   `db:"tags"`
	Grafts   int   `db:"grafts"`
	Took     int   `db:"took"`
	Counted  int   `db:"counted"` // grafts
}

// PairsMet lists the pairs there were since a day.
func (q Q) PairsMet(ctx context.Context, since time.Time) (ps []PairMet, err error) {
	err = q.all(ctx, &ps, `select t.worker_id, t.tier_id, count(*)::int as tags, sum(t.tied)::int as grafts,
		coalesce(sum(t.tied - t.dead) filter (where t.look_id is not null), 0)::int as took,
		coalesce(sum(t.tied) filter (where t.look_id is not null), 0)::int as counted
		from graded_tag t where t.tier_id is not null and t.started_at is not null and t.day >= $1
		group by 1, 2 order by 3 desc, 1, 2`, since)
	return ps, err
}
