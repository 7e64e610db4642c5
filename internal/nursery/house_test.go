package nursery_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/nursery"
	"unionknot/internal/nursery/access"
	"unionknot/internal/nursery/bench"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/orders"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/nursery/wood"
	"unionknot/internal/store"
	"unionknot/internal/testhouse"
)

var ctx = context.Background()

// house is an empty nursery with one propagator, two hands and a looker.
type house struct {
	testing.TB
	*stages.Set
	db                      *store.DB
	maud, ansel, odile, eye nursery.Actor
	r                       *rand.Rand
}

// besides are the tests that run beside others.
var besides sync.Map

// beside lets a test run beside others: its house is its own.
func beside(t testing.TB) {
	if x, ok := t.(*testing.T); ok {
		if _, already := besides.LoadOrStore(x, true); !already {
			x.Parallel()
		}
	}
}

func newHouse(t testing.TB) *house {
	t.Helper()
	beside(t)
	return aloneInHouse(t)
}

// aloneInHouse is newHouse for a test that runs while no other does.
func aloneInHouse(t testing.TB) *house {
	t.Helper()
	db := testhouse.Empty(t)
	s, err := stages.New(ctx, db, testhouse.Quiet)
	require.NoError(t, err)
	h := &house{TB: t, Set: s, db: db, r: rand.New(rand.NewPCG(9, 9))}
	h.on(2027, 2, 10)
	code, err := s.SetupCode(ctx)
	require.NoError(t, err)
	h.maud, err = s.FirstPropagator(ctx, code, "Test", "Maud", "maud", "three blunt knives")
	require.NoError(t, err)
	for _, n := range []access.NewPerson{{Name: "Ansel", SignIn: "ansel", Role: "bench hand", PIN: "2468"},
		{Name: "Odile", SignIn: "odile", Role: "bench hand", PIN: "1357"},
		{Name: "Vera", SignIn: "vera", Role: "looker", Password: "three blunt knives"}} {
		require.NoError(t, s.AddPerson(ctx, h.maud, n))
	}
	ps, err := s.People(ctx, h.maud)
	require.NoError(t, err)
	for _, p := range ps {
		a := nursery.Actor{ID: p.ID, Name: p.Name, Role: nursery.Role(p.Role)}
		switch p.Name {
		case "Ansel":
			h.ansel = a
		case "Odile":
			h.odile = a
		case "Vera":
			h.eye = a
		}
	}
	return h
}

func (h *house) on(y, m, d int) {
	h.RunFrom(time.Date(y, time.Month(m), d, 10, 0, 0, 0, time.Local))
}

func (h *house) uuid() string {
	a, b := h.r.Uint64(), h.r.Uint64()
	return fmt.Sprintf("%08x-%04x-4%03x-8%03x-%012x", a>>32, a>>16&0xffff, a&0xfff, b>>52, b&0xffffffffffff)
}

func lot(code string, stems int) stock.NewLot {
	return stock.NewLot{
		Code:       code,
		Genus:      "quince",
		StockType:  "Tarn Q3",
		Form:       "bare-root",
		ReceivedOn: time.Date(2027, 1, 12, 0, 0, 0, 0, time.UTC),
		Received:   stems,
		GradeLow:   8,
		GradeHigh:  10,
	}
}

// stocked adds a lot, a mother plant, a bundle and an order that fit.
func (h *house) stocked(stems, sticks, trees int) {
	h.Helper()
	require.NoError(h, h.AddLot(ctx, h.maud, lot("L-1", stems)))
	require.NoError(h, h.AddPlant(ctx, h.maud, wood.NewPlant{Code: "M-1", Genus: "pear", Variety: "Lanternjaw"}))
	require.NoError(
		h,
		h.AddBundle(
			ctx,
			h.maud,
			wood.NewBundle{Code: "W-1", Plant: "M-1", State: "resting", CutOn: time.Date(2027, 1, 11, 0, 0, 0, 0, time.UTC),
				Sticks: sticks, LengthMM: 540, BaseMM: 9.2, TipMM: 5.8, InternodeMM: 22, BudsPerPiece: 2, Whole: true},
		),
	)
	h.order("O-1", trees)
}

func (h *house) order(code string, trees int) {
	h.Helper()
	require.NoError(
		h,
		h.AddOrder(
			ctx,
			h.maud,
			orders.NewOrder{Code: code, Genus: "pear", Variety: "Lanternjaw", StockGenus: "quince", StockType: "Tarn Q3",
				Trees: trees, DueOn: time.Date(2028, 2, 20, 0, 0, 0, 0, time.UTC)},
		),
	)
}

func (h *house) batch(order string, grafts int) string {
	h.Helper()
	asked := match.Asked{Grafts: grafts}
	p, err := h.Match(ctx, order, asked)
	require.NoError(h, err)
	code, err := h.MakeBatch(
		ctx,
		h.maud,
		order,
		match.MakeBatch{Asked: asked, Print: p.Print, Once: h.uuid(), Tie: "film", Healing: "cold callus"},
	)
	require.NoError(h, err)
	return code
}

func (h *house) tagsOf(batch string, hands ...nursery.Actor) []store.Tag {
	h.Helper()
	var ids []int64
	for _, a := range hands {
		ids = append(ids, a.ID)
	}
	require.NoError(h, h.MakeTags(ctx, h.maud, batch, h.Today(), ids))
	p, err := h.Batch(ctx, batch)
	require.NoError(h, err)
	return p.Tags
}

func (h *house) tap(a nursery.Actor, tag, kind string, n int) bench.Tapped {
	h.Helper()
	done, err := h.Tap(ctx, a, tag, []bench.Tap{{ID: h.uuid(), Kind: kind, N: n}})
	require.NoError(h, err)
	return done
}

// balances adds a lot's or bundle's accounts up.
func sumOf(bs []store.Balance) (total int, by map[string]int) {
	by = map[string]int{}
	for _, b := range bs {
		total += b.N
		by[b.Account] = b.N
	}
	return total, by
}

func (h *house) stems(code string) map[string]int {
	h.Helper()
	p, err := h.Lot(ctx, code, 0)
	require.NoError(h, err)
	total, by := sumOf(p.Balances)
	require.Equal(h, p.Lot.Received, total, "every stem is somewhere")
	return by
}

func (h *house) pieces(code string) map[string]int {
	h.Helper()
	p, err := h.Bundle(ctx, code)
	require.NoError(h, err)
	total, by := sumOf(p.Balances)
	require.Equal(h, p.Bundle.Pieces, total, "every piece is somewhere")
	return by
}

func isProblem(t testing.TB, err error, says string) {
	t.Helper()
	var p nursery.Problem
	var ps nursery.Problems
	require.True(t, errors.As(err, &p) || errors.As(err, &ps), "%v", err)
	assert.Contains(t, err.Error(), says)
}
