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
	none := fateOf(h, fates{})
	assert.InDelta(t, 0.96, none.Grade.Mean(), 1e-9)
	assert.Equal(t, working.HouseDefault, none.From)
	h.GradeShare = 0.9
	assert.Equal(t, working.Entered, fateOf(h, fates{}).From)
	few := fateOf(h, fates{graded: store.Graded{Fit: 30, Below: 10}})
	assert.InDelta(t, (0.9*60+30)/100, few.Grade.Mean(), 1e-9)
	assert.Equal(t, working.OwnRecords, few.From)
	many := fateOf(h, fates{graded: store.Graded{Fit: 80_000, Below: 20_000}})
	assert.InDelta(t, (0.9*60+160)/260, many.Grade.Mean(), 1e-9, "years differ: many trees of few years are not worth more than so many")
	assert.InDelta(t, 260, many.Grade.Alpha+many.Grade.Beta, 1e-9)
	assert.InDelta(t, 0.97*many.Grade.Mean(), many.Both.Mean(), 1e-9, "alive, then lifted and of the grade")
	lost := fateOf(h, fates{flow: store.Flow{Tied: 120, DeadFirst: 20, Later: 6, Since: 4}})
	assert.InDelta(t, (0.97*60+90)/160, lost.Later.Mean(), 1e-9)
	assert.Equal(t, working.OwnRecords, lost.LaterFrom)
}
