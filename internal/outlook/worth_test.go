package outlook

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// TestGradeIsOfOwnLiftingOnceItIsKept holds the house's share against what was sorted out.
func TestGradeIsOfOwnLiftingOnceItIsKept(t *testing.T) {
	h := store.House{GradeShare: 0.96}
	none := gradeOf(h, store.Graded{})
	assert.InDelta(t, 0.96, none.Share.Mean(), 1e-9)
	assert.Equal(t, working.HouseDefault, none.From)
	h.GradeShare = 0.9
	assert.Equal(t, working.Entered, gradeOf(h, store.Graded{}).From)
	few := gradeOf(h, store.Graded{Fit: 30, Below: 10})
	assert.InDelta(t, (0.9*60+30)/100, few.Share.Mean(), 1e-9)
	assert.Equal(t, working.OwnRecords, few.From)
	many := gradeOf(h, store.Graded{Fit: 80_000, Below: 20_000})
	assert.InDelta(t, (0.9*60+160)/260, many.Share.Mean(), 1e-9, "years differ: many trees of few years are not worth more than so many")
	assert.EqualValues(t, 260, many.Weight())
}
