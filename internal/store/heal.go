package store

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"
)

// Count is one look at a tag: how many took, are doubtful, are dead.
type Count struct {
	ID         string    `db:"id"`
	TagID      int64     `db:"tag_id"`
	Look       string    `db:"look"`
	CountedOn  time.Time `db:"counted_on"`
	Taken      int       `db:"taken"`
	Doubtful   int       `db:"doubtful"`
	Dead       int       `db:"dead"`      // since the count before
	Stood      int       `db:"stood"`     // when it was made: what was counted
	Found      int       `db:"found"`     // dead by an earlier count, and alive after all
	Missed     int       `db:"missed"`    // of what stood, in none of the three: they still stand
	Buds       int       `db:"buds"`      // on each stock
	Both       int       `db:"both_live"` // of those taken, stocks of which both live
	PersonID   int64     `db:"person_id"`
	Person     string    `db:"person"`
	At         time.Time `db:"at"`
	ReplacesID *string   `db:"replaces_id"`
	Replaced   bool      `db:"replaced"`
}

// CauseCount is how many died of a cause.
type CauseCount struct {
	CountID string `db:"count_id"`
	Cause   string `db:"cause"`
	N       int    `db:"n"`
}

// Counts lists every look at a tag, corrected ones too, in the order made.
func (q Q) Counts(ctx context.Context, tagID int64) (cs []Count, err error) {
	err = q.all(ctx, &cs, `select c.id, c.tag_id, c.look, c.counted_on, c.taken, c.doubtful, c.dead, c.stood, c.found, c.missed,
		c.buds, c.both_live, c.person_id,
		c.at, c.replaces_id, p.name as person, exists (select 1 from take_count r where r.replaces_id = c.id) as replaced
		from take_count c join person p on p.id = c.person_id where c.tag_id = $1 order by c.at, c.id`, tagID)
	return cs, err
}

// CountCauses lists the causes of a tag's counts.
func (q Q) CountCauses(ctx context.Context, tagID int64) (cs []CauseCount, err error) {
	err = q.all(ctx, &cs, `select x.* from count_cause x join take_count c on c.id = x.count_id join cause k on k.key = x.cause
		where c.tag_id = $1 order by k.sort`, tagID)
	return cs, err
}

// CausesOf lists the causes of the counts that stand for a look of some tags.
func (q Q) CausesOf(ctx context.Context, tags []int64, look string) (cs []CauseCount, err error) {
	err = q.all(ctx, &cs, `select x.* from count_cause x join take_count c on c.id = x.count_id where c.tag_id = any($1) and c.look = $2
		and not exists (select 1 from take_count r where r.replaces_id = c.id)`, tags, look)
	return cs, err
}

// AddCount keeps a look with its causes; false when it was kept before.
// ErrTaken: somebody else counted, or corrected the same count, first.
func (q Q) AddCount(ctx context.Context, c Count, causes []CauseCount) (bool, error) {
	n, err := q.exec(ctx, `insert into take_count (id, tag_id, look, counted_on, taken, doubtful, dead, stood, found, buds,
		both_live, person_id, at, replaces_id) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14)
		on conflict (id) do nothing`,
		c.ID, c.TagID, c.Look, c.CountedOn, c.Taken, c.Doubtful, c.Dead, c.Stood, c.Found, max(1, c.Buds), c.Both, c.PersonID, c.At,
		c.ReplacesID)
	if err != nil || n == 0 {
		return false, err
	}
	for _, x := range causes {
		if _, err := q.exec(ctx, `insert into count_cause (count_id, cause, n) values ($1, $2, $3)`, c.ID, x.Cause, x.N); err != nil {
			return false, err
		}
	}
	return true, nil
}

// StoodAt is how many of each tag's grafts stood when a count was made, or would be now: those tied, less
// what earlier counts and moves took from them.
func (q Q) StoodAt(ctx context.Context, tags []int64, look string) (map[int64]int, error) {
	var rows []struct {
		ID int64 `db:"id"`
		N  int   `db:"n"`
	}
	err := q.all(ctx, &rows, `select t.id, t.tied - coalesce((select sum(e.dead - e.found) from take_count e where e.tag_id = t.id
			and look_rank(e.look) < look_rank($2) and not exists (select 1 from take_count r where r.replaces_id = e.id)), 0)::int
		- coalesce((select sum(case m.what when 'returned' then -m.n else m.n end) from tree_move m where m.tag_id = t.id and
			m.undone_at is null
			and look_rank(m.look) < look_rank($2)), 0)::int as n from any_tag t where t.id = any($1)`, tags, look)
	out := map[int64]int{}
	for _, r := range rows {
		out[r.ID] = r.N
	}
	return out, err
}

// CountAgain lays a count that stands on what stood, and found, as an earlier count is corrected to; its
// causes go with it.
func (q Q) CountAgain(ctx context.Context, count string, stood, found int, by int64, at time.Time) error {
	_, err := q.exec(ctx, `with new as (insert into take_count (id, tag_id, look, counted_on, taken, doubtful, dead, stood, found, buds,
			both_live, person_id, at, replaces_id)
			select gen_random_uuid(), tag_id, look, counted_on, taken, doubtful, dead, $2, $3, buds, both_live, $4, $5, id
			from take_count where id = $1 returning id)
		insert into count_cause (count_id, cause, n) select new.id, x.cause, x.n from new, count_cause x where x.count_id = $1`,
		count, stood, found, by, at)
	return err
}

// Causes lists the causes of loss in their order.
func (q Q) Causes(ctx context.Context) (cs []string, err error) {
	err = q.all(ctx, &cs, `select key from cause order by sort`)
	return cs, err
}

// Took is a group's grafts and takes.
type Took struct {
	Key       string `db:"key"`  // a code that leads to it, or a name
	Name      string `db:"name"` // what people call it
	Tags      int    `db:"tags"`
	Tied      int    `db:"tied"`
	Counted   int    `db:"counted"`
	Taken     int    `db:"taken"`
	Doubtful  int    `db:"doubtful"`
	Dead      int    `db:"dead"`
	Genus     string `db:"genus"`
	Technique string `db:"technique"`
}

// groups are what takes can be grouped by: the key, the name, and the joins
// they need beyond the tag.
var groups = map[string][3]string{
	"worker":    {"t.worker_id::text", "p.name", "join person p on p.id = t.worker_id"},
	"tier":      {"t.tier_id::text", "p.name", "join person p on p.id = t.tier_id"},
	"technique": {"t.technique", "k.name", "join technique k on k.key = t.technique"},
	"lot":       {"l.code", "l.code || ' · ' || s.name", "join stock_lot l on l.id = t.lot_id join stock_type s on s.id = l.stock_type_id"},
	"part":      {"w.part", "w.part", "join wood_bundle w on w.id = t.bundle_id and w.part <> ''"},
	"bundle": {"w.code", "w.code || ' · ' || v.name", `join wood_bundle w on w.id = t.bundle_id join mother_plant m on m.id = w.plant_id
		join variety v on v.id = m.variety_id`},
	"variety": {"v.id::text", "v.name",
		"join batch gb on gb.id = t.batch_id join orders o on o.id = gb.order_id join variety v on v.id = o.variety_id"},
	"genus": {"v.genus", "v.genus",
		"join batch gb on gb.id = t.batch_id join orders o on o.id = gb.order_id join variety v on v.id = o.variety_id"},
	"tie":     {"gb.tie", "ti.name", "join batch gb on gb.id = t.batch_id join tie ti on ti.key = gb.tie"},
	"healing": {"gb.healing", "h.name", "join batch gb on gb.id = t.batch_id join healing_way h on h.key = gb.healing"},
}

// TakeFilter narrows which tags' counts are summed. Zero fields do not.
type TakeFilter struct {
	From, To time.Time // days of work
	WorkerID int64     // who cut or tied
	Genus    string
	Later    bool // takes at the end of the season, of those tags looked at then; else of the first look
	Now      bool // what lives or went alive, of those tags that were looked at
	// Technique and Place narrow to one of them; "" to all.
	Technique, Place string
}

// causes is each of the causes of what a filter's tags count as dead: of the first count, or of all
// counts and of what was lost between them.
func (f TakeFilter) causes() string {
	if !f.Now && !f.Later {
		return `join count_cause x on x.count_id = c.id `
	}
	return `join lateral (select cc.cause, cc.n from take_count e join count_cause cc on cc.count_id = e.id where e.tag_id = t.id
		and not exists (select 1 from take_count r where r.replaces_id = e.id)
		union all select m.cause, m.n from tree_move m where m.tag_id = t.id and m.what = 'lost' and m.undone_at is null) x on true `
}

// from is the tags with the count that is asked for. A tag that was looked at
// only at the end of the season has that for its first look.
func (f TakeFilter) from() string {
	if f.Now {
		return ` from tag t join lateral (select t.look_id as id, t.tied as joins, t.standing + t.gone as joins_taken, 0 as doubtful,
			t.tied - t.standing - t.gone as joins_dead) c on t.look_id is not null `
	}
	if f.Later { // of all that were tied: those that went before it was counted took
		return ` from tag t join lateral (select z.id, (t.tied - z.missed) * t.buds as joins, z.joins_taken + t.gone -
			t.gone_since as joins_taken,
			z.doubtful, (t.tied - z.missed) * t.buds - z.joins_taken - t.gone + t.gone_since - z.doubtful as joins_dead
			from take_count z where z.id = t.look_id and z.look = 'end of season') c on true `
	}
	return ` from tag t join take_count c on c.id = coalesce(t.first_id, t.look_id) `
}

// where gives the conditions that apply, and no others: one plan for all filters would be a poor
// one for each.
func (f TakeFilter) where() (string, []any) {
	out, args := " where true ", []any(nil)
	add := func(condition string, v any) {
		args = append(args, v)
		out += "and " + strings.ReplaceAll(condition, "$", "$"+strconv.Itoa(len(args))) + " "
	}
	if !f.From.IsZero() {
		add("t.day >= $::date", f.From)
	}
	if !f.To.IsZero() {
		add("t.day <= $::date", f.To)
	}
	if f.WorkerID != 0 {
		add("(t.worker_id = $ or t.tier_id = $)", f.WorkerID)
	}
	if f.Genus != "" {
		add(`exists (select 1 from batch b join orders o on o.id = b.order_id join variety ov on ov.id = o.variety_id where b.id =
			t.batch_id
			and ov.genus = $)`, f.Genus)
	}
	if f.Technique != "" {
		add("t.technique = $", f.Technique)
	}
	if f.Place != "" {
		add("lower(t.heal_place) = lower($)", f.Place)
	}
	return out, args
}

// GroupCause is so many dead of a group for one cause.
type GroupCause struct {
	Key   string `db:"key"`
	Cause string `db:"cause"`
	N     int    `db:"n"`
}

// TagsOf lists the counted tags behind a group's figure, newest first.
func (q Q) TagsOf(ctx context.Context, group, key string, f TakeFilter, limit int) (ts []Tag, err error) {
	g := groups[group]
	where, args := f.where()
	var ids []int64
	err = q.all(ctx, &ids, `select t.id`+f.from()+g[2]+where+fmt.Sprintf(`and %s = $%d order by t.id desc limit $%d`, g[0], len(args)+1,
		len(args)+2), append(args, key, limit)...)
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	err = q.all(ctx, &ts, tagSelect+`where t.id = any($1) order by t.id desc`, ids)
	return ts, err
}

// Genera with counted takes, for the Results page's filter.
func (q Q) CountedGenera(ctx context.Context) (gs []string, err error) {
	err = q.all(ctx, &gs, `select distinct v.genus from orders o join variety v on v.id = o.variety_id
		where exists (select 1 from batch b where b.order_id = o.id) order by 1`)
	return gs, err
}

// Found is something that answers to what was typed in find.
type Found struct {
	Kind string `db:"kind"`
	Code string `db:"code"`
	Says string `db:"says"`
}

// Find looks through codes and names for what was typed, best first.
func (q Q) Find(ctx context.Context, typed string) (fs []Found, err error) {
	err = q.all(ctx, &fs, `select kind, code, says from (
		(select 'tag' as kind, t.code, v.name || ' on ' || s.name as says, 1 as sort from tag t join batch b on b.id = t.batch_id and
		b.undone_at is null
			join orders o on o.id = b.order_id join variety v on v.id = o.variety_id join stock_type s on s.id = o.stock_type_id
			where t.code like upper($1) || '%' or v.name ilike $1 || '%' order by t.id desc limit 12)
		union all (select 'batch', b.code, v.name || ' on ' || s.name, 2 from batch b join orders o on o.id = b.order_id join variety v
		on v.id = o.variety_id
			join stock_type s on s.id = o.stock_type_id where b.undone_at is null and (b.code like upper($1) || '%' or v.name ilike $1
			|| '%') order by b.id desc limit 8)
		union all (select 'lot', l.code, s.name || ', ' || l.supplier, 3 from stock_lot l join stock_type s on s.id = l.stock_type_id
			where l.code like upper($1) || '%' or s.name ilike '%' || $1 || '%' or l.place ilike '%' || $1 || '%' order by l.id desc
			limit 8)
		union all (select 'bundle', w.code, v.name || ', cut ' || w.cut_on, 4 from wood_bundle w
		join mother_plant m on m.id = w.plant_id join variety v on v.id = m.variety_id
			where w.code like upper($1) || '%' or v.name ilike $1 || '%' or w.place ilike '%' || $1 || '%' order by w.id desc limit 8)
		union all (select 'plant', m.code, v.name || ', ' || m.place, 5 from mother_plant m join variety v on v.id = m.variety_id
			where m.code like upper($1) || '%' or v.name ilike $1 || '%' or m.place ilike '%' || $1 || '%' order by m.code limit 8)
		union all (select 'order', o.code, v.name || ' on ' || s.name || ', ' || o.trees || ' trees', 6 from orders o
		join variety v on v.id = o.variety_id
			join stock_type s on s.id = o.stock_type_id where o.code like upper($1) || '%' or v.name ilike $1 || '%' or o.buyer ilike
			'%' || $1 || '%' order by o.due_on limit 8)
		union all (select 'tree', t.code, t.genus || ', ' || t.stock || ', ' || t.place, 8 from tree t where t.code like upper($1) || '%'
		or t.place ilike
		'%' || $1 || '%' or t.stock ilike '%' || $1 || '%' order by t.code limit 8)
		union all (select 'class', c.code, c.name || ', ' || c.day, 9 from class c where c.code like upper($1) || '%' or c.name ilike '%'
		|| $1 || '%'
		order by c.id desc limit 8)
		union all (select 'row', r.id::text, r.field || ', row ' || r.number, 10 from field_row r where r.gone_at is null and
		(r.field || ', row ' || r.number) ilike '%' || $1 || '%' order by r.field, r.number limit 8)
		union all (select 'person', p.name, p.role, 7 from person p where p.name ilike '%' || $1 || '%' and left_on is null and p.role <>
		'class' order by
		p.name limit 8)
		) x order by (code = upper($1)) desc, sort, code`, escapeLike(typed))
	return fs, err
}

func escapeLike(s string) string {
	out := make([]rune, 0, len(s))
	for _, r := range s {
		if r == '%' || r == '_' || r == '\\' {
			out = append(out, '\\')
		}
		out = append(out, r)
	}
	return string(out)
}

// CountedLately lists the tags counted last, newest look first.
func (q Q) CountedLately(ctx context.Context, limit int) (ts []Tag, err error) {
	var ids []int64
	if err = q.all(ctx, &ids, `select tag_id from (select tag_id, max(at) as at from
		(select tag_id, at from take_count order by at desc limit $1 * 4) x group by 1) y order by at desc limit
		$1`, limit); err != nil || len(ids) == 0 {
		return nil, err
	}
	err = q.all(ctx, &ts, tagSelect+`where t.id = any($1) order by array_position($1, t.id)`, ids)
	return ts, err
}

// CountsOf lists the counts that stand for a look of some tags.
func (q Q) CountsOf(ctx context.Context, tags []int64, look string) (cs []Count, err error) {
	err = q.all(ctx, &cs, `select c.id, c.tag_id, c.look, c.counted_on, c.taken, c.doubtful, c.dead, c.stood, c.found, c.missed,
		c.buds, c.both_live, c.person_id,
		c.at, c.replaces_id, p.name as person, false as replaced from take_count c join person p on p.id = c.person_id
		where c.tag_id = any($1) and c.look = $2 and not exists (select 1 from take_count r where r.replaces_id = c.id)`, tags, look)
	return cs, err
}
