package nursery_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/supply"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/match"
	"unionknot/internal/outlook"
)

func TestAnOrderStaysOpenUntilItIsClosed(t *testing.T) {
	h := newHouse(t)
	h.stocked(100, 40, 30)
	h.order("O-2", 20)
	lines := func() (codes []string) {
		ls, err := h.Orders(ctx)
		require.NoError(t, err)
		for _, l := range ls {
			codes = append(codes, l.Order.Code)
		}
		return codes
	}
	h.RunFrom(time.Date(2030, 2, 10, 9, 0, 0, 0, time.Local))
	assert.Equal(t, []string{"O-1", "O-2"}, lines(), "two years late, and still there")

	assert.ErrorIs(t, h.CloseOrder(ctx, h.ansel, "O-1", false), nursery.ErrNotAllowed)
	require.NoError(t, h.CloseOrder(ctx, h.maud, "o-1", false))
	assert.Equal(t, []string{"O-2"}, lines())
	p, err := h.Order(ctx, "O-1", outlook.WhatIf{})
	require.NoError(t, err)
	assert.Equal(t, supply.Closed, p.Line.Stand.State)
	assert.Zero(t, p.Line.ToGo)
	assert.Empty(t, p.Line.Means.Bars(), "it draws on nothing")
	m, err := h.Match(ctx, "O-1", match.Asked{Grafts: 5})
	require.NoError(t, err)
	_, err = h.MakeBatch(
		ctx,
		h.maud,
		"O-1",
		match.MakeBatch{Asked: match.Asked{Grafts: 5}, Print: m.Print, Once: h.uuid(), Tie: "film", Healing: "cold callus"},
	)
	isProblem(t, err, "closed")
	closed, err := h.ClosedOrders(ctx, 0)
	require.NoError(t, err)
	require.Len(t, closed, 1)

	require.NoError(t, h.CloseOrder(ctx, h.maud, "O-1", true))
	assert.Equal(t, []string{"O-1", "O-2"}, lines())
	assert.ErrorIs(t, h.CloseOrder(ctx, h.maud, "O-9", false), nursery.ErrNotFound)
}
