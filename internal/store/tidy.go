package store

import (
	"context"
	"time"
)

// Kept is how long what serves no record is kept.
type Kept struct {
	LookedAt time.Duration // a file that was looked at and neither loaded nor dropped
	Loaded   time.Duration // the body of a file that was loaded
	Printed  time.Duration // what the label printer was sent
	Keys     time.Duration // forms' own keys, codes for a new password, wrong tries
}

// Tidy lets go of what is older than it is kept. It gives how many rows it touched.
func (q Q) Tidy(ctx context.Context, now time.Time, k Kept) (n int64, err error) {
	for _, do := range []struct {
		query string
		older time.Duration
	}{
		{`update load set state = 'dropped', body = '' where state = 'read' and at < $1`, k.LookedAt},
		{`update load set body = '' where state = 'loaded' and body <> '' and at < $1`, k.Loaded},
		{`delete from label_print where at < $1`, k.Printed},
		{`delete from done_once where at < $1`, k.Keys},
		{`delete from door_code where until < $1`, k.Keys},
		{`delete from door_try where last_at < $1`, k.Keys},
	} {
		m, err := q.exec(ctx, do.query, now.Add(-do.older))
		if err != nil {
			return n, err
		}
		n += m
	}
	return n, nil
}

// NotPlain lists pictures that are not known to hold the picture alone.
func (q Q) NotPlain(ctx context.Context) (ids []int64, err error) {
	err = q.all(
		ctx,
		&ids,
		`select id from plant_photo where not exists (select 1 from plain_photo p where p.photo_id = plant_photo.id) order by id`,
	)
	return ids, err
}

// MakePlain puts the picture alone in the place of what a picture's file held.
func (q Q) MakePlain(ctx context.Context, id int64, kind string, body []byte) error {
	if _, err := q.exec(ctx, `update plant_photo set kind = $2, body = $3 where id = $1`, id, kind, body); err != nil {
		return err
	}
	_, err := q.exec(ctx, `insert into plain_photo values ($1) on conflict do nothing`, id)
	return err
}
