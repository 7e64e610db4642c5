package store

import (
	"context"
	"time"
)

// HoursAndSkills gives somebody's week and what they know, as they stand.
func (q Q) HoursAndSkills(ctx context.Context, person int64) (hs []HandHours, knows []string, err error) {
	if err = q.all(ctx, &hs, `select * from person_hours where person_id = $1 order by weekday, half`, person); err == nil {
		err = q.all(ctx, &knows, `select technique from person_skill where person_id = $1 order by technique`, person)
	}
	return hs, knows, err
}

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
		if err := q.named(ctx, `insert into person_hours (person_id, weekday, half, hours) values (:person_id, :weekday, :half,
			:hours)`, h); err != nil {
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
	if _, err := q.exec(ctx, `insert into person_skill (person_id, technique) select $1, unnest($2::text[]) on conflict do
		nothing`, person, techniques); err != nil {
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
	return q.insert(
		ctx,
		`insert into person_away (person_id, from_day, to_day, why) values (:person_id, :from_day, :to_day, :why) returning id`,
		a,
	)
}

// DropAway forgets days away.
func (q Q) DropAway(ctx context.Context, id int64) (was Away, err error) {
	err = q.get(ctx, &was, `delete from person_away where id = $1 returning *`, id)
	return was, err
}

// Station is seats for the bench; Technique is nil for any.
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

// SetSeats changes a station's seats, and gives how many it had.
func (q Q) SetSeats(ctx context.Context, id int64, seats int) (was int, err error) {
	err = q.get(ctx, &was, `update station n set seats = $2 from (select id, seats from station where id = $1 for update) o
		where n.id = o.id returning o.seats`, id, seats)
	return was, err
}

// PaceRecord is how fast somebody grafted by a technique: over tags that were
// begun and finished in one go.
type PaceRecord struct {
	WorkerID  int64   `db:"worker_id"`
	Technique string  `db:"technique"`
	Tags      int     `db:"tags"`
	Grafts    float64 `db:"grafts"`
	Hours     float64 `db:"hours"`
	LogSum    float64 `db:"log_sum"` // of each tag's grafts an hour
	LogSq     float64 `db:"log_sq"`
}

// Paces lists everybody's pace since a month, by technique.
func (q Q) Paces(ctx context.Context, since time.Time) (ps []PaceRecord, err error) {
	err = q.all(
		ctx,
		&ps,
		`select worker_id, technique, sum(tags)::int as tags, sum(grafts) as grafts, sum(hours) as hours, sum(log_sum) as log_sum,
			sum(log_sq) as log_sq
		from pace_sum where month >= date_trunc('month', $1::date) group by 1, 2 having sum(tags) > 0 order by 1, 2`,
		since,
	)
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
		select t.technique, greatest(t.planned - t.tied, 0) as n from tag t join batch b on b.id = t.batch_id and b.undone_at is null
		where t.finished_at is null
		union all
		select h.technique, h.n - coalesce((select sum(planned) from tag g where g.batch_id = h.batch_id and g.technique = h.technique),
		0) from
			(select h.batch_id, h.technique, sum(h.n) as n from batch b join batch_thread h on h.batch_id = b.id
			where b.undone_at is null and b.untagged > 0 group by 1, 2) h
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
