package nursery_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/access"
	"unionknot/internal/nursery/bench"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/orders"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/nursery/wood"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/testhouse"
	"unionknot/internal/words"
)

func TestTheFirstPropagatorNeedsTheCode(t *testing.T) {
	db := testhouse.Empty(t)
	s, err := stages.New(ctx, db, testhouse.Quiet)
	require.NoError(t, err)
	empty, err := s.Empty(ctx)
	require.NoError(t, err)
	assert.True(t, empty)
	old, err := s.SetupCode(ctx)
	require.NoError(t, err)
	code, err := s.SetupCode(ctx)
	require.NoError(t, err)
	_, err = s.FirstPropagator(ctx, old, "Test", "Maud", "maud", "three blunt knives")
	isProblem(t, err, "not the code")
	_, err = s.FirstPropagator(ctx, code, "", "", "mau d", "short")
	isProblem(t, err, "10 signs")
	a, err := s.FirstPropagator(ctx, strings.ToLower(code), "Test", "Maud", "Maud", "three blunt knives")
	require.NoError(t, err)
	assert.Equal(t, nursery.Propagator, a.Role)
	_, err = s.FirstPropagator(ctx, code, "Test", "Eve", "eve", "three blunt knives")
	isProblem(t, err, "has its propagator")
	none, err := s.SetupCode(ctx)
	require.NoError(t, err)
	assert.Empty(t, none)
}

func TestWhoMayDoWhat(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 10, 20)
	for _, a := range []nursery.Actor{h.ansel, h.eye} {
		for name, err := range map[string]error{
			"lot": h.AddLot(ctx, a, lot("L-9", 5)), "plant": h.AddPlant(ctx, a, wood.NewPlant{}),
			"bundle": h.AddBundle(ctx, a, wood.NewBundle{}),
			"order":  h.AddOrder(ctx, a, orders.NewOrder{}), "person": h.AddPerson(ctx, a, access.NewPerson{}),
			"way":      h.ChooseWay(ctx, a, "sealing", "brushed wax"),
			"readings": h.AddReadings(ctx, a, "L-1", []float64{8}), "settle": h.SettleStock(ctx, a, "L-1", "free", "lost", "x", 1),
			"undo": h.UndoBatch(ctx, a, "X"),
			"tags": h.MakeTags(ctx, a, "X", h.Today(), []int64{1}), "leave": h.Leave(ctx, a, 1, false),
			"throw": h.ThrowOutWood(ctx, a, "W-1", "x", 1),
		} {
			assert.ErrorIs(t, err, nursery.ErrNotAllowed, "%s by %s", name, a.Role)
		}
	}
	_, err := h.Tap(ctx, h.eye, "R4-KMTE", nil)
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
	isProblem(t, h.Leave(ctx, h.maud, h.maud.ID, false), "last propagator")
}

func TestBadInputIsNamedAndKeepsNothing(t *testing.T) {
	h := newHouse(t)
	isProblem(t, h.AddLot(ctx, h.maud, stock.NewLot{Code: "no good!", Genus: "dragon"}), "Choose a genus")
	isProblem(t, h.AddBundle(ctx, h.maud, wood.NewBundle{Code: "W", Plant: "M-1", TipMM: 9, BaseMM: 5}), "swapped")
	h.stocked(60, 10, 20)
	isProblem(t, h.AddLot(ctx, h.maud, lot("l-1", 5)), "already there")
	isProblem(t, h.AddReadings(ctx, h.maud, "L-1", []float64{8.2, 820}), "Nothing was kept")
	isProblem(t, h.AddReadings(ctx, h.maud, "L-1", make([]float64, 0)), "at least one")
	p, err := h.Lot(ctx, "L-1", 0)
	require.NoError(t, err)
	assert.Empty(t, p.Readings)
	_, err = h.Lot(ctx, "L-404", 0)
	assert.ErrorIs(t, err, nursery.ErrNotFound)
}

func TestReadingsMakeTheClasses(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 10, 20)
	require.NoError(t, h.AddReadings(ctx, h.maud, "L-1", []float64{7.2, 8.1, 8.4, 9.9}))
	p, err := h.Lot(ctx, "L-1", 8)
	require.NoError(t, err)
	require.Len(t, p.Diameters.All, 3)
	assert.Equal(t, 30, p.Diameters.All[1].N)
	assert.InDelta(t, 0.75, p.Share.Share, 1e-9)
	require.NoError(t, h.RemoveReading(ctx, h.maud, "L-1", h.Today(), 4, "misread"))
	p, err = h.Lot(ctx, "L-1", 8)
	require.NoError(t, err)
	assert.Len(t, p.Readings, 3)
}

func TestTheNeedFollowsTheChanceAndOwnRecords(t *testing.T) {
	h := newHouse(t)
	h.stocked(400, 80, 140)
	low, err := h.Order(ctx, "O-1", outlook.WhatIf{Chance: 0.6})
	require.NoError(t, err)
	high, err := h.Order(ctx, "O-1", outlook.WhatIf{Chance: 0.99})
	require.NoError(t, err)
	assert.Less(t, low.Line.Need.Grafts, high.Line.Need.Grafts)
	assert.Equal(t, "whip-and-tongue", low.Line.Need.By.Technique.Key, "the best take whose window is open")
	assert.NotEmpty(t, low.Line.Need.Working.Inputs)
	assert.Contains(t, low.Compatibility, "interstem")
}

func TestTwentyPlannersCannotSpendAStemTwice(t *testing.T) {
	h := newHouse(t)
	h.stocked(130, 100, 20)
	for i := 2; i <= 20; i++ {
		h.order(fmt.Sprintf("O-%d", i), 20)
	}
	var made atomic.Int64
	var wait sync.WaitGroup
	keys := make([]string, 21)
	for i := range keys {
		keys[i] = h.uuid()
	}
	for i := 1; i <= 20; i++ {
		wait.Go(func() {
			code, asked := fmt.Sprintf("O-%d", i), match.Asked{Grafts: 20}
			for range 40 { // look, try, and look again when somebody was faster
				p, err := h.Match(ctx, code, asked)
				if !assert.NoError(t, err) || p.Weave.Paired == 0 {
					return
				}
				b, err := h.MakeBatch(
					ctx,
					h.maud,
					code,
					match.MakeBatch{Asked: asked, Print: p.Print, Once: keys[i], Tie: "film", Healing: "cold callus"},
				)
				if err == nil {
					x, err := h.Batch(ctx, b)
					assert.NoError(t, err)
					made.Add(int64(x.Batch.Grafts))
					return
				}
				var changed nursery.Problem
				if !assert.ErrorAs(t, err, &changed) {
					return
				}
			}
		})
	}
	wait.Wait()
	by := h.stems("L-1")
	assert.Equal(t, int(made.Load()), by[store.Aside])
	assert.Equal(t, 130, by[store.Aside]+by[store.Free])
	assert.Greater(t, by[store.Aside], 100, "nearly all of the lot was given out")
	assert.Equal(t, by[store.Aside], h.pieces("W-1")[store.Aside])
	assert.ErrorIs(t, h.db.Tx(ctx, func(q store.Q) error {
		l, err := q.LotByCode(ctx, "L-1")
		require.NoError(t, err)
		return q.MoveStock(
			ctx,
			store.Move{Of: l.ID, N: 131, From: store.Free, To: store.Aside, Reason: "by hand", Note: "x", PersonID: h.maud.ID, At: h.Now()},
		)
	}), store.ErrShort, "the database itself refuses")
}

func TestABatchIsMadeOnceAndAsItWasSeen(t *testing.T) {
	h := newHouse(t)
	h.stocked(130, 60, 40)
	p, err := h.Match(ctx, "O-1", match.Asked{Grafts: 30})
	require.NoError(t, err)
	ask := match.MakeBatch{Asked: match.Asked{Grafts: 30}, Print: p.Print, Once: h.uuid(), Tie: "film", Healing: "cold callus"}
	first, err := h.MakeBatch(ctx, h.maud, "O-1", ask)
	require.NoError(t, err)
	again, err := h.MakeBatch(ctx, h.maud, "O-1", ask)
	require.NoError(t, err)
	assert.Equal(t, first, again, "pressed twice, made once")
	assert.Equal(t, 30, h.stems("L-1")[store.Aside])
	require.NoError(t, h.AddReadings(ctx, h.maud, "L-1", []float64{7.6, 8.2, 9.1}))
	ask.Once = h.uuid()
	_, err = h.MakeBatch(ctx, h.maud, "O-1", ask)
	isProblem(t, err, "since you looked")
	require.NoError(t, h.UndoBatch(ctx, h.maud, first))
	require.NoError(t, h.UndoBatch(ctx, h.maud, first), "twice does no harm")
	assert.Zero(t, h.stems("L-1")[store.Aside])
	assert.Zero(t, h.pieces("W-1")[store.Aside])
}

func TestTagsAreOfOneLotBundleAndTechniqueAndShared(t *testing.T) {
	h := newHouse(t)
	h.stocked(200, 60, 100)
	b := h.batch("O-1", 110)
	tags := h.tagsOf(b, h.maud, h.ansel, h.odile)
	total, hands := 0, map[int64]bool{}
	for _, tag := range tags {
		assert.LessOrEqual(t, tag.Planned, 25)
		total += tag.Planned
		hands[tag.WorkerID] = true
	}
	assert.Equal(t, 110, total)
	assert.GreaterOrEqual(t, len(hands), 2)
	tags = h.tagsOf(b, h.ansel)
	p, err := h.Batch(ctx, b)
	require.NoError(t, err)
	assert.NotEmpty(t, p.Warnings, "one hand alone on a lot of over 50 is said")
	h.tap(h.ansel, tags[0].Code, "tied", 1)
	isProblem(t, h.MakeTags(ctx, h.maud, b, h.Today(), []int64{h.odile.ID}), "has begun")
	isProblem(t, h.UndoBatch(ctx, h.maud, b), "has begun")
	require.NoError(t, h.HandOver(ctx, h.ansel, tags[1].Code, h.odile.ID, 0))
	isProblem(t, h.HandOver(ctx, h.ansel, tags[0].Code, h.odile.ID, 0), "one worker's work")
}

func TestATapSentTwiceCountsOnce(t *testing.T) {
	h := newHouse(t)
	h.stocked(100, 30, 20)
	tag := h.tagsOf(h.batch("O-1", 24), h.ansel)[0]
	taps := []bench.Tap{{ID: h.uuid(), Kind: "tied", N: 5}, {ID: h.uuid(), Kind: "tied", N: 1, AgoMS: 3000}}
	var wait sync.WaitGroup
	for range 8 { // the same taps from a tablet that is not sure they arrived
		wait.Go(func() {
			done, err := h.Tap(ctx, h.ansel, tag.Code, taps)
			assert.NoError(t, err)
			assert.Len(t, done.Safe, 2)
		})
	}
	wait.Wait()
	c, err := h.Card(ctx, h.ansel, tag.Code)
	require.NoError(t, err)
	assert.Equal(t, 6, c.Counts.Tied)
	assert.Equal(t, 18, c.Counts.Left)
	done, err := h.Tap(ctx, h.odile, tag.Code, []bench.Tap{{ID: h.uuid(), Kind: "tied", N: 1}})
	require.NoError(t, err)
	require.Len(t, done.Held, 1, "kept, and not counted")
	assert.Equal(t, words.Refused(tally.NotTheirs), done.Held[0].Why)
	assert.Equal(t, 6, done.Counts.Tied)
	_, err = h.Tap(ctx, h.ansel, tag.Code, []bench.Tap{{ID: "x", Kind: "tied", N: 1}})
	isProblem(t, err, "Load the card anew")
}

func TestTheLedgerFollowsTheBench(t *testing.T) {
	h := newHouse(t)
	h.stocked(40, 10, 20) // 40 pieces of wood
	tag := h.tagsOf(h.batch("O-1", 24), h.ansel)[0]
	h.tap(h.ansel, tag.Code, "tied", 5)
	h.tap(h.ansel, tag.Code, "spoiled wood", 1)
	spoiltStock := []bench.Tap{{ID: h.uuid(), Kind: "spoiled stock", N: 1}}
	_, err := h.Tap(ctx, h.ansel, tag.Code, spoiltStock)
	require.NoError(t, err)
	c := h.tap(h.ansel, tag.Code, "dropped", 1).Counts
	assert.Equal(t, 19, c.Left, "what was spoiled is drawn anew while there is any")
	assert.Equal(t, map[string]int{"aside": 24, "free": 14, "spoiled": 2}, h.pieces("W-1"))
	assert.Equal(t, map[string]int{"aside": 24, "free": 15, "spoiled": 1}, h.stems("L-1"))
	_, err = h.Tap(ctx, h.ansel, tag.Code, []bench.Tap{{ID: h.uuid(), Kind: "undo", N: 1, Undoes: spoiltStock[0].ID}})
	require.NoError(t, err)
	assert.Equal(t, map[string]int{"aside": 24, "free": 16}, h.stems("L-1"), "taken back, the stem is there again")
	h.tap(h.ansel, tag.Code, "set aside", 1)
	finish := []bench.Tap{{ID: h.uuid(), Kind: "tied", N: 10}, {ID: h.uuid(), Kind: "finish", N: 1}}
	done, err := h.Tap(ctx, h.ansel, tag.Code, finish)
	require.NoError(t, err)
	assert.True(t, done.Counts.Finished)
	assert.Equal(t, map[string]int{"grafted": 15, "free": 25}, h.stems("L-1"))
	assert.Equal(t, map[string]int{"grafted": 15, "free": 23, "spoiled": 2}, h.pieces("W-1"))
	late := h.tap(h.ansel, tag.Code, "tied", 1)
	require.Len(t, late.Held, 1, "kept, and not counted")
	assert.Equal(t, words.Refused(tally.TagFinished), late.Held[0].Why)
	_, err = h.Tap(ctx, h.ansel, tag.Code, []bench.Tap{{ID: h.uuid(), Kind: "undo", N: 1, Undoes: finish[1].ID}})
	require.NoError(t, err)
	assert.Equal(t, 24-1, h.stems("L-1")[store.Aside], "opened again, as it was")
	c = h.tap(h.ansel, tag.Code, "finish", 1).Counts
	assert.Equal(t, 16, c.Tied, "and what was tapped between counts")
}

func TestNoMoreIsTiedThanWasLaidOut(t *testing.T) {
	h := newHouse(t)
	h.stocked(40, 6, 20) // 24 pieces
	tags := h.tagsOf(h.batch("O-1", 24), h.ansel)
	tag := tags[0]
	r := rand.New(rand.NewPCG(2, 3))
	kinds := []string{"tied", "tied", "tied", "spoiled wood", "spoiled stock", "dropped", "set aside"}
	var ids []string
	for range 120 {
		tap := bench.Tap{ID: h.uuid(), Kind: kinds[r.IntN(len(kinds))], N: 1}
		if r.IntN(4) == 0 && len(ids) > 0 {
			tap.Kind, tap.Undoes = "undo", ids[r.IntN(len(ids))]
		} else if tap.Kind == "tied" && r.IntN(3) == 0 {
			tap.N = 5
		}
		done, err := h.Tap(ctx, h.ansel, tag.Code, []bench.Tap{tap})
		require.NoError(t, err)
		if tap.Kind != "undo" {
			ids = append(ids, tap.ID)
		}
		c := done.Counts
		h.stems("L-1") // each adds up, always
		h.pieces("W-1")
		require.LessOrEqual(t, c.Tied+c.SpoiledStock, 40)
		require.LessOrEqual(t, c.Tied+c.SpoiledWood+c.Dropped, 24)
	}
	tied := 0
	for _, x := range tags {
		tied += h.tap(h.ansel, x.Code, "finish", 1).Counts.Tied
	}
	assert.Equal(t, tied, h.stems("L-1")[store.Grafted])
	assert.Equal(t, tied, h.pieces("W-1")[store.Grafted])
	assert.Zero(t, h.stems("L-1")[store.Aside])
	assert.Zero(t, h.pieces("W-1")[store.Aside])
}
