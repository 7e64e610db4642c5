package store

import "context"

// TakeRecord is a counted tag as the take model takes it.
type TakeRecord struct {
	Worker    string  `db:"worker"` // id
	Name      string  `db:"name"`
	Technique string  `db:"technique"`
	Lot       string  `db:"lot"`
	Bundle    string  `db:"bundle"`
	Mismatch  float64 `db:"mismatch"`   // |1 − wood ÷ stock|, over what was laid out
	StoreDays float64 `db:"store_days"` // from cutting to grafting
	Tier      string  `db:"tier"`       // id of who tied; "" where the worker did
	TierName  string  `db:"tier_name"`
	Part      string  `db:"part"`   // of the shoot its wood is from; "" not known
	Grafts    int     `db:"grafts"` // and buds, each for itself
	Took      int     `db:"took"`
}

// TakeRecords lists the counted tags that answer to f.
func (q Q) TakeRecords(ctx context.Context, f TakeFilter) (rs []TakeRecord, err error) {
	where, args := f.where()
	err = q.all(ctx, &rs, `select t.worker_id::text as worker, p.name, t.technique, l.code as lot, w.code as bundle,
		t.mismatch, greatest(t.day - w.cut_on, 0)::float8 as store_days,
		coalesce(t.tier_id::text, '') as tier, coalesce(p2.name, '') as tier_name, w.part,
		c.joins as grafts, c.joins_taken as took`+f.from()+`join person p on p.id = t.worker_id
		left join person p2 on p2.id = t.tier_id join stock_lot l on l.id = t.lot_id join wood_bundle w on w.id = t.bundle_id`+where+`order by t.id`, args...)
	return rs, err
}

// Knowers is how many people at the bench know a technique.
type Knowers struct {
	Technique string `db:"technique"`
	N         int    `db:"n"`
}

// KnowersOf counts who knows what; somebody of whom nothing was noted knows all.
func (q Q) KnowersOf(ctx context.Context) (ks []Knowers, err error) {
	err = q.all(
		ctx,
		&ks,
		`select t.key as technique, count(*)::int as n from technique t join person p on p.left_on is null and p.role <> 'looker'
		and (not p.skills_set or exists (select 1 from person_skill k where k.person_id = p.id and k.technique = t.key)) group by 1`,
	)
	return ks, err
}
