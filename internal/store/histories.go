package store

import (
	"context"
	"fmt"
	"slices"
	"time"
)

// histories are the questions whose answers are lists to take away, oldest first; $1 and $2
// are the first moment and the one after the last, either of which may be null.
var histories = map[string]string{
	"tags": `select t.code as tag, o.code as "order", b.code as batch, v.genus, v.name as variety, s.name as stock, l.code as lot,
			w.code as bundle, t.technique, p.name as worker, coalesce(ti.name, '') as tier, t.day, t.half, t.planned, t.tied, t.spoiled_stock,
			t.spoiled_wood, t.dropped, t.set_aside, t.started_at, t.finished_at, b.tie, b.healing, t.heal_place as place, t.form,
			t.stock_low::float8 as stock_low_mm, t.stock_high::float8 as stock_high_mm, t.wood_low::float8 as wood_low_mm,
			t.wood_high::float8 as wood_high_mm, t.mismatch::float8 as mismatch, f.counted_on as first_look_on, f.taken as first_taken,
			f.doubtful as first_doubtful, f.dead as first_dead, t.standing, t.lost_since, t.gone, coalesce(t.against, '') as against
		from tag t join batch b on b.id = t.batch_id join orders o on o.id = b.order_id join variety v on v.id = o.variety_id
			join stock_type s on s.id = o.stock_type_id join stock_lot l on l.id = t.lot_id join wood_bundle w on w.id = t.bundle_id
			join person p on p.id = t.worker_id left join person ti on ti.id = t.tier_id left join take_count f on f.id = t.first_id
		where ($1::timestamptz is null or coalesce(t.finished_at, t.day) >= $1) and ($2::timestamptz is null or coalesce(t.finished_at, t.day) < $2)
		order by t.id`,
	"counts": `select c.id::text as id, t.code as tag, c.look, c.counted_on, c.taken, c.doubtful, c.dead, c.buds, c.both_live,
			coalesce((select string_agg(x.cause || ': ' || x.n, '; ' order by x.n desc, x.cause) from count_cause x where x.count_id = c.id), '')
			as causes, p.name as by, c.at, coalesce(c.replaces_id::text, '') as corrects,
			not exists (select 1 from take_count r where r.replaces_id = c.id) as stands
		from take_count c join any_tag t on t.id = c.tag_id join person p on p.id = c.person_id
		where ($1::timestamptz is null or c.at >= $1) and ($2::timestamptz is null or c.at < $2) order by c.at, c.id`,
	"taps": `select y.id::text as id, t.code as tag, p.name as worker, coalesce(s.name, '') as sent_by, y.kind, y.n,
			coalesce(y.undoes::text, '') as undoes, y.at, y.received_at, coalesce(y.device, '') as device, y.no, coalesce(y.held, '') as held
		from tap y join any_tag t on t.id = y.tag_id join person p on p.id = y.person_id left join person s on s.id = y.sent_by
		where ($1::timestamptz is null or y.at >= $1) and ($2::timestamptz is null or y.at < $2) order by y.at, y.id`,
	"stock-ledger": `select g.id, g.at, l.code as lot, g.n, g.from_account as "from", g.to_account as "to", g.mm::float8 as mm, g.reason, g.note,
			coalesce(b.code, '') as batch, coalesce(t.code, '') as tag, p.name as by
		from stock_ledger g join any_lot l on l.id = g.lot_id left join batch b on b.id = g.batch_id left join any_tag t on t.id = g.tag_id
			left join person p on p.id = g.person_id
		where ($1::timestamptz is null or g.at >= $1) and ($2::timestamptz is null or g.at < $2) order by g.id`,
	"wood-ledger": `select g.id, g.at, w.code as bundle, g.n, g.from_account as "from", g.to_account as "to", g.mm::float8 as mm, g.reason, g.note,
			coalesce(b.code, '') as batch, coalesce(t.code, '') as tag, p.name as by
		from wood_ledger g join any_bundle w on w.id = g.bundle_id left join batch b on b.id = g.batch_id left join any_tag t on t.id = g.tag_id
			left join person p on p.id = g.person_id
		where ($1::timestamptz is null or g.at >= $1) and ($2::timestamptz is null or g.at < $2) order by g.id`,
	"looks": `select x.at, x.what, x.code, x.found, x.thrown, x.note, p.name as by from (
			select k.at, case when k.bundle_id is null then 'store' else 'bundle' end as what, coalesce(w.code, c.name) as code, k.found, k.thrown,
				k.note, k.person_id from store_look k left join wood_bundle w on w.id = k.bundle_id left join store_place c on c.id = k.place_id
			union all select k.at, 'lot', l.code, concat_ws(', ', nullif(k.ready, ''), nullif(k.roots, ''), nullif(k.bark, ''), nullif(k.leaves, '')),
				0, k.note, k.person_id from lot_look k join stock_lot l on l.id = k.lot_id) x left join person p on p.id = x.person_id
		where ($1::timestamptz is null or x.at >= $1) and ($2::timestamptz is null or x.at < $2) order by x.at, x.code`,
	"steps": `select t.code as tag, d.knot as step, d.n, d.on_day, d.trees, d.late_days, d.place, d.reason, p.name as by, d.at, d.undone_at
		from step_done d join any_tag t on t.id = d.tag_id join person p on p.id = d.person_id
		where ($1::timestamptz is null or d.at >= $1) and ($2::timestamptz is null or d.at < $2) order by d.at, t.code, d.knot`,
	"trees": `select t.code as tag, m.what, m.n, coalesce(m.cause, '') as cause, m.buyer, m.place, m.on_day, m.reason, p.name as by, m.at, m.undone_at
		from tree_move m join any_tag t on t.id = m.tag_id join person p on p.id = m.person_id
		where ($1::timestamptz is null or m.at >= $1) and ($2::timestamptz is null or m.at < $2) order by m.at, t.code`,
	"people": `select p.id, p.name, p.sign_in, p.role, p.made_at, p.left_on,
			coalesce((select string_agg(k.technique, '; ' order by k.technique) from person_skill k where k.person_id = p.id), '') as techniques
		from person p where ($1::timestamptz is null or p.made_at >= $1) and ($2::timestamptz is null or p.made_at < $2) order by p.id`,
	"hours": `select p.name, h.weekday, h.half, h.hours::float8 as hours from person_hours h join person p on p.id = h.person_id
		where $1::timestamptz is null or true or $2::timestamptz is null order by p.name, h.weekday, h.half`,
	"changes": `select c.id, c.at, coalesce(p.name, '') as by, c.address, c.what, c.ref, c.doing, coalesce(c.before::text, '') as before,
			coalesce(c.after::text, '') as after, c.request_id as request from change_record c left join person p on p.id = c.person_id
		where ($1::timestamptz is null or c.at >= $1) and ($2::timestamptz is null or c.at < $2) order by c.id`,
}

// Histories names the lists that can be taken away.
func Histories() []string {
	var out []string
	for k := range histories {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// History gives a list row by row, from a moment up to another; the zero time is no bound.
// head is called with the names of its columns first. Days come as 2027-01-14, moments as
// ISO 8601 in the house's zone.
func (q Q) History(
	ctx context.Context,
	kind string,
	from, to time.Time,
	head func(names []string) error,
	row func(cells []any) error,
) error {
	query, ok := histories[kind]
	if !ok {
		return ErrNotFound
	}
	bound := func(t time.Time) *time.Time {
		if t.IsZero() {
			return nil
		}
		return &t
	}
	rows, err := q.rows(ctx, query, bound(from), bound(to))
	if err != nil {
		return err
	}
	defer rows.Close()
	types, err := rows.ColumnTypes()
	if err != nil {
		return err
	}
	names := make([]string, len(types))
	for i, t := range types {
		names[i] = t.Name()
	}
	if err := head(names); err != nil {
		return err
	}
	for rows.Next() {
		cells, err := rows.SliceScan()
		if err != nil {
			return err
		}
		for i, c := range cells {
			switch v := c.(type) {
			case nil:
				cells[i] = ""
			case time.Time:
				if cells[i] = v.Local().Format(time.RFC3339); types[i].DatabaseTypeName() == "DATE" {
					cells[i] = v.Format(time.DateOnly)
				}
			case bool:
				cells[i] = map[bool]string{true: "yes", false: "no"}[v]
			case []byte:
				cells[i] = string(v)
			case string, int64, int32, float64:
			default:
				return fmt.Errorf("%s.%s: a %T is no cell", kind, names[i], c)
			}
		}
		if err := row(cells); err != nil {
			return err
		}
	}
	return mapped(rows.Err())
}
