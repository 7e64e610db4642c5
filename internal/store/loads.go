package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"
)

// Load is a file that was read and is waiting, or was loaded.
type Load struct {
	ID        int64     `db:"id"`
	Kind      string    `db:"kind"`
	FileName  string    `db:"file_name"`
	SHA256    []byte    `db:"sha256"`
	Body      []byte    `db:"body"`
	State     string    `db:"state"`
	PersonID  int64     `db:"person_id"`
	Person    string    `db:"person"`
	At        time.Time `db:"at"`
	Added     int       `db:"added"`
	Unchanged int       `db:"unchanged"`
}

// AddLoad keeps a file for its preview.
func (q Q) AddLoad(ctx context.Context, l Load) (int64, error) {
	return q.insert(ctx, `insert into load (kind, file_name, sha256, body, person_id, at)
		values (:kind, :file_name, :sha256, :body, :person_id, :at) returning id`, l)
}

const loadSelect = `select l.id, l.kind, l.file_name, l.sha256, l.body, l.state, l.person_id, l.at, l.added, l.unchanged, p.name as person
	from load l join person p on p.id = l.person_id where l.id = $1`

// LockLoad reads a load and holds it until the transaction ends.
func (q Q) LockLoad(ctx context.Context, id int64) (l Load, err error) {
	err = q.get(ctx, &l, loadSelect+` for update of l`, id)
	return l, err
}

// Load reads a load.
func (q Q) Load(ctx context.Context, id int64) (l Load, err error) {
	err = q.get(ctx, &l, loadSelect, id)
	return l, err
}

// EndLoad says how a load ended. Of one that was dropped nothing is kept but its name
// and its sum.
func (q Q) EndLoad(ctx context.Context, id int64, state string, added, unchanged int) error {
	if _, err := q.exec(ctx, `update load set state = $2, added = $3, unchanged = $4, body = case when $2 = 'dropped' then '' else body end
		where id = $1`, id, state, added, unchanged); err != nil || state != "dropped" {
		return err
	}
	_, err := q.exec(ctx, `with seen as (delete from load_seen where load_id = $1) delete from load_mend where load_id = $1`, id)
	return err
}

// Loads lists the newest 50.
func (q Q) Loads(ctx context.Context) (ls []Load, err error) {
	err = q.all(ctx, &ls, `select l.id, l.kind, l.file_name, l.state, l.person_id, l.at, l.added, l.unchanged, p.name as person
		from load l join person p on p.id = l.person_id order by l.id desc limit 50`)
	return ls, err
}

// LoadRun is a load that is being gone through, loaded or taken back.
type LoadRun struct {
	LoadID int64  `db:"load_id"`
	Doing  string `db:"doing"` // reading, loading, taking back
	Done   int    `db:"done"`
	Of     int    `db:"of_rows"`
	Stop   bool   `db:"stop"`
	Ended  bool   `db:"ended"`
	Failed string `db:"failed"` // why it came to nothing; ""
	Silent bool   `db:"silent"` // it gave no sign of life for a while: its server ended
}

// runSilent is how long a run may give no sign of life.
const runSilent = `interval '20 seconds'`

// BeginRun begins a run, unless one is under way, and says whether it did.
func (q Q) BeginRun(ctx context.Context, load int64, doing string) (bool, error) {
	n, err := q.exec(ctx, `insert into load_run (load_id, doing, beat_at) values ($1, $2, clock_timestamp())
		on conflict (load_id) do update set doing = excluded.doing, beat_at = excluded.beat_at, done = 0, of_rows = 0, stop = false,
			ended = false, failed = ''
		where load_run.ended or load_run.beat_at < clock_timestamp() - `+runSilent, load, doing)
	return n > 0, err
}

// BeatRun says how far a run is, and asks whether it is to stop.
func (q Q) BeatRun(ctx context.Context, load int64, done, of int) (stop bool, err error) {
	err = q.get(ctx, &stop, `update load_run set beat_at = clock_timestamp(), done = $2, of_rows = $3 where load_id = $1 returning stop`,
		load, done, of)
	return stop, err
}

// StopRun asks a run to stop.
func (q Q) StopRun(ctx context.Context, load int64) error {
	_, err := q.exec(ctx, `update load_run set stop = true where load_id = $1 and not ended`, load)
	return err
}

// EndRun ends a run; failed says why it came to nothing, or is "".
func (q Q) EndRun(ctx context.Context, load int64, failed string) error {
	_, err := q.exec(ctx, `update load_run set ended = true, failed = left($2, 2000) where load_id = $1`, load, failed)
	return err
}

// Run reads a load's run; ErrNotFound where there was none.
func (q Q) Run(ctx context.Context, load int64) (r LoadRun, err error) {
	err = q.get(ctx, &r, `select load_id, doing, done, of_rows, stop, ended, failed,
		not ended and beat_at < clock_timestamp() - `+runSilent+` as silent from load_run where load_id = $1`, load)
	return r, err
}

// SetSeen keeps what a file was seen to hold.
func (q Q) SetSeen(ctx context.Context, load int64, seen any, at time.Time) error {
	b, err := json.Marshal(seen)
	if err != nil {
		return fmt.Errorf("keeping what a file holds: %w", err)
	}
	_, err = q.exec(ctx, `insert into load_seen (load_id, seen, at) values ($1, $2, $3)
		on conflict (load_id) do update set seen = excluded.seen, at = excluded.at`, load, b, at)
	return err
}

// Seen reads what a file was seen to hold into seen, and when; ErrNotFound where it was not
// gone through.
func (q Q) Seen(ctx context.Context, load int64, seen any) (at time.Time, err error) {
	var row struct {
		Seen []byte    `db:"seen"`
		At   time.Time `db:"at"`
	}
	if err := q.get(ctx, &row, `select seen, at from load_seen where load_id = $1`, load); err != nil {
		return at, err
	}
	return row.At, json.Unmarshal(row.Seen, seen)
}

// Mend is a cell that was mended in a file's preview.
type Mend struct {
	Line  int    `db:"line"`
	Field string `db:"field"`
	Value string `db:"value"`
}

// SetMends keeps mended cells, over those of before.
func (q Q) SetMends(ctx context.Context, load int64, ms []Mend) error {
	lines, fields, values := make([]int, len(ms)), make([]string, len(ms)), make([]string, len(ms))
	for i, m := range ms {
		lines[i], fields[i], values[i] = m.Line, m.Field, m.Value
	}
	_, err := q.exec(ctx, `insert into load_mend (load_id, line, field, value) select $1, * from unnest($2::int[], $3::text[], $4::text[])
		on conflict (load_id, line, field) do update set value = excluded.value`, load, lines, fields, values)
	return err
}

// Mends lists a file's mended cells.
func (q Q) Mends(ctx context.Context, load int64) (ms []Mend, err error) {
	err = q.all(ctx, &ms, `select line, field, value from load_mend where load_id = $1 order by line, field`, load)
	return ms, err
}

// SetAdded keeps what a load added.
func (q Q) SetAdded(ctx context.Context, load int64, keys []string) error {
	_, err := q.exec(ctx, `insert into load_added (load_id, key) select $1, unnest($2::text[])`, load, keys)
	return err
}

// LoadBack is a load that was taken back.
type LoadBack struct {
	Person string    `db:"person"`
	At     time.Time `db:"at"`
	Reason string    `db:"reason"`
	Taken  int       `db:"taken"`
	Stayed int       `db:"stayed"`
}

// Back reads how a load was taken back; ErrNotFound where it was not.
func (q Q) Back(ctx context.Context, load int64) (b LoadBack, err error) {
	err = q.get(ctx, &b, `select p.name as person, b.at, b.reason, b.taken, b.stayed from load_back b join person p on p.id = b.person_id
		where b.load_id = $1`, load)
	return b, err
}

// SetBack keeps that a load was taken back.
func (q Q) SetBack(ctx context.Context, load, by int64, b LoadBack) error {
	_, err := q.exec(ctx, `insert into load_back (load_id, person_id, at, reason, taken, stayed) values ($1, $2, $3, $4, $5, $6)`,
		load, by, b.At, b.Reason, b.Taken, b.Stayed)
	return err
}

// Stays is a row of a load that cannot be taken back, and what was done with it since.
type Stays struct {
	Key string `db:"key"`
	Why string `db:"why"` // worked, measured, looked at, moved, photos, wood, labels, batches, changed, gone
}

// added finds the rows of a load's kind: what they are called, and why one stays, as a query
// of key, why ("" where nothing holds it) for the load $1.
var added = map[string]string{
	"lots": `select a.key, case when l.id is null then 'gone'
		when exists (select from batch_thread x where x.lot_id = l.id) or exists (select from any_tag x where x.lot_id = l.id) then 'worked'
		when exists (select from caliper_reading x where x.lot_id = l.id) then 'measured'
		when exists (select from lot_look x where x.lot_id = l.id) or exists (select from let_in x where x.lot_id = l.id) then 'looked at'
		when exists (select from lot_move x where l.id in (x.lot_id, x.new_lot_id)) or exists (select from lot_taper x where x.lot_id =
		l.id)
			or exists (select from any_lot x where x.came_from_lot = l.id) or exists (select from tree x where x.from_lot = l.id)
			or exists (select from limb x where x.lot_id = l.id) or exists (select from row_stand x where x.lot_id = l.id)
			or (select count(*) from stock_ledger x where x.lot_id = l.id) > 1 then 'moved'
		else '' end as why from load_added a left join stock_lot l on l.code = a.key where a.load_id = $1`,
	"bundles": `select a.key, case when b.id is null then 'gone'
		when exists (select from batch_thread x where x.bundle_id = b.id) or exists (select from any_tag x where x.bundle_id = b.id)
			then 'worked'
		when exists (select from any_look x where x.bundle_id = b.id) or exists (select from let_in x where x.bundle_id = b.id)
			then 'looked at'
		when (select count(*) from bundle_stay x where x.bundle_id = b.id) > 1
			or (select count(*) from wood_ledger x where x.bundle_id = b.id) > 1 then 'moved'
		when exists (select from wood_label x where x.bundle_id = b.id) then 'labels'
		else '' end as why from load_added a left join wood_bundle b on b.code = a.key where a.load_id = $1`,
	"plants": `select a.key, case when m.id is null then 'gone'
		when exists (select from wood_bundle x where x.plant_id = m.id) then 'wood'
		when exists (select from plant_photo x where x.plant_id = m.id) then 'photos'
		when exists (select from wood_label x where x.plant_id = m.id) then 'labels'
		else '' end as why from load_added a left join mother_plant m on m.code = a.key where a.load_id = $1`,
	"orders": `select a.key, case when o.id is null then 'gone'
		when exists (select from batch x where x.order_id = o.id) then 'batches'
		when exists (select from tree_move x where x.order_id = o.id) then 'deliveries'
		when o.closed_on is not null or o.tree_cents is not null then 'changed'
		else '' end as why from load_added a left join orders o on o.code = a.key where a.load_id = $1`,
	"readings": `select a.key, case when r.lot_id is null then 'gone' else '' end as why from load_added a
		left join caliper_reading r on r.lot_id = split_part(a.key, '/', 1)::bigint and r.taken_on = split_part(a.key, '/', 2)::date
			and r.no = split_part(a.key, '/', 3)::int where a.load_id = $1`,
	"store": `select a.key, case when r.place_id is null then 'gone' else '' end as why from load_added a
		left join store_reading r on r.place_id = split_part(a.key, '/', 1)::bigint
			and r.at = to_timestamp(split_part(a.key, '/', 2)::bigint) where a.load_id = $1`,
	"weather": `select a.key, case when w.on_day is null then 'gone' when w.source <> 'file' then 'changed' else '' end as why
		from load_added a left join weather_day w on w.on_day = a.key::date where a.load_id = $1`,
}

// taking is a step of taking rows back: a statement of their keys, the time, and who does
// it, of which it has the first few.
type taking struct {
	do   string
	args int
}

// take removes a load's rows, or sets them aside where a ledger tells of them.
var take = map[string][]taking{
	"lots": {
		{`insert into stock_ledger (lot_id, n, from_account, to_account, reason, note, at, person_id)
			select b.lot_id, b.n, 'free', 'outside', 'put right', 'load taken back', $2, $3 from stock_balance b
			join stock_lot l on l.id = b.lot_id where l.code = any($1) and b.account = 'free' and b.n > 0`, 3},
		{`update any_lot set taken_back_at = $2, code = 'BACK.' || id where taken_back_at is null and code = any($1)`, 2},
	},
	"bundles": {
		{`insert into wood_ledger (bundle_id, n, from_account, to_account, reason, note, at, person_id)
			select w.bundle_id, w.n, 'free', 'outside', 'put right', 'load taken back', $2, $3 from wood_balance w
			join wood_bundle b on b.id = w.bundle_id where b.code = any($1) and w.account = 'free' and w.n > 0`, 3},
		{`with gone as (select id, plant_id from wood_bundle where code = any($1)),
			left_of as (select g.plant_id, count(*)::int as n, (select b.id from wood_bundle b where b.plant_id = g.plant_id
				and b.id not in (select id from gone) order by b.cut_on desc, b.id desc limit 1) as last from gone g group by 1)
			update mother_plant m set bundles = m.bundles - x.n, last_bundle_id = x.last from left_of x where x.plant_id = m.id`, 1},
		{`update any_bundle set taken_back_at = $2, code = 'BACK.' || id where taken_back_at is null and code = any($1)`, 2},
	},
	"plants": {{`update any_plant set taken_back_at = $2, code = 'BACK.' || id where taken_back_at is null and code = any($1)`, 2}},
	"orders": {{`delete from orders where code = any($1)`, 1}},
	"readings": {{`delete from caliper_reading r using unnest($1::text[]) a(key) where r.lot_id = split_part(a.key, '/', 1)::bigint
		and r.taken_on = split_part(a.key, '/', 2)::date and r.no = split_part(a.key, '/', 3)::int`, 1}},
	"store": {{`delete from store_reading r using unnest($1::text[]) a(key) where r.place_id = split_part(a.key, '/', 1)::bigint
		and r.at = to_timestamp(split_part(a.key, '/', 2)::bigint)`, 1}},
	"weather": {{`delete from weather_day w using unnest($1::text[]) a(key) where w.on_day = a.key::date and w.source = 'file'`, 1}},
}

// LockAdded holds what a load added, so that nobody does anything with it meanwhile.
func (q Q) LockAdded(ctx context.Context, load int64, kind string) error {
	table := map[string]string{"lots": "any_lot", "bundles": "any_bundle", "plants": "any_plant", "orders": "orders"}[kind]
	if table == "" {
		return nil
	}
	var got []int64
	return q.all(ctx, &got, `select id from `+table+` where code in (select key from load_added where load_id = $1) order by id for update`,
		load)
}

// Added says of what a load added which rows would stay, and how many there are in all.
func (q Q) Added(ctx context.Context, load int64, kind string) (stays []Stays, all int, err error) {
	if err = q.get(ctx, &all, `select count(*) from load_added where load_id = $1`, load); err != nil {
		return nil, 0, err
	}
	err = q.all(ctx, &stays, `select key, why from (`+added[kind]+`) x where why <> '' order by key`, load)
	return stays, all, err
}

// TakeBack takes back what a load added and nothing holds, and says how many rows.
func (q Q) TakeBack(ctx context.Context, load int64, kind string, by int64, at time.Time) (int, error) {
	var keys []string
	if err := q.all(ctx, &keys, `select key from (`+added[kind]+`) x where why = ''`, load); err != nil {
		return 0, err
	}
	for _, step := range take[kind] {
		if _, err := q.exec(ctx, step.do, []any{keys, at, by}[:step.args]...); err != nil {
			return 0, err
		}
	}
	return len(keys), nil
}

// HeldBy is the question that is asked of a load of a kind before it is taken back; for the
// test that all that points at its rows is asked.
func HeldBy(kind string) string { return added[kind] }
