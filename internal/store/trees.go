package store

import (
	"context"
	"time"
)

// Tree is a tree of several unions, or trees alike.
type Tree struct {
	ID       int64     `db:"id"`
	Code     string    `db:"code"`
	Kind     string    `db:"kind"` // standing, family, interstem
	Genus    string    `db:"genus"`
	Stock    string    `db:"stock"` // what its trunk is
	Place    string    `db:"place"`
	Planted  *int      `db:"planted"`  // the year
	GirthMM  *int      `db:"girth_mm"` // of the trunk
	Trees    int       `db:"trees"`    // alike, that are begun
	Wanted   int       `db:"wanted"`
	FromLot  string    `db:"from_lot"` // the code of the lot on whose stems they stand; "" for a standing tree
	Buyer    string    `db:"buyer"`
	Note     string    `db:"note"`
	PersonID int64     `db:"person_id"`
	MadeAt   time.Time `db:"made_at"`
	Limbs    int       `db:"limbs"` // that stand
	Grafts   int       `db:"grafts"`
	Alive    int       `db:"alive"` // or healing
}

const treeSelect = `select t.id, t.code, t.kind, t.genus, t.stock, t.place, t.planted, t.girth_mm, t.trees, t.wanted, coalesce(f.code,
	'') as from_lot,
	t.buyer, t.note, t.person_id, t.made_at, n.limbs, n.grafts, n.alive
	from tree t left join any_lot f on f.id = t.from_lot
	cross join lateral (select count(distinct m.id) filter (where m.removed_on is null)::int as limbs, coalesce(sum(g.tied), 0)::int as
	grafts,
		coalesce(sum(g.standing), 0)::int as alive from limb m left join tag g on g.lot_id = m.lot_id where m.tree_id = t.id) n `

// TreesKept lists the trees of several unions, by their codes.
func (q Q) TreesKept(ctx context.Context) (ts []Tree, err error) {
	err = q.all(ctx, &ts, treeSelect+`order by t.code`)
	return ts, err
}

// TreeByCode gives one of them.
func (q Q) TreeByCode(ctx context.Context, code string) (t Tree, err error) {
	err = q.get(ctx, &t, treeSelect+`where t.code = $1`, code)
	return t, err
}

// LockTree holds a tree, so that nothing else is done to its limbs meanwhile.
func (q Q) LockTree(ctx context.Context, id int64) error {
	var got int64
	return q.get(ctx, &got, `select id from tree where id = $1 for update`, id)
}

// AddTree keeps a tree.
func (q Q) AddTree(ctx context.Context, t Tree, fromLot int64) (id int64, err error) {
	err = q.get(ctx, &id, `insert into tree (code, kind, genus, stock, place, planted, girth_mm, trees, wanted, from_lot, buyer, note,
		person_id, made_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, nullif($10::bigint, 0), $11, $12, $13, $14) returning id`, t.Code, t.Kind, t.Genus,
		t.Stock,
		t.Place, t.Planted, t.GirthMM, t.Trees, t.Wanted, fromLot, t.Buyer, t.Note, t.PersonID, t.MadeAt)
	return id, err
}

// SetTree keeps what is noted of a standing tree.
func (q Q) SetTree(ctx context.Context, id int64, place, note string, planted, girth *int) error {
	_, err := q.exec(ctx, `update tree set place = $2, note = $3, planted = $4, girth_mm = $5 where id = $1`, id, place, note, planted,
		girth)
	return err
}

// Limb is a limb of a tree, or of each of trees alike.
type Limb struct {
	ID          int64      `db:"id"`
	TreeID      int64      `db:"tree_id"`
	Letter      string     `db:"letter"`
	Name        string     `db:"name"`
	StockTypeID int64      `db:"stock_type_id"`
	Genus       string     `db:"genus"` // of what is grafted on
	LotID       int64      `db:"lot_id"`
	Lot         string     `db:"lot"`
	Nurse       bool       `db:"nurse"`
	FromY       int        `db:"from_y"`
	TipX        int        `db:"tip_x"`
	TipY        int        `db:"tip_y"`
	HeightCM    *int       `db:"height_cm"`
	RemovedOn   *time.Time `db:"removed_on"`
	RemovedWhy  string     `db:"removed_why"`
	MadeAt      time.Time  `db:"made_at"`
	Form        string     `db:"form"`
	Places      int        `db:"places"` // for grafts, of all trees alike
	Free        int        `db:"free"`   // of them
	MM          *float64   `db:"mm"`     // the mean of the newest day's readings, or of its grade
	Order       string     `db:"order_code"`
	Variety     string     `db:"variety"` // that is wanted on it; "" where none is
	Scion       string     `db:"scion"`   // its genus
	Trees       int        `db:"trees"`   // that are to bear it
}

const limbSelect = `select m.id, m.tree_id, m.letter, m.name, m.stock_type_id, s.genus, m.lot_id, l.code as lot, m.nurse, m.from_y,
	m.tip_x, m.tip_y,
	m.height_cm, m.removed_on, m.removed_why, m.made_at, l.form, l.received as places,
	coalesce((select n from stock_balance b where b.lot_id = m.lot_id and b.account = 'free'), 0)::int as free,
	coalesce((select avg(r.mm)::float8 from caliper_reading r where r.lot_id = m.lot_id and r.taken_on = (select max(taken_on) from
	caliper_reading x
		where x.lot_id = m.lot_id)), ((l.grade_low_mm + l.grade_high_mm) / 2)::float8) as mm,
	coalesce(o.code, '') as order_code, coalesce(v.name, '') as variety, coalesce(v.genus, '') as scion, coalesce(o.trees, 0) as trees
	from limb m join stock_type s on s.id = m.stock_type_id join any_lot l on l.id = m.lot_id
	left join lateral (select * from orders o where o.stock_type_id = m.stock_type_id order by o.closed_on is not null, o.id desc limit
	1) o on true
	left join variety v on v.id = o.variety_id `

// LimbsOf lists the limbs of a tree, those that are gone too, by their letters.
func (q Q) LimbsOf(ctx context.Context, tree int64) (ls []Limb, err error) {
	err = q.all(ctx, &ls, limbSelect+`where m.tree_id = $1 order by m.letter`, tree)
	return ls, err
}

// AddLimb keeps a limb.
func (q Q) AddLimb(ctx context.Context, m Limb) (id int64, err error) {
	err = q.get(ctx, &id, `insert into limb (tree_id, letter, name, stock_type_id, lot_id, nurse, from_y, tip_x, tip_y, height_cm, made_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11) returning id`, m.TreeID, m.Letter, m.Name, m.StockTypeID, m.LotID, m.Nurse,
		m.FromY, m.TipX, m.TipY, m.HeightCM, m.MadeAt)
	return id, err
}

// SetLimb keeps how a limb is named, drawn and used.
func (q Q) SetLimb(ctx context.Context, m Limb) error {
	_, err := q.exec(ctx, `update limb set name = $2, nurse = $3, from_y = $4, tip_x = $5, tip_y = $6, height_cm = $7, removed_on = $8,
		removed_why = $9 where id = $1`, m.ID, m.Name, m.Nurse, m.FromY, m.TipX, m.TipY, m.HeightCM, m.RemovedOn, m.RemovedWhy)
	return err
}

// AddPlaces makes room for more grafts on a lot of places, and receives them.
func (q Q) AddPlaces(ctx context.Context, lot int64, n int, by int64, at time.Time) error {
	if _, err := q.exec(ctx, `update any_lot set received = received + $2 where id = $1`, lot, n); err != nil {
		return err
	}
	return q.MoveStock(ctx, Move{Of: lot, N: n, From: Outside, To: Free, Reason: "received", PersonID: by, At: at})
}

// LimbTag is the grafts of a tag on a limb.
type LimbTag struct {
	LotID     int64      `db:"lot_id"`
	ID        int64      `db:"id"`
	Code      string     `db:"code"`
	Variety   string     `db:"variety"`
	Technique string     `db:"technique"`
	Key       string     `db:"key"`
	Worker    string     `db:"worker"`
	Bundle    string     `db:"bundle"`
	Day       time.Time  `db:"day"`
	Finished  *time.Time `db:"finished_at"`
	Planned   int        `db:"planned"`
	Tied      int        `db:"tied"`
	Standing  int        `db:"standing"`
	Doubtful  int        `db:"doubtful"`
	Cut       int        `db:"cut"` // alive, because a better one stood beside it
	Looked    bool       `db:"looked"`
	StockMM   float64    `db:"stock_mm"`
	WoodMM    float64    `db:"wood_mm"`
	Cause     string     `db:"cause"` // of most of what died
}

// LimbTags lists the grafts on the limbs of a tree, oldest first.
func (q Q) LimbTags(ctx context.Context, tree int64) (ts []LimbTag, err error) {
	err = q.all(ctx, &ts, `select t.lot_id, t.id, t.code, v.name as variety, k.name as technique, t.technique as key, p.name as worker,
		w.code as bundle,
		t.day, t.finished_at, t.planned, t.tied, t.standing, coalesce(c.doubtful, 0) as doubtful, t.below as cut, t.look_id is not null
		as looked,
		((t.stock_low + t.stock_high) / 2)::float8 as stock_mm, ((t.wood_low + t.wood_high) / 2)::float8 as wood_mm,
		coalesce((select x.cause from take_count e join count_cause x on x.count_id = e.id where e.tag_id = t.id and not exists (select 1
			from take_count r where r.replaces_id = e.id) group by 1 order by sum(x.n) desc, x.cause limit 1), '') as cause
		from limb m join graded_tag t on t.lot_id = m.lot_id join batch b on b.id = t.batch_id and b.undone_at is null join orders o on
		o.id = b.order_id
		join variety v on v.id = o.variety_id join technique k on k.key = t.technique join person p on p.id = t.worker_id
		join any_bundle w on w.id = t.bundle_id left join take_count c on c.id = t.look_id where m.tree_id = $1 order by t.id`, tree)
	return ts, err
}

// LimbAct is something done on a limb.
type LimbAct struct {
	ID       string     `db:"id"`
	LimbID   int64      `db:"limb_id"`
	What     string     `db:"what"`
	N        int        `db:"n"`
	On       time.Time  `db:"on_day"`
	Note     string     `db:"note"`
	PersonID int64      `db:"person_id"`
	Person   string     `db:"person"`
	At       time.Time  `db:"at"`
	UndoneAt *time.Time `db:"undone_at"`
}

// LimbActs lists what was done on the limbs of a tree, newest first.
func (q Q) LimbActs(ctx context.Context, tree int64) (as []LimbAct, err error) {
	err = q.all(ctx, &as, `select a.id::text as id, a.limb_id, a.what, a.n, a.on_day, a.note, a.person_id, p.name as person, a.at,
		a.undone_at
		from limb_act a join limb m on m.id = a.limb_id join person p on p.id = a.person_id where m.tree_id = $1 order by a.at desc`, tree)
	return as, err
}

// AddLimbAct keeps one. known says that it is kept already: it was sent twice.
func (q Q) AddLimbAct(ctx context.Context, a LimbAct) (known bool, err error) {
	n, err := q.exec(ctx, `insert into limb_act (id, limb_id, what, n, on_day, note, person_id, at) values ($1, $2, $3, $4, $5, $6, $7, $8)
		on conflict do nothing`, a.ID, a.LimbID, a.What, a.N, a.On, a.Note, a.PersonID, a.At)
	return n == 0, err
}

// UndoLimbAct takes one back, with the cuts that were made in it.
func (q Q) UndoLimbAct(ctx context.Context, id string, at time.Time) error {
	if _, err := q.exec(ctx, `update limb_act set undone_at = $2 where id = $1 and undone_at is null`, id, at); err != nil {
		return err
	}
	_, err := q.exec(ctx, `update tree_move set undone_at = $2 where act = $1 and undone_at is null`, id, at)
	return err
}

// VarietyNote is what is known of a variety's flowers.
type VarietyNote struct {
	VarietyID int64           `db:"variety_id"`
	Name      string          `db:"name"`
	Genus     string          `db:"genus"`
	Ploidy    *int            `db:"ploidy"`
	Group     string          `db:"set_group"`
	Alone     *bool           `db:"sets_alone"`
	Flowered  List[Flowering] `db:"flowered"`
	Spots     List[At]        `db:"spots"` // of its mother plants, where that is noted
}

// At is a spot, in metres.
type At struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
}

// Flowering is when a variety flowered in a year.
type Flowering struct {
	Year  int `json:"year"`
	First Day `json:"first"`
	Last  Day `json:"last"`
}

// VarietyNotes lists every variety with what is known of its flowers, by genus and name.
func (q Q) VarietyNotes(ctx context.Context) (vs []VarietyNote, err error) {
	err = q.all(ctx, &vs, `select v.id as variety_id, v.name, v.genus, n.ploidy, coalesce(n.set_group, '') as set_group, n.sets_alone,
		(select json_agg(json_build_object('year', f.year, 'first', f.first_on, 'last', f.last_on) order by f.year) from flowering f
			where f.variety_id = v.id)::text as flowered,
		(select json_agg(json_build_object('x', s.east, 'y', s.north)) from mother_plant p join spot s on lower(s.place) = lower(p.place)
			where p.variety_id = v.id)::text as spots
		from variety v left join variety_note n on n.variety_id = v.id order by v.genus, v.name`)
	return vs, err
}

// SetVarietyNote keeps what is noted of a variety.
func (q Q) SetVarietyNote(ctx context.Context, n VarietyNote, by int64, at time.Time) error {
	_, err := q.exec(ctx, `insert into variety_note (variety_id, ploidy, set_group, sets_alone, person_id, at) values ($1, $2, $3, $4,
		$5, $6)
		on conflict (variety_id) do update set ploidy = excluded.ploidy, set_group = excluded.set_group, sets_alone = excluded.sets_alone,
		person_id = excluded.person_id, at = excluded.at`, n.VarietyID, n.Ploidy, n.Group, n.Alone, by, at)
	return err
}

// SetFlowering keeps when a variety flowered in a year; both zero take it out.
func (q Q) SetFlowering(ctx context.Context, variety int64, year int, first, last time.Time, by int64, at time.Time) error {
	if first.IsZero() {
		_, err := q.exec(ctx, `delete from flowering where variety_id = $1 and year = $2`, variety, year)
		return err
	}
	_, err := q.exec(ctx, `insert into flowering (variety_id, year, first_on, last_on, person_id, at) values ($1, $2, $3, $4, $5, $6)
		on conflict (variety_id, year) do update set first_on = excluded.first_on, last_on = excluded.last_on, person_id =
		excluded.person_id,
		at = excluded.at`, variety, year, first, last, by, at)
	return err
}

// TakePlaces takes free places away from a lot of places.
func (q Q) TakePlaces(ctx context.Context, lot int64, n int, by int64, at time.Time) error {
	if err := q.MoveStock(ctx, Move{Of: lot, N: n, From: Free, To: Outside, Reason: "recount", PersonID: by, At: at}); err != nil {
		return err
	}
	_, err := q.exec(ctx, `update any_lot set received = received - $2 where id = $1`, lot, n)
	return err
}

// Spot is where a place stands, in metres east and north of the yard.
type Spot struct {
	Place string  `db:"place"`
	East  float64 `db:"east"`
	North float64 `db:"north"`
}

// Spots lists the places of which that is noted.
func (q Q) Spots(ctx context.Context) (ss []Spot, err error) {
	err = q.all(ctx, &ss, `select place, east, north from spot order by place`)
	return ss, err
}

// SetSpot keeps where a place stands.
func (q Q) SetSpot(ctx context.Context, s Spot, by int64, at time.Time) error {
	_, err := q.exec(ctx, `insert into spot (place, east, north, person_id, at) values ($1, $2, $3, $4, $5) on conflict (place) do update
		set
		east = excluded.east, north = excluded.north, person_id = excluded.person_id, at = excluded.at`, s.Place, s.East, s.North, by, at)
	return err
}

// BuyerSet is the varieties that a buyer has ordered and not had yet.
type BuyerSet struct {
	Buyer     string       `db:"buyer"`
	Varieties List[string] `db:"varieties"`
}

// BuyerSets lists the buyers of open orders of a genus with more than one variety of it.
func (q Q) BuyerSets(ctx context.Context, genus string) (bs []BuyerSet, err error) {
	err = q.all(ctx, &bs, `select buyer, json_agg(name order by name)::text as varieties from (select distinct o.buyer, v.name from orders o
		join variety v on v.id = o.variety_id where o.closed_on is null and o.buyer <> '' and v.genus = $1) x group by buyer having
		count(*) > 1
		order by buyer`, genus)
	return bs, err
}
