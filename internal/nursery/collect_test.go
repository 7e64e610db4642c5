package nursery_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/nursery/orders"
	woodstage "unionknot/internal/nursery/wood"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
)

func TestTheCollectionSheetAsksForWhatIsLacking(t *testing.T) {
	h := newHouse(t)
	h.stocked(900, 10, 300)
	require.NoError(
		t,
		h.AddPlant(
			ctx,
			h.maud,
			woodstage.NewPlant{
				Code:       "M-2",
				Genus:      "pear",
				Variety:    "Lanternjaw",
				Place:      "row 12",
				SeenTrueBy: "Maud",
				SeenTrueOn: h.Today(),
			},
		),
	)
	require.NoError(
		t,
		h.AddPlant(
			ctx,
			h.maud,
			woodstage.NewPlant{
				Code:       "M-10",
				Genus:      "pear",
				Variety:    "Lanternjaw",
				Place:      "row 9",
				SeenTrueBy: "Maud",
				SeenTrueOn: h.Today(),
				Licence:    "house licence 3",
			},
		),
	)
	require.NoError(
		t,
		h.AddOrder(
			ctx,
			h.maud,
			orders.NewOrder{
				Code:       "O-9",
				Genus:      "medlar",
				Variety:    "Bun",
				StockGenus: "quince",
				StockType:  "Tarn Q3",
				Trees:      5,
				DueOn:      h.Today(),
			},
		),
	)
	asked := outlook.CollectAsked{Spare: outlook.SparePct, Waste: outlook.WastePct}
	c, err := h.Collect(ctx, asked)
	require.NoError(t, err)
	assert.Equal(t, []string{"Bun"}, c.Without)
	require.Len(t, c.Lines, 2, "only plants seen true, where there are any")
	assert.Equal(t, []string{"M-10", "M-2"}, []string{c.Lines[0].Plant.Code, c.Lines[1].Plant.Code}, "row 9 before row 12")
	assert.Equal(t, []string{"W-2", "W-3"}, []string{c.Lines[0].Bundle, c.Lines[1].Bundle})
	assert.Contains(t, c.Lines[0].Warnings[0], "house licence 3")
	assert.NotEmpty(t, c.Lines[0].LookFor)
	o, err := h.Order(ctx, "O-1", outlook.WhatIf{})
	require.NoError(t, err)
	lack := o.Line.ToGo - h.pieces("W-1")[store.Free]
	y, err := c.Lines[0].Stick.Of()
	require.NoError(t, err)
	sticks := c.Lines[0].Sticks + c.Lines[1].Sticks
	assert.InDelta(t, float64(lack)*1.1/(0.9*float64(y.Pieces)), float64(sticks), 2)
	more, err := h.Collect(ctx, outlook.CollectAsked{Spare: 50, Waste: 10})
	require.NoError(t, err)
	assert.Greater(t, more.Lines[0].Sticks, c.Lines[0].Sticks)
	_, err = h.Collect(ctx, outlook.CollectAsked{Waste: 100})
	isProblem(t, err, "waste 0 to 90")

	// Keyed in as really cut, dropped sticks among them, it is lacking less.
	for _, l := range c.Lines {
		require.NoError(
			t,
			h.AddBundle(
				ctx,
				h.maud,
				woodstage.NewBundle{
					Code:         l.Bundle,
					Plant:        l.Plant.Code,
					State:        "resting",
					CutOn:        h.Today(),
					Sticks:       l.Sticks,
					LengthMM:     l.Stick.LengthMM,
					BaseMM:       l.Stick.BaseMM,
					TipMM:        l.Stick.TipMM,
					InternodeMM:  l.Stick.InternodeMM,
					BudsPerPiece: l.Buds,
					Sealed:       true,
					Marks:        []string{"buds plump"},
					Dropped:      1,
				},
			),
		)
	}
	b, err := h.Bundle(ctx, "W-2")
	require.NoError(t, err)
	assert.Equal(t, "buds plump", b.Bundle.Marks)
	assert.True(t, b.Bundle.Sealed)
	assert.Equal(t, b.Bundle.Pieces-b.Yield.Pieces, b.Bundle.Free, "a dropped stick is thrown out")
	c, err = h.Collect(ctx, asked)
	require.NoError(t, err)
	assert.Empty(t, c.Lines)
}
