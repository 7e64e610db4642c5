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
	"unionknot/internal/words"
)

func date(m, d int) time.Time { return time.Date(2027, time.Month(m), d, 0, 0, 0, 0, time.UTC) }

// site is a temperate year, turned by so many months.
func site(shift int) season.Year {
	y := season.Year{Group: "pome"}
	for _, a := range []season.Anchor{{Kind: season.RestBegins, Month: 11, Day: 5}, {Kind: season.BudSwell, Month: 3, Day: 5},
		{Kind: season.SlipBegins, Month: 4, Day: 8},
		{Kind: season.SlipEnds, Month: 9, Day: 5}, {Kind: season.BudwoodRipe, Month: 7, Day: 5},
		{Kind: season.FirstHardFrost, Month: 11, Day: 12}, {Kind: season.LastFrost, Month: 5, Day: 6}} {
		a.Month = (a.Month-1+shift)%12 + 1
		y.Anchors = append(y.Anchors, a)
	}
	return y
}

var chip = technique.Technique{
	Key:         "chip",
	StockStates: []string{"resting", "waking", "running", "hardening"},
	WoodStates:  []string{"resting", "ripe green"},
	BudsMin:     1,
	BudsMax:     1,
}

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
		{some[2], date(7, 10), technique.Best, "June budding, best until 13 July"},
		{some[2], date(7, 20), technique.Open, "late-summer budding, open; best from 25 July; a bud set now may start late and be frosted"},
		{some[2], date(7, 25), technique.Best, "late-summer budding, best until 15 August"},
		{some[2], date(8, 15), technique.Best, "late-summer budding, best until 15 August"},
		{some[2], date(8, 16), technique.Closing, "late-summer budding, closes 21 August: bark stops slipping two weeks later"},
		{some[2], date(8, 22), technique.Shut, "too late to bud: a bud needs two weeks to knit before the bark stops slipping"},
		{some[2], date(9, 5), technique.Shut, "stock is hardening until 5 November"},
		{chip, date(2, 1), technique.Open, "stored wood, open; best from 8 April"},
		{chip, date(8, 1), technique.Best, "late-summer budding, best until 19 September"},
		{chip, date(9, 25), technique.Open, "late-summer budding, open until 15 October: the first hard frost comes four weeks later"},
		{chip, date(10, 14), technique.Closing, ""},
		{chip, date(10, 16), technique.Shut, "too late to bud: a chip needs four weeks before the first hard frost"},
	} {
		s := x.t.Standing(c, nil, technique.OnBench, x.on)
		assert.Equal(t, x.verdict, s.Verdict, "%s on %s", x.t.Key, x.on.Format(time.DateOnly))
		if x.is != "" {
			assert.Equal(t, x.is, words.Standing(s), "%s on %s", x.t.Key, x.on.Format(time.DateOnly))
		}
		if s.Verdict == technique.Shut {
			require.False(t, s.Opens.IsZero(), "what is shut says when it opens")
			assert.NotEqual(t, technique.Shut, x.t.Standing(c, nil, technique.OnBench, s.Opens).Verdict)
			assert.Equal(t, technique.Shut, x.t.Standing(c, nil, technique.OnBench, s.Opens.AddDate(0, 0, -1)).Verdict)
		} else {
			assert.NotEqual(t, technique.Shut, x.t.Standing(c, nil, technique.OnBench, s.Until).Verdict)
		}
	}
}

func TestJuneBuddingNeedsItsDaysWithoutFrost(t *testing.T) {
	uses := func(y season.Year) map[string]technique.Window {
		out := map[string]technique.Window{}
		for _, w := range some[2].Windows(y.Calendar(2027, 2027), []string{"ripe green"}, technique.OnBench) {
			out[string(w.Use)] = w
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
			a, b := k.Standing(
				north,
				nil,
				technique.OnBench,
				date(m, 18),
			), k.Standing(
				south,
				nil,
				technique.OnBench,
				date(m, 18).AddDate(0, 6, 0),
			)
			assert.Equal(t, a.Verdict == technique.Shut, b.Verdict == technique.Shut, "%s in month %d: %s / %s", k.Key, m, a.Reason,
				b.Reason)
		}
	}
}

func TestWithoutRestAFlushIsWatchedFor(t *testing.T) {
	y := season.Year{
		NoRest:  true,
		Anchors: []season.Anchor{{Kind: season.DrySpellBegins, Month: 1, Day: 1}, {Kind: season.DrySpellEnds, Month: 4, Day: 1}},
	}
	flap := technique.Technique{
		Key:         "flap",
		StockStates: []string{"running"},
		WoodStates:  []string{"resting", "half-ripe"},
		BudsMin:     2,
		BudsMax:     3,
	}
	assert.Equal(t, technique.Open, flap.Standing(y.Around(date(2, 1)), nil, technique.OnBench, date(2, 1)).Verdict)
	y.Flushes = []time.Time{date(1, 20)}
	c := y.Around(date(2, 1))
	assert.Equal(t, technique.FreshAndDry, flap.Standing(c, nil, technique.OnBench, date(2, 1)).Reason)
	assert.Equal(t, technique.NoFlush, flap.Standing(c, nil, technique.OnBench, date(3, 20)).Reason)
	y.Flushes = []time.Time{date(5, 1)}
	assert.Equal(t, technique.FreshAndWet, flap.Standing(y.Around(date(5, 20)), nil, technique.OnBench, date(5, 20)).Reason)
	assert.Equal(t, technique.NoRest, some[0].Standing(c, nil, technique.OnBench, date(2, 1)).Reason)
}

// TestWindowsAsTheCraftHasThem holds every day of a year to the rule written
// out plainly, for a late-summer T-bud and chip.
func TestWindowsAsTheCraftHasThem(t *testing.T) {
	for shift := range 12 {
		y := site(shift)
		c := y.Calendar(2025, 2029)
		for _, s := range c.Seasons() {
			ripe, ends, frost := s[season.BudwoodRipe], s[season.SlipEnds], s[season.FirstHardFrost]
			if ripe.Year() != 2027 || ends.IsZero() || frost.IsZero() {
				continue
			}
			green := []string{"ripe green"}
			for d := ripe.AddDate(0, 0, -20); d.Before(frost.AddDate(0, 0, 10)); d = d.AddDate(0, 0, 1) {
				toEnd, toFrost := int(ends.Sub(d).Hours()/24), int(frost.Sub(d).Hours()/24)
				tOpen := !d.Before(ripe) && toEnd > 14
				require.Equal(t, tOpen, some[2].Standing(c, green, technique.InRow, d).Verdict != technique.Shut, "T-bud %s", d)
				cOpen := !d.Before(ripe) && toFrost >= 28
				got := chip.Standing(c, green, technique.InRow, d)
				require.Equal(t, cOpen, got.Verdict != technique.Shut, "chip %s: %s", d, got.Reason)
				if tOpen && toEnd <= 42 && toEnd >= 21 {
					require.Equal(t, technique.Best, some[2].Standing(c, green, technique.InRow, d).Verdict, "T-bud %s", d)
				}
				if cOpen && toEnd <= 35 && toEnd >= -14 {
					require.Equal(t, technique.Best, got.Verdict, "chip %s", d)
				}
			}
		}
	}
}

func TestAChipOnRestingStockIsBenchWork(t *testing.T) {
	c := site(0).Around(date(6, 1))
	assert.Equal(t, technique.Open, chip.Standing(c, nil, technique.OnBench, date(2, 1)).Verdict)
	s := chip.Standing(c, nil, technique.InRow, date(2, 1))
	assert.Equal(t, technique.Shut, s.Verdict)
	assert.Equal(t, technique.RowStockIs, s.Reason)
	assert.Equal(t, date(3, 5), s.On)
	assert.Equal(t, date(3, 5), s.Opens)
	assert.NotEqual(t, technique.Shut, some[0].Standing(c, nil, technique.InRow, date(2, 1)).Verdict, "grafts are made in the row too")
}

func TestDefaultDatesHaveNoJuneBuddingOfADay(t *testing.T) {
	y := site(0)
	y.Anchors[5].Month, y.Anchors[5].Day = 11, 2 // the first hard frost: 120 days after ripeness
	for _, w := range some[2].Windows(y.Calendar(2027, 2027), []string{"ripe green"}, technique.InRow) {
		assert.NotEqual(t, "June budding", w.Use, "%+v", w)
	}
}

func TestHalfRipeWoodNeedsSlipForThreeWeeks(t *testing.T) {
	flap := technique.Technique{
		Key:         "flap",
		StockStates: []string{"running"},
		WoodStates:  []string{"half-ripe", "resting"},
		BudsMin:     2,
		BudsMax:     3,
	}
	c, half := site(0).Around(date(6, 1)), []string{"half-ripe"}
	assert.NotEqual(t, technique.Shut, flap.Standing(c, half, technique.InRow, date(8, 14)).Verdict)
	assert.Equal(t, technique.Shut, flap.Standing(c, half, technique.InRow, date(8, 15)).Verdict)
	assert.Equal(t, technique.Shut, flap.Standing(c, half, technique.InRow, date(6, 4)).Verdict)
	assert.NotEqual(t, technique.Shut, flap.Standing(c, half, technique.InRow, date(6, 5)).Verdict)
}

func TestDryBarkShutsWhatNeedsSlip(t *testing.T) {
	y := site(0)
	y.Dry = []time.Time{date(7, 28)}
	c := y.Around(date(6, 1))
	s := some[2].Standing(c, nil, technique.InRow, date(8, 1))
	assert.Equal(t, technique.Shut, s.Verdict)
	assert.Equal(t, technique.BarkDry, s.Reason)
	assert.Equal(t, date(7, 28), s.On)
	assert.True(t, s.Season)
	assert.Equal(t, technique.Best, some[2].Standing(c, nil, technique.InRow, date(8, 12)).Verdict, "and is tested again")
	assert.NotEqual(t, technique.Shut, chip.Standing(c, nil, technique.InRow, date(8, 1)).Verdict, "a chip needs no slip")
}

func TestAVerdictCanBeOverruled(t *testing.T) {
	one := []caliper.Count{{Class: 16, N: 5}}
	job := technique.Job{
		On:         date(6, 20),
		Stock:      site(0),
		StockMM:    one,
		WoodMM:     one,
		WoodStates: []string{"ripe green"},
		Against:    map[string]bool{"t-bud": true, "tool": true},
	}
	v := technique.Judge(some, job)
	assert.True(t, v[2].In && v[2].Against, "%+v", v[2])
	assert.True(t, v[1].In, "and so can any: %s", v[1].Bar)
	job.Against = nil
	assert.False(t, technique.Judge(some, job)[2].In)
	job.WoodStates, job.Against = []string{}, map[string]bool{"t-bud": true}
	assert.False(t, technique.Judge(some, job)[2].In, "without wood there is nothing to overrule")
}

func ExampleTechnique_Standing() {
	s := some[2].Standing(site(0).Around(date(2, 23)), nil, technique.OnBench, date(2, 23))
	fmt.Println(s.Verdict+":", s.Reason, s.Stock, "until", season.Say(s.On)+"; opens", season.Say(s.Opens))
	// Output: shut: stock resting until 5 March; opens 8 April
}
