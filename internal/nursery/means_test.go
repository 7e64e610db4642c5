package nursery_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/bench"
	"unionknot/internal/nursery/days"
	"unionknot/internal/nursery/orders"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/outlook"
)

func (h *house) orderIf(code string, w outlook.WhatIf) outlook.OrderPage {
	h.Helper()
	p, err := h.Order(ctx, code, w)
	require.NoError(h, err)
	return p
}

func TestOrdersDrawOnTheSameStemsByPriority(t *testing.T) {
	h := rivals(t) // O-2 for 40 trees goes before O-1, for the same stems
	first, second := h.orderIf("O-2", outlook.WhatIf{}).Line, h.orderIf("O-1", outlook.WhatIf{}).Line
	assert.Zero(t, first.Means.Stock.Lack())
	assert.InDelta(t, first.Means.Stock.Have-float64(first.ToGo), second.Means.Stock.Have, 1e-9, "the second has what the first leaves")
	assert.Positive(t, second.Means.Stock.Lack())
	assert.Contains(t, second.Means.Stock.Says, "O-2 comes first")
	for _, b := range second.Means.Bars() {
		assert.NotEmpty(t, b.Working.Title, b.Name)
		assert.NotEmpty(t, b.Says)
	}
}

func TestChanceAndTakeMoveEverything(t *testing.T) {
	h := rivals(t)
	usual := h.orderIf("O-1", outlook.WhatIf{}).Line
	sure := h.orderIf("O-1", outlook.WhatIf{Chance: 0.99}).Line
	poor := h.orderIf("O-1", outlook.WhatIf{Points: -20}).Line
	assert.Greater(t, sure.Need.Grafts, usual.Need.Grafts)
	assert.Greater(t, poor.Need.Grafts, sure.Need.Grafts)
	assert.Greater(t, poor.Means.Hands.Want, usual.Means.Hands.Want)
	assert.LessOrEqual(t, usual.Need.Low, usual.Need.Grafts)
	assert.GreaterOrEqual(t, usual.Need.High, usual.Need.Grafts)
	wild := h.orderIf("O-1", outlook.WhatIf{Chance: 7, Points: -900})
	assert.InDelta(t, 0.9, wild.WhatIf.Chance, 1e-9)
	assert.Equal(t, -30, wild.WhatIf.Points)
}

func TestLaterLossesAskForMoreGrafts(t *testing.T) {
	h := rivals(t)
	before := h.orderIf("O-2", outlook.WhatIf{}).Line.Need.Grafts
	_, err := h.db.Exec(`update house set grade_share = 0.8`)
	require.NoError(t, err)
	after := h.orderIf("O-2", outlook.WhatIf{}).Line.Need
	assert.Greater(t, after.Grafts, before+5)
	assert.True(t, slices.ContainsFunc(after.Working.Inputs, func(i working.Input) bool { return i.Name == "Lifted and making the grade" }))
	assert.True(
		t,
		slices.ContainsFunc(after.Working.Inputs, func(i working.Input) bool { return i.Name == "On this order" }),
		"and what lots and bundles differ by",
	)
}

func TestWaysOutOfWhatLacks(t *testing.T) {
	h := rivals(t)
	p := h.orderIf("O-1", outlook.WhatIf{})
	require.NotEmpty(t, p.Ways)
	says := ""
	for i, w := range p.Ways {
		says += w.Says() + "\n"
		assert.NotEmpty(t, w.Working.Inputs)
		sum := 0
		for _, x := range w.Steps {
			assert.Positive(t, x.Grafts)
			sum += x.Cents
		}
		assert.InDelta(t, w.Cents, sum, 3)
		if i > 0 {
			assert.GreaterOrEqual(t, w.Cents, p.Ways[i-1].Cents, "the cheapest first")
		}
	}
	assert.Contains(t, says, "Buy")
	assert.Contains(t, says, "a year later")
	assert.NotContains(t, says, "instead: 0")
	// Another stock that pears go on takes what lacks, at no loss.
	require.NoError(
		t,
		h.AddLot(
			ctx,
			h.maud,
			stock.NewLot{
				Code:       "L-9",
				Genus:      "pear",
				StockType:  "Wether",
				Supplier:   "own",
				Form:       "bare-root",
				ReceivedOn: h.Today(),
				Received:   500,
				GradeLow:   7,
				GradeHigh:  9,
			},
		),
	)
	p = h.orderIf("O-1", outlook.WhatIf{})
	assert.Contains(t, p.Ways[0].Says(), "on pear Wether instead: 500 are free")
	assert.Zero(t, p.Ways[0].Steps[0].Cents)
	// Stems that another order needs cost what it then lacks.
	require.NoError(
		t,
		h.AddOrder(
			ctx,
			h.maud,
			orders.NewOrder{
				Code:       "O-9",
				Genus:      "pear",
				Variety:    "Lanternjaw",
				StockGenus: "pear",
				StockType:  "Wether",
				Trees:      420,
				DueOn:      time.Date(2028, 2, 20, 0, 0, 0, 0, time.UTC),
			},
		),
	)
	p = h.orderIf("O-1", outlook.WhatIf{})
	for _, w := range p.Ways {
		for _, x := range w.Steps {
			if strings.Contains(x.Says, "on pear Wether") {
				assert.Contains(t, x.Says, "O-9 then lacks")
				assert.Positive(t, x.Cents)
			}
		}
	}
	assert.Empty(t, h.orderIf("O-2", outlook.WhatIf{}).Ways, "nothing lacks, nothing is proposed")
}

func TestHandsAndWindowAreMeansToo(t *testing.T) {
	h := rivals(t)
	l := h.orderIf("O-2", outlook.WhatIf{}).Line
	free := l.Means.Hands.Have
	assert.Positive(t, free)
	ps, err := h.People(ctx, h.maud)
	require.NoError(t, err)
	for _, p := range ps {
		if p.Role == "bench hand" {
			require.NoError(t, h.AddAway(ctx, h.maud, p.ID, h.Today(), h.Today().AddDate(0, 3, 0), "harvest elsewhere"))
		}
	}
	p := h.orderIf("O-2", outlook.WhatIf{})
	assert.Zero(t, p.Line.Means.Hands.Have)
	assert.Contains(t, p.Ways[0].Says()+p.Ways[len(p.Ways)-1].Says(), "hours more of somebody")
	// In a season in which nothing is open, the window is what lacks.
	h.on(2027, 10, 20)
	p = h.orderIf("O-2", outlook.WhatIf{})
	assert.Zero(t, p.Line.Means.Window.Have)
	assert.Contains(t, p.Line.Means.Window.Says, "opens")
}

func TestAWeekIsChecked(t *testing.T) {
	h := newHouse(t)
	var w days.Week
	w.Hours[1][1], w.Knows = 9, []string{"splice"}
	require.Error(t, h.SetWeek(ctx, h.maud, h.ansel.ID, w))
	w.Hours[1][1], w.Knows = 4, []string{"sorcery"}
	require.Error(t, h.SetWeek(ctx, h.maud, h.ansel.ID, w))
	w.Knows = []string{"splice"}
	require.ErrorIs(t, h.SetWeek(ctx, h.ansel, h.ansel.ID, w), nursery.ErrNotAllowed)
	require.NoError(t, h.SetWeek(ctx, h.maud, h.ansel.ID, w))
	require.Error(t, h.AddAway(ctx, h.maud, h.ansel.ID, h.Today(), h.Today().AddDate(0, 0, -1), ""))
	require.Error(t, h.AddAway(ctx, h.maud, h.ansel.ID, time.Time{}, h.Today(), ""))
	require.Error(t, h.SetSeats(ctx, h.maud, 1, 0))
	require.NoError(t, h.SetSeats(ctx, h.maud, 1, 3))
	require.ErrorIs(t, h.DropAway(ctx, h.maud, 999), nursery.ErrNotFound)
}

func TestPaceIsCountedFromTagsDoneInOneGo(t *testing.T) {
	h := woven(t)
	h.plan()
	pace := func(name string) outlook.Hand {
		p, err := h.Hands(ctx)
		require.NoError(t, err)
		for _, x := range p.Hands {
			if x.Person.Name == name {
				return x
			}
		}
		require.Fail(t, "no hand", name)
		return outlook.Hand{}
	}
	assert.InDelta(t, 1, pace("Ansel").Speed.Mean, 1e-9, "nothing is known yet: the house's rate")
	assert.Contains(t, pace("Ansel").Working().Inputs[0].Source, "house default")
	for _, x := range h.openTags() {
		if x.Worker != "Ansel" {
			continue
		}
		// Twice the house's pace: begun so long ago, and finished now.
		ago := int64(float64(x.Planned) / 40 / 2 * 3_600_000)
		_, err := h.Tap(
			ctx,
			h.maud,
			x.Code,
			[]bench.Tap{
				{ID: h.uuid(), Kind: "wiped", N: 1, AgoMS: ago},
				{ID: h.uuid(), Kind: "tied", N: x.Planned, AgoMS: 1000},
				{ID: h.uuid(), Kind: "finish", N: 1},
			},
		)
		require.NoError(t, err)
	}
	fast := pace("Ansel")
	assert.Greater(t, fast.Speed.Mean, 1.1)
	assert.Less(t, fast.Speed.Mean, 2.0, "few tags do not say all")
	assert.True(t, fast.Speed.Low < fast.Speed.Mean && fast.Speed.Mean < fast.Speed.High)
	assert.Positive(t, fast.Tags)
	assert.InDelta(t, 1, pace("Odile").Speed.Mean, 1e-9)
}
