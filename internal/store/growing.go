package store

import (
	"context"
	"slices"
	"strings"
	"time"
)

// GrowTag is a tag of which something lives, with what was done to it.
type GrowTag struct {
	ID            int64          `db:"id"`
	Code          string         `db:"code"`
	BatchID       int64          `db:"batch_id"`
	Batch         string         `db:"batch"`
	Order         string         `db:"order_code"`
	Variety       string         `db:"variety"`
	Genus         string         `db:"genus"`
	StockType     string         `db:"stock_type"`
	StockGenus    string         `db:"stock_genus"`
	Technique     string         `db:"technique"`
	TechniqueName string         `db:"technique_name"`
	Tie           string         `db:"tie"`
	TieName       string         `db:"tie_name"`
	Healing       string         `db:"healing"`
	Wood          string         `db:"wood"` // its state
	Buds          int            `db:"buds"` // on each stock
	BudsPerPiece  int            `db:"buds_per_piece"`
	Worker        string         `db:"worker"`
	FinishedAt    time.Time      `db:"finished_at"`
	Place         string         `db:"heal_place"`
	Form          string         `db:"form"`
	Cover         string         `db:"cover"`
	LotForm       string         `db:"lot_form"`
	LotPlace      string         `db:"lot_place"`
	Tied          int            `db:"tied"`
	Standing      int            `db:"standing"`
	Lost          int            `db:"lost_since"` // since the look that stands
	Gone          int            `db:"gone"`       // sold, planted, or below the grade
	Below         int            `db:"below"`      // of those
	Dead          int            `db:"dead"`       // by all counts that stand
	Sent          int            `db:"sent"`       // to orders, and not come back
	LostEver      int            `db:"lost"`       // by them and between them
	Both          int            `db:"both"`       // stocks on which it saw both buds alive
	Done          List[StepDone] `db:"done"`       // in the order in which it was done
	Looks         List[LookMade] `db:"looks"`      // that stand
	Causes        List[CauseSum] `db:"causes"`     // of what was lost
}

// Away is how many were sold or planted out.
func (t GrowTag) Away() int { return t.Gone - t.Below }

// Stands is where it stands: the place noted, else where its stems stand in the row, or
// how it heals.
func (t GrowTag) Stands() string { return standsIn(t.Place, t.LotForm, t.LotPlace, t.Healing) }

// StepDone is a step done on a day.
type StepDone struct {
	Knot      string `json:"knot"`
	N         int    `json:"n"`
	On        Day    `json:"on"`
	Dismissed bool   `json:"dismissed"` // not done, and not to be
}

// LookMade is a look made on a day.
type LookMade struct {
	Look string `json:"look"`
	On   Day    `json:"on"`
}

// CauseSum is how many were lost of a cause.
type CauseSum struct {
	Cause string `json:"cause"`
	N     int    `json:"n"`
}

const growSelect = `select t.id, t.code, t.batch_id, b.code as batch, o.code as order_code, v.name as variety, v.genus, s.name as
	stock_type,
	s.genus as stock_genus, t.technique, k.name as technique_name, b.tie, tie.name as tie_name, b.healing, w.state as wood, t.buds,
	w.buds_per_piece, p.name as worker, t.finished_at, t.heal_place, t.form, t.cover, l.form as lot_form, l.place as lot_place, t.tied,
		t.standing,
	t.lost_since, t.gone, t.below, t.dead, t.lost,
	coalesce((select sum(case x.what when 'returned' then -x.n else x.n end) from tree_move x where x.tag_id = t.id
		and x.undone_at is null and x.order_id is not null), 0) as sent,
	least(t.standing, coalesce((select c.both_live from take_count c where c.id = t.look_id), 0)) as both,
	(select json_agg(json_build_object('knot', d.knot, 'n', d.n, 'on', d.on_day, 'dismissed', d.dismissed) order by d.at, d.knot,
		d.n) from step_done d
		where d.tag_id = t.id and d.undone_at is null)::text as done,
	(select json_agg(json_build_object('look', c.look, 'on', c.counted_on) order by c.at) from take_count c
		where c.tag_id = t.id and c.replaces_id is null)::text as looks,
	(select json_agg(json_build_object('cause', u.cause, 'n', u.n) order by u.n desc, u.cause) from (
		select cause, sum(n) as n from (select x.cause, x.n from take_count c join count_cause x on x.count_id = c.id where c.tag_id = t.id
				and not exists (select 1 from take_count r where r.replaces_id = c.id)
			union all select m.cause, m.n from tree_move m where m.tag_id = t.id and m.what = 'lost' and m.undone_at is null) y
			group by 1) u)::text as causes
	from graded_tag t join batch b on b.id = t.batch_id and b.undone_at is null join orders o on o.id = b.order_id
	join variety v on v.id = o.variety_id
	join stock_lot l on l.id = t.lot_id join stock_type s on s.id = l.stock_type_id join wood_bundle w on w.id = t.bundle_id
	join technique k on k.key = t.technique join tie on tie.key = b.tie join person p on p.id = t.worker_id `

// GrowingTags lists the tags of which something lives, by id.
func (q Q) GrowingTags(ctx context.Context) (ts []GrowTag, err error) {
	err = q.all(ctx, &ts, growSelect+`where t.standing > 0 order by t.id`)
	return ts, err
}

// GrowTagsByCode lists tags by their codes, whatever lives of them, by id.
func (q Q) GrowTagsByCode(ctx context.Context, codes []string) (ts []GrowTag, err error) {
	err = q.all(ctx, &ts, growSelect+`where t.code = any($1) and t.finished_at is not null order by t.id`, codes)
	return ts, err
}

// TreesOf lists the tags of an order, of a batch or at a place, or those of some codes, of which something stands or
// went, by id.
func (q Q) TreesOf(ctx context.Context, order, batch, place string, codes []string) (ts []GrowTag, err error) {
	where, arg := `t.code = any($1)`, any(codes)
	switch {
	case order != "":
		where, arg = `o.code = $1`, order
	case batch != "":
		where, arg = `b.code = $1`, batch
	case place != "":
		err = q.all(ctx, &ts, growSelect+`where t.standing > 0 order by t.id`)
		return slices.DeleteFunc(ts, func(t GrowTag) bool { return !strings.EqualFold(t.Stands(), place) }), err
	}
	err = q.all(ctx, &ts, growSelect+`where t.finished_at is not null and (t.standing > 0 or t.gone > 0) and `+where+` order by t.id`, arg)
	return ts, err
}

// StandingLook gives the look that stands for each of some tags, "" for none.
func (q Q) StandingLook(ctx context.Context, ids []int64) (map[int64]string, error) {
	var rows []struct {
		ID   int64  `db:"id"`
		Look string `db:"look"`
	}
	err := q.all(ctx, &rows, `select t.id, coalesce(c.look, '') as look from tag t left join take_count c on c.id = t.look_id
		where t.id = any($1)`, ids)
	out := map[int64]string{}
	for _, r := range rows {
		out[r.ID] = r.Look
	}
	return out, err
}

// Step is a step done on a tag.
type Step struct {
	Act      string    `db:"act"`
	TagID    int64     `db:"tag_id"`
	Knot     string    `db:"knot"`
	N        int       `db:"n"`
	On       time.Time `db:"on_day"`
	Reason   string    `db:"reason"`
	Place    string    `db:"place"`
	LateDays int       `db:"late_days"`
	Trees    int       `db:"trees"` // that stood then
	PersonID int64     `db:"person_id"`
	At       time.Time `db:"at"`
	Dismiss  bool      `db:"dismissed"`
}

// AddSteps keeps steps, in one statement. What is done already stays as it was.
func (q Q) AddSteps(ctx context.Context, ss []Step) (int, error) {
	n := len(ss)
	acts, tags, knots, ns, on := make([]string, n), make([]int64, n), make([]string, n), make([]int, n), make([]time.Time, n)
	reasons, places, by, at := make([]string, n), make([]string, n), make([]int64, n), make([]time.Time, n)
	late, trees, dismissed := make([]int, n), make([]int, n), make([]bool, n)
	for i, s := range ss {
		acts[i], tags[i], knots[i], ns[i], on[i] = s.Act, s.TagID, s.Knot, s.N, s.On
		reasons[i], places[i], by[i], at[i] = s.Reason, s.Place, s.PersonID, s.At
		late[i], trees[i], dismissed[i] = s.LateDays, s.Trees, s.Dismiss
	}
	kept, err := q.exec(ctx, `insert into step_done (act, tag_id, knot, n, on_day, reason, place, person_id, at, late_days, trees,
			dismissed)
		select * from unnest($1::uuid[], $2::bigint[], $3::text[], $4::int[], $5::date[], $6::text[], $7::text[], $8::bigint[],
		$9::timestamptz[], $10::int[], $11::int[], $12::bool[]) on conflict do nothing`,
		acts, tags, knots, ns, on, reasons, places, by, at, late, trees, dismissed)
	return int(kept), err
}

// TreeMove is trees lost, sold, planted out or found below the grade.
type TreeMove struct {
	Act      string    `db:"act"`
	TagID    int64     `db:"tag_id"`
	What     string    `db:"what"`
	N        int       `db:"n"`
	Cause    *string   `db:"cause"`
	Knot     string    `db:"knot"`
	Look     string    `db:"look"`
	Buyer    string    `db:"buyer"`
	OrderID  *int64    `db:"order_id"` // whose delivery it is, or was; nil: nobody's order's
	Else     bool      `db:"elsewhere"`
	Place    string    `db:"place"`
	On       time.Time `db:"on_day"`
	Reason   string    `db:"reason"`
	PersonID int64     `db:"person_id"`
	At       time.Time `db:"at"`
}

// AddTreeMoves keeps them; one whose act and tag are known stays as it was.
func (q Q) AddTreeMoves(ctx context.Context, ms []TreeMove) error {
	for _, m := range ms {
		if err := q.named(ctx, `insert into tree_move (act, tag_id, what, n, cause, knot, look, buyer, order_id, elsewhere, place,
			on_day, reason, person_id, at) values (:act, :tag_id, :what, :n, :cause, :knot, :look, :buyer, :order_id, :elsewhere, :place,
			:on_day, :reason, :person_id, :at)
			on conflict do nothing`, m); err != nil {
			return err
		}
	}
	return nil
}

// Delivery is trees that went to an order's buyer, or came back, on a day.
type Delivery struct {
	Act    string    `db:"act"`
	What   string    `db:"what"` // sold, planted, returned
	N      int       `db:"n"`
	On     time.Time `db:"on_day"`
	Buyer  string    `db:"buyer"`
	Tags   string    `db:"tags"` // with how many of each
	Reason string    `db:"reason"`
	Person string    `db:"person"`
}

// Deliveries lists those of an order that stand, newest first.
func (q Q) Deliveries(ctx context.Context, order int64) (ds []Delivery, err error) {
	err = q.all(ctx, &ds, `select m.act::text as act, m.what, sum(m.n)::int as n, max(m.on_day) as on_day, max(m.buyer) as buyer,
			string_agg(t.code || ' ' || m.n, ', ' order by t.id) as tags, max(m.reason) as reason, max(p.name) as person
		from tree_move m join any_tag t on t.id = m.tag_id join person p on p.id = m.person_id
		where m.order_id = $1 and m.undone_at is null group by 1, 2 order by max(m.on_day) desc, max(m.at) desc`, order)
	return ds, err
}

// SentOf gives how many trees of each tag went to an order and did not come back; order nil: to nobody's order.
func (q Q) SentOf(ctx context.Context, tags []int64, order *int64) (map[int64]int, error) {
	var rows []struct {
		ID int64 `db:"id"`
		N  int   `db:"n"`
	}
	err := q.all(ctx, &rows, `select tag_id as id, sum(case what when 'returned' then -n else n end)::int as n from tree_move
		where tag_id = any($1) and undone_at is null and what in ('sold', 'planted', 'returned') and order_id is not distinct from $2
		group by 1`, tags, order)
	out := map[int64]int{}
	for _, r := range rows {
		out[r.ID] = r.N
	}
	return out, err
}

// MoreBackThanSent lists the tags of which more trees came back from an order, or from buyers without one, than went.
func (q Q) MoreBackThanSent(ctx context.Context, codes []string) (out []string, err error) {
	err = q.all(ctx, &out, `select distinct code from (select t.code from tree_move m join any_tag t on t.id = m.tag_id
		where t.code = any($1) and m.undone_at is null and m.what in ('sold', 'planted', 'returned') group by t.code, m.order_id
		having sum(case m.what when 'returned' then -m.n else m.n end) < 0) x order by code`, codes)
	return out, err
}

// LateRecord is what being late with a step cost: tree-weeks late, and trees of those
// tags that were lost to a cause after.
type LateRecord struct {
	Knot  string  `json:"knot"`
	Weeks float64 `json:"weeks"`
	Lost  int     `json:"lost"`
}

// GrowFacts are what what grows is weighed by, beside itself.
type GrowFacts struct {
	Late      List[LateRecord] `db:"late"`
	Rounds    List[Round]      `db:"rounds"`
	RainedOff bool             `db:"rained"`
	Amiss     List[Amiss]      `db:"amiss"` // what looks found and nobody has put right, the oldest first
}

// GrowFacts sums the steps that were done late, with what was lost since to the causes
// that they are known for, and lists the rounds that go on and what was found amiss;
// rained says whether the walks of a day are off.
func (q Q) GrowFacts(ctx context.Context, causes map[string]string, on time.Time) (f GrowFacts, err error) {
	var knots, names []string
	for k, c := range causes {
		knots, names = append(knots, k), append(names, c)
	}
	err = q.get(ctx, &f, `select exists (select 1 from rained_off where on_day = $3) as rained,
		(select json_agg(json_build_object('id', a.id, 'place', a.place, 'what', a.what, 'at', a.seen_at, 'by', p.name) order by a.id)
			from amiss a join person p on p.id = a.seen_by where a.righted_at is null)::text as amiss,
		(select json_agg(json_build_object('id', r.id, 'place', r.place, 'what', r.what, 'note', r.note, 'every', r.every_days,
			'reentry', r.reentry_hours, 'from', r.from_day, 'last', d.at, 'by', p.name) order by lower(r.place), r.what, r.id) from round r
			left join lateral (select at, person_id from round_done d where d.round_id = r.id and undone_at is null order by at desc
			limit 1) d on true
			left join person p on p.id = d.person_id where r.ended_on is null)::text as rounds,
		(select json_agg(x) from (select u.k as knot, sum(d.late_days / 7.0 * d.trees)::float8 as weeks,
			sum((select coalesce(sum(m.n), 0) from tree_move m where m.tag_id = d.tag_id and m.cause = u.c and m.on_day >= d.on_day
				and m.undone_at is null) + (select coalesce(sum(x.n), 0) from take_count c join count_cause x on x.count_id = c.id
				where c.tag_id = d.tag_id and c.counted_on >= d.on_day and x.cause = u.c
					and not exists (select 1 from take_count r where r.replaces_id = c.id)))::int as lost
			from unnest($1::text[], $2::text[]) u(k, c) join step_done d on d.knot = u.k and d.late_days > 0 and d.undone_at is null
			group by 1) x)::text as late`, knots, names, on)
	return f, err
}

// StepMark is a step noted as done on so many trees at a time.
type StepMark struct {
	Knot   string    `db:"knot"`
	Person int64     `db:"person_id"`
	At     time.Time `db:"at"`
	Trees  int       `db:"trees"`
}

// LastStepMarks gives of each step the last marks, most of them at the most, that were made on the
// day that they are of.
func (q Q) LastStepMarks(ctx context.Context, knots []string, most int) (ms []StepMark, err error) {
	err = q.all(ctx, &ms, `select d.knot, d.person_id, d.at, d.trees from unnest($1::text[]) k(knot)
		cross join lateral (select s.knot, s.person_id, s.at, s.trees, s.on_day from step_done s
			where s.knot = k.knot and s.undone_at is null and not s.dismissed order by s.at desc limit $2) d
		where d.at::date = d.on_day order by d.knot, d.person_id, d.at`, knots, most)
	return ms, err
}

// ActKnown says whether an act was kept before.
func (q Q) ActKnown(ctx context.Context, act string) (ok bool, err error) {
	err = q.get(ctx, &ok, `select exists (select 1 from step_done where act = $1) or exists (select 1 from tree_move where act = $1)
		or exists (select 1 from round_done where act = $1)`, act)
	return ok, err
}

// ActTags lists the tags that an act touched and that still stands of it, by id.
func (q Q) ActTags(ctx context.Context, act string) (codes []string, err error) {
	err = q.all(ctx, &codes, `select t.code from tag t where exists (select 1 from step_done d where d.act = $1 and d.tag_id = t.id
		and d.undone_at is null) or exists (select 1 from tree_move m where m.act = $1 and m.tag_id = t.id and m.undone_at is null)
		order by t.id`, act)
	return codes, err
}

// ActBy gives who did an act; ErrNotFound: there is none.
func (q Q) ActBy(ctx context.Context, act string) (person int64, err error) {
	err = q.get(ctx, &person, `select person_id from step_done where act = $1 union all select person_id from tree_move where act = $1
		union all select person_id from round_done where act = $1 limit 1`, act)
	return person, err
}

// UndoAct takes back whatever an act did, and says whether there was anything.
func (q Q) UndoAct(ctx context.Context, act string, at time.Time) (bool, error) {
	n := int64(0)
	for _, table := range []string{"step_done", "tree_move", "round_done"} {
		k, err := q.exec(ctx, `update `+table+` set undone_at = $2 where act = $1 and undone_at is null`, act, at)
		if err != nil {
			return false, err
		}
		n += k
	}
	return n > 0, nil
}

// DoneBy says who did a step on some of the tags, and when, newest first.
type DoneBy struct {
	Code   string    `db:"code"`
	Person string    `db:"person"`
	On     time.Time `db:"on_day"`
}

// DoneBy lists by whom a step was done on tags.
func (q Q) DoneBy(ctx context.Context, codes []string, knot string, n int) (ds []DoneBy, err error) {
	err = q.all(ctx, &ds, `select t.code, p.name as person, d.on_day from step_done d join tag t on t.id = d.tag_id
		join person p on p.id = d.person_id where t.code = any($1) and d.knot = $2 and d.n = $3 and d.undone_at is null order by d.at desc`,
		codes, knot, n)
	return ds, err
}

// MoveTags notes where tags stand from a time on, and as what; "" keeps the form.
func (q Q) MoveTags(ctx context.Context, ids []int64, place, form string, by int64, at time.Time) error {
	if _, err := q.exec(ctx, `update tag set heal_place = $2, form = case when $3 = '' then form else $3 end where id = any($1)`,
		ids, place, form); err != nil {
		return err
	}
	_, err := q.exec(ctx, `insert into tag_stay (tag_id, since, place, form, person_id) select id, $2, heal_place, form, $3 from tag
		where id = any($1) on conflict (tag_id, since) do update set place = excluded.place, form = excluded.form`, ids, at, by)
	return err
}

// TagStay is where a tag stood from a time on.
type TagStay struct {
	Since  time.Time `db:"since"`
	Place  string    `db:"place"`
	Form   string    `db:"form"`
	Person *string   `db:"person"`
}

// StaysOf lists where a tag stood, oldest first.
func (q Q) StaysOf(ctx context.Context, tag int64) (ss []TagStay, err error) {
	err = q.all(ctx, &ss, `select x.since, x.place, x.form, p.name as person from tag_stay x left join person p on p.id = x.person_id
		where tag_id = $1 order by since`, tag)
	return ss, err
}

// Acted is one thing done to a tag since it was finished.
type Acted struct {
	Act    string    `db:"act"`
	What   string    `db:"what"` // a step's name, or lost, sold, planted
	N      int       `db:"n"`    // the step's number, or how many trees
	Cause  string    `db:"cause"`
	Note   string    `db:"note"`
	On     time.Time `db:"on_day"`
	At     time.Time `db:"at"`
	Person string    `db:"person"`
	Undone bool      `db:"undone"`
}

// ActedOn lists what was done to a tag, newest first.
func (q Q) ActedOn(ctx context.Context, tag int64) (as []Acted, err error) {
	err = q.all(ctx, &as, `select x.act, x.what, x.n, x.cause, x.note, x.on_day, x.at, p.name as person, x.undone from (
		select act, knot as what, n, '' as cause, case when dismissed then 'dismissed: ' else '' end || reason as note, on_day,
			at, person_id, undone_at is not null as undone from step_done
			where tag_id = $1
		union all select act, what, n, coalesce(cause, ''),
			concat_ws(', ', (select o.code from orders o where o.id = order_id), nullif(buyer, ''), nullif(reason, '')), on_day,
				at, person_id,
			undone_at is not null from tree_move where tag_id = $1) x join person p on p.id = x.person_id order by x.at desc, x.what`, tag)
	return as, err
}

// KnotRule is the house's own days of a step.
type KnotRule struct {
	Rule string `db:"rule"`
	From int    `db:"from_days"`
	Best int    `db:"best_days"`
	By   int    `db:"by_days"`
}

// KnotRules lists the house's own.
func (q Q) KnotRules(ctx context.Context) (rs []KnotRule, err error) {
	err = q.all(ctx, &rs, `select * from knot_rule order by rule`)
	return rs, err
}

// SetKnotRule keeps a house's own days of a step.
func (q Q) SetKnotRule(ctx context.Context, r KnotRule) error {
	return q.named(ctx, `insert into knot_rule (rule, from_days, best_days, by_days) values (:rule, :from_days, :best_days, :by_days)
		on conflict (rule) do update set from_days = excluded.from_days, best_days = excluded.best_days, by_days = excluded.by_days`, r)
}

// KnotRuleOf gives a house's own days of a step: nil where it has none.
func (q Q) KnotRuleOf(ctx context.Context, rule string) (*KnotRule, error) {
	var rs []KnotRule
	if err := q.all(ctx, &rs, `select * from knot_rule where rule = $1`, rule); err != nil || len(rs) == 0 {
		return nil, err
	}
	return &rs[0], nil
}

// DropKnotRule goes back to the default.
func (q Q) DropKnotRule(ctx context.Context, rule string) error {
	_, err := q.exec(ctx, `delete from knot_rule where rule = $1`, rule)
	return err
}

// Round is work on a place that comes again.
type Round struct {
	ID      int64      `json:"id"`
	Place   string     `json:"place" db:"place"`
	What    string     `json:"what" db:"what"`
	Note    string     `json:"note" db:"note"`
	Every   int        `json:"every" db:"every_days"`
	Reentry int        `json:"reentry" db:"reentry_hours"` // hours for which it closes the place
	From    Day        `json:"from"`
	LastAt  *time.Time `json:"last"`
	LastBy  *string    `json:"by"`
}

// AddRound keeps one.
func (q Q) AddRound(ctx context.Context, r Round, at time.Time) error {
	_, err := q.exec(ctx, `insert into round (place, what, note, every_days, reentry_hours, from_day, made_at)
		values ($1, $2, $3, $4, $5, $6, $7)`, r.Place, r.What, r.Note, r.Every, r.Reentry, r.From.Time, at)
	return err
}

// EndRound ends one on a day.
func (q Q) EndRound(ctx context.Context, id int64, on time.Time) (was Round, err error) {
	err = q.get(ctx, &was, `update round set ended_on = $2 where id = $1 and ended_on is null
		returning id, place, what, note, every_days, reentry_hours`, id, on)
	return was, err
}

// AddRoundDone notes that a round was made.
func (q Q) AddRoundDone(ctx context.Context, act string, round, by int64, at time.Time) error {
	_, err := q.exec(ctx, `insert into round_done (act, round_id, at, person_id) values ($1, $2, $3, $4) on conflict do nothing`,
		act, round, at, by)
	return err
}

// SetRainedOff notes it, or takes it back.
func (q Q) SetRainedOff(ctx context.Context, on time.Time, off bool, by int64, at time.Time) error {
	if !off {
		_, err := q.exec(ctx, `delete from rained_off where on_day = $1`, on)
		return err
	}
	_, err := q.exec(ctx, `insert into rained_off (on_day, person_id, at) values ($1, $2, $3) on conflict do nothing`, on, by, at)
	return err
}

// Cohort is the trees of one season's work, by how they were made.
type Cohort struct {
	Year     int  `db:"year"`
	Bud      bool `db:"bud"` // summer buds in the row
	Tied     int  `db:"tied"`
	Standing int  `db:"standing"`
	Gone     int  `db:"gone"`
	Lost     int  `db:"lost"`
}

// Cohorts sums the trees by the calendar year of their making.
func (q Q) Cohorts(ctx context.Context) (cs []Cohort, err error) {
	err = q.all(ctx, &cs, `select extract(year from t.day)::int as year, t.technique in ('t-bud', 'chip-bud') and b.healing =
		'in the row' as bud,
		sum(t.tied)::int as tied, sum(t.standing)::int as standing,
		sum(t.gone - t.below)::int as gone, sum(t.tied - t.standing - t.gone + t.below)::int as lost
		from graded_tag t join batch b on b.id = t.batch_id and b.undone_at is null where t.finished_at is not null group by 1, 2 order
		by 1, 2`)
	return cs, err
}

// InRow is stocks that stand in the row, or in the seedbed, without a graft, by the
// year in which they were lined out or sown.
type InRow struct {
	Year  int       `db:"year"`
	Since time.Time `db:"since"` // the last of them
	Genus string    `db:"genus"`
	Sown  bool      `db:"sown"` // in the seedbed still
	N     int       `db:"n"`
}

// StocksInRow sums free stocks in the row and in the seedbed.
func (q Q) StocksInRow(ctx context.Context) (rs []InRow, err error) {
	err = q.all(ctx, &rs, `select extract(year from s.since)::int as year, max(s.since) as since, t.genus, l.form = 'seedbed' as sown,
			sum(f.n)::int as n
		from stock_balance f join stock_lot l on l.id = f.lot_id join stock_type t on t.id = l.stock_type_id,
		lateral (select coalesce((select max(m.at)::date from lot_move m where m.doing = 'lined out'
			and (m.new_lot_id = l.id or m.lot_id = l.id and m.new_lot_id is null)), l.received_on) as since) s
		where f.account = 'free' and f.n > 0 and l.form in ('in the row', 'seedbed') group by 1, 3, 4 order by 1, 3, 4`)
	return rs, err
}

// Feed is a secret address of a calendar; nobody's is the house's.
type Feed struct {
	ID       int64     `db:"id"`
	PersonID *int64    `db:"person_id"`
	Person   *string   `db:"person"`
	MadeAt   time.Time `db:"made_at"`
}

// FeedByHash finds one that has not ended.
func (q Q) FeedByHash(ctx context.Context, hash []byte) (f Feed, err error) {
	err = q.get(ctx, &f, `select f.id, f.person_id, p.name as person, f.made_at from feed f left join person p on p.id = f.person_id
		where f.hash = $1 and f.ended_at is null and (p.id is null or p.left_on is null)`, hash)
	return f, err
}

// RenewFeed ends a person's addresses, or the house's, and keeps a new one.
func (q Q) RenewFeed(ctx context.Context, person *int64, hash []byte, at time.Time) error {
	if _, err := q.exec(ctx, `update feed set ended_at = $2 where person_id is not distinct from $1 and ended_at is null`, person,
		at); err != nil {
		return err
	}
	_, err := q.exec(ctx, `insert into feed (person_id, hash, made_at) values ($1, $2, $3)`, person, hash, at)
	return err
}

// FeedSequences gives how often each entry of a calendar has moved since it was first
// given out, by its UID, and notes the days on which they fall now.
func (q Q) FeedSequences(ctx context.Context, uids []string, from, to []time.Time) (map[string]int, error) {
	var rows []struct {
		UID      string `db:"uid"`
		Sequence int    `db:"sequence"`
	}
	err := q.all(ctx, &rows, `insert into feed_entry as e (uid, from_day, to_day) select distinct on (u) u, f, t
		from unnest($1::text[], $2::date[], $3::date[]) x(u, f, t) order by u on conflict (uid) do update
		set sequence = e.sequence + case when (e.from_day, e.to_day) is distinct from (excluded.from_day, excluded.to_day) then 1 else 0
		end,
		from_day = excluded.from_day, to_day = excluded.to_day returning uid, sequence`, uids, from, to)
	out := map[string]int{}
	for _, r := range rows {
		out[r.UID] = r.Sequence
	}
	return out, err
}
