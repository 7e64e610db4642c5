package store

import (
	"context"
	"time"
)

// HandHours is a stretch of bench work somebody is there for, week by week.
type HandHours struct {
	PersonID int64   `db:"person_id"`
	Weekday  int     `db:"weekday"` // Monday is 1
	Half     int     `db:"half"`    // 1 morning, 2 afternoon
	Hours    float64 `db:"hours"`
}

// HandHours lists everybody's.
func (q Q) HandHours(ctx context.Context) (hs []HandHours, err error) {
	err = q.all(ctx, &hs, `select * from person_hours`)
	return hs, err
}

// SetHandHours keeps somebody's week in place of the one before.
func (q Q) SetHandHours(ctx context.Context, person int64, hs []HandHours) error {
	if _, err := q.exec(ctx, `delete from person_hours where person_id = $1`, person); err != nil {
		return err
	}
	for _, h := range hs {
		h.PersonID = person
		if err := q.named(ctx, `insert into person_hours (person_id, weekday, half, hours) values (:person_id, :weekday, :half, :hours)`, h); err != nil {
			return err
		}
	}
	_, err := q.exec(ctx, `update person set hours_set = true where id = $1`, person)
	return err
}

// Skill is a technique somebody knows.
type Skill struct {
	PersonID  int64  `db:"person_id"`
	Technique string `db:"technique"`
}

// Skills lists everybody's.
func (q Q) Skills(ctx context.Context) (ss []Skill, err error) {
	err = q.all(ctx, &ss, `select * from person_skill`)
	return ss, err
}

// SetSkills keeps what somebody knows in place of what was noted before.
func (q Q) SetSkills(ctx context.Context, person int64, techniques []string) error {
	if _, err := q.exec(ctx, `delete from person_skill where person_id = $1`, person); err != nil {
		return err
	}
	if _, err := q.exec(ctx, `insert into person_skill (person_id, technique) select $1, unnest($2::text[]) on conflict do nothing`, person, techniques); err != nil {
		return err
	}
	_, err := q.exec(ctx, `update person set skills_set = true where id = $1`, person)
	return err
}

// Away is days somebody is not at the bench.
type Away struct {
	ID       int64     `db:"id"`
	PersonID int64     `db:"person_id"`
	From     time.Time `db:"from_day"`
	To       time.Time `db:"to_day"`
	Why      string    `db:"why"`
}

// Aways lists those that end on or after a day.
func (q Q) Aways(ctx context.Context, from time.Time) (as []Away, err error) {
	err = q.all(ctx, &as, `select * from person_away where to_day >= $1 order by from_day, id`, from)
	return as, err
}

// AddAway keeps days away.
func (q Q) AddAway(ctx context.Context, a Away) (int64, error) {
	return q.insert(ctx, `insert into person_away (person_id, from_day, to_day, why) values (:person_id, :from_day, :to_day, :why) returning id`, a)
}

// DropAway forgets days away.
func (q Q) DropAway(ctx context.Context, id int64) error {
	n, err := q.exec(ctx, `delete from person_away where id = $1`, id)
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	return err
}

// Station is seats for the bench; Technique is "" for any.
type Station struct {
	ID        int64   `db:"id"`
	Name      string  `db:"name"`
	Technique *string `db:"technique"`
	Seats     int     `db:"seats"`
}

// Stations lists them.
func (q Q) Stations(ctx context.Context) (ss []Station, err error) {
	err = q.all(ctx, &ss, `select * from station order by technique nulls first, id`)
	return ss, err
}

// SetSeats changes a station's seats.
func (q Q) SetSeats(ctx context.Context, id int64, seats int) error {
	n, err := q.exec(ctx, `update station set seats = $2 where id = $1`, id, seats)
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	return err
}

// PaceRecord is how fast somebody grafted, against the house's rates: over
// tags that were begun and finished in one go.
type PaceRecord struct {
	WorkerID int64   `db:"worker_id"`
	Tags     int     `db:"tags"`
	Grafts   float64 `db:"grafts"`
	Expected float64 `db:"expected"` // grafts at the house's rates in the same time
	LogSD    float64 `db:"log_sd"`   // of the tags' ratios
}

// Paces lists everybody's pace since a day. A tag's time is that of its taps,
// which a line that was down does not move.
func (q Q) Paces(ctx context.Context, since time.Time) (ps []PaceRecord, err error) {
	err = q.all(ctx, &ps, `with done as (
		select t.worker_id, x.tied::float8 as tied, extract(epoch from w.to_at - w.from_at) / 3600 * k.rate_per_hour as expected
		from tag t join technique k on k.key = t.technique join batch b on b.id = t.batch_id and b.undone_at is null
		join lateral (`+tiedOfTag+`) x on true
		join lateral (select least(t.started_at, min(y.at)) as from_at, coalesce(max(y.at) filter (where y.kind = 'finish'), t.finished_at) as to_at
			from tally y where y.tag_id = t.id and y.held is null) w on true
		where t.day >= $1 and x.tied >= 5 and t.finished_at is not null and w.to_at - w.from_at between interval '4 minutes' and interval '5 hours')
		select worker_id, count(*)::int as tags, sum(tied) as grafts, sum(expected)::float8 as expected, coalesce(stddev_samp(ln(tied / expected)), 0)::float8 as log_sd
		from done where expected > 0 group by worker_id`, since)
	return ps, err
}

// OpenWork is grafts set aside and not yet made.
type OpenWork struct {
	Technique string `db:"technique"`
	Grafts    int    `db:"grafts"`
}

// OpenWork sums what batches still have to make, by technique: what is left
// on open tags, and what is not on tags yet.
func (q Q) OpenWork(ctx context.Context) (ws []OpenWork, err error) {
	err = q.all(ctx, &ws, `select technique, sum(n)::int as grafts from (
		select t.technique, greatest(t.planned - x.tied, 0) as n from tag t join batch b on b.id = t.batch_id and b.undone_at is null
			join lateral (`+tiedOfTag+`) x on true where t.finished_at is null
		union all
		select h.technique, h.n - coalesce(g.n, 0) from
			(select batch_id, technique, sum(n) as n from batch_thread group by 1, 2) h
			join batch b on b.id = h.batch_id and b.undone_at is null
			left join (select batch_id, technique, sum(planned) as n from tag group by 1, 2) g on g.batch_id = h.batch_id and g.technique = h.technique
		) w where n > 0 group by technique`)
	return ws, err
}

// Stray is how far a hand's placing strays, in mm, from n unions.
type Stray struct {
	PersonID int64     `db:"person_id"`
	Name     string    `db:"name"`
	N        int       `db:"n"`
	SD       float64   `db:"sd_mm"`
	ByID     int64     `db:"by_id"`
	At       time.Time `db:"at"`
}

// AddStray keeps a measurement of somebody's placing.
func (q Q) AddStray(ctx context.Context, s Stray) error {
	return q.named(ctx, `insert into hand_stray (person_id, n, sd_mm, by_id, at) values (:person_id, :n, :sd_mm, :by_id, :at)`, s)
}

// Strays lists everybody's newest measurement.
func (q Q) Strays(ctx context.Context) (ss []Stray, err error) {
	err = q.all(ctx, &ss, `select distinct on (s.person_id) s.person_id, p.name, s.n, s.sd_mm, s.by_id, s.at
		from hand_stray s join person p on p.id = s.person_id where p.left_on is null order by s.person_id, s.id desc`)
	return ss, err
}
