package draw_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
	"unionknot/internal/nursery/days"
	seasonstage "unionknot/internal/nursery/season"
	"unionknot/internal/outlook"
	"unionknot/internal/web/draw"
)

// seasonPage is a year with an anchor moved, a window of each sort, and a past.
func seasonPage() seasonstage.SeasonPage {
	from := time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC)
	y := season.Year{
		Anchors: []season.Anchor{
			{Kind: season.RestBegins, Month: 11, Day: 5},
			{Kind: season.BudSwell, Month: 3, Day: 5},
			{Kind: season.SlipBegins, Month: 4, Day: 8},
			{Kind: season.SlipEnds, Month: 9, Day: 5},
			{Kind: season.BudwoodRipe, Month: 7, Day: 5},
		},
	}
	c := y.Around(from)
	whip := technique.Technique{
		Key:         "whip",
		Name:        `whip & "tongue"`,
		StockStates: []string{"resting", "waking"},
		WoodStates:  []string{"resting"},
	}
	p := seasonstage.SeasonPage{
		Band:  seasonstage.Band{Today: from.AddDate(0, 0, 53), Spans: y.Band(2027)},
		Name:  "<pome>",
		Rests: true,
		From:  from,
		Wood:  map[string][]season.Span{season.Resting: c.WoodSpans(season.Resting), season.RipeGreen: c.WoodSpans(season.RipeGreen)},
		Rows: []seasonstage.SeasonRow{
			{Technique: whip, Windows: whip.Windows(c, nil, technique.OnBench)},
			{Technique: technique.Technique{Name: "none"}},
		},
		Past: []seasonstage.PastYear{{Year: 2026, Spans: y.Band(2026)}, {Year: 2024, Spans: y.Band(2024)}},
	}
	for i, k := range season.Kinds {
		l := seasonstage.AnchorLine{Index: i, Kind: k}
		for _, a := range y.Anchors {
			if a.Kind == k {
				l.Has, l.Usual = true, time.Date(2027, time.Month(a.Month), a.Day, 0, 0, 0, 0, time.UTC)
				l.This = season.Dated{
					Kind:  k,
					Usual: l.Usual,
					On:    l.Usual.AddDate(0, 0, -4),
					Low:   l.Usual.AddDate(0, 0, -12),
					High:  l.Usual.AddDate(0, 0, 5),
				}
			}
		}
		p.Anchors = append(p.Anchors, l)
	}
	return p
}

func TestTheYearIsDrawnAndItsFlagsCanBeReached(t *testing.T) {
	p := seasonPage()
	looked, edited := draw.Season(p, false), draw.Season(p, true)
	sound(t, "looked at", looked)
	sound(t, "edited", edited)
	assert.NotContains(t, looked, `role="slider"`)
	assert.Equal(t, 5, strings.Count(string(edited), `role="slider"`), "a handle for each date that is set")
	assert.Contains(t, edited, `aria-valuetext="5 March"`)
	assert.Contains(t, edited, `role="group"`, "controls are not hidden in a picture")
	assert.Contains(t, looked, "window-best")
	assert.Contains(t, looked, "window-closing")
	assert.Contains(t, looked, "2024")
	sound(t, "a site of nothing", draw.Season(seasonstage.SeasonPage{From: p.From}, true))
}

func TestWarmthIsDrawnAsFarAsItWasRead(t *testing.T) {
	assert.Empty(t, draw.Warmth(seasonstage.SeasonPage{}), "nothing was read")
	p := seasonstage.SeasonPage{WarmFrom: time.Date(2027, 1, 4, 0, 0, 0, 0, time.UTC)}
	for i := range 150 {
		p.Usual = append(p.Usual, float64(i))
		if i < 50 {
			p.Warm = append(p.Warm, 1.4*float64(i))
		}
	}
	svg := draw.Warmth(p)
	sound(t, "warmth", svg)
	assert.Equal(t, 2, strings.Count(string(svg), "<polyline"))
	p.Warm = p.Warm[:1]
	sound(t, "the first day", draw.Warmth(p))
}

func TestMeansAreDrawnWithWhatLacks(t *testing.T) {
	for name, c := range map[string]struct {
		bar   outlook.Bar
		lacks bool
	}{"enough": {outlook.Bar{Name: "Wood", Have: 300, Want: 100}, false}, "some": {outlook.Bar{Name: "Stock", Have: 40, Want: 100}, true},
		"none": {outlook.Bar{Name: "Workers", Want: 8}, true}, "nothing wanted": {outlook.Bar{Name: "Window"}, false}} {
		svg := draw.Means(c.bar, 90)
		sound(t, name, svg)
		assert.Equal(t, c.lacks, strings.Contains(string(svg), `class="lacks"`), name)
		assert.Equal(t, c.lacks, strings.Contains(string(svg), "not enough"), "%s: said in words too", name)
	}
}

func TestHoursOverAreMarked(t *testing.T) {
	assert.Empty(t, draw.HoursBar(0, 0))
	for _, c := range [][2]float64{{0, 3}, {2, 3}, {4, 3}, {1, 0}} {
		svg := draw.HoursBar(c[0], c[1])
		sound(t, "hours", svg)
		assert.Equal(t, c[0] > c[1], strings.Contains(string(svg), "hours-over"))
	}
}

func TestTeamsAreDrawnPersonByPerson(t *testing.T) {
	for n := 2; n <= 6; n++ {
		p := days.TeamPage{Asked: days.TeamAsked{People: n, CutSeconds: 50, TieSeconds: 20}, Says: "x"}
		for _, s := range benchday.Splits(n, 50.0/3600, 20.0/3600, 1600, 1200) {
			if s.Solo {
				p.Solo = s
			} else if p.Best.PerHour == 0 {
				p.Best = s
			}
		}
		svg := draw.Team(p)
		sound(t, "team", svg)
		assert.Equal(t, n, strings.Count(string(svg), ", alone<"))
		assert.Equal(t, p.Best.Tiers, strings.Count(string(svg), ", ties<"))
	}
}

func TestVerdictsAreWords(t *testing.T) {
	for _, v := range []string{technique.Best, technique.Open, technique.Closing, technique.Shut} {
		assert.Contains(t, draw.Verdict(technique.Standing{Verdict: v}), ">"+v+"<")
	}
}
