package nursery_test

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/supply"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/growon"
	"unionknot/internal/outlook"
)

// TestSalesReachTheOrder delivers trees to the order's buyer, sells others elsewhere, grades some out and takes some
// back: the order owes what it owes, and promises nothing that went to somebody else.
func TestSalesReachTheOrder(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 40)
	tags := h.finished(40, h.ansel)
	require.Len(t, tags, 2)
	for _, x := range tags {
		h.count(x, x.Planned, 0, 0)
	}
	before := h.lineOfOrder("O-1").Balance
	require.Equal(t, []int{40, 0}, []int{before.Alive, before.Delivered})

	move := func(kind, order string, n int, code string) growon.Act {
		a := h.act(kind, "", n, code)
		a.Order, a.Reason = order, "agreed"
		if order == growon.NoOrder {
			a.Buyer = "another nursery"
		}
		return a
	}
	first := move(growon.Sold, "", 12, tags[0].Code)
	h.kept(first)
	h.kept(move(growon.Sold, growon.NoOrder, 5, tags[0].Code))
	h.kept(h.act(growon.Below, "", 2, tags[1].Code))
	b := h.lineOfOrder("O-1").Balance
	assert.Equal(t, []int{33, 12, before.Wanted - 12, 5, 2, 0}, []int{b.Alive, b.Delivered, b.Owed, b.Elsewhere, b.Below, b.Dead},
		"below grade and sold elsewhere are balances of their own, and nothing is lost")
	assert.Less(t, b.Chance, before.Chance+1e-9)
	assert.Equal(t, 40, b.Alive+b.Elsewhere+b.Below, "every graft is somewhere")

	// Trees come back: they stand again, and are owed again.
	assert.Contains(t, h.refused(move(growon.Returned, "", 13, tags[0].Code)).Why, "only 12 went there")
	assert.Contains(t, h.refused(move(growon.Returned, "", 1, tags[1].Code)).Why, "only 0 went there")
	back := move(growon.Returned, "", 3, tags[0].Code)
	h.kept(back)
	b = h.lineOfOrder("O-1").Balance
	assert.Equal(t, []int{33, 9, before.Wanted - 9}, []int{b.Alive, b.Delivered, b.Owed})
	assert.Equal(t, 20-12-5+3, h.growing(tags[0].Code).Standing)
	p, err := h.Order(ctx, "O-1", outlook.WhatIf{Chance: 0.9})
	require.NoError(t, err)
	require.Len(t, p.Deliveries, 2)
	assert.Contains(t, h.refused(growon.Act{ID: h.uuid(), Kind: growon.Undo, Undoes: first.ID}).Why, "Undo the return first")
	h.kept(growon.Act{ID: h.uuid(), Kind: growon.Undo, Undoes: back.ID})
	assert.Equal(t, 12, h.lineOfOrder("O-1").Balance.Delivered)

	// Overdue is on Today until it has gone.
	day, err := h.TodayPage(ctx, h.maud)
	require.NoError(t, err)
	assert.Empty(t, day.Owed)
	due := h.lineOfOrder("O-1").Order.DueOn
	h.RunFrom(due.AddDate(0, 0, 3).Add(11 * time.Hour))
	day, err = h.TodayPage(ctx, h.maud)
	require.NoError(t, err)
	require.Len(t, day.Owed, 1)
	assert.Equal(t, before.Wanted-12, day.Owed[0].Overdue(h.Today()))
	assert.Contains(t, h.refused(move(growon.Sold, "O-404", 1, tags[0].Code)).Why, "no order O-404")
	rest := before.Wanted - 12
	sell := growon.Act{ID: h.uuid(), Kind: growon.Sold, Reason: "agreed",
		Items: []growon.Item{{Code: tags[0].Code, Trees: 3}, {Code: tags[1].Code, Trees: min(18, rest-3)}}}
	h.kept(sell)
	line := h.lineOfOrder("O-1")
	if line.Balance.Owed == 0 {
		assert.Equal(t, supply.Delivered, line.Stand.State)
	}
	assert.Equal(t, 12+3+min(18, rest-3), line.Balance.Delivered)
}

// TestALateStepStaysUntilItIsDoneOrDismissed leaves a step of a bed undone for more than half a year: it is on the
// walk, grouped apart, until a propagator dismisses it with a reason.
func TestALateStepStaysUntilItIsDoneOrDismissed(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 60, 60)
	tags := h.made("O-1", 20)
	pot := func() (step outlook.BedStep, ok bool) {
		w, err := h.Walk(ctx)
		require.NoError(t, err)
		for _, b := range w.Beds {
			for _, s := range b.Steps {
				if s.Name == aftercare.Pot {
					return s, true
				}
			}
		}
		return step, false
	}
	p, err := h.Grown(ctx, tags[0].Code)
	require.NoError(t, err)
	i := slices.IndexFunc(p.Plan.Knots, func(k aftercare.Knot) bool { return k.Name == aftercare.Pot })
	cane := slices.IndexFunc(p.Plan.Knots, func(k aftercare.Knot) bool { return k.Name == aftercare.Cane })
	assert.Less(t, i, cane, "a cane is never before its pot")
	by := p.Plan.Knots[i].By.Date()
	for _, days := range []int{1, 59, 211, 400} {
		h.RunFrom(by.AddDate(0, 0, days).Add(11 * time.Hour))
		s, ok := pot()
		require.True(t, ok, "%d days late", days)
		assert.Equal(t, days >= 60, s.Old, "%d days late", days)
		day, err := h.TodayPage(ctx, h.maud)
		require.NoError(t, err)
		assert.True(t, slices.ContainsFunc(day.Walk, func(b outlook.Bed) bool {
			return slices.ContainsFunc(b.Steps, func(s outlook.BedStep) bool { return s.Name == aftercare.Pot })
		}), "on Today %d days late", days)
		g, err := h.Grow(ctx)
		require.NoError(t, err)
		assert.True(t, slices.ContainsFunc(g.Cords, func(c outlook.Cord) bool {
			return slices.ContainsFunc(c.Knots, func(k outlook.CordKnot) bool { return k.Name == aftercare.Pot && k.Late })
		}), "on Grow on %d days late", days)
	}
	assert.Contains(t, h.refused(h.act(growon.Done, "cane", 0, tags[0].Code)).Why, "mark Pot done first")
	assert.Contains(t, h.refused(h.act(growon.Done, "pot", 0, tags[0].Code)).Why, "where the potted trees stand")
	var codes []string
	for _, x := range tags {
		codes = append(codes, x.Code)
	}
	drop := h.act(growon.Dismissed, "pot", 0, codes...)
	no := h.refused(drop)
	assert.True(t, no.Ask, "it is asked why")
	drop.Reason = "they stay in the bed"
	_, err = h.Do(ctx, h.ansel, []growon.Act{drop})
	require.ErrorIs(t, err, nursery.ErrNotAllowed)
	h.kept(drop)
	_, ok := pot()
	assert.False(t, ok, "what is dismissed is asked for no more")
	h.kept(growon.Act{ID: h.uuid(), Kind: growon.Undo, Undoes: drop.ID})
	_, ok = pot()
	assert.True(t, ok, "and is again, once that is undone")
	// Yesterday's paper: done on a day that is said.
	yesterday := h.act(growon.Done, "pot", 0, codes...)
	yesterday.Place, yesterday.On = "house 3", h.Today().AddDate(0, 0, -1).Format(time.DateOnly)
	h.kept(yesterday)
	assert.Equal(t, yesterday.On, h.growing(tags[0].Code).Done[0].On.Format(time.DateOnly))
	ahead := h.act(growon.Done, "cane", 0, tags[0].Code)
	ahead.On = h.Today().AddDate(0, 0, 1).Format(time.DateOnly)
	assert.NotEmpty(t, h.refused(ahead).Why)
}

// TestALossOnABedOfSeveralTagsAsksOfWhich never books a tree on a tag that nobody named.
func TestALossOnABedOfSeveralTagsAsksOfWhich(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 40)
	tags := h.finished(40, h.ansel)
	lost := h.act(growon.Lost, "", 1, tags[0].Code, tags[1].Code)
	lost.Cause = "animals"
	assert.Contains(t, h.refused(lost).Why, "choose the tag")
	lost.N, lost.Items[1].Trees = 0, 1
	h.kept(lost)
	assert.Equal(t, []int{20, 19}, []int{h.growing(tags[0].Code).Standing, h.growing(tags[1].Code).Standing})
	all := h.act(growon.Lost, "", 39, tags[0].Code, tags[1].Code)
	all.Cause = "animals"
	h.kept(all)
	assert.Equal(t, []int{0, 0}, []int{h.growing(tags[0].Code).Standing, h.growing(tags[1].Code).Standing}, "all that stand need no asking")
}

// TestATagMovesAsAWhole: a number that is not all that stands is refused, rather than the whole tag moved.
func TestATagMovesAsAWhole(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 20)
	tag := h.finished(20, h.ansel)[0]
	part := growon.Act{ID: h.uuid(), Kind: growon.Moved, Place: "house 9", Items: []growon.Item{{Code: tag.Code, Trees: 5}}}
	assert.Contains(t, h.refused(part).Why, "moves as a whole: type 20")
	part.Items[0].Trees = 20
	h.kept(part)
	assert.Equal(t, "house 9", h.growing(tag.Code).Place)
}

// TestADismissedStepWasNotDone: what hangs on it is dated by its best day, and rounds that begin once it is done do not.
func TestADismissedStepWasNotDone(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 20)
	tag := h.finished(20, h.ansel)[0]
	plan := func() (names []string, cane aftercare.Day) {
		p, err := h.Grown(ctx, tag.Code)
		require.NoError(t, err)
		for _, k := range p.Plan.Knots {
			names = append(names, k.Name.String())
			if k.Name == aftercare.Cane {
				cane = k.Best
			}
		}
		return names, cane
	}
	_, before := plan()
	h.RunFrom(h.Now().AddDate(0, 4, 0))
	for _, knot := range []string{"tie shoot", "pot"} {
		drop := h.act(growon.Dismissed, knot, 0, tag.Code)
		drop.Reason = "sold as they stand"
		h.kept(drop)
	}
	names, cane := plan()
	assert.NotContains(t, names, "tie shoot")
	assert.NotContains(t, names, "loosen shoot", "a shoot that was never tied is not loosened")
	assert.NotContains(t, names, "pot")
	assert.Equal(t, before, cane, "the cane keeps its day")
}
