package nursery_test

import (
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/supply"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/correct"
	"unionknot/internal/nursery/heal"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/nursery/trees"
	"unionknot/internal/nursery/wood"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// problem is what is wrong, said of one field.
func (h *house) problem(err error, field string) string {
	h.Helper()
	var p nursery.Problem
	require.ErrorAs(h, err, &p)
	assert.Equal(h, field, p.Field)
	return p.Says
}

func (h *house) tree(code string) trees.Page {
	h.Helper()
	p, err := h.Tree(ctx, code)
	require.NoError(h, err)
	return p
}

func limbOf(t *testing.T, p trees.Page, letter string) trees.LimbView {
	t.Helper()
	for _, l := range p.Limbs {
		if l.Letter == letter {
			return l
		}
	}
	t.Fatalf("no limb %s", letter)
	return trees.LimbView{}
}

// grafted makes all that is to go for an order, tied by ansel, and counts so many of it taken.
func (h *house) grafted(order string, healing string, taken int) []string {
	h.Helper()
	batch := h.batchOf(order, healing)
	var codes []string
	left := taken
	for _, t := range h.tagsOf(batch, h.ansel) {
		h.tapThrough(t)
		codes = append(codes, t.Code)
		p, err := h.Count(ctx, t.Code, "first look")
		require.NoError(h, err)
		n := heal.NewCount{ID: h.uuid(), Look: "first look", Taken: min(left, p.Tag.Tied), Causes: map[string]int{}}
		left -= n.Taken
		if n.Dead = p.Tag.Tied - n.Taken; n.Dead > 0 {
			n.Causes["dried out"] = n.Dead
		}
		require.NoError(h, h.KeepCount(ctx, h.maud, t.Code, n))
	}
	return codes
}

// TestEveryLimbAddsUpWithTheLedger grafts a standing tree over, limb by limb: what each takes of
// wood and room is in the ledgers, and its takes are those of its tags.
func TestEveryLimbAddsUpWithTheLedger(t *testing.T) {
	h := newHouse(t)
	h.stocked(10, 20, 5)
	require.NoError(t, h.AddTree(ctx, h.maud, trees.NewTree{Code: "T-1", Genus: "pear", Stock: "an old one", Place: "old row",
		Planted: 1990}))
	h.problem(h.AddTree(ctx, h.maud, trees.NewTree{Code: "T-1", Genus: "pear", Stock: "another"}), "code")
	for range 3 {
		_, err := h.AddLimb(ctx, h.maud, "T-1", trees.NewLimb{MM: 14, Places: 3, FromY: 300, TipX: 200, TipY: 800})
		require.NoError(t, err)
	}
	require.Len(t, h.tree("T-1").Limbs, 3)
	for _, letter := range []string{"A", "B"} {
		require.NoError(t, h.WantOn(ctx, h.maud, "T-1", letter, trees.Want{Variety: "Lanternjaw", Genus: "pear"}))
	}
	p := h.tree("T-1")
	assert.Equal(t, trees.Bare, limbOf(t, p, "C").State)
	a := limbOf(t, p, "A")
	assert.Equal(t, trees.Open, a.State, "resting wood on a limb that rests: a cleft")
	assert.Positive(t, a.ToGo)
	assert.Greater(t, a.Chance, 0.85, "as many as the house's chance asks for")
	assert.InDelta(t, a.Chance*limbOf(t, p, "B").Chance, p.Chance, 1e-9, "the product of its varieties' chances")

	bundle := func() store.Bundle {
		b, err := h.DB.Q().BundleByCode(ctx, "W-1")
		require.NoError(t, err)
		return b
	}
	free := bundle().Free
	tags := h.grafted("T-1-A", "in the row", 1)
	p = h.tree("T-1")
	a = limbOf(t, p, "A")
	tied := 0
	for _, x := range a.Tags {
		tied += x.Tied
	}
	assert.Equal(t, free-tied, bundle().Free, "each graft took a piece")
	assert.Equal(t, 3-tied, a.Free, "and a place on the limb")
	assert.Equal(t, 1, a.Alive)
	assert.Equal(t, tied-1, a.Dead)
	assert.InDelta(t, 1, a.Chance, 0, "one lives")
	assert.Equal(t, tied, h.sum(`select sum(n) from stock_ledger l join any_lot x on x.id = l.lot_id where x.code = 'T-1-A' and
		to_account = 'grafted'`))
	rs, err := h.DB.Q().TakeRecords(ctx, store.TakeFilter{})
	require.NoError(t, err)
	joins := 0
	for _, r := range rs {
		joins += r.Grafts
	}
	assert.Equal(t, tied, joins, "its takes are counted as any other's")

	// It is not moved or made another stock apart from its tree.
	_, err = h.MoveStems(ctx, h.maud, "T-1-A", stock.Moving{Doing: "potted", Place: "house 1"})
	assert.Equal(t, words.LimbStays, h.problem(err, "doing"))
	th, err := h.Correctable(ctx, h.maud, "lot", "T-1-B")
	require.NoError(t, err)
	typed := map[string]string{}
	for _, f := range th.Fields {
		typed[f.Key] = f.Value
	}
	typed["stock_type"] = "Tarn Q3"
	assert.Error(t, h.Correct(ctx, h.maud, "lot", "T-1-B", correct.Correction{Values: typed, Seen: th.Seen, Why: "a slip"}))

	// Nothing else is woven to a limb, and a limb to nothing else.
	types, err := h.DB.Q().StockTypes(ctx)
	require.NoError(t, err)
	for _, s := range types {
		assert.NotContains(t, s.Name, "T-1", "no order is taken on a limb by its name")
	}

	// A limb with a living graft is not taken off without being asked.
	says := h.problem(h.RemoveLimb(ctx, h.maud, "T-1", "A", trees.Removal{Act: h.uuid(), Why: "the wind"}), "sure")
	assert.Contains(t, says, "1 of Lanternjaw live on limb A")
	gone := trees.Removal{Act: h.uuid(), Why: "the wind", Sure: true}
	require.NoError(t, h.RemoveLimb(ctx, h.maud, "T-1", "A", gone))
	require.NoError(t, h.RemoveLimb(ctx, h.maud, "T-1", "A", gone), "sent twice it counts once")
	a = limbOf(t, h.tree("T-1"), "A")
	assert.Equal(t, trees.Gone, a.State)
	assert.Equal(t, "the wind", a.RemovedWhy)
	assert.Zero(t, a.Free)
	assert.Equal(t, 1, h.sum(`select sum(n) from tree_move where what = 'lost' and reason = 'the wind'`))
	assert.Zero(t, h.sum(`select standing from tag where code = '`+tags[0]+`'`))
	assert.Equal(t, 1, h.sum(`select count(*) from orders where code = 'T-1-A' and closed_on is not null`))
	h.problem(h.WantOn(ctx, h.maud, "T-1", "A", trees.Want{Variety: "Lanternjaw", Genus: "pear"}), "")
	letter, err := h.AddLimb(ctx, h.maud, "T-1", trees.NewLimb{Places: 1})
	require.NoError(t, err)
	assert.Equal(t, "D", letter, "a letter on labels is given to no other limb")
}

// TestTheBestOfALimbIsKept cuts what stands beside the best: it took, and is not lost.
func TestTheBestOfALimbIsKept(t *testing.T) {
	h := newHouse(t)
	h.stocked(10, 20, 5)
	require.NoError(t, h.AddTree(ctx, h.maud, trees.NewTree{Code: "T-1", Genus: "pear", Stock: "an old one"}))
	_, err := h.AddLimb(ctx, h.maud, "T-1", trees.NewLimb{MM: 14, Places: 4})
	require.NoError(t, err)
	require.NoError(t, h.WantOn(ctx, h.maud, "T-1", "A", trees.Want{Variety: "Lanternjaw", Genus: "pear"}))
	_, err = h.DB.Exec(`update orders set trees = 3 where code = 'T-1-A'`) // more grafts than one needs
	require.NoError(t, err)
	tag := h.grafted("T-1-A", "in the row", 3)[0]
	a := limbOf(t, h.tree("T-1"), "A")
	require.Equal(t, trees.Choose, a.State)
	before, err := h.DB.Q().TakeRecords(ctx, store.TakeFilter{})
	require.NoError(t, err)

	h.problem(h.DoOnLimb(ctx, h.ansel, "T-1", "A", trees.Did{Act: h.uuid(), What: trees.KeptBest, Tag: tag, N: 3}), "n")
	h.problem(h.DoOnLimb(ctx, h.ansel, "T-1", "A", trees.Did{Act: h.uuid(), What: trees.KeptBest, Tag: "no such", N: 1}), "n")
	did := trees.Did{Act: h.uuid(), What: trees.KeptBest, Tag: tag, N: 2, Note: "the upper"}
	require.NoError(t, h.DoOnLimb(ctx, h.ansel, "T-1", "A", did))
	require.NoError(t, h.DoOnLimb(ctx, h.ansel, "T-1", "A", did))
	a = limbOf(t, h.tree("T-1"), "A")
	assert.Equal(t, 1, a.Alive)
	assert.Equal(t, 2, a.Cut)
	assert.NotEqual(t, trees.Choose, a.State)
	after, err := h.DB.Q().TakeRecords(ctx, store.TakeFilter{})
	require.NoError(t, err)
	assert.Equal(t, before, after, "what was cut took")
	g, err := h.DB.Q().Graded(ctx)
	require.NoError(t, err)
	assert.Zero(t, g.Below, "nor does it tell of the grade")
	require.NoError(t, h.UndoDid(ctx, h.maud, "T-1", did.Act))
	assert.Equal(t, 3, limbOf(t, h.tree("T-1"), "A").Alive)
}

// TestFamilyTreesAreBegunSoThatEnoughAreGood sizes an order of trees of three varieties, and goes
// through what can be wrong with one.
func TestFamilyTreesAreBegunSoThatEnoughAreGood(t *testing.T) {
	h := newHouse(t)
	h.stocked(10, 60, 5)
	for i, v := range []string{"Copperpot", "Grey Ferryman"} {
		code := []string{"M-2", "M-3"}[i]
		require.NoError(t, h.AddPlant(ctx, h.maud, wood.NewPlant{Code: code, Genus: "pear", Variety: v}))
	}
	lot := func(code string, n int) {
		require.NoError(t, h.AddLot(ctx, h.maud, stock.NewLot{Code: code, Genus: "pear", StockType: "Frame", Form: supply.BareRoot,
			Received: n, ReceivedOn: h.Today(),
			GradeLow: 8, GradeHigh: 10}))
	}
	lot("L-8", 200)
	n := trees.NewSet{Code: "F-1", Kind: trees.Family, Lot: "L-8", Wanted: 40, Genus: "pear", Varieties: []string{"Lanternjaw",
		"Copperpot", "Grey Ferryman"},
		DueOn: time.Date(2029, 3, 1, 0, 0, 0, 0, time.UTC)}
	bad := func(field string, change func(n *trees.NewSet)) string {
		x := n
		change(&x)
		_, err := h.AddSet(ctx, h.maud, x)
		var ps nursery.Problems
		var p nursery.Problem
		switch {
		case asProblems(err, &ps):
			assert.Equal(t, field, ps[0].Field)
			return ps[0].Says
		case asProblem(err, &p):
			assert.Equal(t, field, p.Field)
			return p.Says
		}
		t.Fatalf("%v", err)
		return ""
	}
	bad("varieties", func(x *trees.NewSet) { x.Varieties = x.Varieties[:1] })
	bad("varieties", func(x *trees.NewSet) { x.Varieties = []string{"Lanternjaw", "Lanternjaw"} })
	bad("varieties", func(x *trees.NewSet) { x.Kind = trees.Interstem })
	bad("lot", func(x *trees.NewSet) { x.Lot = "L-99" })
	bad("begin", func(x *trees.NewSet) { x.Begin = 300 })
	bad("begin", func(x *trees.NewSet) { x.Begin = 39 })
	bad("due_on", func(x *trees.NewSet) { x.DueOn = h.Today().AddDate(0, 0, -1) })
	says := bad("sure", func(x *trees.NewSet) { x.Genus = "apple" })
	assert.Contains(t, says, "Apple is known not to live on pear")

	begun, err := h.AddSet(ctx, h.maud, n)
	require.NoError(t, err)
	assert.Greater(t, begun, 50, "more than one variety's take asks for")
	assert.Equal(t, 200-begun, h.sum(`select n from stock_balance b join any_lot l on l.id = b.lot_id where l.code = 'L-8' and account =
		'free'`))
	p := h.tree("F-1")
	require.Len(t, p.Limbs, 3)
	product := 1.0
	for _, l := range p.Limbs {
		assert.Equal(t, begun, l.ToGo, "every tree bears %s", l.Variety)
		product *= l.Chance
	}
	assert.InDelta(t, product*float64(begun), p.Good.Mean/h.fate().Both.Mean(), 2, "good trees")
	assert.InDelta(t, 0.9, p.Enough, 0.06, "as sure as the house asks")
	// Wood is there for the first only: the others say what lacks.
	assert.Equal(t, trees.NoWood, limbOf(t, p, "B").State)
	assert.Equal(t, begun, limbOf(t, p, "B").Short)
	a := limbOf(t, p, "A")
	assert.Contains(t, []trees.State{trees.Open, trees.NoWood}, a.State)

	// What dies of a variety costs its tree, until it is tried again.
	h.grafted("F-1-A", "cold callus", begun-7)
	a = limbOf(t, h.tree("F-1"), "A")
	assert.Zero(t, a.ToGo)
	assert.Equal(t, trees.Lives, a.State)
	again, err := h.TryAgain(ctx, h.maud, "F-1", "A")
	require.NoError(t, err)
	assert.Equal(t, a.Dead, again)
	assert.Equal(t, again, limbOf(t, h.tree("F-1"), "A").ToGo)
	_, err = h.TryAgain(ctx, h.maud, "F-1", "A")
	h.problem(err, "")
}

// TestALimbWaitsForItsSeason: a thick limb takes what goes under the bark alone. Until that slips
// it waits, on the tree, among the orders and in the rehearsal alike.
func TestALimbWaitsForItsSeason(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 60, 5)
	require.NoError(t, h.AddTree(ctx, h.maud, trees.NewTree{Code: "T-1", Genus: "pear", Stock: "an old one"}))
	_, err := h.AddLimb(ctx, h.maud, "T-1", trees.NewLimb{MM: 70, Places: 4})
	require.NoError(t, err)
	require.NoError(t, h.WantOn(ctx, h.maud, "T-1", "A", trees.Want{Variety: "Lanternjaw", Genus: "pear"}))
	a := limbOf(t, h.tree("T-1"), "A")
	assert.Equal(t, trees.Shut, a.State)
	assert.False(t, a.OpensOn.IsZero())
	assert.Equal(t, []string{"bark flap, top left on", "rind graft, stock headed"}, lower(a.Fits), "no T-bud, no whip on 70 mm")
	l := h.lineOfOrder("T-1-A")
	assert.Equal(t, supply.WaitsSeason, l.Stand.State)
	assert.False(t, l.Lacks())
	assert.Equal(t, a.OpensOn, l.Stand.Opens)
	o := going(t, h.rehearsal(), "T-1-A")
	assert.Zero(t, o.Unwoven)
	assert.Greater(t, o.Out.Met, 0.7)
}

func lower(ss []string) (out []string) {
	for _, s := range ss {
		out = append(out, strings.ToLower(s))
	}
	return out
}

// TestTheTopOfAnInterstemGoesWhereItsMiddleLives begins pears on an interstem; once the middle
// pieces are counted, no more tops are asked for than live.
func TestTheTopOfAnInterstemGoesWhereItsMiddleLives(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 60, 5)
	require.NoError(t, h.AddPlant(ctx, h.maud, wood.NewPlant{Code: "M-2", Genus: "apple", Variety: "Hob's Candle"}))
	set := trees.NewSet{Code: "I-1", Kind: trees.Interstem, Lot: "L-1", Wanted: 10, Begin: 16, Genus: "pear", TopGenus: "apple",
		Varieties: []string{"Lanternjaw", "Hob's Candle"}, DueOn: time.Date(2029, 3, 1, 0, 0, 0, 0, time.UTC)}
	_, err := h.AddSet(ctx, h.maud, set)
	says := h.problem(err, "sure")
	assert.Contains(t, says, "Apple is known not to live on pear", "it is the union above that fails")
	set.TopGenus = "pear"
	set.Varieties[1] = "Copperpot"
	_, err = h.AddSet(ctx, h.maud, set)
	require.NoError(t, err)
	p := h.tree("I-1")
	require.Len(t, p.Limbs, 2)
	assert.Equal(t, "quince", limbOf(t, p, "A").Genus)
	assert.Equal(t, "pear", limbOf(t, p, "B").Genus, "the top stands on the middle piece")
	assert.Equal(t, 16, limbOf(t, p, "B").ToGo)
	assert.Equal(t, trees.Unread, limbOf(t, p, "B").State, "the middle pieces are still to be measured")
	h.measure("L-1")
	h.measure("I-1-A")
	h.grafted("I-1-A", "cold callus", 13)
	p = h.tree("I-1")
	assert.Equal(t, 13, limbOf(t, p, "A").Alive)
	assert.Equal(t, 13, limbOf(t, p, "B").ToGo, "only where the middle piece lives")
}

// measure calipers a few stems of a lot.
func (h *house) measure(code string) {
	h.Helper()
	require.NoError(h, h.AddReadings(ctx, h.maud, code, []float64{8.6, 9, 9.2, 8.8}))
}

// batchOf makes all that is to go for an order.
func (h *house) batchOf(order, healing string) string {
	h.Helper()
	p, err := h.Match(ctx, order, match.Asked{})
	require.NoError(h, err)
	code, err := h.MakeBatch(ctx, h.maud, order, match.MakeBatch{Print: p.Print, Once: h.uuid(), Tie: "film", Healing: healing})
	require.NoError(h, err)
	return code
}

func (h *house) tapThrough(t store.Tag) {
	h.Helper()
	h.tap(h.ansel, t.Code, "tied", t.Planned)
	h.tap(h.ansel, t.Code, "finish", 1)
}

// fate is what becomes of live grafts.
func (h *house) fate() outlook.Fate {
	h.Helper()
	f, err := h.Facts(ctx)
	require.NoError(h, err)
	x, err := h.Reckon.Fate(ctx, f)
	require.NoError(h, err)
	return x
}

func asProblems(err error, ps *nursery.Problems) bool { return errors.As(err, ps) }
func asProblem(err error, p *nursery.Problem) bool    { return errors.As(err, p) }
