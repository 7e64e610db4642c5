package nursery_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/nursery"
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
	assert.Empty(t, c.Lines[0].Bundle, "no code before a label is printed")
	c, err = h.ReserveLabels(ctx, h.maud, asked)
	require.NoError(t, err)
	assert.Equal(t, []string{"W-2", "W-3"}, []string{c.Lines[0].Bundle, c.Lines[1].Bundle})
	again, err := h.ReserveLabels(ctx, h.maud, asked)
	require.NoError(t, err)
	assert.Equal(t, "W-2", again.Lines[0].Bundle, "printed twice it is the same label")
	_, err = h.ReserveLabels(ctx, h.eye, asked)
	require.ErrorIs(t, err, nursery.ErrNotAllowed)
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

	// Keyed in as really cut, in reverse, dropped sticks among them, it is lacking
	// less.
	slices.Reverse(c.Lines)
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
	assert.Equal(t, "M-10", b.Bundle.Plant, "the plant on its label")
	assert.Equal(t, "buds plump", b.Bundle.Marks)
	assert.True(t, b.Bundle.Sealed)
	assert.Equal(t, b.Bundle.Pieces-b.Yield.Pieces, b.Bundle.Free, "a dropped stick is thrown out")
	c, err = h.Collect(ctx, asked)
	require.NoError(t, err)
	assert.Empty(t, c.Lines)
}

// cutAs keys a bundle of a plant in under a code.
func (h *house) cutAs(code, plant string) error {
	return h.AddBundle(ctx, h.maud, woodstage.NewBundle{Code: code, Plant: plant, State: "resting", CutOn: h.Today(), Sticks: 4,
		LengthMM: 300, BaseMM: 8, TipMM: 6, InternodeMM: 22, BudsPerPiece: 2})
}

func TestAPrintedCodeIsItsPlantsForEver(t *testing.T) {
	h := newHouse(t)
	h.stocked(400, 5, 150)
	require.NoError(t, h.AddPlant(ctx, h.maud, woodstage.NewPlant{Code: "M-2", Genus: "pear", Variety: "Lanternjaw", Place: "row 3"}))
	asked := outlook.CollectAsked{Spare: 100, Waste: 50}
	c, err := h.ReserveLabels(ctx, h.maud, asked)
	require.NoError(t, err)
	require.NotEmpty(t, c.Lines)
	code, plant := c.Lines[0].Bundle, c.Lines[0].Plant.Code
	other := "M-1"
	if plant == other {
		other = "M-2"
	}
	isProblem(t, h.cutAs(code, other), "printed on a label for wood of "+plant)
	require.NoError(t, h.DropLabel(ctx, h.maud, code))
	isProblem(t, h.cutAs(code, plant), "a label that was dropped")
	next, err := h.ReserveLabels(ctx, h.maud, asked)
	require.NoError(t, err)
	assert.NotEqual(t, code, next.Lines[0].Bundle, "a dropped code is given to nothing else")
	require.NoError(t, h.cutAs("W-77", "M-1"), "wood without a label is keyed in as before")
}

func TestTagsKeepTheirPrintedCodes(t *testing.T) {
	h := newHouse(t)
	h.stocked(200, 60, 100)
	batch := h.batch("O-1", 90)
	codes := func(ts []store.Tag) (out []string) {
		for _, x := range ts {
			out = append(out, x.Code)
		}
		slices.Sort(out)
		return out
	}
	one := h.tagsOf(batch, h.ansel)
	two := h.tagsOf(batch, h.odile)
	assert.Equal(t, codes(one), codes(two), "shared out anew, they keep the codes on their labels")
	require.NoError(t, h.UndoBatch(ctx, h.maud, batch))
	var gone int
	require.NoError(t, h.DB.Get(&gone, `select count(*) from any_tag where dropped_at is not null and code = any($1)`, codes(one)))
	assert.Equal(t, len(one), gone, "a code that a label may bear is given to no other tag")
}
