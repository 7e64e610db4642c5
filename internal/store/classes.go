package store

import (
	"context"
	"time"
)

// Class is learners who graft together on a day.
type Class struct {
	ID            int64      `db:"id"`
	Code          string     `db:"code"`
	Name          string     `db:"name"`
	Day           time.Time  `db:"day"`
	Place         string     `db:"place"`
	Technique     string     `db:"technique"`
	TechniqueName string     `db:"technique_name"`
	Cans          int        `db:"cans"`    // a learner
	Warmups       int        `db:"warmups"` // unions of practice wood, a learner
	CheckTape     string     `db:"check_tape"`
	BarPct        int        `db:"bar_pct"`
	BarRun        int        `db:"bar_run"`
	PersonID      int64      `db:"person_id"`
	MadeBy        int64      `db:"made_by"`
	MadeAt        time.Time  `db:"made_at"`
	OpenedAt      *time.Time `db:"opened_at"`
	BegunAt       *time.Time `db:"begun_at"`
	ClosedAt      *time.Time `db:"closed_at"`
	ClosedWhy     string     `db:"closed_why"`
	ErasedAt      *time.Time `db:"erased_at"`
	OffAt         *time.Time `db:"off_at"` // called off before it was opened
	Learners      int        `db:"learners"`
	Bound         int        `db:"bound"`
	Planned       int        `db:"planned"`
}

const classSelect = `select c.*, k.name as technique_name,
	(select count(*) from learner l where l.class_id = c.id)::int as learners, coalesce(x.bound, 0)::int as bound, coalesce(x.planned,
	0)::int as planned
	from class c join technique k on k.key = c.technique
	left join lateral (select sum(t.tied) as bound, sum(t.planned) as planned from tag t where t.worker_id = c.person_id) x on true `

// ClassesKept lists the classes, the newest first.
func (q Q) ClassesKept(ctx context.Context) (cs []Class, err error) {
	err = q.all(ctx, &cs, classSelect+`order by c.day desc, c.id desc`)
	return cs, err
}

// ClassByCode gives one of them.
func (q Q) ClassByCode(ctx context.Context, code string) (c Class, err error) {
	err = q.get(ctx, &c, classSelect+`where c.code = $1`, code)
	return c, err
}

// LockClass holds a class until the transaction ends.
func (q Q) LockClass(ctx context.Context, id int64) error {
	var got int64
	return q.get(ctx, &got, `select id from class where id = $1 for update`, id)
}

// AddClass keeps a class with its learners' places, and the person under whose name its grafts are
// counted.
func (q Q) AddClass(ctx context.Context, c Class, as string, names []string) (id int64, err error) {
	var person int64
	if err = q.get(ctx, &person, `insert into person (name, sign_in, role) values ($1, 'class:' || lower($2), 'class') returning id`, as,
		c.Code); err != nil {
		return 0, err
	}
	if err = q.get(ctx, &id, `insert into class (code, name, day, place, technique, cans, warmups, check_tape, bar_pct, bar_run,
		person_id, made_by, made_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13) returning id`, c.Code, c.Name, c.Day, c.Place, c.Technique, c.Cans,
		c.Warmups, c.CheckTape, c.BarPct, c.BarRun, person, c.MadeBy, c.MadeAt); err != nil {
		return 0, err
	}
	_, err = q.exec(ctx,
		`insert into learner (class_id, place, name) select $1, u.n, u.name from unnest($2::text[]) with ordinality u(name, n)`, id, names)
	return id, err
}

// ChangeClass keeps what a class is changed to.
func (q Q) ChangeClass(ctx context.Context, c Class) error {
	return q.named(ctx, `update class set place = :place, warmups = :warmups, check_tape = :check_tape, bar_pct = :bar_pct, bar_run =
		:bar_run,
		opened_at = :opened_at, begun_at = :begun_at, closed_at = :closed_at, closed_why = :closed_why, erased_at = :erased_at, off_at =
		:off_at where id = :id`, c)
}

// ClassTool is tools that a class has out, and how many came back.
type ClassTool struct {
	Tool string `db:"tool"`
	Out  int    `db:"out_n"`
	In   *int   `db:"in_n"`
}

// ClassTools lists them.
func (q Q) ClassTools(ctx context.Context, class int64) (ts []ClassTool, err error) {
	err = q.all(ctx, &ts, `select tool, out_n, in_n from class_tool where class_id = $1 order by tool`, class)
	return ts, err
}

// KeepClassTools keeps them in place of those before.
func (q Q) KeepClassTools(ctx context.Context, class int64, ts []ClassTool) error {
	if _, err := q.exec(ctx, `delete from class_tool where class_id = $1`, class); err != nil {
		return err
	}
	for _, t := range ts {
		if _, err := q.exec(ctx, `insert into class_tool (class_id, tool, out_n, in_n) values ($1, $2, $3, $4)`, class, t.Tool, t.Out,
			t.In); err != nil {
			return err
		}
	}
	return nil
}

// Learner is one of a class, at a place.
type Learner struct {
	ID         int64      `db:"id"`
	ClassID    int64      `db:"class_id"`
	Place      int        `db:"place"`
	Name       string     `db:"name"` // "" once it is taken out
	OnLabel    bool       `db:"on_label"`
	PersonID   *int64     `db:"person_id"` // a hand of the house
	Person     string     `db:"person"`
	WaitsSince *time.Time `db:"waits_since"`
	LeftAt     *time.Time `db:"left_at"`
	ClearedAt  *time.Time `db:"cleared_at"`
	HomeAt     *time.Time `db:"home_at"`
	// Of their tags.
	Tags    List[LearnerTag] `db:"tags"`
	Looks   List[Verdict]    `db:"looks"` // as they were made; those that were taken back left out
	Bound   int              `db:"-"`
	Planned int              `db:"-"`
	Left    int              `db:"-"` // that can still be bound
	Alive   int              `db:"-"` // or healing
}

// LearnerTag is a tag of a learner's.
type LearnerTag struct {
	ID       int64  `json:"id"`
	Code     string `json:"code"`
	Planned  int    `json:"planned"`
	Tied     int    `json:"tied"`
	Back     int    `json:"back"` // stems that are no longer on the bench for it
	Open     bool   `json:"open"`
	Counted  bool   `json:"counted"`
	Taken    int    `json:"taken"`
	Standing int    `json:"standing"` // or healing
	Gone     int    `json:"gone"`
	Lot      string `json:"lot"`
	Bundle   string `json:"bundle"`
	Variety  string `json:"variety"`
}

// Verdict is a look at a learner's graft before it is bound.
type Verdict struct {
	ID       string     `json:"id"`
	Says     string     `json:"says"`
	Warm     bool       `json:"warm"`
	By       string     `json:"by"`
	At       time.Time  `json:"at"`
	Received time.Time  `json:"received"`
	Device   string     `json:"device"`
	Held     *string    `json:"held"`
	Seen     *string    `json:"seen"` // the newest one of this learner that its device knew
	TagID    *int64     `json:"tag"`
	TapID    *string    `json:"tap"`
	Undone   *time.Time `json:"undone"`
}

const learnerSelect = `select l.id, l.class_id, l.place, l.name, l.on_label, l.person_id, coalesce(p.name, '') as person, l.waits_since,
	l.left_at, l.cleared_at, l.home_at,
	(select json_agg(json_build_object('id', t.id, 'code', t.code, 'planned', t.planned, 'tied', t.tied, 'back', t.stock_back, 'open',
	t.finished_at is null,
		'counted', t.look_id is not null, 'taken', coalesce(c.taken + c.doubtful, 0), 'standing', case when t.finished_at is null then 0
		else t.standing end, 'gone', t.gone,
		'lot', o.code, 'bundle', w.code, 'variety', v.name) order by t.id)
		from learner_tag x join tag t on t.id = x.tag_id join stock_lot o on o.id = t.lot_id join wood_bundle w on w.id = t.bundle_id
		join mother_plant m on m.id = w.plant_id join variety v on v.id = m.variety_id left join take_count c on c.id = t.look_id
		where x.learner_id = l.id)::text as tags,
	(select json_agg(json_build_object('id', v.id, 'says', v.says, 'warm', v.warm, 'by', b.name, 'at', v.at, 'received', v.received_at,
	'device', v.device, 'seen', v.seen,
		'held', v.held, 'tag', v.tag_id, 'tap', v.tap_id, 'undone', v.undone_at) order by v.at, v.received_at, v.id)
		from verdict v join person b on b.id = v.person_id where v.learner_id = l.id and v.undone_at is null)::text as looks
	from learner l left join person p on p.id = l.person_id `

// Learners lists a class's learners with their tags and looks, by place.
func (q Q) Learners(ctx context.Context, class int64) (ls []Learner, err error) {
	if err = q.all(ctx, &ls, learnerSelect+`where l.class_id = $1 order by l.place`, class); err != nil {
		return nil, err
	}
	for i := range ls {
		ls[i].sum()
	}
	return ls, nil
}

// LearnerAt gives the learner at a place of a class, held until the transaction ends where hold is
// set.
func (q Q) LearnerAt(ctx context.Context, class int64, place int, hold bool) (l Learner, err error) {
	if hold {
		var got int64
		if err = q.get(ctx, &got, `select id from learner where class_id = $1 and place = $2 for update`, class, place); err != nil {
			return l, err
		}
	}
	if err = q.get(ctx, &l, learnerSelect+`where l.class_id = $1 and l.place = $2`, class, place); err == nil {
		l.sum()
	}
	return l, err
}

// sum adds up the learner's tags.
func (l *Learner) sum() {
	for _, t := range l.Tags {
		l.Bound, l.Planned, l.Alive = l.Bound+t.Tied, l.Planned+t.Planned, l.Alive+t.Standing
		if t.Open {
			l.Left += max(0, t.Planned-t.Back-t.Tied)
		}
	}
}

// KeepLearner keeps what a learner is changed to.
func (q Q) KeepLearner(ctx context.Context, l Learner) error {
	return q.named(ctx, `update learner set name = :name, on_label = :on_label, person_id = :person_id, waits_since = :waits_since,
		left_at = :left_at,
		cleared_at = :cleared_at, home_at = :home_at where id = :id`, l)
}

// NobodyWaits notes that no graft of a class waits to be looked at any more.
func (q Q) NobodyWaits(ctx context.Context, class int64) error {
	_, err := q.exec(ctx, `update learner set waits_since = null where class_id = $1 and waits_since is not null`, class)
	return err
}

// GiveLearnerTags says whose tags are whose.
func (q Q) GiveLearnerTags(ctx context.Context, codes []string, learners []int64) error {
	_, err := q.exec(ctx, `insert into learner_tag (tag_id, learner_id) select t.id, u.l from unnest($1::text[], $2::bigint[]) u(code, l)
		join any_tag t on t.code = u.code on conflict (tag_id) do update set learner_id = excluded.learner_id`, codes, learners)
	return err
}

// SetPassed keeps how many of tags' grafts were passed; below zero: none has to be.
func (q Q) SetPassed(ctx context.Context, ids []int64, passed []int) error {
	_, err := q.exec(ctx, `update any_tag t set passed = case when u.n < 0 then null else u.n end from unnest($1::bigint[], $2::int[])
		u(id, n)
		where t.id = u.id and t.passed is distinct from case when u.n < 0 then null else u.n end`, ids, passed)
	return err
}

// VerdictKnown says whether a look was kept.
func (q Q) VerdictKnown(ctx context.Context, id string) (known bool, err error) {
	err = q.get(ctx, &known, `select exists (select 1 from verdict where id = $1)`, id)
	return known, err
}

// VerdictPlace gives the learner of a look.
func (q Q) VerdictPlace(ctx context.Context, id string) (class string, place int, err error) {
	var r struct {
		Code  string `db:"code"`
		Place int    `db:"place"`
	}
	err = q.get(ctx, &r,
		`select c.code, l.place from verdict v join learner l on l.id = v.learner_id join class c on c.id = l.class_id where v.id = $1`, id)
	return r.Code, r.Place, err
}

// AddVerdict keeps a look. Seen is the newest that its device knew; "" for none.
func (q Q) AddVerdict(ctx context.Context, learner, person int64, v Verdict, seen string) error {
	_, err := q.exec(ctx, `insert into verdict (id, learner_id, says, warm, seen, person_id, at, received_at, device, held, tag_id, tap_id)
		values ($1, $2, $3, $4, nullif($5, '')::uuid, $6, $7, $8, $9, $10, $11,
			$12)`, v.ID, learner, v.Says, v.Warm, seen, person, v.At, v.Received,
		v.Device, v.Held, v.TagID, v.TapID)
	return err
}

// SettleVerdict keeps whether a look holds, and where it counted.
func (q Q) SettleVerdict(ctx context.Context, v Verdict) error {
	_, err := q.exec(ctx, `update verdict set held = $2, tag_id = $3, tap_id = $4, undone_at = $5 where id = $1`, v.ID, v.Held, v.TagID,
		v.TapID, v.Undone)
	return err
}

// LearntSkill adds a technique to what a hand knows. Of somebody of whom nothing was noted it stays
// that they know all.
func (q Q) LearntSkill(ctx context.Context, person int64, technique string) error {
	_, err := q.exec(ctx, `insert into person_skill (person_id, technique) select $1, $2 where exists (select 1 from person where id = $1
		and skills_set)
		on conflict do nothing`, person, technique)
	return err
}

// NotLearntSkill takes a technique out of what a hand knows; all others in use stay.
func (q Q) NotLearntSkill(ctx context.Context, person int64, technique string) error {
	if _, err := q.exec(ctx, `insert into person_skill (person_id, technique) select $1, key from technique
		where in_use and exists (select 1 from person where id = $1 and not skills_set) on conflict do nothing`, person); err != nil {
		return err
	}
	if _, err := q.exec(ctx, `update person set skills_set = true where id = $1`, person); err != nil {
		return err
	}
	_, err := q.exec(ctx, `delete from person_skill where person_id = $1 and technique = $2`, person, technique)
	return err
}

// EraseLearners takes the names of learners out of classes that closed before a time, and of those
// that are named.
func (q Q) EraseLearners(ctx context.Context, closedBefore, now time.Time, class int64) (n int64, err error) {
	return q.exec(ctx, `with done as (update class set erased_at = $2 where erased_at is null and coalesce(closed_at, off_at) is not null
		and (coalesce(closed_at, off_at) < $1 or id = $3) returning id)
		update learner l set name = '', on_label = false from done where l.class_id = done.id`, closedBefore, now, class)
}

// UndoHome takes back that what lived of tags was taken home.
func (q Q) UndoHome(ctx context.Context, tags []int64, at time.Time) error {
	_, err := q.exec(ctx, `update tree_move set undone_at = $2 where tag_id = any($1) and what = 'planted' and undone_at is null
		and act in (select act from tree_move where tag_id = any($1) and what = 'planted' and undone_at is null order by at desc limit
		1)`, tags, at)
	return err
}

// ClassStems gives how thick a class's stock and wood are, in mm, on the mean of its grafts.
func (q Q) ClassStems(ctx context.Context, class int64) (stock, wood float64, err error) {
	var r struct {
		Stock float64 `db:"stock"`
		Wood  float64 `db:"wood"`
	}
	err = q.get(ctx, &r, `select coalesce(sum((t.stock_low + t.stock_high) / 2 * t.planned) / nullif(sum(t.planned), 0), 0) as stock,
		coalesce(sum((t.wood_low + t.wood_high) / 2 * t.planned) / nullif(sum(t.planned), 0), 0) as wood
		from learner_tag x join tag t on t.id = x.tag_id join learner l on l.id = x.learner_id where l.class_id = $1`, class)
	return r.Stock, r.Wood, err
}
