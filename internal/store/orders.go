package store

import (
	"context"
	"time"
)

// Order is trees of a variety on a stock, wanted by a date.
type Order struct {
	ID           int64         `db:"id"`
	Code         string        `db:"code"`
	VarietyID    int64         `db:"variety_id"`
	Variety      string        `db:"variety"`
	Genus        string        `db:"genus"`
	StockTypeID  int64         `db:"stock_type_id"`
	StockType    string        `db:"stock_type"`
	StockGenus   string        `db:"stock_genus"`
	Trees        int           `db:"trees"`
	DueOn        time.Time     `db:"due_on"`
	Priority     int           `db:"priority"`
	Buyer        string        `db:"buyer"`
	MadeAt       time.Time     `db:"made_at"`
	TreeCents    *int          `db:"tree_cents"` // agreed for a tree; nil where none is
	ClosedOn     *time.Time    `db:"closed_on"`
	Section      string        `db:"section"` // of the variety, "" where it is not noted
	StockSection string        `db:"stock_section"`
	Batched      int           `db:"batched"` // grafts in batches that stand
	Tied         int           `db:"tied"`
	Unfinished   int           `db:"unfinished"` // batches to share out, and tags not finished
	Portions     List[Portion] `db:"portions"`   // what its batches lie on
	Made         List[Made]    `db:"made"`       // its grafts that nobody counted, by technique
	Alive        int           `db:"alive"`      // by the counts that stand, less what was lost since, and what was sold
	Doubtful     int           `db:"doubtful"`
	Dead         int           `db:"dead"`      // lost: by counts, and between them
	Below        int           `db:"below"`     // grade, alive
	Gone         int           `db:"gone"`      // of those alive, delivered: they made the grade
	Elsewhere    int           `db:"elsewhere"` // of its tags, sold or planted for nobody or for another order
	Borrowed     int           `db:"borrowed"`  // of those delivered, from tags of other orders
	Tree         string        `db:"tree"`      // of whose limb it is, "" for an order of trees
	TreeID       int64         `db:"tree_id"`
	Letter       string        `db:"letter"`
	LimbTrees    int           `db:"limb_trees"` // trees alike that have the limb
	TreeKind     string        `db:"tree_kind"`
}

// Made is an order's grafts of one technique that nobody has counted.
type Made struct {
	Technique string `json:"technique"`
	Buds      int    `json:"buds"`    // on each stock, as it was made
	Rest      int    `json:"rest"`    // in batches, on no tag
	Bench     int    `json:"bench"`   // on tags that are not finished, tied or not
	Healing   int    `json:"healing"` // tied on tags that are finished, and in no count that stands
}

// Portion is so many grafts of an order that one lot and one bundle have.
type Portion struct {
	LotID    int64 `json:"lot"`
	BundleID int64 `json:"bundle"`
	N        int   `json:"n"`
}

// Columns are named: a server of the release before reads on when a later one adds some.
const orderSelect = `select o.id, o.code, o.variety_id, o.stock_type_id, o.trees, o.due_on, o.priority, o.buyer, o.made_at, o.closed_on,
	o.tree_cents,
	v.name as variety, v.genus, v.section, s.name as stock_type, s.genus as stock_genus, s.section as
	stock_section,
	coalesce((select sum(grafts) from batch b where b.order_id = o.id and undone_at is null), 0)::int as batched,
	coalesce((select sum(t.tied) from batch b join tag t on t.batch_id = b.id where b.order_id = o.id and b.undone_at is null),
	0)::int as tied,
	(select count(*) from batch b left join tag t on t.batch_id = b.id where b.order_id = o.id and b.undone_at is null and t.finished_at
	is null)::int as unfinished,
	(select json_agg(json_build_object('lot', h.lot_id, 'bundle', h.bundle_id, 'n', h.n)) from batch b join batch_thread h on h.batch_id
	= b.id
		where b.order_id = o.id and b.undone_at is null)::text as portions,
	(select json_agg(json_build_object('technique', x.technique, 'buds', x.buds, 'rest', greatest(x.rest, 0), 'bench', x.bench,
		'healing', x.healing)
		order by x.technique, x.buds) from (select u.technique, u.buds, sum(u.rest) as rest, sum(u.bench) as bench, sum(u.healing)
			as healing from (
			select h.technique, h.buds, h.n as rest, 0 as bench, 0 as healing from batch b join batch_thread h on h.batch_id = b.id
				where b.order_id = o.id and b.undone_at is null
			union all select t.technique, t.buds, -t.planned, case when t.finished_at is null then greatest(t.planned, t.tied) else 0 end,
				case when t.finished_at is null then 0 else t.standing - least(t.standing, greatest(0, coalesce(c.taken + c.doubtful, 0)
					- t.lost_since - t.gone_since)) end
				from batch b join tag t on t.batch_id = b.id left join take_count c on c.id = t.look_id
				where b.order_id = o.id and b.undone_at is null) u group by 1, 2) x
		where x.rest > 0 or x.bench > 0 or x.healing > 0)::text as made,
	n.alive + gone.delivered as alive, n.doubtful, n.dead, n.below, gone.delivered as gone, gone.borrowed, gone.elsewhere,
	coalesce(tr.code, '') as tree, coalesce(tr.id, 0) as tree_id, coalesce(m.letter, '') as letter, coalesce(tr.trees, 0) as limb_trees,
	coalesce(tr.kind, '') as tree_kind
	from orders o join variety v on v.id = o.variety_id join stock_type s on s.id = o.stock_type_id
	left join limb m on m.stock_type_id = o.stock_type_id left join tree tr on tr.id = m.tree_id
	cross join lateral (select coalesce(sum(least(t.standing, greatest(l.living, 0))), 0)::int as alive,
		coalesce(sum(greatest(c.doubtful + least(l.living, 0), 0)), 0)::int as doubtful,
		coalesce(sum(t.lost), 0)::int as dead, coalesce(sum(t.below), 0)::int as below
		from batch b join graded_tag t on t.batch_id = b.id left join take_count c on c.id = t.look_id
		cross join lateral (select c.taken - t.lost_since - t.gone_since as living) l
		where b.order_id = o.id and b.undone_at is null and t.finished_at is not null) n
	cross join lateral (select coalesce(sum(x.n) filter (where x.ours), 0)::int as delivered,
		coalesce(sum(x.n) filter (where x.ours and not x.own), 0)::int as borrowed,
		coalesce(sum(x.n) filter (where not x.ours), 0)::int as elsewhere from (
			select case m.what when 'returned' then -m.n else m.n end as n, true as ours, b.order_id = o.id as own
				from tree_move m join any_tag t on t.id = m.tag_id join batch b on b.id = t.batch_id
				where m.order_id = o.id and m.undone_at is null
			union all select case m.what when 'returned' then -m.n else m.n end, false, true
				from batch b join any_tag t on t.batch_id = b.id join tree_move m on m.tag_id = t.id
				where b.order_id = o.id and b.undone_at is null and m.undone_at is null and m.what in ('sold', 'planted', 'returned')
					and m.order_id is distinct from o.id) x) gone `

// OpenOrders lists the orders that are not closed, the soonest due first.
func (q Q) OpenOrders(ctx context.Context) (os []Order, err error) {
	err = q.all(ctx, &os, orderSelect+`where o.closed_on is null order by o.due_on, o.priority, o.id`)
	return os, err
}

// AllOrders lists every order, closed ones too, the soonest due first.
func (q Q) AllOrders(ctx context.Context) (os []Order, err error) {
	err = q.all(ctx, &os, orderSelect+`order by o.due_on, o.priority, o.id`)
	return os, err
}

// ClosedOrders lists closed orders, the newest first; after is the id to go on
// from, or 0.
func (q Q) ClosedOrders(ctx context.Context, after int64, limit int) (os []Order, err error) {
	err = q.all(ctx, &os, orderSelect+`where o.closed_on is not null and ($1 = 0 or o.id < $1) order by o.id desc limit $2`, after, limit)
	return os, err
}

// CloseOrder closes an order on a day; nil opens it again.
func (q Q) CloseOrder(ctx context.Context, id int64, on *time.Time) error {
	_, err := q.exec(ctx, `update orders set closed_on = $2 where id = $1`, id, on)
	return err
}

// OrderByCode finds one.
func (q Q) OrderByCode(ctx context.Context, code string) (o Order, err error) {
	err = q.get(ctx, &o, orderSelect+`where o.code = $1`, code)
	return o, err
}

// LockOrders holds orders until the transaction ends, in the order of ids.
func (q Q) LockOrders(ctx context.Context, ids []int64) error {
	var got []int64
	return q.all(ctx, &got, `select id from orders where id = any($1) order by id for no key update`, ids)
}

// LockOrder holds an order until the transaction ends.
func (q Q) LockOrder(ctx context.Context, id int64) error { return q.LockOrders(ctx, []int64{id}) }

// AddOrders keeps orders.
func (q Q) AddOrders(ctx context.Context, os []Order) error {
	_, err := q.insertAll(ctx, `insert into orders (code, variety_id, stock_type_id, trees, due_on, priority, buyer, made_at)
		values (:code, :variety_id, :stock_type_id, :trees, :due_on, :priority, :buyer, :made_at) returning code, id`, os)
	return err
}

// OrdersByCodes finds those of these codes that are here, by code.
func (q Q) OrdersByCodes(ctx context.Context, codes []string) (map[string]Order, error) {
	var os []Order
	err := q.all(ctx, &os, `select o.*, v.name as variety, v.genus, s.name as stock_type, s.genus as stock_genus from orders o
		join variety v on v.id = o.variety_id join stock_type s on s.id = o.stock_type_id where o.code = any($1)`, codes)
	return byCode(os, func(o Order) string { return o.Code }), err
}
