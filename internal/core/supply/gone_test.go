package supply

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/sizing"
)

// TestTreesThatWentAreGradedNoMore delivers an order by and by: what is sold made the grade, so
// that only what still stands may fall short.
func TestTreesThatWentAreGradedNoMore(t *testing.T) {
	a := Account{Wanted: 60, Alive: 60, Grade: sizing.Prior(0.9, 60), More: sizing.Prior(0.8, 40), Chance: 0.9, Planned: 70}
	none, err := a.Balance()
	require.NoError(t, err)
	assert.Less(t, none.Chance, 0.05, "all sixty would have to make the grade")
	assert.Positive(t, none.ToGo)
	a.Gone = 55
	most, err := a.Balance()
	require.NoError(t, err)
	assert.InDelta(t, (sizing.Balance{Alive: 5, Grade: a.Grade}).Chance(5), most.Chance, 1e-12)
	assert.InDelta(t, 55+5*0.9, most.Expected.Mean, 1e-9)
	assert.GreaterOrEqual(t, most.Expected.Low, 55.0)
	assert.Less(t, most.ToGo, none.ToGo)
	a.Gone = 60
	all, err := a.Balance()
	require.NoError(t, err)
	assert.True(t, all.Met)
	assert.Zero(t, all.ToGo)
	assert.InDelta(t, 1, all.Chance, 1e-12)
}
