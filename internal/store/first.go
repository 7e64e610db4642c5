package store

import "context"

// FirstHour is how far a house is set up: how many there are of each, first things first.
type FirstHour struct {
	Site    int `db:"site"`   // usual dates of its own, or a climate that was set
	People  int `db:"people"` // who work here beside the one who looks
	Grown   int `db:"grown"`  // genera
	Lots    int `db:"lots"`
	Bundles int `db:"bundles"`
	Orders  int `db:"orders"`
	Batches int `db:"batches"`
	Tags    int `db:"tags"`
	Counts  int `db:"counts"`
}

// FirstHour counts, of what can be many no further than to know that there is some.
func (q Q) FirstHour(ctx context.Context, who int64) (f FirstHour, err error) {
	err = q.get(ctx, &f, `select
		(select count(*) from site_was where back_at is null) + (select count(*) from season_anchor where source <> 'house default') as
		site,
		(select count(*) from person where left_on is null and id <> $1 and role <> 'looker') as people,
		(select count(*) from grown) as grown,
		(select count(*) from (select from stock_lot limit 100) x) as lots,
		(select count(*) from (select from wood_bundle limit 100) x) as bundles,
		(select count(*) from (select from orders limit 100) x) as orders,
		(select count(*) from (select from batch where undone_at is null limit 100) x) as batches,
		(select count(*) from (select from tag limit 100) x) as tags,
		(select count(*) from (select from take_count limit 100) x) as counts`, who)
	return f, err
}
