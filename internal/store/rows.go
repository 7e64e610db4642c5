package store

import (
	"context"
	"time"
)

// FieldRow is a row in a field, with what stands in it.
type FieldRow struct {
	ID        int64           `db:"id"`
	Field     string          `db:"field"`
	Number    int             `db:"number"`
	Bearing   int             `db:"bearing"`   // walked from its first plant, in degrees from north
	WindFrom  *int            `db:"wind_from"` // whence the wind mostly blows
	SpacingCM int             `db:"spacing_cm"`
	Note      string          `db:"note"`
	GoneAt    *time.Time      `db:"gone_at"`
	Stands    List[RowStand]  `db:"stands"`
	Gaps      List[RowGap]    `db:"gaps"`
	Soils     List[RowSoil]   `db:"soils"` // the newest first
	Were      List[RowNumber] `db:"were"`  // numbers that it bore, the newest first
	Tags      List[RowTag]    `db:"tags"`  // of its lots, as they were begun
}

// RowStand is where in a row a lot stands, by plants counted from its first.
type RowStand struct {
	ID    int64  `json:"id"`
	LotID int64  `json:"lot_id"`
	Lot   string `json:"lot"`
	Genus string `json:"genus"`
	Stock string `json:"stock"`
	First int    `json:"first"`
	Last  int    `json:"last"`
	Free  int    `json:"free"`  // stems that nothing is planned for
	Stems int    `json:"stems"` // free, set aside and grafted
}

// RowGap is a place in a row where nothing stands.
type RowGap struct {
	ID    string    `json:"id"`
	Stand int64     `json:"stand"`
	At    int       `json:"at"`
	Why   string    `json:"why"`
	Tag   *int64    `json:"tag"` // whose plant it was, where it was budded before it went
	By    string    `json:"by"`
	When  time.Time `json:"when"`
}

// RowSoil is how a row's soil was found.
type RowSoil struct {
	ID   string `json:"id"`
	Soil string `json:"soil"`
	On   Day    `json:"on"`
	By   string `json:"by"`
}

// RowNumber is a number that a row bore.
type RowNumber struct {
	Field  string    `json:"field"`
	Number int       `json:"number"`
	Until  time.Time `json:"until"`
	By     string    `json:"by"`
}

// RowTag is a tag of a lot that stands in a row.
type RowTag struct {
	ID        int64      `json:"id"`
	Code      string     `json:"code"`
	LotID     int64      `json:"lot"`
	Technique string     `json:"technique"`
	Variety   string     `json:"variety"`
	Worker    string     `json:"worker"`
	Tier      string     `json:"tier"`
	Day       Day        `json:"day"`
	Buds      int        `json:"buds"`
	Planned   int        `json:"planned"`
	Tied      int        `json:"tied"`
	Open      bool       `json:"open"`
	Started   *time.Time `json:"started"`
	Standing  int        `json:"standing"`
	First     int        `json:"first"` // where it begins, where that was noted
	Wood      string     `json:"wood"`  // the state of its bundle
}

const rowSelect = `select r.id, r.field, r.number, r.bearing, r.wind_from, r.spacing_cm, r.note, r.gone_at,
	(select json_agg(json_build_object('id', s.id, 'lot_id', s.lot_id, 'lot', l.code, 'genus', k.genus, 'stock', k.name, 'first',
	s.first, 'last', s.last,
		'free', coalesce(b.free, 0), 'stems', coalesce(b.stems, 0)) order by s.first)
		from row_stand s join stock_lot l on l.id = s.lot_id and l.form = 'in the row' join stock_type k on k.id = l.stock_type_id
		left join lateral (select sum(n) filter (where account = 'free') as free, sum(n) filter (where account in ('free', 'aside',
		'grafted')) as stems
			from stock_balance where lot_id = s.lot_id) b on true where s.row_id = r.id and s.gone_at is null)::text as stands,
	(select json_agg(json_build_object('id', g.id, 'stand', g.stand_id, 'at', g.at_plant, 'why', g.why, 'tag', g.tag_id, 'by', p.name,
	'when', g.at) order by g.at_plant)
		from row_gap g join row_stand s on s.id = g.stand_id join person p on p.id = g.person_id
		where s.row_id = r.id and s.gone_at is null and g.undone_at is null)::text as gaps,
	(select json_agg(json_build_object('id', x.id, 'soil', x.soil, 'on', x.on_day, 'by', p.name) order by x.on_day desc, x.at desc)
		from row_soil x join person p on p.id = x.person_id where x.row_id = r.id and x.undone_at is null)::text as soils,
	(select json_agg(json_build_object('field', w.field, 'number', w.number, 'until', w.until_at, 'by', p.name) order by w.until_at desc)
		from row_number_was w join person p on p.id = w.person_id where w.row_id = r.id)::text as were,
	(select json_agg(json_build_object('id', t.id, 'code', t.code, 'lot', t.lot_id, 'technique', t.technique, 'variety', v.name,
	'worker', p.name,
		'tier', coalesce(q.name, ''), 'day', t.day, 'buds', t.buds, 'planned', t.planned, 'tied', t.tied, 'open', t.finished_at is null,
		'started', t.started_at,
		'standing', t.standing, 'first', coalesce(x.first, 0), 'wood', w.state) order by t.started_at nulls last, t.day, t.half, t.id)
		from row_stand s join stock_lot o on o.id = s.lot_id and o.form = 'in the row' join tag t on t.lot_id = s.lot_id join batch b on
		b.id = t.batch_id and b.undone_at is null join wood_bundle w on w.id = t.bundle_id
		join mother_plant m on m.id = w.plant_id join variety v on v.id = m.variety_id join person p on p.id = t.worker_id
		left join person q on q.id = t.tier_id left join row_tag x on x.tag_id = t.id where s.row_id = r.id and s.gone_at is null)::text
		as tags
	from field_row r `

// FieldRows lists the rows, by field and number.
func (q Q) FieldRows(ctx context.Context) (rs []FieldRow, err error) {
	err = q.all(ctx, &rs, rowSelect+`where r.gone_at is null order by lower(r.field), r.number`)
	return rs, err
}

// FieldRow gives one of them.
func (q Q) FieldRow(ctx context.Context, id int64) (r FieldRow, err error) {
	err = q.get(ctx, &r, rowSelect+`where r.id = $1`, id)
	return r, err
}

// LockRows holds every row until the transaction ends: rows are few, and what is done to one may
// concern its neighbours.
func (q Q) LockRows(ctx context.Context) error {
	_, err := q.exec(ctx, `select 1 from field_row order by id for update`)
	return err
}

// AddFieldRow keeps a row.
func (q Q) AddFieldRow(ctx context.Context, r FieldRow, at time.Time) (id int64, err error) {
	err = q.get(ctx, &id, `insert into field_row (field, number, bearing, wind_from, spacing_cm, note, made_at) values ($1, $2, $3, $4,
		$5, $6, $7)
		returning id`, r.Field, r.Number, r.Bearing, r.WindFrom, r.SpacingCM, r.Note, at)
	return id, err
}

// ChangeFieldRow keeps what a row is changed to.
func (q Q) ChangeFieldRow(ctx context.Context, r FieldRow) error {
	return q.named(ctx, `update field_row set bearing = :bearing, wind_from = :wind_from, spacing_cm = :spacing_cm, note = :note, gone_at
		= :gone_at
		where id = :id`, r)
}

// NumberRow gives a row another number, or field, and keeps the one that it bore.
func (q Q) NumberRow(ctx context.Context, r FieldRow, field string, number int, by int64, at time.Time) error {
	_, err := q.exec(ctx, `with was as (insert into row_number_was (row_id, field, number, until_at, person_id) values ($1, $2, $3, $6, $7))
		update field_row set field = $4, number = $5 where id = $1`, r.ID, r.Field, r.Number, field, number, at, by)
	return err
}

// StandInRow keeps where in a row a lot stands.
func (q Q) StandInRow(ctx context.Context, row, lot int64, first, last int) error {
	_, err := q.exec(ctx, `insert into row_stand (row_id, lot_id, first, last) values ($1, $2, $3, $4)`, row, lot, first, last)
	return err
}

// OutOfRows takes a lot off the map of the row in which it stood before it was lifted.
func (q Q) OutOfRows(ctx context.Context, lot int64, at time.Time) error {
	_, err := q.exec(ctx, `update row_stand set gone_at = $2 where lot_id = $1 and gone_at is null`, lot, at)
	return err
}

// MoveStand changes from where to where a lot stands in its row.
func (q Q) MoveStand(ctx context.Context, stand int64, first, last int) error {
	_, err := q.exec(ctx, `update row_stand set first = $2, last = $3 where id = $1`, stand, first, last)
	return err
}

// LeaveRow takes a lot out of its row.
func (q Q) LeaveRow(ctx context.Context, stand int64, at time.Time) error {
	_, err := q.exec(ctx, `update row_stand set gone_at = $2 where id = $1`, stand, at)
	return err
}

// AddRowGap notes a gap; known says that it was noted already.
func (q Q) AddRowGap(ctx context.Context, id string, stand int64, at int, why string, tag *int64, by int64, when time.Time) (n int64,
	err error) {
	return q.exec(ctx, `insert into row_gap (id, stand_id, at_plant, why, tag_id, person_id, at) values ($1, $2, $3, $4, $5, $6, $7)
		on conflict do nothing`, id, stand, at, why, tag, by, when)
}

// UndoRowGap takes a gap back.
func (q Q) UndoRowGap(ctx context.Context, id string, when time.Time) (n int64, err error) {
	return q.exec(ctx, `update row_gap set undone_at = $2 where id = $1 and undone_at is null`, id, when)
}

// AddRowSoil notes how the soil of a row was found.
func (q Q) AddRowSoil(ctx context.Context, id string, row int64, soil string, on time.Time, by int64, at time.Time) error {
	_, err := q.exec(ctx,
		`insert into row_soil (id, row_id, soil, on_day, person_id, at) values ($1, $2, $3, $4, $5, $6) on conflict (id) do nothing`, id,
		row, soil, on, by, at)
	return err
}

// UndoRowSoil takes that back.
func (q Q) UndoRowSoil(ctx context.Context, id string, at time.Time) error {
	_, err := q.exec(ctx, `update row_soil set undone_at = $2 where id = $1 and undone_at is null`, id, at)
	return err
}

// BeginTagAt notes at which plant of its row a tag begins; 0: where the one before it ends.
func (q Q) BeginTagAt(ctx context.Context, tag, row int64, first int, by int64, at time.Time) error {
	if first == 0 {
		_, err := q.exec(ctx, `delete from row_tag where tag_id = $1`, tag)
		return err
	}
	_, err := q.exec(ctx, `insert into row_tag (tag_id, row_id, first, person_id, at) values ($1, $2, $3, $4, $5)
		on conflict (tag_id) do update set first = excluded.first, row_id = excluded.row_id, person_id = excluded.person_id, at =
		excluded.at`, tag, row,
		first, by, at)
	return err
}

// RenumberQuietly gives a row the number of another that took its own.
func (q Q) RenumberQuietly(ctx context.Context, id int64, field string, number int) error {
	_, err := q.exec(ctx, `update field_row set field = $2, number = $3 where id = $1`, id, field, number)
	return err
}

// TagsStand lets a lot's tags that were noted where the lot stood stand where it stands now.
func (q Q) TagsStand(ctx context.Context, lot int64, was, now string) error {
	_, err := q.exec(ctx, `update any_tag set heal_place = $3 where lot_id = $1 and lower(heal_place) = lower($2)`, lot, was, now)
	return err
}

// SoilByPlace gives how the soil of rows was found last, since a day, by the row's name in small
// letters.
func (q Q) SoilByPlace(ctx context.Context, since time.Time) (map[string]string, error) {
	var rs []struct {
		Place string `db:"place"`
		Soil  string `db:"soil"`
	}
	err := q.all(ctx, &rs, `select distinct on (r.id) lower(r.field || ', row ' || r.number) as place, x.soil from row_soil x join
		field_row r on r.id = x.row_id
		where x.undone_at is null and r.gone_at is null and x.on_day >= $1 order by r.id, x.on_day desc, x.at desc`, since)
	out := map[string]string{}
	for _, r := range rs {
		out[r.Place] = r.Soil
	}
	return out, err
}
