package technique_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
)

func date(m, d int) time.Time { return time.Date(2027, time.Month(m), d, 0, 0, 0, 0, time.UTC) }

// site is a temperate year, turned by so many months.
func site(shift int) season.Year {
	y := season.Year{Group: "pome"}
	for _, a := range []season.Anchor{{Kind: season.RestBegins, Month: 11, Day: 5}, {Kind: season.BudSwell, Month: 3, Day: 5}, {Kind: season.SlipBegins, Month: 4, Day: 8},
		{Kind: season.SlipEnds, Month: 9, Day: 5}, {Kind: season.BudwoodRipe, Month: 7, Day: 5}, {Kind: season.FirstHardFrost, Month: 11, Day: 12}, {Kind: season.LastFrost, Month: 5, Day: 6}} {
		a.Month = (a.Month-1+shift)%12 + 1
		y.Anchors = append(y.Anchors, a)
	}
	return y
}

var chip = technique.Technique{Key: "chip", StockStates: []string{"resting", "waking", "running", "hardening"}, WoodStates: []string{"resting", "ripe green"}, BudsMin: 1, BudsMax: 1}

func TestStandingThroughTheYear(t *testing.T) {
	c := site(0).Around(date(6, 1))
	for _, x := range []struct {
		t           technique.Technique
		on          time.Time
		verdict, is string
	}{
		{some[0], date(1, 5), technique.Open, "stored wood, open; best from 22 January"},
		{some[0], date(2, 23), technique.Best, "stored wood, best until 14 March"},
		{some[0], date(3, 20), technique.Open, "stored wood, open until 7 April: bark slips"},
		{some[0], date(4, 2), technique.Closing, "stored wood, closes 7 April: bark slips"},
		{some[0], date(4, 8), technique.Shut, "stock is running until 5 September"},
		{some[0], date(11, 20), technique.Shut, "wood is not deep in rest until 26 November"},
		{some[2], date(4, 20), technique.Best, "stored wood, best until 28 April"},
		{some[2], date(6, 20), technique.Shut, "green wood is not ripe until 5 July"},
		{some[2], date(7, 10), technique.Best, ""},
		{some[2], date(7, 24), technique.Closing, "late-summer budding, closes 24 July: bark stops slipping six weeks later"},
		{some[2], date(7, 25), technique.Shut, "too late to bud: a bud needs six weeks to knit before the bark stops slipping"},
		{some[2], date(9, 5), technique.Shut, "stock is hardening until 5 November"},
		{chip, date(2, 1), technique.Open, "stored wood, open; best from 8 April"},
	} {
		s := x.t.Standing(c, nil, x.on)
		assert.Equal(t, x.verdict, s.Verdict, "%s on %s", x.t.Key, x.on.Format(time.DateOnly))
		if x.is != "" {
			assert.Equal(t, x.is, s.Why, "%s on %s", x.t.Key, x.on.Format(time.DateOnly))
		}
		if s.Verdict == technique.Shut {
			require.False(t, s.Opens.IsZero(), "what is shut says when it opens")
			assert.NotEqual(t, technique.Shut, x.t.Standing(c, nil, s.Opens).Verdict)
			assert.Equal(t, technique.Shut, x.t.Standing(c, nil, s.Opens.AddDate(0, 0, -1)).Verdict)
		} else {
			assert.NotEqual(t, technique.Shut, x.t.Standing(c, nil, s.Until).Verdict)
		}
	}
}

func TestJuneBuddingNeedsItsDaysWithoutFrost(t *testing.T) {
	uses := func(y season.Year) map[string]technique.Window {
		out := map[string]technique.Window{}
		for _, w := range some[2].Windows(y.Calendar(2027, 2027), []string{"ripe green"}) {
			out[w.Use] = w
		}
		return out
	}
	u := uses(site(0))
	june := u["June budding"]
	assert.Equal(t, date(7, 5), june.From)
	assert.Equal(t, date(11, 12), june.To.AddDate(0, 0, -1+120), "120 days from the last day to the frost")
	y := site(0)
	y.Anchors[5].Month, y.Anchors[5].Day = 10, 20
	u = uses(y)
	assert.NotContains(t, u, "June budding")
	assert.Contains(t, u, "late-summer budding")
}

func TestBothHemispheresStandAlike(t *testing.T) {
	north, south := site(0).Around(date(6, 1)), site(6).Calendar(2026, 2029)
	for _, k := range append([]technique.Technique{chip}, some...) {
		for m := 1; m <= 12; m++ {
			a, b := k.Standing(north, nil, date(m, 15)), k.Standing(south, nil, date(m, 15).AddDate(0, 6, 0))
			assert.Equal(t, a.Verdict == technique.Shut, b.Verdict == technique.Shut, "%s in month %d: %s / %s", k.Key, m, a.Why, b.Why)
		}
	}
}

func TestWithoutRestAFlushIsWatchedFor(t *testing.T) {
	y := season.Year{NoRest: true, Anchors: []season.Anchor{{Kind: season.DrySpellBegins, Month: 1, Day: 1}, {Kind: season.DrySpellEnds, Month: 4, Day: 1}}}
	flap := technique.Technique{Key: "flap", StockStates: []string{"running"}, WoodStates: []string{"resting", "half-ripe"}, BudsMin: 2, BudsMax: 3}
	assert.Equal(t, technique.Open, flap.Standing(y.Around(date(2, 1)), nil, date(2, 1)).Verdict)
	y.Flushes = []time.Time{date(1, 20)}
	c := y.Around(date(2, 1))
	assert.Equal(t, "fresh shoots on the stock, and dry", flap.Standing(c, nil, date(2, 1)).Why)
	assert.Contains(t, flap.Standing(c, nil, date(3, 20)).Why, "no fresh flush")
	y.Flushes = []time.Time{date(5, 1)}
	assert.Contains(t, flap.Standing(y.Around(date(5, 20)), nil, date(5, 20)).Why, "keep the rain out")
	assert.Equal(t, "stock takes no rest here", some[0].Standing(c, nil, date(2, 1)).Why)
}

func ExampleTechnique_Standing() {
	s := some[2].Standing(site(0).Around(date(2, 23)), nil, date(2, 23))
	fmt.Println(s.Verdict+":", s.Why+"; opens", season.Say(s.Opens))
	// Output: shut: stock is resting until 5 March; opens 8 April
}
