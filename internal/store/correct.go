package store

import (
	"context"

	"github.com/jackc/pgx/v5"
)

// Corrections lists what was corrected in something, the newest first.
func (q Q) Corrections(ctx context.Context, what, ref, doing string) (cs []Change, err error) {
	err = q.all(
		ctx,
		&cs,
		`select c.id, c.at, c.person_id, c.request_id, c.what, c.ref, c.doing, c.address, coalesce(c.before::text, '') as before,
			coalesce(c.after::text, '') as after, coalesce(p.name, '') as person
		from change_record c left join person p on p.id = c.person_id where c.what = $1 and c.ref = $2 and c.doing = $3 order by c.id desc`,
		what,
		ref,
		doing,
	)
	return cs, err
}

// CorrectOrder puts what was typed of an order right.
func (q Q) CorrectOrder(ctx context.Context, o Order) error {
	return q.named(ctx, `update orders set variety_id = :variety_id, stock_type_id = :stock_type_id, trees = :trees, due_on = :due_on,
		priority = :priority, buyer = :buyer, tree_cents = :tree_cents where id = :id`, o)
}

// CorrectLot puts what was typed of a lot right; the ledger is moved apart.
func (q Q) CorrectLot(ctx context.Context, l Lot) error {
	return q.named(
		ctx,
		`update stock_lot set stock_type_id = :stock_type_id, supplier = :supplier, received_on = :received_on, form = :form,
		place = :place, received = :received, grade_low_mm = :grade_low_mm, grade_high_mm = :grade_high_mm, health = :health where id =
		:id`,
		l,
	)
}

// CorrectPlant puts what was typed of a mother plant right.
func (q Q) CorrectPlant(ctx context.Context, p Plant) error {
	return q.named(ctx, `update mother_plant set variety_id = :variety_id, place = :place, planted_year = :planted_year,
		seen_true_by = :seen_true_by, seen_true_on = :seen_true_on, health = :health, licence = :licence where id = :id`, p)
}

// CorrectBundle puts what was typed of a bundle right, and counts the bundles of the plant
// that it was of and of the one that it is of anew; the ledger is moved apart.
func (q Q) CorrectBundle(ctx context.Context, was, b Bundle) error {
	if err := q.named(ctx, `update wood_bundle set plant_id = :plant_id, cut_on = :cut_on, state = :state, sticks = :sticks,
		length_mm = :length_mm, base_mm = :base_mm, tip_mm = :tip_mm, internode_mm = :internode_mm, blind_share = :blind_share,
		buds_per_piece = :buds_per_piece, pieces = :pieces, whole_shoot = :whole_shoot, face_buds = :face_buds, part = :part where id =
		:id`,
		b); err != nil {
		return err
	}
	if !was.CutOn.Equal(b.CutOn) { // it lay at its first place from the day that it was cut
		if _, err := q.exec(ctx, `update bundle_stay s set since = $2 where bundle_id = $1 and since = $3
			and not exists (select 1 from bundle_stay o where o.bundle_id = $1 and o.since = $2)`, b.ID, b.CutOn, was.CutOn); err != nil {
			return err
		}
	}
	_, err := q.exec(ctx, `update mother_plant m set bundles = (select count(*) from wood_bundle b where b.plant_id = m.id),
		last_bundle_id = (select b.id from wood_bundle b where b.plant_id = m.id order by b.cut_on desc, b.id desc limit 1)
		where m.id = any($1)`, []int64{was.PlantID, b.PlantID})
	return err
}

// CorrectBatch puts a batch's tie and healing right.
func (q Q) CorrectBatch(ctx context.Context, id int64, tie, healing string) error {
	_, err := q.exec(ctx, `update batch set tie = $2, healing = $3 where id = $1`, id, tie, healing)
	return err
}

// LotUsed says whether stems of a lot were ever set aside or grafted, and whether it was
// moved.
func (q Q) LotUsed(ctx context.Context, id int64) (used, moved bool, err error) {
	var row struct {
		Used  bool `db:"used"`
		Moved bool `db:"moved"`
	}
	err = q.get(ctx, &row, `select exists (select 1 from stock_ledger where lot_id = $1 and to_account in ('aside', 'grafted')) as used,
		exists (select 1 from lot_move where lot_id = $1 or new_lot_id = $1) as moved`, id)
	return row.Used, row.Moved, err
}

// BundleUsed says whether pieces of a bundle were ever set aside or grafted.
func (q Q) BundleUsed(ctx context.Context, id int64) (used bool, err error) {
	err = q.get(ctx, &used, `select exists (select 1 from wood_ledger where bundle_id = $1 and to_account in ('aside', 'grafted'))`, id)
	return used, err
}

// PlantUsed says whether wood of a plant was ever set aside or grafted.
func (q Q) PlantUsed(ctx context.Context, id int64) (used bool, err error) {
	err = q.get(ctx, &used, `select exists (select 1 from wood_ledger l join wood_bundle b on b.id = l.bundle_id where b.plant_id = $1
		and l.to_account in ('aside', 'grafted'))`, id)
	return used, err
}

// LockPlant holds a mother plant until the end of the transaction.
func (q Q) LockPlant(ctx context.Context, id int64) error {
	_, err := q.exec(ctx, `select 1 from mother_plant where id = $1 for update`, id)
	return err
}

// Name is a variety's or a stock's name, and what bears it.
type Name struct {
	ID      int64  `db:"id"`
	Genus   string `db:"genus"`
	Name    string `db:"name"`
	Orders  int    `db:"orders"`
	Bearers int    `db:"bearers"` // mother plants, or lots
}

// namesOf are the tables in which names stand and are borne, by what they are of.
var namesOf = map[bool]struct{ table, column, bearer string }{
	false: {"variety", "variety_id", "mother_plant"},
	true:  {"stock_type", "stock_type_id", "stock_lot"},
}

// NamesOf lists the names of varieties or of stocks, with what bears them. after is the
// name to go on from, in its genus.
func (q Q) NamesOf(ctx context.Context, stock bool) (ns []Name, err error) {
	t := namesOf[stock]
	err = q.all(ctx, &ns, `select n.id, n.genus, n.name, (select count(*) from orders o where o.`+t.column+` = n.id)::int as orders,
		(select count(*) from `+t.bearer+` b where b.`+t.column+` = n.id)::int as bearers from `+t.table+` n order by n.genus,
			lower(n.name)`)
	return ns, err
}

// LockName gives one and holds it until the end of the transaction.
func (q Q) LockName(ctx context.Context, stock bool, id int64) (n Name, err error) {
	t := namesOf[stock]
	err = q.get(ctx, &n, `select n.id, n.genus, n.name, (select count(*) from orders o where o.`+t.column+` = n.id)::int as orders,
		(select count(*) from `+t.bearer+` b where b.`+t.column+` = n.id)::int as bearers from `+t.table+` n where n.id = $1 for update`,
		id)
	return n, err
}

// Rename gives a variety or a stock another name. ErrTaken: another bears it.
func (q Q) Rename(ctx context.Context, stock bool, id int64, name string) error {
	_, err := q.exec(ctx, `update `+namesOf[stock].table+` set name = $2 where id = $1`, id, name)
	return err
}

// MergeNames lets everything that bore one name bear another, and ends the one. Whatever
// points at a name is found by its foreign key.
func (q Q) MergeNames(ctx context.Context, stock bool, from, into int64) error {
	t := namesOf[stock]
	var refs []struct {
		Table  string `db:"tab"`
		Column string `db:"col"`
	}
	if err := q.all(ctx, &refs, `select k.relname as tab, a.attname as col from pg_constraint c join pg_class k on k.oid = c.conrelid
			join pg_attribute a on a.attrelid = k.oid and a.attnum = c.conkey[1]
		where c.contype = 'f' and c.confrelid = $1::regclass and k.relnamespace = 'public'::regnamespace order by 1, 2`, t.table); err !=
		nil {
		return err
	}
	if !stock { // of what is noted once of a variety, or once a year, that of the other stands
		if _, err := q.exec(ctx, `delete from flowering a using flowering b where a.variety_id = $1 and b.variety_id = $2 and a.year =
			b.year`, from,
			into); err != nil {
			return err
		}
		if _, err := q.exec(ctx, `delete from variety_note where variety_id = $1 and exists (select from variety_note where variety_id =
			$2)`, from,
			into); err != nil {
			return err
		}
	}
	for _, r := range refs {
		column := pgx.Identifier{r.Column}.Sanitize()
		if _, err := q.exec(ctx, `update `+pgx.Identifier{r.Table}.Sanitize()+` set `+column+` = $2 where `+column+` = $1`, from,
			into); err != nil {
			return err
		}
	}
	_, err := q.exec(ctx, `delete from `+t.table+` where id = $1`, from)
	return err
}

// Place is where something stands, lies or heals, and how much bears its name now.
type Place struct {
	Name    string `db:"name"`
	Store   bool   `db:"store"` // with a temperature
	Lots    int    `db:"lots"`
	Bundles int    `db:"bundles"`
	Plants  int    `db:"plants"`
	Tags    int    `db:"tags"`
}

// placesNow are the names of places as they are written, whatever bears them.
const placesNow = `select name, lower(name) as k, true as store, 0 as lots, 0 as bundles, 0 as plants, 0 as tags from store_place
	union all select place, lower(place), false, 1, 0, 0, 0 from stock_lot where place <> ''
	union all select place, lower(place), false, 0, 1, 0, 0 from wood_bundle where place <> ''
	union all select place, lower(place), false, 0, 0, 1, 0 from mother_plant where place <> ''
	union all select heal_place, lower(heal_place), false, 0, 0, 0, 1 from tag where heal_place <> ''`

// Places lists them, by name.
func (q Q) Places(ctx context.Context) (ps []Place, err error) {
	err = q.all(ctx, &ps, `select min(name) as name, bool_or(store) as store, sum(lots)::int as lots, sum(bundles)::int as bundles,
		sum(plants)::int as plants, sum(tags)::int as tags from (`+placesNow+`) x group by k order by k`)
	return ps, err
}

// RenamePlace gives a place another name wherever it stands now. What moves and steps were
// noted of it keep the name that it had. ErrTaken: a store bears the other name.
func (q Q) RenamePlace(ctx context.Context, from, to string) error {
	for _, do := range []string{
		`update store_place set name = $2 where lower(name) = lower($1)`,
		`update any_lot set place = $2 where lower(place) = lower($1)`,
		`update any_bundle set place = $2 where lower(place) = lower($1)`,
		`update bundle_stay set place = $2 where lower(place) = lower($1)`,
		`update any_plant set place = $2 where lower(place) = lower($1)`,
		`update any_tag set heal_place = $2 where lower(heal_place) = lower($1)`,
		`update tag_stay set place = $2 where lower(place) = lower($1)`,
		`update round set place = $2 where lower(place) = lower($1)`,
		`update amiss set place = $2 where lower(place) = lower($1)`,
	} {
		if _, err := q.exec(ctx, do, from, to); err != nil {
			return err
		}
	}
	return nil
}
