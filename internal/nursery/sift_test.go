package nursery_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/nursery/orders"
	"unionknot/internal/outlook"
)

// TestOrdersAreSifted by words however written, by what they lack, and sorted; what is shown
// is reckoned as if all were.
func TestOrdersAreSifted(t *testing.T) {
	h := demoHouse(t)
	all, err := h.Orders(ctx)
	require.NoError(t, err)
	codes := func(ls []outlook.OrderLine) (out []string) {
		for _, l := range ls {
			out = append(out, l.Order.Code)
		}
		return out
	}
	assert.Equal(t, codes(all), codes(orders.Sieve{}.Sift(all)))
	some := orders.Sieve{Find: "LANTERN  tarn"}.Sift(all)
	require.NotEmpty(t, some)
	assert.Less(t, len(some), len(all))
	for _, l := range some {
		assert.Equal(t, "Lanternjaw", l.Order.Variety)
		assert.Contains(t, l.Order.StockType, "Tarn")
		assert.Equal(t, h.lineOfOrder(l.Order.Code).ToGo, l.ToGo)
	}
	assert.Empty(t, orders.Sieve{Find: "nowhere at all"}.Sift(all))
	lacking := orders.Sieve{Lacking: true}.Sift(all)
	for _, l := range lacking {
		assert.NotEmpty(t, l.Means.Lacking())
	}
	byDay := orders.Sieve{Sort: orders.ByDay}.Sift(all)
	for i := range byDay[1:] {
		assert.False(t, byDay[i+1].Order.DueOn.Before(byDay[i].Order.DueOn))
	}
	togo := orders.Sieve{Sort: orders.ByToGo}.Sift(all)
	for i := range togo[1:] {
		assert.GreaterOrEqual(t, togo[i].ToGo, togo[i+1].ToGo)
	}
	byName := orders.Sieve{Sort: orders.ByVariety}.Sift(all)
	for i := range byName[1:] {
		assert.LessOrEqual(t, byName[i].Order.Variety, byName[i+1].Order.Variety)
	}
	assert.ElementsMatch(t, codes(all), codes(byName))
}
