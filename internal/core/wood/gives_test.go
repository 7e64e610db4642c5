package wood_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/wood"
)

func TestWhatAPlantGives(t *testing.T) {
	for _, c := range []struct {
		name                   string
		entered, years, record int
		want                   wood.Gives
	}{
		{"judged", 12, 20, 300, wood.Gives{Sticks: 12, From: wood.GivesEntered}},
		{"judged to give none", 0, 20, 300, wood.Gives{Sticks: 0, From: wood.GivesEntered}},
		{"just planted", -1, 0, 0, wood.Gives{Sticks: 0, From: wood.GivesByAge}},
		{"of some years", -1, 4, 0, wood.Gives{Sticks: 20, From: wood.GivesByAge}},
		{"it gave more before", -1, 4, 44, wood.Gives{Sticks: 44, From: wood.GivesRecord}},
		{"little was asked before", -1, 30, 10, wood.Gives{Sticks: 200, From: wood.GivesByAge}},
		{"nothing known", -1, -1, 0, wood.Gives{Sticks: 60, From: wood.GivesUnknown}},
		{"no age, a record", -1, -1, 90, wood.Gives{Sticks: 90, From: wood.GivesRecord}},
	} {
		t.Run(c.name, func(t *testing.T) { assert.Equal(t, c.want, wood.PlantGives(c.entered, c.years, c.record)) })
	}
}

func TestNoPlantIsAskedForMoreThanItGives(t *testing.T) {
	for _, c := range []struct {
		name        string
		sticks, few int
		left        []int
		want        []int
		over        int
	}{
		{"alike", 30, 3, []int{60, 60, 60}, []int{10, 10, 10}, 0},
		{"a young one", 30, 2, []int{5, 60, 60}, []int{5, 25, 0}, 0},
		{"the others help out", 100, 2, []int{20, 20, 60}, []int{20, 20, 60}, 0},
		{"too little", 258, 1, []int{60}, []int{60}, 198},
		{"no plant", 9, 1, nil, []int{}, 9},
		{"none left", 9, 2, []int{0, 0}, []int{0, 0}, 9},
	} {
		t.Run(c.name, func(t *testing.T) {
			shares, over := wood.Share(c.sticks, c.few, c.left)
			assert.Equal(t, c.want, shares)
			assert.Equal(t, c.over, over)
			sum := over
			for i, n := range shares {
				sum += n
				assert.LessOrEqual(t, n, c.left[i])
			}
			assert.Equal(t, c.sticks, sum, "each stick is asked for once")
		})
	}
}
