package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"
)

// SiteWas is how a site's dates stood before all of them were set at once.
type SiteWas struct {
	ID      int64     `db:"id"`
	Climate string    `db:"climate"` // that it was set to
	South   bool      `db:"south"`
	Person  string    `db:"person"`
	At      time.Time `db:"at"`
}

// KeepSite keeps how the site's dates stand before they are set for a climate.
func (q Q) KeepSite(ctx context.Context, climate string, south bool, by int64, at time.Time) error {
	_, err := q.exec(ctx, `insert into site_was (climate, south, anchors, normals, rests, person_id, at) select $1, $2,
		(select coalesce(json_agg(a), '[]') from season_anchor a), (select coalesce(json_agg(n), '[]') from site_normal n),
		(select json_agg(json_build_object('key', key, 'rests', rests)) from season_group), $3, $4`, climate, south, by, at)
	return err
}

// LastSite reads the last setting of the whole site that stands; ErrNotFound where there is
// none.
func (q Q) LastSite(ctx context.Context) (s SiteWas, err error) {
	err = q.get(ctx, &s, `select w.id, w.climate, w.south, p.name as person, w.at from site_was w join person p on p.id = w.person_id
		where w.back_at is null order by w.id desc limit 1`)
	return s, err
}

// SiteBack puts the site's dates back to what they were before a setting.
func (q Q) SiteBack(ctx context.Context, id int64, at time.Time) error {
	var row struct {
		Anchors []byte `db:"anchors"`
		Normals []byte `db:"normals"`
		Rests   []byte `db:"rests"`
	}
	if err := q.get(ctx, &row, `update site_was set back_at = $2 where id = $1 and back_at is null returning anchors, normals, rests`,
		id, at); err != nil {
		return err
	}
	for _, do := range []struct {
		query string
		arg   []byte
	}{
		{`delete from season_anchor where $1::jsonb is not null`, row.Anchors},
		{`insert into season_anchor (season_group, kind, month, day, spread_days, source)
			select season_group, kind, month, day, spread_days, source from jsonb_to_recordset($1::jsonb)
			x(season_group text, kind text, month int, day int, spread_days int, source text)`, row.Anchors},
		{`update site_normal n set mean_c = x.mean_c, source = x.source from jsonb_to_recordset($1::jsonb)
			x(month int, mean_c numeric, source text) where x.month = n.month`, row.Normals},
		{`update season_group g set rests = x.rests from jsonb_to_recordset($1::jsonb) x(key text, rests boolean) where x.key = g.key`,
			row.Rests},
	} {
		if _, err := q.exec(ctx, do.query, json.RawMessage(do.arg)); err != nil {
			return fmt.Errorf("putting the site back: %w", err)
		}
	}
	return nil
}

// Grown lists the genera that the house grows.
func (q Q) Grown(ctx context.Context) (gs []string, err error) {
	err = q.all(ctx, &gs, `select genus from grown order by genus`)
	return gs, err
}

// SetGrown keeps them.
func (q Q) SetGrown(ctx context.Context, genera []string) error {
	if _, err := q.exec(ctx, `delete from grown where genus <> all($1)`, genera); err != nil {
		return err
	}
	_, err := q.exec(ctx, `insert into grown (genus) select unnest($1::text[]) on conflict do nothing`, genera)
	return err
}

// South says whether the site lies in the southern half of the world: its January is warmer than
// its July.
func (q Q) South(ctx context.Context) (south bool, err error) {
	err = q.get(ctx, &south, `select coalesce((select a.mean_c > b.mean_c from site_normal a, site_normal b where a.month = 1 and b.month
		= 7), false)`)
	return south, err
}
