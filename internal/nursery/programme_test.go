package nursery_test

import (
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/pairing"
	"unionknot/internal/core/supply"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/orders"
	"unionknot/internal/nursery/wood"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// rivals are two orders for the same stems, of two varieties, the second the
// more urgent.
func rivals(t *testing.T) *house {
	h := newHouse(t)
	h.stocked(60, 20, 40)
	require.NoError(t, h.AddPlant(ctx, h.maud, wood.NewPlant{Code: "M-2", Genus: "pear", Variety: "Copperpot"}))
	require.NoError(
		t,
		h.AddBundle(
			ctx,
			h.maud,
			wood.NewBundle{Code: "W-2", Plant: "M-2", State: "resting", CutOn: time.Date(2027, 1, 11, 0, 0, 0, 0, time.UTC),
				Sticks: 20, LengthMM: 540, BaseMM: 9.2, TipMM: 5.8, InternodeMM: 22, BudsPerPiece: 2, Whole: true},
		),
	)
	require.NoError(
		t,
		h.AddOrder(
			ctx,
			h.maud,
			orders.NewOrder{
				Code:       "O-2",
				Genus:      "pear",
				Variety:    "Copperpot",
				StockGenus: "quince",
				StockType:  "Tarn Q3",
				Trees:      40,
				Priority:   1,
				DueOn:      time.Date(2028, 2, 20, 0, 0, 0, 0, time.UTC),
			},
		),
	)
	return h
}

func (h *house) programme(a match.ProgrammeAsked) match.ProgrammePage {
	h.Helper()
	p, err := h.Programme(ctx, a)
	require.NoError(h, err)
	return p
}

func lineOf(p match.ProgrammePage, order string) match.ProgrammeLine {
	for _, l := range p.Lines {
		if l.Line.Order.Code == order {
			return l
		}
	}
	return match.ProgrammeLine{}
}

func TestOrdersThatWantTheSameStemsShareThemByWhatTheyLack(t *testing.T) {
	h := rivals(t)
	p := h.programme(match.ProgrammeAsked{})
	first, second := lineOf(p, "O-2"), lineOf(p, "O-1")
	assert.Zero(t, first.Short, "priority 1 is filled first")
	assert.Positive(t, second.Short)
	assert.Equal(t, supply.UsedUp, second.Shortfall)
	assert.LessOrEqual(t, first.Paired+second.Paired, 60)
	assert.InDelta(t, p.Weave.Cost, p.Weave.Bound, 1e-6)
	assert.Equal(t, p.Print, h.programme(match.ProgrammeAsked{}).Print, "the same weave, asked again")

	assert.Contains(
		t,
		first.Warnings[len(first.Warnings)-1],
		"Not noted as seen true: M-2",
		"what one order's page warns of is warned of here",
	)

	// A held thread stays, though another would be cheaper; one kept apart goes.
	th := second.Threads[0]
	th.N = 1
	held := h.programme(match.ProgrammeAsked{Held: []pairing.Thread{th}})
	assert.Empty(t, held.Refused)
	found := false
	for _, x := range lineOf(held, "O-1").Threads {
		found = found || x.Held && x.Lot == th.Lot && x.Stock == th.Stock && x.Scion == th.Scion
	}
	assert.True(t, found)
	apart := h.programme(match.ProgrammeAsked{Banned: []pairing.Pair{{Order: "O-2"}}})
	assert.Zero(t, lineOf(apart, "O-2").Paired)
	assert.Zero(t, lineOf(apart, "O-1").Short, "what one leaves the other has")
	th.N = 5000
	gone := h.programme(match.ProgrammeAsked{Held: []pairing.Thread{th}})
	require.Len(t, gone.Refused, 1)
	assert.Contains(t, words.NotHeld(gone.Refused[0]), "cannot be held")
	stays := second.Threads[0]
	stays.N = 1
	both := h.programme(match.ProgrammeAsked{Held: []pairing.Thread{th, stays}})
	require.Len(t, both.Refused, 1, "only what cannot be is let go of")
	assert.True(t, slices.ContainsFunc(lineOf(both, stays.Order).Threads, func(x pairing.Thread) bool { return x.Held }),
		"the other is held")
	assert.Equal(t, p.Print, gone.Print)
	_, err := h.Programme(ctx, match.ProgrammeAsked{Banned: make([]pairing.Pair, 201)})
	isProblem(t, err, "At most 200")

	h.on(2027, 9, 20) // in autumn no window is open for this wood
	late := h.programme(match.ProgrammeAsked{})
	assert.Zero(t, late.Weave.Paired)
	assert.Equal(t, supply.NoPieces, lineOf(late, "O-1").Shortfall, "what is past its day is none")
	assert.NotEmpty(t, late.Outs)
}

func TestTheWholeProgrammeBecomesBatchesOnce(t *testing.T) {
	h := rivals(t)
	p := h.programme(match.ProgrammeAsked{})
	ask := match.MakeProgramme{Print: p.Print, Once: h.uuid(), Tie: "film"}
	_, err := h.MakeProgramme(ctx, h.ansel, ask)
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
	_, err = h.MakeProgramme(ctx, h.maud, match.MakeProgramme{Print: "other", Once: h.uuid(), Tie: "film"})
	isProblem(t, err, "since you looked")
	_, err = h.MakeProgramme(ctx, h.maud, match.MakeProgramme{Print: p.Print, Once: h.uuid(), Tie: "glue"})
	isProblem(t, err, "Choose a tie")

	// Two planners at once, each with the same weave on the screen: one makes it.
	var wg sync.WaitGroup
	made := make([]int, 2)
	for i := range made {
		m := ask
		m.Once = h.uuid()
		wg.Go(func() { made[i], _ = h.MakeProgramme(ctx, h.maud, m) })
	}
	wg.Wait()
	assert.Equal(t, 2, made[0]+made[1])
	assert.Equal(t, p.Weave.Paired, h.stems("L-1")[store.Aside], "set aside once")
	after := h.programme(match.ProgrammeAsked{})
	_, err = h.MakeProgramme(ctx, h.maud, match.MakeProgramme{Print: after.Print, Once: h.uuid(), Tie: "film"})
	isProblem(t, err, "nothing to make")
}

func TestAThreadInAnAddress(t *testing.T) {
	th := pairing.Thread{Order: "O-1", Lot: "L-1", Stock: 17, Bundle: "W-1", Scion: 16, Way: "splice", N: 4}
	got, ok := match.ThreadOf(match.ThreadText(th))
	assert.True(t, ok)
	assert.Equal(t, th, got)
	for _, bad := range []string{"", "a~b", "O~L~x~W~1~w~1", "O~L~1~W~1~w~-1", "O~L~9999~W~1~w~1", "~~~~~~~~"} {
		_, ok := match.ThreadOf(bad)
		assert.False(t, ok, bad)
	}
}
