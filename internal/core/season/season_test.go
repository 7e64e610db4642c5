package season_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/season"
)

func on(y, m, d int) time.Time { return time.Date(y, time.Month(m), d, 9, 30, 0, 0, time.UTC) }

func anchors(shift int) season.Year {
	y := season.Year{Group: "pome"}
	for kind, md := range map[string][2]int{season.RestBegins: {11, 5}, season.BudSwell: {3, 5}, season.SlipBegins: {4, 8},
		season.SlipEnds: {9, 5}, season.BudwoodRipe: {7, 5}} {
		y.Anchors = append(y.Anchors, season.Anchor{Kind: kind, Month: (md[0]-1+shift)%12 + 1, Day: md[1]})
	}
	return y
}

func TestTheBandCoversTheYearWithoutGaps(t *testing.T) {
	for _, shift := range []int{0, 6} { // north and south
		for year := 2024; year <= 2030; year++ {
			band := anchors(shift).Band(year)
			require.NotEmpty(t, band)
			assert.Equal(t, time.Date(year, 1, 1, 0, 0, 0, 0, time.UTC), band[0].From)
			assert.Equal(t, time.Date(year+1, 1, 1, 0, 0, 0, 0, time.UTC), band[len(band)-1].To)
			for i := 1; i < len(band); i++ {
				assert.Equal(t, band[i-1].To, band[i].From)
				assert.NotEqual(t, band[i-1].State, band[i].State)
			}
		}
	}
}

func TestStockStates(t *testing.T) {
	y := anchors(0)
	for date, want := range map[time.Time]string{on(2027, 2, 23): season.Resting, on(2027, 3, 5): season.Waking,
		on(2027, 6, 1): season.Running,
		on(2027, 9, 5): season.Hardening, on(2027, 11, 5): season.Resting, on(2027, 12, 31): season.Resting} {
		got, ok := y.StockOn(date)
		require.True(t, ok)
		assert.Equal(t, want, got.State, date)
	}
	got, _ := anchors(6).StockOn(on(2027, 8, 20))
	assert.Equal(t, season.Resting, got.State, "south of the line the winter is in August")
	_, ok := season.Year{}.StockOn(on(2027, 2, 23))
	assert.False(t, ok)
}

func TestWhichWoodThereIs(t *testing.T) {
	y := anchors(0)
	for _, c := range []struct {
		state string
		on    time.Time
		want  bool
	}{
		{season.Resting, on(2027, 2, 23), true}, {season.Resting, on(2026, 11, 10), false}, {season.Resting, on(2027, 5, 1), true},
		{season.Resting, on(2027, 8, 1), false}, {season.RipeGreen, on(2027, 7, 4), false}, {season.RipeGreen, on(2027, 7, 5), true},
		{season.RipeGreen, on(2027, 9, 6), true}, {season.RipeGreen, on(2027, 11, 6), false}, {season.HalfRipe, on(2027, 9, 5), false},
		{season.HalfRipe, on(2027, 6, 20), true}, {season.HalfRipe, on(2027, 5, 1), false},
	} {
		ok, why := y.WoodOn(c.state, c.on)
		assert.Equal(t, c.want, ok, "%s on %s: %s", c.state, c.on, why.Rule)
		assert.NotEmpty(t, why.Rule)
	}
	ok, why := season.Year{}.WoodOn(season.Resting, on(2027, 2, 23))
	assert.False(t, ok)
	assert.Equal(t, season.WoodNoRest, why.Rule)
}

func ExampleYear_StockOn() {
	s, _ := anchors(0).StockOn(on(2027, 2, 23))
	fmt.Println(s.State, "until", season.Say(s.To))
	// Output: resting until 5 March
}

func TestWhatWoodCanBeCut(t *testing.T) {
	y := anchors(0)
	for _, c := range []struct {
		on    time.Time
		state string
		not   season.WoodRule
	}{
		{on(2027, 2, 23), season.Resting, ""},
		{on(2026, 11, 10), "", season.WoodNotDeep},
		{on(2027, 5, 1), "", season.WoodBetween},
		{on(2027, 7, 10), season.RipeGreen, ""},
		{on(2027, 10, 20), season.RipeGreen, ""},
	} {
		got := y.CutOn(c.on)
		assert.Equal(t, c.state, got.State, "%s", c.on)
		assert.Equal(t, c.not, got.Not.Rule, "%s", c.on)
	}
	assert.Equal(t, season.WoodNoSeason, season.Year{}.CutOn(on(2027, 2, 23)).Not.Rule)
}
