package store

import (
	"context"
	"fmt"
	"time"
)

// Recalled is a tag that something went into: what became of its trees.
type Recalled struct {
	ID        int64      `db:"id"`
	Tag       string     `db:"tag"`
	Order     string     `db:"order_code"`
	Buyer     string     `db:"buyer"` // of the order
	Variety   string     `db:"variety"`
	StockType string     `db:"stock"`
	Plant     string     `db:"plant"`
	Bundle    string     `db:"bundle"`
	Lot       string     `db:"lot"`
	Supplier  string     `db:"supplier"`
	Worker    string     `db:"worker"`
	Day       time.Time  `db:"day"`
	Place     string     `db:"place"`
	Form      string     `db:"form"`
	Tied      int        `db:"tied"`
	Standing  int        `db:"standing"`
	Gone      int        `db:"gone"`
	Dead      int        `db:"dead"`
	Finished  bool       `db:"finished"`
	Sold      string     `db:"sold"` // to whom, how many, when
	HeldAt    *time.Time `db:"held_at"`
	HeldWhy   string     `db:"held_why"`
}

// recalls are the questions that tags are recalled by: $1 is what is asked for, $2 and $3 the
// first moment and the one after the last, either of which may be null. What bounds them is
// an array: with so many tables the joins stay as they are written, and a condition on a later
// one would come after all tags were gone through.
var recalls = map[string]string{
	"plant":    `t.bundle_id = any(array(select w.id from any_bundle w join any_plant m on m.id = w.plant_id where m.code = $1))`,
	"bundle":   `t.bundle_id = any(array(select id from any_bundle where code = $1))`,
	"lot":      `t.lot_id = any(array(select id from any_lot where code = $1))`,
	"supplier": `t.lot_id = any(array(select id from any_lot where lower(supplier) = lower($1)))`,
	"worker":   `(lower(p.name) = lower($1) or lower(p2.name) = lower($1))`,
	"variety": `t.batch_id = any(array(select b.id from batch b join orders o on o.id = b.order_id join variety v on v.id = o.variety_id
		where lower(v.name) = lower($1)))`,
	"order": `t.batch_id = any(array(select b.id from batch b join orders o on o.id = b.order_id where o.code = $1))`,
	"day":   `t.day = $1::date`,
	// Who cut the tag, or bound it, had the tool at some time between its beginning and its end.
	"tool": `exists (select from tool_hold y join tool o on o.id = y.tool_id where lower(o.name) = lower($1) and y.undone_at is null
		and (y.person_id = t.worker_id or y.person_id = t.tier_id) and t.started_at is not null and y.at <= coalesce(t.finished_at,
		'infinity')
		and not exists (select from tool_hold z where z.person_id = y.person_id and z.undone_at is null and (z.at, z.id) > (y.at, y.id)
			and z.at <= t.started_at))`,
	"box": `exists (select from tag_stay y where y.tag_id = t.id and lower(y.place) = lower($1) and ($3::timestamptz is null or y.since <
		$3)
		and ($2::timestamptz is null or coalesce((select min(z.since) from tag_stay z where z.tag_id = t.id and z.since > y.since),
		'infinity') > $2))`,
	// Until it was grafted: what was fetched from a store on the day itself lay there too.
	"store": `exists (select from bundle_stay y where y.bundle_id = w.id and lower(y.place) = lower($1)
		and ($3::timestamptz is null or y.since < $3) and y.since <= coalesce(t.finished_at, 'infinity')
		and ($2::timestamptz is null or least(coalesce((select min(z.since) from bundle_stay z where z.bundle_id = w.id and z.since >
		y.since), 'infinity'),
			coalesce(t.finished_at, 'infinity')) >= $2))`,
}

// spanned are the questions that have a span of their own; the others' is of the days of work.
var spannedRecall = map[string]bool{"box": true, "store": true}

// Recall lists every tag that answers, those whose trees are dead or gone too, the oldest
// first.
func (q Q) Recall(ctx context.Context, kind, key string, from, to time.Time) (rs []Recalled, err error) {
	where, ok := recalls[kind]
	if !ok {
		return nil, ErrNotFound
	}
	if !spannedRecall[kind] {
		where += ` and ($2::timestamptz is null or t.day >= $2::date) and ($3::timestamptz is null or t.day < $3::date)`
	}
	err = q.all(ctx, &rs, `select t.id, t.code as tag, o.code as order_code, o.buyer, v.name as variety, s.name as stock, m.code as
		plant, w.code as bundle,
		l.code as lot, l.supplier, p.name || coalesce(' and ' || p2.name, '') as worker, t.day, t.heal_place as place, t.form, t.tied,
		t.standing, t.gone,
		case when t.finished_at is null then 0 else greatest(t.tied - t.standing - t.gone, 0) end as dead, t.finished_at is not null as
		finished,
		coalesce((select string_agg(x.n || case x.what when 'returned' then ' back from ' else ' to ' end ||
			coalesce(nullif(x.buyer, ''), 'nobody named') || ', ' || x.on_day, '; ' order by
		x.on_day, x.buyer)
			from tree_move x where x.tag_id = t.id and x.what in ('sold', 'planted', 'returned') and x.undone_at is null), '') as sold,
		h.held_at, coalesce(h.reason, '') as held_why
		from tag t join batch b on b.id = t.batch_id join orders o on o.id = b.order_id join variety v on v.id = o.variety_id
		join stock_type s on s.id = o.stock_type_id join any_lot l on l.id = t.lot_id join any_bundle w on w.id = t.bundle_id
		join any_plant m on m.id = w.plant_id join person p on p.id = t.worker_id left join person p2 on p2.id = t.tier_id
		left join held h on h.tag_id = t.id and h.released_at is null where `+where+` order by t.id`, key, moment(from), moment(to))
	return rs, err
}

// HoldStill holds tags' rows until the transaction ends, so that nobody sells of them meanwhile.
func (q Q) HoldStill(ctx context.Context, ids []int64) error {
	var got []int64
	return q.all(ctx, &got, `select id from any_tag where id = any($1) order by id for no key update`, ids)
}

// Hold holds tags that are not held yet, and says how many.
func (q Q) Hold(ctx context.Context, ids []int64, asked, reason string, by int64, at time.Time) (int, error) {
	n, err := q.exec(ctx, `insert into held (tag_id, reason, asked, held_by, held_at) select unnest($1::bigint[]), $2, $3, $4, $5
		on conflict (tag_id) where released_at is null do nothing`, ids, reason, asked, by, at)
	return int(n), err
}

// Release lets go of tags that are held, and says how many.
func (q Q) Release(ctx context.Context, ids []int64, why string, by int64, at time.Time) (int, error) {
	n, err := q.exec(ctx, `update held set released_by = $2, released_at = $3, released_why = $4 where tag_id = any($1) and released_at
		is null`,
		ids, by, at, why)
	return int(n), err
}

// HeldTag is a tag that is held, and why.
type HeldTag struct {
	Code   string    `db:"code"`
	Reason string    `db:"reason"`
	At     time.Time `db:"held_at"`
}

// HeldOf gives those of tags that are held.
func (q Q) HeldOf(ctx context.Context, ids []int64) (hs []HeldTag, err error) {
	err = q.all(ctx, &hs, `select t.code, h.reason, h.held_at from held h join any_tag t on t.id = h.tag_id where h.tag_id = any($1)
		and h.released_at is null order by t.code`, ids)
	return hs, err
}

// RecallNames are what can be recalled by name: suppliers, workers, places.
func (q Q) RecallNames(ctx context.Context) (ns []string, err error) {
	// Each place once, from one index entry to the next: there are many stays and few places.
	const places = `with recursive p as ((select place from %[1]s order by place limit 1)
		union all select (select s.place from %[1]s s where s.place > p.place order by s.place limit 1) from p where p.place is not null)
		select place from p where place is not null`
	err = q.all(ctx, &ns, `select distinct n from (select supplier as n from stock_lot union select name from person
		union (`+fmt.Sprintf(places, "tag_stay")+`) union (`+fmt.Sprintf(places, "bundle_stay")+`)
		union select name from tool union select name from variety) x where n <> '' order by 1`)
	return ns, err
}
