package store

import (
	"context"
	"time"
)

// Rehearsed is an order's chance as it was played on a day.
type Rehearsed struct {
	Day   time.Time `db:"day"`
	Order string    `db:"order_code"`
	Met   float64   `db:"met"`
	Mean  float64   `db:"mean"`
	Trees int       `db:"trees"`
}

// KeepRehearsed keeps a day's chances, the last of the day.
func (q Q) KeepRehearsed(ctx context.Context, day, at time.Time, ids []int64, met, mean []float64, trees []int64) error {
	_, err := q.exec(ctx, `insert into rehearsed (day, order_id, met, mean, trees, at) select $1, o, m, n, t, $2
		from unnest($3::bigint[], $4::float8[], $5::float8[], $6::bigint[]) u(o, m, n, t)
		on conflict (order_id, day) do update set met = excluded.met, mean = excluded.mean, trees = excluded.trees, at = excluded.at`,
		day, at, ids, met, mean, trees)
	return err
}

// RehearsedBefore lists the chances of the last day before one on which any were played.
func (q Q) RehearsedBefore(ctx context.Context, day time.Time) (rs []Rehearsed, err error) {
	err = q.all(ctx, &rs, `select r.day, o.code as order_code, r.met, r.mean, r.trees from rehearsed r join orders o on o.id = r.order_id
		where r.day = (select max(day) from rehearsed where day < $1) order by o.code`, day)
	return rs, err
}

// PastOrder is an order of a season that is over, with what came of it.
type PastOrder struct {
	Code   string `db:"code"`
	Season int    `db:"season"` // of its tags
	Genus  string `db:"genus"`
	Trees  int    `db:"trees"`
	Alive  int    `db:"alive"` // by the last count, less what was lost since, and what was sold
}

// PastOrders lists the orders all of whose tags were counted and that were due before a day,
// with the season of their first tag.
func (q Q) PastOrders(ctx context.Context, day time.Time) (os []PastOrder, err error) {
	err = q.all(ctx, &os, `select o.code, min(extract(year from t.day) - case when extract(month from t.day) < 8 then 1 else 0 end)::int
		as season,
		v.genus, o.trees, sum(t.standing + t.gone - t.below)::int as alive from orders o join variety v on v.id = o.variety_id join batch
		b on b.order_id = o.id
		and b.undone_at is null join graded_tag t on t.batch_id = b.id where o.due_on < $1 group by o.id, v.genus
		having bool_and(t.look_id is not null) order by 2, 1`, day)
	return os, err
}
