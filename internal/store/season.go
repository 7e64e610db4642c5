package store

import (
	"context"
	"time"
)

// SeasonGroup is genera that rest and wake together. Rests is false where
// they take no rest at this site.
type SeasonGroup struct {
	Key   string `db:"key"`
	Name  string `db:"name"`
	Sort  int    `db:"sort"`
	Rests bool   `db:"rests"`
}

// SeasonGroups lists the groups in their order.
func (q Q) SeasonGroups(ctx context.Context) (gs []SeasonGroup, err error) {
	err = q.all(ctx, &gs, `select * from season_group order by sort`)
	return gs, err
}

// SetRests says whether a group takes a rest here.
func (q Q) SetRests(ctx context.Context, group string, rests bool) (was bool, err error) {
	err = q.get(ctx, &was, `update season_group n set rests = $2 from (select key, rests from season_group where key = $1 for update) o
		where n.key = o.key returning o.rests`, group, rests)
	return was, err
}

// Anchor is a usual date of a season group at this site.
type Anchor struct {
	Group      string `db:"season_group"`
	Kind       string `db:"kind"`
	Month      int    `db:"month"`
	Day        int    `db:"day"`
	SpreadDays int    `db:"spread_days"`
	Source     string `db:"source"`
}

// Anchors lists a group's usual dates.
func (q Q) Anchors(ctx context.Context, group string) (as []Anchor, err error) {
	err = q.all(ctx, &as, `select * from season_anchor where season_group = $1 order by month, day`, group)
	return as, err
}

// AllAnchors lists every group's usual dates.
func (q Q) AllAnchors(ctx context.Context) (as []Anchor, err error) {
	err = q.all(ctx, &as, `select * from season_anchor order by season_group, month, day`)
	return as, err
}

// ShippedAnchors lists the house defaults of a group.
func (q Q) ShippedAnchors(ctx context.Context, group string) (as []Anchor, err error) {
	err = q.all(ctx, &as, `select * from season_anchor_shipped where season_group = $1 order by month, day`, group)
	return as, err
}

// SetAnchor keeps a usual date.
func (q Q) SetAnchor(ctx context.Context, a Anchor) error {
	return q.named(ctx, `insert into season_anchor (season_group, kind, month, day, spread_days, source)
		values (:season_group, :kind, :month, :day, :spread_days, :source)
		on conflict (season_group, kind) do update set month = excluded.month, day = excluded.day, spread_days = excluded.spread_days,
		source = excluded.source`, a)
}

// Normal is a month's usual mean temperature.
type Normal struct {
	Month  int     `db:"month"`
	MeanC  float64 `db:"mean_c"`
	Source string  `db:"source"`
}

// Normals lists the twelve months.
func (q Q) Normals(ctx context.Context) (ns []Normal, err error) {
	err = q.all(ctx, &ns, `select * from site_normal order by month`)
	return ns, err
}

// SetNormal keeps a month's usual mean.
func (q Q) SetNormal(ctx context.Context, n Normal) error {
	return q.named(ctx, `update site_normal set mean_c = :mean_c, source = :source where month = :month`, n)
}

// WeatherDay is a day's mean temperature and its lowest, in °C.
type WeatherDay struct {
	On     time.Time `db:"on_day"`
	MeanC  float64   `db:"mean_c"`
	LowC   float64   `db:"low_c"`
	Source string    `db:"source"`
}

// Weather lists the days from one on.
func (q Q) Weather(ctx context.Context, from time.Time) (ws []WeatherDay, err error) {
	err = q.all(ctx, &ws, `select * from weather_day where on_day >= $1 order by on_day`, from)
	return ws, err
}

// AddWeather keeps days that are not there yet and says how many were new.
func (q Q) AddWeather(ctx context.Context, ws []WeatherDay) (int, error) {
	on, mean, low, source := make([]time.Time, len(ws)), make([]float64, len(ws)), make([]float64, len(ws)), make([]string, len(ws))
	for i, w := range ws {
		on[i], mean[i], low[i], source[i] = w.On, w.MeanC, w.LowC, w.Source
	}
	n, err := q.exec(ctx, `insert into weather_day (on_day, mean_c, low_c, source)
		select * from unnest($1::date[], $2::numeric[], $3::numeric[], $4::text[]) on conflict do nothing`, on, mean, low, source)
	return int(n), err
}

// Seen is something seen of the season.
type Seen struct {
	ID        int64      `db:"id"`
	Group     string     `db:"season_group"`
	Says      string     `db:"says"`
	On        time.Time  `db:"seen_on"`
	Soil      string     `db:"soil"` // wet, dry, or not noted
	Place     string     `db:"place"`
	Note      string     `db:"note"`
	PersonID  int64      `db:"person_id"`
	Person    string     `db:"person"`
	At        time.Time  `db:"at"`
	DroppedAt *time.Time `db:"dropped_at"`
}

// AddSeen keeps what somebody saw.
func (q Q) AddSeen(ctx context.Context, s Seen) (int64, error) {
	return q.insert(ctx, `insert into season_seen (season_group, says, seen_on, place, note, soil, person_id, at)
		values (:season_group, :says, :seen_on, :place, :note, :soil, :person_id, :at) returning id`, s)
}

// SeenOf lists what was seen of a group from a day on, newest first.
func (q Q) SeenOf(ctx context.Context, group string, from time.Time) (ss []Seen, err error) {
	err = q.all(ctx, &ss, `select s.*, p.name as person from season_seen s join person p on p.id = s.person_id
		where season_group = $1 and seen_on >= $2 and dropped_at is null order by seen_on desc, id desc`, group, from)
	return ss, err
}

// AllSeen lists what was seen of every group from a day on, newest first.
func (q Q) AllSeen(ctx context.Context, from time.Time) (ss []Seen, err error) {
	err = q.all(ctx, &ss, `select s.*, p.name as person from season_seen s join person p on p.id = s.person_id
		where seen_on >= $1 and dropped_at is null order by seen_on desc, id desc`, from)
	return ss, err
}

// DropSeen takes back what was noted, and gives it.
func (q Q) DropSeen(ctx context.Context, id int64, at time.Time) (s Seen, err error) {
	err = q.get(ctx, &s, `update season_seen set dropped_at = $2 where id = $1 and dropped_at is null returning *, '' as person`, id, at)
	return s, err
}
