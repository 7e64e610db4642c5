package store

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"
)

// histories are the questions whose answers are lists to take away, oldest first; $1 and $2
// are the first moment and the one after the last, either of which may be null.
var histories = map[string]string{
	"tags": `select t.code as tag, o.code as "order", b.code as batch, v.genus, v.name as variety, s.name as stock, l.code as lot,
			w.code as bundle, t.technique, p.name as worker, coalesce(ti.name, '') as tier, t.day, t.half, t.planned, t.tied,
			t.spoiled_stock,
			t.spoiled_wood, t.dropped, t.set_aside, t.started_at, t.finished_at, b.tie, b.healing, t.heal_place as place, t.form,
			t.stock_low::float8 as stock_low_mm, t.stock_high::float8 as stock_high_mm, t.wood_low::float8 as wood_low_mm,
			t.wood_high::float8 as wood_high_mm, t.mismatch::float8 as mismatch, f.counted_on as first_look_on, f.taken as first_taken,
			f.doubtful as first_doubtful, f.dead as first_dead, t.standing, t.lost_since, t.gone, t.below, t.dead, t.lost,
			coalesce(t.against, '') as against
		from graded_tag t join batch b on b.id = t.batch_id join orders o on o.id = b.order_id join variety v on v.id = o.variety_id
			join stock_type s on s.id = o.stock_type_id join stock_lot l on l.id = t.lot_id join wood_bundle w on w.id = t.bundle_id
			join person p on p.id = t.worker_id left join person ti on ti.id = t.tier_id left join take_count f on f.id = t.first_id
		where ($1::timestamptz is null or coalesce(t.finished_at, t.day) >= $1) and ($2::timestamptz is null or coalesce(t.finished_at,
		t.day) < $2)
		order by t.id`,
	"counts": `select c.id::text as id, t.code as tag, c.look, c.counted_on, c.stood, c.taken, c.doubtful, c.dead, c.missed,
		c.found as found_alive, c.buds,
			c.both_live,
			coalesce((select string_agg(x.cause || ': ' || x.n, '; ' order by x.n desc, x.cause) from count_cause x where x.count_id =
			c.id), '')
			as causes, p.name as by, c.at, coalesce(c.replaces_id::text, '') as corrects,
			not exists (select 1 from take_count r where r.replaces_id = c.id) as stands
		from take_count c join any_tag t on t.id = c.tag_id join person p on p.id = c.person_id
		where ($1::timestamptz is null or c.at >= $1) and ($2::timestamptz is null or c.at < $2) order by c.at, c.id`,
	"taps": `select y.id::text as id, t.code as tag, p.name as worker, coalesce(s.name, '') as sent_by, y.kind, y.n,
			coalesce(y.undoes::text, '') as undoes, y.at, y.received_at, coalesce(y.device, '') as device, y.no, coalesce(y.held, '') as
			held
		from tap y join any_tag t on t.id = y.tag_id join person p on p.id = y.person_id left join person s on s.id = y.sent_by
		where ($1::timestamptz is null or y.at >= $1) and ($2::timestamptz is null or y.at < $2) order by y.at, y.id`,
	"stock-ledger": `select g.id, g.at, l.code as lot, g.n, g.from_account as "from", g.to_account as "to", g.mm::float8 as mm, g.reason,
		g.note,
			coalesce(b.code, '') as batch, coalesce(t.code, '') as tag, p.name as by
		from stock_ledger g join any_lot l on l.id = g.lot_id left join batch b on b.id = g.batch_id left join any_tag t on t.id = g.tag_id
			left join person p on p.id = g.person_id
		where ($1::timestamptz is null or g.at >= $1) and ($2::timestamptz is null or g.at < $2) order by g.id`,
	"wood-ledger": `select g.id, g.at, w.code as bundle, g.n, g.from_account as "from", g.to_account as "to", g.mm::float8 as mm,
		g.reason, g.note,
			coalesce(b.code, '') as batch, coalesce(t.code, '') as tag, p.name as by
		from wood_ledger g join any_bundle w on w.id = g.bundle_id left join batch b on b.id = g.batch_id left join any_tag t on t.id =
		g.tag_id
			left join person p on p.id = g.person_id
		where ($1::timestamptz is null or g.at >= $1) and ($2::timestamptz is null or g.at < $2) order by g.id`,
	"looks": `select x.at, x.what, x.code, x.found, x.thrown, x.note, p.name as by from (
			select k.at, case when k.bundle_id is null then 'store' else 'bundle' end as what, coalesce(w.code, c.name) as code, k.found,
			k.thrown,
				k.note, k.person_id from store_look k left join wood_bundle w on w.id = k.bundle_id left join store_place c on c.id =
				k.place_id
			union all select k.at, 'lot', l.code, concat_ws(', ', nullif(k.ready, ''), nullif(k.roots, ''), nullif(k.bark, ''),
			nullif(k.leaves, '')),
				0, k.note, k.person_id from lot_look k join stock_lot l on l.id = k.lot_id) x left join person p on p.id = x.person_id
		where ($1::timestamptz is null or x.at >= $1) and ($2::timestamptz is null or x.at < $2) order by x.at, x.code`,
	"steps": `select t.code as tag, d.knot as step, d.n, d.on_day, d.trees, d.late_days, d.place, d.reason, d.dismissed,
		p.name as by, d.at, d.undone_at
		from step_done d join any_tag t on t.id = d.tag_id join person p on p.id = d.person_id
		where ($1::timestamptz is null or d.at >= $1) and ($2::timestamptz is null or d.at < $2) order by d.at, t.code, d.knot`,
	"trees": `select t.code as tag, m.what, m.n, coalesce(m.cause, '') as cause, m.buyer,
		coalesce((select o.code from orders o where o.id = m.order_id), '') as "order", m.place, m.on_day, m.reason, p.name as by,
		m.at, m.undone_at
		from tree_move m join any_tag t on t.id = m.tag_id join person p on p.id = m.person_id
		where ($1::timestamptz is null or m.at >= $1) and ($2::timestamptz is null or m.at < $2) order by m.at, t.code`,
	"learner-looks": `select c.code as class, l.place, v.says, v.warm, coalesce(t.code, '') as tag, coalesce(v.held, '') as held, p.name
		as by, v.at,
			v.received_at, v.device, v.undone_at, v.id::text as id
		from verdict v join learner l on l.id = v.learner_id join class c on c.id = l.class_id join person p on p.id = v.person_id
			left join any_tag t on t.id = v.tag_id
		where ($1::timestamptz is null or v.at >= $1) and ($2::timestamptz is null or v.at < $2) order by v.at, v.id`,
	"practice": `select s.on_day, p.name, s.technique, s.cuts, s.flat, s.fit, s.wood, s.note, b.name as by, s.at, s.undone_at, s.id::text
		as id
		from practice_sheet s join person p on p.id = s.person_id join person b on b.id = s.by_id
		where ($1::timestamptz is null or s.on_day >= $1) and ($2::timestamptz is null or s.on_day < $2) order by s.on_day, s.at, s.id`,
	"stock": `select l.code, t.genus, t.name as stock, l.supplier, l.received_on, l.form, l.place, l.received,
			coalesce(b.n, 0) as free, (select count(*) from caliper_reading r where r.lot_id = l.id) as measured,
			l.grade_low_mm::float8 as grade_low_mm, l.grade_high_mm::float8 as grade_high_mm, l.health
		from stock_lot l join stock_type t on t.id = l.stock_type_id left join stock_balance b on b.lot_id = l.id and b.account = 'free'
		where ($1::timestamptz is null or l.received_on >= $1) and ($2::timestamptz is null or l.received_on < $2) order by l.id`,
	"wood": `select b.code, v.genus, v.name as variety, m.code as plant, b.cut_on, b.state, b.part, b.sticks, b.buds_per_piece, b.pieces,
			coalesce(w.n, 0) as free, b.place, b.length_mm::float8 as length_mm, b.base_mm::float8 as base_mm, b.tip_mm::float8 as tip_mm,
			b.internode_mm::float8 as internode_mm
		from wood_bundle b join mother_plant m on m.id = b.plant_id join variety v on v.id = m.variety_id
			left join wood_balance w on w.bundle_id = b.id and w.account = 'free'
		where ($1::timestamptz is null or b.cut_on >= $1) and ($2::timestamptz is null or b.cut_on < $2) order by b.id`,
	"mother-plants": `select m.code, v.genus, v.name as variety, m.place, m.planted_year, m.seen_true_by, m.seen_true_on, m.health,
		m.licence,
			m.bundles, m.made_at
		from mother_plant m join variety v on v.id = m.variety_id
		where ($1::timestamptz is null or m.made_at >= $1) and ($2::timestamptz is null or m.made_at < $2) order by m.code`,
	"all-orders": `select o.code, v.genus, v.name as variety, s.genus as stock_genus, s.name as stock, o.trees, o.due_on, o.priority,
		o.buyer,
			coalesce((select sum(b.grafts) from batch b where b.order_id = o.id and b.undone_at is null), 0) as batched, o.closed_on,
			o.made_at
		from orders o join variety v on v.id = o.variety_id join stock_type s on s.id = o.stock_type_id
		where ($1::timestamptz is null or o.made_at >= $1) and ($2::timestamptz is null or o.made_at < $2) order by o.id`,
	"caliper": `select l.code as lot, r.taken_on, r.no, r.mm::float8 as mm, r.wide_mm::float8 as wide_mm, coalesce(p.name, '') as by
		from caliper_reading r join stock_lot l on l.id = r.lot_id left join person p on p.id = r.person_id
		where ($1::timestamptz is null or r.taken_on >= $1) and ($2::timestamptz is null or r.taken_on < $2) order by r.taken_on, l.code,
		r.no`,
	"store-readings": `select c.name as store, r.at, r.c::float8 as c, r.source, r.doubted, coalesce(p.name, '') as by
		from store_reading r join store_place c on c.id = r.place_id left join person p on p.id = r.person_id
		where ($1::timestamptz is null or r.at >= $1) and ($2::timestamptz is null or r.at < $2) order by r.at, c.name`,
	"people": `select p.id, p.name, p.sign_in, p.role, p.made_at, p.left_on,
			coalesce((select string_agg(k.technique, '; ' order by k.technique) from person_skill k where k.person_id = p.id), '') as
			techniques
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

// Browse is how a list is looked at.
type Browse struct {
	From, To time.Time // from a moment up to another; the zero time is no bound
	Find     string    // words, all of which must stand in the row, however written
	Sort     string    // a column; "" as it is kept
	Desc     bool
	Columns  []string // those shown, in their order; none are all
	After    string   // the key of the row to go on from
	Limit    int      // 0: all
}

// Browsed is a page of a list.
type Browsed struct {
	Names []string // all columns
	Shown []string // those of the rows
	Rows  [][]any
	Keys  []string // of the rows
	Count int      // of all that pass
	Sums  map[string]float64
	Sort  string
	Desc  bool
}

// summed are the columns whose sum says something.
var summed = map[string]bool{"planned": true, "tied": true, "spoiled_stock": true, "spoiled_wood": true, "dropped": true, "set_aside": true,
	"first_taken": true, "first_doubtful": true, "first_dead": true, "standing": true, "lost_since": true, "gone": true,
	"below": true, "lost": true, "stood": true, "missed": true, "found_alive": true, "taken": true,
	"doubtful": true, "dead": true, "trees": true, "thrown": true, "hours": true, "received": true, "free": true, "measured": true,
	"sticks": true, "pieces": true, "batched": true, "both_live": true}

// ErrAfter says that the row to go on from is there no more.
var ErrAfter = errors.New("the row to go on from is gone")

// timed are the columns by which a list that nobody sorted shows the newest first.
var timed = []string{"at", "finished_at", "received_on", "cut_on", "taken_on", "made_at"}

// columnsOf gives the names and types of a list's columns.
func (q Q) columnsOf(ctx context.Context, query string) (names []string, err error) {
	rows, err := q.rows(ctx, `select * from (`+query+`) x limit 0`, nil, nil)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	return rows.Columns()
}

// Browse gives a page of a list: rows that pass, sorted, with what they add up to.
func (q Q) Browse(ctx context.Context, kind string, b Browse) (p Browsed, err error) {
	base, ok := histories[kind]
	if !ok {
		return p, ErrNotFound
	}
	if p.Names, err = q.columnsOf(ctx, base); err != nil {
		return p, err
	}
	if p.Sort, p.Desc = b.Sort, b.Desc; !slices.Contains(p.Names, b.Sort) {
		p.Sort, p.Desc = p.Names[0], false
		for _, t := range timed {
			if slices.Contains(p.Names, t) {
				p.Sort, p.Desc = t, true
				break
			}
		}
	}
	p.Shown = slices.DeleteFunc(slices.Clone(p.Names), func(n string) bool { return len(b.Columns) > 0 && !slices.Contains(b.Columns, n) })
	if len(p.Shown) == 0 {
		p.Shown = p.Names
	}
	quoted := func(n string) string { return `x."` + n + `"` }
	sifted := `with x as (select x.*, x::text as row_text from (` + base + `) x),
		s as (select x.*, row_number() over (partition by row_text) as row_no from x where` + found("$3", "row_text") + `)`
	sums := ""
	p.Sums = map[string]float64{}
	for _, n := range p.Shown {
		if summed[n] {
			sums += `, coalesce(sum(` + quoted(n) + `), 0)::float8 as "` + n + `"`
		}
	}
	words := Sieve{Find: b.Find}.words()
	rows, err := q.rows(ctx, sifted+` select count(*)::int as rows`+sums+` from s x`, moment(b.From), moment(b.To), words)
	if err != nil {
		return p, err
	}
	_, cells, err := scanned(rows, kind)
	if err != nil {
		return p, err
	}
	i := 0
	for _, n := range p.Shown {
		if summed[n] {
			i++
			p.Sums[n], _ = cells[0][i].(float64)
		}
	}
	if n, ok := cells[0][0].(int64); ok {
		p.Count = int(n)
	}
	shown := make([]string, len(p.Shown))
	for i, n := range p.Shown {
		shown[i] = quoted(n)
	}
	sort, than, way := quoted(p.Sort), ">", ""
	if p.Desc {
		than, way = "<", " desc"
	}
	query, args := sifted, []any{moment(b.From), moment(b.To), words}
	where := ""
	if b.After != "" {
		// What is empty comes last either way, so it is told apart first.
		query += `, a as (select ` + sort + ` as v, row_text, row_no from s x where md5(row_text) || '.' || row_no = $4)`
		args = append(args, b.After)
		beyond := `(row_text, row_no) > ((select row_text from a), (select row_no from a))`
		where = ` where case when (select v from a) is null then ` + sort + ` is null and ` + beyond + ` else ` + sort + ` is null or
			` + sort + ` ` + than + ` (select v from a) or ` + sort + ` = (select v from a) and ` + beyond + ` end`
		var there bool
		if err := q.get(ctx, &there, query+` select exists (select from a)`, args...); err != nil {
			return p, err
		}
		if !there {
			return p, ErrAfter
		}
	}
	query += ` select ` + strings.Join(shown, ", ") + `, md5(row_text) || '.' || row_no as row_key from s x` + where + ` order by ` +
		sort + way +
		` nulls last, row_text, row_no`
	if b.Limit > 0 {
		query += fmt.Sprint(` limit `, b.Limit)
	}
	if rows, err = q.rows(ctx, query, args...); err != nil {
		return p, err
	}
	_, cells, err = scanned(rows, kind)
	for _, c := range cells {
		p.Rows, p.Keys = append(p.Rows, c[:len(c)-1]), append(p.Keys, fmt.Sprint(c[len(c)-1]))
	}
	return p, err
}

// scanned reads all rows of an answer.
func scanned(rows *sqlx.Rows, kind string) (names []string, all [][]any, err error) {
	err = eachRow(rows, kind, func(ns []string) error { names = ns; return nil }, func(cells []any) error {
		all = append(all, cells)
		return nil
	})
	return names, all, err
}

func moment(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
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
	rows, err := q.rows(ctx, query, moment(from), moment(to))
	if err != nil {
		return err
	}
	return eachRow(rows, kind, head, row)
}

// eachRow goes through an answer whose columns are known only once it is there.
func eachRow(rows *sqlx.Rows, kind string, head func(names []string) error, row func(cells []any) error) error {
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
