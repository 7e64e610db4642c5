package store

import (
	"context"
	"time"
)

// Amiss is what a look found wrong in a place, beside what took.
type Amiss struct {
	ID    int64     `json:"id" db:"id"`
	Place string    `json:"place" db:"place"`
	What  string    `json:"what" db:"what"`
	At    time.Time `json:"at" db:"seen_at"`
	By    string    `json:"by" db:"by"`
}

// AddAmiss notes it; where it stands noted already, the first note stays.
func (q Q) AddAmiss(ctx context.Context, place, what string, by int64, at time.Time) (noted bool, err error) {
	n, err := q.exec(ctx, `insert into amiss (place, what, seen_at, seen_by) values ($1, $2, $3, $4)
		on conflict (lower(place), what) where righted_at is null do nothing`, place, what, at, by)
	return n > 0, err
}

// OpenAmiss lists what looks found and nobody has put right, the oldest first.
func (q Q) OpenAmiss(ctx context.Context) (as []Amiss, err error) {
	err = q.all(ctx, &as, `select a.id, a.place, a.what, a.seen_at, p.name as by from amiss a join person p on p.id = a.seen_by
		where a.righted_at is null order by a.id`)
	return as, err
}

// RightAmiss notes that it was put right, and gives what it was. ErrNotFound: there is
// none that is open.
func (q Q) RightAmiss(ctx context.Context, id, by int64, at time.Time) (a Amiss, err error) {
	err = q.get(ctx, &a, `update amiss a set righted_at = $3, righted_by = $2 from person p
		where a.id = $1 and a.righted_at is null and p.id = a.seen_by returning a.id, a.place, a.what, a.seen_at, p.name as by`, id, by, at)
	return a, err
}
