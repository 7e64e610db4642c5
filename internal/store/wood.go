package store

import (
	"context"
	"time"
)

// Variety is a cultivar.
type Variety struct {
	ID      int64  `db:"id"`
	Genus   string `db:"genus"`
	Name    string `db:"name"`
	Section string `db:"section"` // or species; "" where it is not noted
}

// Varieties lists them by name.
func (q Q) Varieties(ctx context.Context) (vs []Variety, err error) {
	err = q.all(ctx, &vs, `select * from variety order by name, genus`)
	return vs, err
}

// VarietyFor finds a variety by name and genus, and adds it if new.
func (q Q) VarietyFor(ctx context.Context, name, genus string) (id int64, err error) {
	err = q.get(ctx, &id, `with new as (insert into variety (genus, name) values ($2, $1) on conflict do nothing returning id)
		select id from new union all select id from variety where lower(name) = lower($1) and genus = $2 limit 1`, name, genus)
	return id, err
}

// Plant is a mother plant.
type Plant struct {
	ID          int64      `db:"id"`
	Code        string     `db:"code"`
	VarietyID   int64      `db:"variety_id"`
	Variety     string     `db:"variety"`
	Genus       string     `db:"genus"`
	Place       string     `db:"place"`
	PlantedYear *int       `db:"planted_year"`
	SeenTrueBy  string     `db:"seen_true_by"`
	SeenTrueOn  *time.Time `db:"seen_true_on"`
	Health      string     `db:"health"`
	Licence     string     `db:"licence"`
	MadeAt      time.Time  `db:"made_at"`
	Bundles     int        `db:"bundles"`
	LastBundle  *int64     `db:"last_bundle_id"`
	Bought      bool       `db:"bought"`       // it stands for a source of bought wood, and is not cut from here
	Gives       *int       `db:"gives_sticks"` // in a season, as somebody judged; nil where nobody did
	MostSticks  int        `db:"most_sticks"`  // cut of it in a season before
	CutSticks   int        `db:"cut_sticks"`   // cut of it in this season
}

const plantSelect = `select m.*, v.name as variety, v.genus from mother_plant m join variety v on v.id = m.variety_id `

// Plants lists the mother plants that pass a sieve's words, from a code on.
func (q Q) Plants(ctx context.Context, s Sieve, after string, limit int) (ps []Plant, err error) {
	err = q.all(ctx, &ps, plantSelect+`where m.code > $1 and`+found("$3", plantNames)+` order by m.code limit $2`, after, limit, s.words())
	return ps, err
}

// PlantByCode finds one.
func (q Q) PlantByCode(ctx context.Context, code string) (p Plant, err error) {
	err = q.get(ctx, &p, plantSelect+`where m.code = $1`, code)
	return p, err
}

const plantInsert = `insert into mother_plant (code, variety_id, place, planted_year, seen_true_by, seen_true_on, health, licence, made_at,
		bought)
	values (:code, :variety_id, :place, :planted_year, :seen_true_by, :seen_true_on, :health, :licence, :made_at, :bought)
	returning code, id`

// AddPlant keeps a mother plant.
func (q Q) AddPlant(ctx context.Context, p Plant) (int64, error) {
	ids, err := q.insertAll(ctx, plantInsert, []Plant{p})
	return ids[p.Code], err
}

// AddPlants keeps mother plants.
func (q Q) AddPlants(ctx context.Context, ps []Plant) error {
	_, err := q.insertAll(ctx, plantInsert, ps)
	return err
}

// PlantsByCodes finds those of these codes that are here, by code.
func (q Q) PlantsByCodes(ctx context.Context, codes []string) (map[string]Plant, error) {
	var ps []Plant
	err := q.all(ctx, &ps, plantSelect+`where m.code = any($1)`, codes)
	return byCode(ps, func(p Plant) string { return p.Code }), err
}

// Bundle is wood cut from one mother plant on one day.
type Bundle struct {
	ID           int64      `db:"id"`
	Code         string     `db:"code"`
	PlantID      int64      `db:"plant_id"`
	Plant        string     `db:"plant"`
	VarietyID    int64      `db:"variety_id"`
	Variety      string     `db:"variety"`
	Genus        string     `db:"genus"`
	SeenTrueOn   *time.Time `db:"seen_true_on"`
	CutOn        time.Time  `db:"cut_on"`
	State        string     `db:"state"`
	Sticks       int        `db:"sticks"`
	LengthMM     float64    `db:"length_mm"`
	BaseMM       float64    `db:"base_mm"`
	TipMM        float64    `db:"tip_mm"`
	InternodeMM  float64    `db:"internode_mm"`
	BlindShare   float64    `db:"blind_share"`
	BudsPerPiece int        `db:"buds_per_piece"`
	Usable       string     `db:"usable"`
	Pieces       int        `db:"pieces"`
	Place        string     `db:"place"`
	MadeAt       time.Time  `db:"made_at"`
	Sealed       bool       `db:"sealed"`
	Marks        string     `db:"marks"`
	WholeShoot   bool       `db:"whole_shoot"` // the sticks are whole shoots, not cut from the base
	FaceBuds     int        `db:"face_buds"`   // of a piece, eaten by its face
	CutLate      *time.Time `db:"cut_late"`    // the last day on which it can have been cut; nil: CutOn is known
	Part         string     `db:"part"`        // of the shoot it is from; "" where it is not noted
	Free         int        `db:"free"`
}

const bundleSelect = `select b.*, m.code as plant, m.variety_id, m.seen_true_on, v.name as variety, v.genus,
	coalesce((select n from wood_balance w where w.bundle_id = b.id and account = 'free'), 0) as free
	from wood_bundle b join mother_plant m on m.id = b.plant_id join variety v on v.id = m.variety_id `

// Bundles lists bundles, newest first; after is the id to go on from, or 0.
func (q Q) Bundles(ctx context.Context, after int64, limit int) (bs []Bundle, err error) {
	err = q.all(ctx, &bs, bundleSelect+`where $1 = 0 or b.id < $1 order by b.id desc limit $2`, after, limit)
	return bs, err
}

// BundlesOfPlant lists what was cut from a mother plant.
func (q Q) BundlesOfPlant(ctx context.Context, plantID int64) (bs []Bundle, err error) {
	err = q.all(ctx, &bs, bundleSelect+`where b.plant_id = $1 order by b.cut_on desc, b.id desc`, plantID)
	return bs, err
}

// BundleByCode finds one.
func (q Q) BundleByCode(ctx context.Context, code string) (b Bundle, err error) {
	err = q.get(ctx, &b, bundleSelect+`where b.code = $1`, code)
	return b, err
}

// BundlesByCodes finds those of these codes that are here, by code.
func (q Q) BundlesByCodes(ctx context.Context, codes []string) (map[string]Bundle, error) {
	var bs []Bundle
	err := q.all(ctx, &bs, bundleSelect+`where b.code = any($1)`, codes)
	return byCode(bs, func(b Bundle) string { return b.Code }), err
}

// LockBundles holds bundles until the transaction ends, in the order of ids.
func (q Q) LockBundles(ctx context.Context, ids []int64) error {
	var got []int64
	return q.all(ctx, &got, `select id from wood_bundle where id = any($1) order by id for no key update`, ids)
}

// AddBundle keeps a bundle and receives its pieces into the ledger.
func (q Q) AddBundle(ctx context.Context, b Bundle, by int64) (int64, error) {
	id, err := q.insert(
		ctx,
		`insert into wood_bundle (code, plant_id, cut_on, state, sticks, length_mm, base_mm, tip_mm, internode_mm, blind_share,
			buds_per_piece, usable, pieces, place, made_at, sealed, marks, whole_shoot, face_buds,
			cut_late, part)
		values (:code, :plant_id, :cut_on, :state, :sticks, :length_mm, :base_mm, :tip_mm, :internode_mm, :blind_share, :buds_per_piece,
		:usable,
			:pieces, :place, :made_at, :sealed, :marks, :whole_shoot, :face_buds, :cut_late, :part) returning id`,
		b,
	)
	if err != nil {
		return id, err
	}
	if _, err := q.exec(ctx, `insert into bundle_stay (bundle_id, since, place) values ($1, $2, $3)`, id, b.CutOn, b.Place); err != nil ||
		b.Pieces == 0 {
		return id, err
	}
	return id, q.MoveWood(ctx, Move{Of: id, N: b.Pieces, From: Outside, To: Free, Reason: "cut", PersonID: by, At: b.MadeAt})
}

// PlantsOf lists the mother plants of varieties, with what was cut of each in the
// season that began on a day, and at most in a season before.
func (q Q) PlantsOf(ctx context.Context, varieties []int64, season time.Time) (ps []Plant, err error) {
	err = q.all(ctx, &ps, `select m.*, v.name as variety, v.genus, coalesce(y.most, 0)::int as most_sticks, coalesce(y.cut, 0)::int as
		cut_sticks from mother_plant m join variety v on v.id = m.variety_id left join lateral (select max(s.n) filter (where s.until <= $2)
		as most, sum(s.n) filter (where s.until > $2) as cut from (select sum(b.sticks) as n, max(b.cut_on) as until from wood_bundle b
		where b.plant_id = m.id group by floor((b.cut_on - $2) / 365.25)) s) y on true
		where m.variety_id = any($1) and not m.bought order by m.code`, varieties, season)
	return ps, err
}

// LastBundles gives the newest bundle of each plant of varieties.
func (q Q) LastBundles(ctx context.Context, varieties []int64) (bs []Bundle, err error) {
	err = q.all(
		ctx,
		&bs,
		bundleSelect+`where b.id = any(array(select last_bundle_id from mother_plant where variety_id = any($1)))`,
		varieties,
	)
	return bs, err
}

// HighestBundle is the highest number of a code of the shape W-12 that a bundle
// bears or a label bore, or 0.
func (q Q) HighestBundle(ctx context.Context) (n int, err error) {
	err = q.get(ctx, &n, `select coalesce(max(substring(code from '^W-([0-9]{1,8})$')::int), 0) from (select code from wood_bundle
		union all select code from wood_label) x`)
	return n, err
}

// WoodLabel is a code that was printed for wood still to be cut.
type WoodLabel struct {
	Code      string     `db:"code"`
	PlantID   int64      `db:"plant_id"`
	Plant     string     `db:"plant"`
	Variety   string     `db:"variety"`
	Genus     string     `db:"genus"`
	Place     string     `db:"place"` // of the plant
	Sticks    int        `db:"sticks"`
	Buds      int        `db:"buds"`
	PersonID  int64      `db:"person_id"`
	At        time.Time  `db:"at"`
	BundleID  *int64     `db:"bundle_id"`
	DroppedAt *time.Time `db:"dropped_at"`
}

// Waits says that its wood is neither keyed in nor the label dropped.
func (l WoodLabel) Waits() bool { return l.BundleID == nil && l.DroppedAt == nil }

const labelSelect = `select l.*, m.code as plant, v.name as variety, v.genus, m.place from wood_label l join mother_plant m on m.id =
	l.plant_id join variety v on v.id = m.variety_id `

// WoodLabels lists the labels whose wood waits to be keyed in, by code.
func (q Q) WoodLabels(ctx context.Context) (ls []WoodLabel, err error) {
	err = q.all(ctx, &ls, labelSelect+`where l.bundle_id is null and l.dropped_at is null order by length(l.code), l.code`)
	return ls, err
}

// WoodLabel finds one, whatever became of it.
func (q Q) WoodLabel(ctx context.Context, code string) (l WoodLabel, err error) {
	err = q.get(ctx, &l, labelSelect+`where l.code = $1`, code)
	return l, err
}

// LockLabels holds the numbering of labels until the transaction ends.
func (q Q) LockLabels(ctx context.Context) error {
	_, err := q.exec(ctx, `select pg_advisory_xact_lock(6174013)`)
	return err
}

// AddWoodLabels keeps labels.
func (q Q) AddWoodLabels(ctx context.Context, ls []WoodLabel) error {
	for _, l := range ls {
		if err := q.named(ctx, `insert into wood_label (code, plant_id, sticks, buds, person_id, at)
			values (:code, :plant_id, :sticks, :buds, :person_id, :at)`, l); err != nil {
			return err
		}
	}
	return nil
}

// EndWoodLabel says what became of a label that waits: the bundle it is on now,
// or 0 where it was dropped. False: it waited no more.
func (q Q) EndWoodLabel(ctx context.Context, code string, bundle int64, at time.Time) (bool, error) {
	n, err := q.exec(ctx, `update wood_label set bundle_id = nullif($2, 0), dropped_at = case when $2 = 0 then $3::timestamptz end
		where code = $1 and bundle_id is null and dropped_at is null`, code, bundle, at)
	return n == 1, err
}

// Photo is a picture of a mother plant.
type Photo struct {
	ID       int64     `db:"id"`
	PlantID  int64     `db:"plant_id"`
	Kind     string    `db:"kind"`
	Says     string    `db:"says"`
	Body     []byte    `db:"body"`
	PersonID int64     `db:"person_id"`
	Person   string    `db:"person"`
	At       time.Time `db:"at"`
}

// Photos lists a plant's pictures without their bodies, oldest first.
func (q Q) Photos(ctx context.Context, plant int64) (ps []Photo, err error) {
	err = q.all(
		ctx,
		&ps,
		`select f.id, f.plant_id, f.kind, f.says, f.person_id, f.at, p.name as person from plant_photo f
			join person p on p.id = f.person_id where f.plant_id = $1 order by f.id`,
		plant,
	)
	return ps, err
}

// Photo gives one picture with its body.
func (q Q) Photo(ctx context.Context, id int64) (p Photo, err error) {
	err = q.get(ctx, &p, `select f.*, p.name as person from plant_photo f join person p on p.id = f.person_id where f.id = $1`, id)
	return p, err
}

// AddPhoto keeps a picture.
func (q Q) AddPhoto(ctx context.Context, p Photo) (int64, error) {
	return q.insert(
		ctx,
		`insert into plant_photo (plant_id, kind, says, body, person_id, at) values (:plant_id, :kind, :says, :body, :person_id, :at)
			returning id`,
		p,
	)
}

// DropPhoto takes a picture out.
func (q Q) DropPhoto(ctx context.Context, plant, id int64) error {
	_, err := q.exec(ctx, `delete from plant_photo where id = $1 and plant_id = $2`, id, plant)
	return err
}

// SeePlant notes that a plant was seen true, and how it stands.
func (q Q) SeePlant(ctx context.Context, p Plant) error {
	return q.named(
		ctx,
		`update mother_plant set seen_true_by = :seen_true_by, seen_true_on = :seen_true_on, health = :health, licence = :licence, place
			= :place, gives_sticks = :gives_sticks where id = :id`,
		p,
	)
}

// BoughtPlant finds what stands for a source of bought wood of a variety.
func (q Q) BoughtPlant(ctx context.Context, variety int64, place string) (p Plant, err error) {
	err = q.get(ctx, &p, plantSelect+`where m.bought and m.variety_id = $1 and lower(m.place) = lower($2)`, variety, place)
	return p, err
}

// HighestBought is the highest number of a code of the shape B-12, or 0.
func (q Q) HighestBought(ctx context.Context) (n int, err error) {
	err = q.get(ctx, &n, `select coalesce(max(substring(code from '^B-([0-9]{1,8})$')::int), 0) from mother_plant`)
	return n, err
}
