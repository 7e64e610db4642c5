package season_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/season"
)

// TestTheYearGoesRoundInEveryClimate: whatever the climate and the side of the line, signs
// follow each other as they do, and spring is where the months grow warm.
func TestTheYearGoesRoundInEveryClimate(t *testing.T) {
	pome := map[string][2]int{season.RestBegins: {11, 5}, season.BudSwell: {3, 5}, season.SlipBegins: {4, 8}, season.SlipEnds: {9, 5},
		season.BudwoodRipe: {7, 5}, season.FirstHardFrost: {11, 2}, season.LastFrost: {5, 6}}
	for _, c := range season.Climates {
		for _, south := range []bool{false, true} {
			t.Run(fmt.Sprint(c, south), func(t *testing.T) {
				s := season.Site{Climate: c, South: south}
				at := func(kind string) int {
					m, d := s.Usual(kind, pome[kind][0], pome[kind][1])
					y := time.Date(2027, time.Month(m), d, 0, 0, 0, 0, time.UTC).YearDay()
					if south {
						y = (y + 182) % 365
					}
					return y
				}
				order := []string{season.BudSwell, season.SlipBegins, season.BudwoodRipe, season.SlipEnds, season.RestBegins}
				for i := 1; i < len(order); i++ {
					assert.Less(t, at(order[i-1]), at(order[i]), "%s before %s", order[i-1], order[i])
				}
				assert.Less(t, at(season.LastFrost), at(season.FirstHardFrost))
				n := s.Normals()
				summer, winter := n[6], n[0]
				if south {
					summer, winter = winter, summer
				}
				assert.Greater(t, summer, winter)
			})
		}
	}
	assert.False(t, season.Site{Climate: "moon"}.Known())
	m, d := season.Site{Climate: season.Maritime}.Usual(season.BudSwell, 3, 5)
	assert.Equal(t, [2]int{3, 5}, [2]int{m, d}, "a maritime site north of the line is the default")
}
