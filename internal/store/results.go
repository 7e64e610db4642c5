package store

import "context"

// TakeRecord is a counted tag as the take model takes it.
type TakeRecord struct {
	Worker    string  `db:"worker"` // id
	Name      string  `db:"name"`
	Technique string  `db:"technique"`
	Lot       string  `db:"lot"`
	Bundle    string  `db:"bundle"`
	Mismatch  float64 `db:"mismatch"`   // 1 − wood ÷ stock, over what was laid out
	StoreDays float64 `db:"store_days"` // from cutting to grafting
	Grafts    int     `db:"grafts"`
	Took      int     `db:"took"`
}

// TakeRecords lists the counted tags that answer to f.
func (q Q) TakeRecords(ctx context.Context, f TakeFilter) (rs []TakeRecord, err error) {
	where, args := f.where()
	err = q.all(ctx, &rs, `select t.worker_id::text as worker, p.name, t.technique, l.code as lot, w.code as bundle,
		coalesce(h.mismatch, 0)::float8 as mismatch, greatest(t.day - w.cut_on, 0)::float8 as store_days,
		c.taken + c.doubtful + c.dead as grafts, c.taken as took`+takeFrom+`join person p on p.id = t.worker_id join stock_lot l on l.id = t.lot_id join wood_bundle w on w.id = t.bundle_id
		left join (select tag_id, sum(n * (1 - wood_mm / stock_mm)) / sum(n) as mismatch from tag_thread group by 1) h on h.tag_id = t.id`+where+`order by t.id`, args...)
	return rs, err
}

// CountsSoFar changes whenever a count is added.
func (q Q) CountsSoFar(ctx context.Context) (mark string, err error) {
	err = q.get(ctx, &mark, `select count(*) || '/' || coalesce(max(at)::text, '') from take_count`)
	return mark, err
}
