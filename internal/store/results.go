package store

import (
	"context"
	"strings"
	"time"
)

// TakeRecord is a counted tag as the take model takes it.
type TakeRecord struct {
	Worker      string     `db:"worker"` // id
	Name        string     `db:"name"`
	Technique   string     `db:"technique"`
	Lot         string     `db:"lot"`
	Bundle      string     `db:"bundle"`
	Mismatch    float64    `db:"mismatch"`   // |1 − wood ÷ stock|, over what was laid out
	StoreDays   float64    `db:"store_days"` // from cutting to grafting
	Tier        string     `db:"tier"`       // id of who tied; "" where the worker did
	TierName    string     `db:"tier_name"`
	Part        string     `db:"part"` // of the shoot its wood is from; "" not known
	TieName     string     `db:"tie"`
	HealingName string     `db:"healing"`
	Wood        string     `db:"wood"` // its state
	Form        string     `db:"form"` // of the stock when it was grafted
	LiftedOn    *time.Time `db:"lifted_on"`
	ReceivedOn  time.Time  `db:"received_on"`
	Lifted      float64    `db:"-"` // days from lifting, or from coming bare-root, to grafting; below 0 not known
	HealPlace   string     `db:"heal_place"`
	Day         time.Time  `db:"day"`
	Grafts      int        `db:"grafts"` // and buds, each for itself
	Took        int        `db:"took"`
}

// TakeRecords lists the counted tags that answer to f.
func (q Q) TakeRecords(ctx context.Context, f TakeFilter) (rs []TakeRecord, err error) {
	where, args := f.where()
	err = q.all(ctx, &rs, `select t.worker_id::text as worker, p.name, t.technique, l.code as lot, w.code as bundle,
		t.mismatch, greatest(t.day - w.cut_on, 0)::float8 as store_days,
		coalesce(t.tier_id::text, '') as tier, coalesce(p2.name, '') as tier_name, w.part,
		(select x.name from batch b join tie x on x.key = b.tie where b.id = t.batch_id) as tie,
		(select x.name from batch b join healing_way x on x.key = b.healing where b.id = t.batch_id) as healing, w.state as wood,
		coalesce((select m.to_form from lot_move m where m.lot_id = l.id and m.new_lot_id is null and m.at::date <= t.day order by m.id
		desc limit 1),
			(select m.from_form from lot_move m where m.lot_id = l.id and m.new_lot_id is null and m.at::date > t.day order by m.id limit
			1),
			l.form) as form,
		(select max(m.at)::date from lot_move m where (m.lot_id = l.id and m.new_lot_id is null or m.new_lot_id = l.id)
			and m.doing = 'lifted' and m.at::date <= t.day) as lifted_on, l.received_on, t.heal_place, t.day,
		c.joins as grafts, c.joins_taken as took`+f.from()+`join person p on p.id = t.worker_id
		left join person p2 on p2.id = t.tier_id join stock_lot l on l.id = t.lot_id join wood_bundle w on w.id =
		t.bundle_id`+where+`order by t.id`, args...)
	for i := range rs {
		r := &rs[i]
		r.Lifted = -1
		switch {
		case r.LiftedOn != nil:
			r.Lifted = r.Day.Sub(*r.LiftedOn).Hours() / 24
		case r.Form == "bare-root":
			r.Lifted = max(-1, r.Day.Sub(r.ReceivedOn).Hours()/24)
		}
	}
	return rs, err
}

// PlaceDay is a place's mean temperature of a day.
type PlaceDay struct {
	Place string    `db:"place"` // in small letters
	Day   time.Time `db:"day"`
	C     float64   `db:"c"`
}

// PlaceDays lists the daily means of the places in which counted tags stood to heal, readings
// in doubt left out, by place and day.
func (q Q) PlaceDays(ctx context.Context) (ds []PlaceDay, err error) {
	err = q.all(ctx, &ds, `select lower(p.name) as place, r.at::date as day, avg(r.c)::float8 as c from store_reading r
		join store_place p on p.id = r.place_id where not r.doubted and exists (select from tag t where lower(t.heal_place) = lower(p.name)
		and (t.look_id is not null or t.first_id is not null)) group by 1, 2 order by 1, 2`)
	return ds, err
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

// TagDetail is a counted tag with what the pictures and the costs of Results need of it.
type TagDetail struct {
	ID        int64     `db:"id"`
	Day       time.Time `db:"day"`
	Season    int       `db:"season"` // the year in which it begins, on 1 August
	Hour      int       `db:"hour"`   // of the day in which it was finished, in the house's zone; -1 not known
	Nth       int       `db:"nth"`    // of the worker's tags on that day
	Technique string    `db:"technique"`
	Tie       string    `db:"tie"`
	Healing   string    `db:"healing"`
	Worker    string    `db:"worker"` // id
	Paired    bool      `db:"paired"` // another tied
	Order     string    `db:"order_code"`
	TreeCents int       `db:"tree_cents"` // agreed for a tree of its order; 0 where none is
	Lot       string    `db:"lot"`
	Mismatch  float64   `db:"mismatch"`
	StoreDays float64   `db:"store_days"`
	Tied      int       `db:"tied"` // stocks
	Buds      int       `db:"buds"` // a stock
	Spoiled   int       `db:"spoiled_stock"`
	SpoiledW  int       `db:"spoiled_wood"` // pieces, dropped ones too
	Hours     float64   `db:"hours"`        // of one head's work, by the taps; 0 not known
	Joins     int       `db:"joins"`
	Took      int       `db:"joins_taken"`
	Alive     int       `db:"alive"` // stocks that live or went alive
	Doubtful  int       `db:"doubtful"`
	Dead      int       `db:"joins_dead"`

	Stock string `db:"stock"` // genus and type

	WorkerName, Tier, TierName, TechniqueName, LotName, Bundle, BundleName, Part, VarietyID, Variety, Genus, TieName, HealingName string
}

// Level gives the key and the name of a tag's level of a group; "" where it has none.
func (d TagDetail) Level(group string) (key, name string) {
	switch group {
	case "worker":
		return d.Worker, d.WorkerName
	case "tier":
		return d.Tier, d.TierName
	case "technique":
		return d.Technique, d.TechniqueName
	case "lot":
		return d.Lot, d.LotName
	case "bundle":
		return d.Bundle, d.BundleName
	case "part":
		return d.Part, d.Part
	case "variety":
		return d.VarietyID, d.Variety
	case "genus":
		return d.Genus, d.Genus
	case "tie":
		return d.Tie, d.TieName
	case "healing":
		return d.Healing, d.HealingName
	}
	return "", ""
}

// TagCause is so many of a tag's dead by one cause.
type TagCause struct {
	ID    int64  `db:"id"`
	Cause string `db:"cause"`
	N     int    `db:"n"`
}

// TagCauses lists what the dead of counted tags died of.
func (q Q) TagCauses(ctx context.Context, f TakeFilter) (cs []TagCause, err error) {
	where, args := f.where()
	err = q.all(ctx, &cs, `select t.id, x.cause, sum(x.n)::int as n`+f.from()+f.causes()+where+` group by 1, 2`, args...)
	return cs, err
}

// TagDetails lists the counted tags that answer to f.
func (q Q) TagDetails(ctx context.Context, f TakeFilter) (ds []TagDetail, err error) {
	where, args := f.where()
	err = q.all(ctx, &ds, `select t.id, t.day, (extract(year from t.day) - case when extract(month from t.day) < 8 then 1 else 0
		end)::int as season,
		coalesce(extract(hour from t.finished_at), -1)::int as hour,
		(row_number() over (partition by t.worker_id, t.day order by t.finished_at, t.id))::int as nth, t.technique, gb.tie, gb.healing,
		t.worker_id::text as worker, t.tier_id is not null as paired, o.code as order_code, coalesce(o.tree_cents, 0) as tree_cents,
		l.code as lot, t.mismatch,
		greatest(t.day - w.cut_on, 0)::float8 as store_days, t.tied, t.buds, t.spoiled_stock, t.spoiled_wood + t.dropped as spoiled_wood,
		coalesce(t.pace_hours, 0) as hours, c.joins, c.joins_taken, t.standing + t.gone as alive,
		c.doubtful, c.joins_dead, p.name as workername, coalesce(t.tier_id::text, '') as tier, coalesce(p2.name, '') as tiername,
		k.name as techniquename, l.code || ' · ' || s.name as lotname, s.genus || ' ' || s.name as stock, w.code as bundle, w.code ||
			' · ' || v.name as bundlename, w.part,
		v.id::text as varietyid, v.name as variety, v.genus, ti.name as tiename, h.name as healingname`+f.from()+`
		join person p on p.id = t.worker_id left join person p2 on p2.id = t.tier_id join technique k on k.key = t.technique
		join batch gb on gb.id = t.batch_id join orders o on o.id = gb.order_id join any_lot l on l.id = t.lot_id
		join stock_type s on s.id = l.stock_type_id join any_bundle w on w.id = t.bundle_id join variety v on v.id = o.variety_id
		join tie ti on ti.key = gb.tie join healing_way h on h.key = gb.healing`+where+`order by t.id`, args...)
	return ds, err
}

// CountedPlaces lists where counted tags stood to heal.
func (q Q) CountedPlaces(ctx context.Context) (ps []string, err error) {
	err = q.all(ctx, &ps, `select min(heal_place) from tag where heal_place <> '' and (look_id is not null or first_id is not null)
		group by lower(heal_place) order by 1`)
	return ps, err
}

// FirstSeason is the season, by the year in which it begins, of the first tag that was
// counted; 0 where none was.
func (q Q) FirstSeason(ctx context.Context) (y int, err error) {
	err = q.get(ctx, &y, `select coalesce(extract(year from d) - case when extract(month from d) < 8 then 1 else 0 end, 0)::int
		from (select min(day) as d from tag where look_id is not null or first_id is not null) x`)
	return y, err
}

// Flow is how the stocks of counted tags went, from tied to now.
type Flow struct {
	Tied      int `db:"tied"`
	DeadFirst int `db:"dead_first"` // by the first count
	Later     int `db:"later"`      // dead by later counts, less what they found alive after all
	Since     int `db:"since"`      // lost between counts and since the last
	Sold      int `db:"sold"`       // or planted out, alive
	Below     int `db:"below"`      // the grade, alive
	Stands    int `db:"stands"`     // now, doubtful ones too
}

// FlowLoss is so many lost in a step of the flow, to one cause; "" where none was noted.
type FlowLoss struct {
	Step  string `db:"step"` // first, later, since
	Cause string `db:"cause"`
	N     int    `db:"n"`
}

// flowFrom is the tags of a flow, with their first count.
const flowFrom = ` from graded_tag t join take_count c on c.id = coalesce(t.first_id, t.look_id) `

// flowLater is the later counts of a flow's tags that stand; flowLost what was lost between counts.
const (
	flowLater = `take_count z on z.tag_id = t.id and z.id <> c.id and not exists (select 1 from take_count r where r.replaces_id = z.id) `
	flowLost  = `tree_move m on m.tag_id = t.id and m.what = 'lost' and m.undone_at is null `
)

// FlowSums sums the flow of stocks.
func (q Q) FlowSums(ctx context.Context, f TakeFilter) (w Flow, err error) {
	f.Later, f.Now = false, false
	where, args := f.where()
	err = q.get(ctx, &w, `select coalesce(sum(t.tied), 0)::int as tied, coalesce(sum(c.dead - c.found), 0)::int as dead_first,
		coalesce(sum((select sum(z.dead - z.found) from `+strings.Replace(flowLater, " on ", " where ", 1)+`)), 0)::int as later,
		coalesce(sum((select sum(m.n) from `+strings.Replace(flowLost, " on ", " where ", 1)+`)), 0)::int as since,
		coalesce(sum(t.gone - t.below), 0)::int as sold,
		coalesce(sum(t.below), 0)::int as below, coalesce(sum(t.standing), 0)::int as stands`+flowFrom+where, args...)
	return w, err
}

// TreeFlow sums the flow of stocks, and what was lost to what in each of its steps.
func (q Q) TreeFlow(ctx context.Context, f TakeFilter) (w Flow, ls []FlowLoss, err error) {
	if w, err = q.FlowSums(ctx, f); err != nil {
		return w, nil, err
	}
	f.Later, f.Now = false, false
	where, args := f.where()
	const from = flowFrom
	err = q.all(ctx, &ls, `select 'first' as step, x.cause, sum(x.n)::int as n`+from+`join count_cause x on x.count_id =
		c.id`+where+`group by 2
		union all select 'later', x.cause, sum(x.n)::int`+from+`join `+flowLater+`join count_cause x on x.count_id = z.id`+where+`group by 2
		union all select 'since', coalesce(m.cause, ''), sum(m.n)::int`+from+`join `+flowLost+where+`group by 2
		union all select 'since', 'below grade', sum(t.below)::int`+from+where+`having sum(t.below) > 0 order by 1, 3 desc`, args...)
	return w, ls, err
}

// Graded is trees that were lifted or sold, since it is noted which are below the grade.
type Graded struct {
	Fit   int        `db:"fit"`   // sold or planted
	Below int        `db:"below"` // the grade
	Since *time.Time `db:"since"` // nil where none was ever noted
}

// Graded sums them. Before the first one below the grade was noted, those sold tell nothing: who
// notes none does not sort out none.
func (q Q) Graded(ctx context.Context) (g Graded, err error) {
	err = q.get(ctx, &g, `select f.since, coalesce(sum(case m.what when 'returned' then -m.n else m.n end) filter (where m.what in
		('sold', 'planted', 'returned')),
		0)::int as fit,
		coalesce(sum(m.n) filter (where m.what = 'below'), 0)::int as below
		from (select min(on_day) as since from tree_move where what = 'below' and undone_at is null) f
		left join tree_move m on m.on_day >= f.since and m.undone_at is null group by 1`)
	return g, err
}

// DayKept is how many days at the bench somebody was planned for, of those that are over, and
// on how many of them nothing of theirs was begun until then.
type DayKept struct {
	WorkerID int64 `db:"worker_id"`
	Days     int   `db:"days"`
	Missed   int   `db:"missed"`
}

// DaysKept counts them by worker, of the days from one on.
func (q Q) DaysKept(ctx context.Context, from, today time.Time) (ds []DayKept, err error) {
	err = q.all(ctx, &ds, `select worker_id, count(*)::int as days, count(*) filter (where not begun)::int as missed from (
		select worker_id, day, bool_or(started_at::date <= day) as begun from tag where day >= $1 and day < $2 and started_at is not null
		group by 1, 2) x group by 1 order by 1`, from, today)
	return ds, err
}

// Ordered is what was ordered of a variety on a stock for a season: that of its first tag; while
// there is none, the one before it is due, or in which it was taken where that is later.
type Ordered struct {
	Season    int    `db:"season"`
	Variety   string `db:"variety"`
	Genus     string `db:"genus"`
	Stock     string `db:"stock"`
	StockType int64  `db:"stock_type_id"`
	Trees     int    `db:"trees"`
	Open      int    `db:"open"` // of them, of orders that are not closed and of which nothing is made
}

// OrderedBySeason sums what was ordered, called off or not, by season, variety and stock.
func (q Q) OrderedBySeason(ctx context.Context) (os []Ordered, err error) {
	err = q.all(ctx, &os, `select season, variety, genus, stock, stock_type_id, sum(trees)::int as trees,
			coalesce(sum(trees) filter (where open), 0)::int as open from (
		select extract(year from d)::int - case when extract(month from d) < 8 then 1 else 0 end as season, v.name as variety, v.genus,
			s.genus || ' ' || s.name as stock, s.id as stock_type_id, o.trees, o.closed_on is null and m.first is null as open
			from orders o join variety v on v.id = o.variety_id join stock_type s on s.id = o.stock_type_id
			cross join lateral (select min(t.day) as first from batch b join tag t on t.batch_id = b.id
				where b.order_id = o.id and b.undone_at is null) m
			cross join lateral (select coalesce(m.first, greatest(o.made_at::date, (o.due_on - interval '1 year')::date)) as d) x
			where not exists (select from limb where limb.stock_type_id = o.stock_type_id)) y
		group by 1, 2, 3, 4, 5 order by 2, 4, 1`)
	return os, err
}

// ClassUsed is how many stems of a stock were grafted of a class.
type ClassUsed struct {
	StockType int64   `db:"stock_type_id"`
	MM        float64 `db:"mm"` // middle of the class
	N         int     `db:"n"`
}

// ClassesUsed sums the stems on tags by stock and class.
func (q Q) ClassesUsed(ctx context.Context) (cs []ClassUsed, err error) {
	err = q.all(ctx, &cs, `select l.stock_type_id, x.stock_mm::float8 as mm, sum(x.n)::int as n from tag t join tag_thread x on x.tag_id
		= t.id
		join any_lot l on l.id = t.lot_id group by 1, 2 order by 1, 2`)
	return cs, err
}

// PlantCut is what was cut of a mother plant.
type PlantCut struct {
	Variety string `db:"variety"`
	Plant   string `db:"plant"`
	Sticks  int    `db:"sticks"`
	Pieces  int    `db:"pieces"`
}

// PlantsCut sums the sticks and the pieces that mother plants which still stand gave.
func (q Q) PlantsCut(ctx context.Context) (ps []PlantCut, err error) {
	err = q.all(ctx, &ps, `select v.name as variety, m.code as plant, sum(w.sticks)::int as sticks, sum(w.pieces)::int as pieces
		from wood_bundle w join mother_plant m on m.id = w.plant_id join variety v on v.id = m.variety_id group by 1, 2 order by 1, 2`)
	return ps, err
}
