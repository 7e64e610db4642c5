package technique_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
)

var pome = season.Year{Group: "pome", Anchors: []season.Anchor{
	{Kind: season.RestBegins, Month: 11, Day: 5}, {Kind: season.BudSwell, Month: 3, Day: 5},
	{Kind: season.SlipBegins, Month: 4, Day: 8}, {Kind: season.SlipEnds, Month: 9, Day: 5}, {Kind: season.BudwoodRipe, Month: 7, Day: 5}}}

var some = []technique.Technique{
	{Key: "whip", StockStates: []string{"resting", "waking"}, WoodStates: []string{"resting"}, StockMinMM: 5, StockMaxMM: 15,
		RatioMin: 0.8, RatioMax: 1.02, BudsMin: 2, BudsMax: 4, GoodFor: "strong", RatePerHour: 40, PriorTake: 0.91, PriorWeight: 40},
	{Key: "tool", StockStates: []string{"resting"}, WoodStates: []string{"resting"}, StockMinMM: 6, StockMaxMM: 13,
		RatioMin: 0.9, RatioMax: 1.08, WiderAllowed: true, BudsMin: 2, BudsMax: 3, RatePerHour: 80, PriorTake: 0.8, PriorWeight: 40},
	{Key: "t-bud", StockStates: []string{"running"}, WoodStates: []string{"ripe green", "resting"}, StockMinMM: 4, StockMaxMM: 25,
		RatioMin: 0.25, RatioMax: 1, BudsMin: 1, BudsMax: 1, RatePerHour: 80, PriorTake: 0.9, PriorWeight: 40},
}

func TestAScionIsNeverWiderButForTheTool(t *testing.T) {
	for s := caliper.Class(8); s < 60; s++ {
		for w := caliper.Class(8); w < 60; w++ {
			for _, k := range some {
				ok, why := k.Joins(s, w), k.Misfit(s, w).Limit
				if ok {
					require.Empty(t, why)
					require.True(t, w <= s || k.WiderAllowed, "%s: %s on %s", k.Key, w, s)
				} else {
					require.NotEmpty(t, why)
				}
			}
		}
	}
	ok := some[1].Joins(19, 20)
	assert.True(t, ok, "the punched profile takes near-equal sizes either way")
}

func TestJudgeGivesSeasonFirst(t *testing.T) {
	one := []caliper.Count{{Class: 16, N: 5}}
	job := technique.Job{On: time.Date(2027, 2, 23, 0, 0, 0, 0, time.UTC), Stock: pome, StockMM: one, WoodMM: one}
	v := technique.Judge(some, job)
	assert.True(t, v[0].In)
	assert.Empty(t, v[0].Bar)
	assert.False(t, v[2].In)
	assert.Equal(t, technique.BySeason, v[2].Bar)
	assert.Equal(t, technique.StockIs, v[2].Standing.Reason)

	job.On = time.Date(2027, 7, 20, 0, 0, 0, 0, time.UTC)
	job.WoodStates = []string{"ripe green"}
	job.BudsAPiece = []int{3}
	v = technique.Judge(some, job)
	assert.Equal(t, "running", v[0].Standing.Stock)
	assert.Equal(t, technique.ByBuds, v[2].Bar)
	job.BudsAPiece = []int{1}
	assert.True(t, technique.Judge(some, job)[2].In)
	job.WoodMM = []caliper.Count{{Class: 30, N: 5}}
	assert.Equal(t, technique.Misfit{Limit: technique.WoodWider}, technique.Judge(some, job)[2].Misfit)
	job.WoodMM = nil
	assert.Equal(t, technique.ByNoWood, technique.Judge(some, job)[2].Bar)
}

func TestCostIsLossMismatchAndEffort(t *testing.T) {
	k := some[0]
	k.Slope = 0.6
	assert.InDelta(t, 0.09+0.02, k.Cost(0.09, 16, 16), 1e-9)
	assert.Greater(t, k.Cost(0.09, 16, 14), k.Cost(0.09, 16, 15))
}

func ExampleTechnique_Prior() {
	i := some[0].Prior(-1.1).Interval90()
	fmt.Printf("whip on chestnut, before any count: %.0f %% (%.0f to %.0f)\n", i.Mean*100, i.Low*100, i.High*100)
	// Output: whip on chestnut, before any count: 77 % (66 to 87)
}
