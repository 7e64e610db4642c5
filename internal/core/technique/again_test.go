package technique_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/ways"
)

func TestSecondChances(t *testing.T) {
	day := func(m time.Month, d int) time.Time { return time.Date(2027, m, d, 0, 0, 0, 0, time.UTC) }
	y := season.Year{Group: "pome", Anchors: []season.Anchor{
		{
			Kind:  season.BudSwell,
			Month: 3,
			Day:   5,
		}, {Kind: season.SlipBegins, Month: 4, Day: 12}, {Kind: season.BudwoodRipe, Month: 7, Day: 1},
		{
			Kind:  season.SlipEnds,
			Month: 9,
			Day:   5,
		}, {Kind: season.RestBegins, Month: 11, Day: 5}, {Kind: season.FirstHardFrost, Month: 11, Day: 10},
		{Kind: season.LastFrost, Month: 4, Day: 20}}}
	ts := []technique.Technique{
		{
			Key:         "splice",
			StockStates: []string{season.Resting, season.Waking},
			WoodStates:  []string{season.Resting},
			BudsMin:     2,
			BudsMax:     4,
			PriorTake:   0.86,
		},
		{
			Key:         "t-bud",
			StockStates: []string{season.Running},
			WoodStates:  []string{season.RipeGreen, season.Resting},
			BudsMin:     1,
			BudsMax:     1,
			PriorTake:   0.9,
		},
	}
	for _, c := range []struct {
		name  string
		way   ways.SecondChance
		bud   bool
		today time.Time
		by    string
		now   bool
		wood  string
	}{
		{"a bud in August, on the other side", ways.OtherSide, true, day(8, 1), "t-bud", true, season.RipeGreen},
		{"a bud in October, at the next bench", ways.OtherSide, true, day(10, 10), "splice", false, season.Resting},
		{"a bench graft in March, at the next bench", ways.OtherSide, false, day(3, 20), "splice", false, season.Resting},
		{"a bench graft in March, by a summer bud", ways.SummerFirst, false, day(3, 20), "t-bud", false, season.RipeGreen},
		{"a summer bud, at the next bench", ways.SummerFirst, true, day(8, 20), "splice", false, season.Resting},
		{"always the bench", ways.BenchAgain, true, day(8, 1), "splice", false, season.Resting},
	} {
		t.Run(c.name, func(t *testing.T) {
			a := technique.SecondChance(c.way, c.bud, 0, ts, y.Around(c.today), c.today)
			assert.Equal(t, c.by, a.By.Key)
			assert.Equal(t, c.now, a.Now)
			assert.Equal(t, c.wood, a.Wood)
			if !c.now {
				assert.True(t, a.From.After(c.today), "not a window that is open already: %s", a.From)
			}
		})
	}
	third := technique.SecondChance(ways.OtherSide, true, 2, ts, y.Around(day(8, 1)), day(8, 1))
	assert.True(t, third.Discard && third.Third, "the third failure says discard")
	assert.False(t, technique.SecondChance(ways.OtherSide, true, 1, ts, y.Around(day(8, 1)), day(8, 1)).Discard)
	assert.True(t, technique.SecondChance(ways.Discard, true, 0, ts, y.Around(day(8, 1)), day(8, 1)).Discard)
}
