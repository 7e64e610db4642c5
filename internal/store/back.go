package store

import (
	"context"
	"time"
)

// WrongAgain opens what was put right by one tap anew, where nobody noted it again since.
// ErrNotFound: it is open, or was noted anew.
func (q Q) WrongAgain(ctx context.Context, id int64, since time.Time) (a Amiss, err error) {
	err = q.get(ctx, &a, `update amiss a set righted_at = null, righted_by = null from person p where a.id = $1 and a.righted_at > $2
		and p.id = a.seen_by and not exists (select from amiss b where lower(b.place) = lower(a.place) and b.what = a.what and
		b.righted_at is null)
		returning a.id, a.place, a.what, a.seen_at, p.name as by`, id, since)
	return a, err
}

// DropLook takes back the last look at a place that somebody noted since a time and that threw
// nothing out. ErrNotFound: there is none.
func (q Q) DropLook(ctx context.Context, place, by int64, since, at time.Time) (l Look, err error) {
	err = q.get(ctx, &l, `with last as (select * from store_look where place_id = $1 and person_id = $2 and at > $3 and thrown = 0
			order by id desc limit 1),
		back as (insert into look_back (look_id, person_id, at) select id, $2, $4 from last returning look_id)
		select l.id, l.place_id, l.bundle_id, l.found, l.thrown, l.note, l.person_id, l.at from last l join back b on b.look_id = l.id`,
		place, by, since, at)
	return l, err
}

// DoubtAgain puts a reading that was settled back into doubt; one that was struck comes back.
func (q Q) DoubtAgain(ctx context.Context, place int64, r ColdReading) error {
	_, err := q.exec(ctx, `insert into store_reading (place_id, at, c, source, doubted) values ($1, $2, $3, $4, true)
		on conflict (place_id, at) do update set doubted = true`, place, r.At, r.C, r.Source)
	return err
}

// ResumeRound lets a round go on that was ended.
func (q Q) ResumeRound(ctx context.Context, id int64) (was Round, err error) {
	err = q.get(ctx, &was, `update round set ended_on = null where id = $1 and ended_on is not null
		returning id, place, what, note, every_days, reentry_hours`, id)
	return was, err
}

// KeepSeen lets a sight stand again that was taken back since a time.
func (q Q) KeepSeen(ctx context.Context, id int64, since time.Time) (s Seen, err error) {
	err = q.get(ctx, &s, `update season_seen set dropped_at = null where id = $1 and dropped_at > $2 returning *, '' as person`, id, since)
	return s, err
}

// KeepWoodLabel lets a label wait again that was dropped since a time.
func (q Q) KeepWoodLabel(ctx context.Context, code string, since time.Time) (bool, error) {
	n, err := q.exec(ctx, `update wood_label set dropped_at = null where code = $1 and bundle_id is null and dropped_at > $2`, code, since)
	return n == 1, err
}
