package nursery_test

import (
	"bytes"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	seasonstage "unionknot/internal/nursery/season"
	"unionknot/internal/outlook"
)

func window(t *testing.T, b seasonstage.Band, name string) technique.Standing {
	t.Helper()
	for _, w := range b.Windows {
		if w.Technique == name {
			return w.Standing
		}
	}
	require.Fail(t, "no window", name)
	return technique.Standing{}
}

// TestEveryTechniqueInEveryGroupOnEveryDay judges the shipped techniques by
// the shipped dates day by day through a common and a leap year, on both sides
// of the line, against the plain rule: the stock's state, wood at hand, and
// budding's own limits.
func TestEveryTechniqueInEveryGroupOnEveryDay(t *testing.T) {
	h := newHouse(t)
	p, err := h.Facts(ctx)
	require.NoError(t, err)
	require.Len(t, p.Techniques, 11)
	for _, south := range []bool{false, true} {
		require.NoError(t, h.SetSite(ctx, h.maud, season.Site{Climate: season.Maritime, South: south}))
		b, err := h.SeasonBand(ctx, "pome")
		require.NoError(t, err)
		for _, g := range b.Groups {
			page, err := h.Season(ctx, g.Key)
			require.NoError(t, err)
			y := season.Year{Group: g.Key}
			for _, l := range page.Anchors {
				y.Anchors = append(y.Anchors, season.Anchor{Kind: l.Kind, Month: int(l.Usual.Month()), Day: l.Usual.Day()})
			}
			c := y.Calendar(2025, 2030)
			open := map[string]int{}
			for d := time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC); d.Year() < 2029; d = d.AddDate(0, 0, 1) {
				state, ok := c.StockOn(d)
				require.True(t, ok)
				for _, k := range p.Techniques {
					serves := slices.ContainsFunc(k.WoodStates, func(w string) bool {
						at, _ := c.WoodOn(w, d)
						slips := k.Key == "t-bud"
						return at && (w != season.RipeGreen || budding(c, d, slips)) && (w != season.HalfRipe || halfRipe(c, d))
					})
					want := slices.Contains(k.StockStates, state.State) && serves
					got := k.Standing(c, nil, technique.OnBench, d)
					require.Equal(
						t,
						want,
						got.Verdict != technique.Shut,
						"%s, %s, %s %s: %s",
						k.Name,
						g.Key,
						south,
						d.Format(time.DateOnly),
						got.Reason,
					)
					require.NotEmpty(t, got.Reason)
					if want {
						open[k.Name]++
					}
				}
			}
			assert.Len(t, open, 11, "%s %s: every technique has its days", south, g.Key)
		}
	}
}

// budding is the plain rule of budding with green wood.
func budding(c *season.Calendar, d time.Time, slips bool) bool {
	for _, x := range c.Seasons() {
		ripe, end, frost := x[season.BudwoodRipe], x[season.SlipEnds], x[season.FirstHardFrost]
		if ripe.IsZero() || end.IsZero() || frost.IsZero() || d.Before(ripe) {
			continue
		}
		if slips && d.Before(end.AddDate(0, 0, -14)) || !slips && !d.After(frost.AddDate(0, 0, -28)) {
			return true
		}
		// As June budding, which needs a week of days at the least.
		last := x[season.LastFrost]
		from := ripe
		if last.After(ripe) && last.Before(frost) {
			from = last.AddDate(0, 0, 1)
		}
		if !d.Before(from) && !d.AddDate(0, 0, 120).After(frost) && frost.AddDate(0, 0, 1-120).Sub(from) >= 7*24*time.Hour {
			return true
		}
	}
	return false
}

// halfRipe needs bark that slips for three weeks more.
func halfRipe(c *season.Calendar, d time.Time) bool {
	for _, x := range c.Seasons() {
		ripe, end := x[season.BudwoodRipe], x[season.SlipEnds]
		if !ripe.IsZero() && !end.IsZero() && !d.Before(ripe.AddDate(0, 0, -30)) && d.Before(end.AddDate(0, 0, -21)) {
			return true
		}
	}
	return false
}

func TestWhatIsSeenMovesTheWindowsAndCanBeTakenBack(t *testing.T) {
	h := newHouse(t)
	h.on(2027, 2, 23)
	b, err := h.SeasonBand(ctx, "pome")
	require.NoError(t, err)
	assert.NotEqual(t, technique.Shut, window(t, b, "tool cut").Verdict)
	require.ErrorIs(t, h.NoteSeen(ctx, h.eye, "pome", seasonstage.NewSeen{Says: "buds swell"}), nursery.ErrNotAllowed)
	require.NoError(
		t,
		h.NoteSeen(ctx, h.ansel, "pome", seasonstage.NewSeen{Says: "buds swell", On: h.Today().AddDate(0, 0, -2), Place: "row 4"}),
	)
	b, err = h.SeasonBand(ctx, "pome")
	require.NoError(t, err)
	assert.Equal(t, "waking", b.Now.State)
	assert.Equal(t, technique.StockIs, window(t, b, "tool cut").Reason)
	assert.Equal(t, "waking", window(t, b, "tool cut").Stock)
	other, err := h.SeasonBand(ctx, "nut")
	require.NoError(t, err)
	assert.Equal(t, "resting", other.Now.State, "what was seen of one group is none of another's")

	p, err := h.Season(ctx, "pome")
	require.NoError(t, err)
	require.Len(t, p.Seen, 1)
	w := p.Anchors[1].Working()
	assert.Equal(t, "Bud swell, this year", w.Title)
	assert.Contains(t, w.Inputs[1].Value, "buds swell seen 21 February in row 4")
	_, err = h.DropSeen(ctx, h.ansel, p.Seen[0].ID)
	require.ErrorIs(t, err, nursery.ErrNotAllowed)
	group, err := h.DropSeen(ctx, h.maud, p.Seen[0].ID)
	require.NoError(t, err)
	assert.Equal(t, "pome", group)
	_, err = h.DropSeen(ctx, h.maud, p.Seen[0].ID)
	require.ErrorIs(t, err, nursery.ErrNotFound)
	b, err = h.SeasonBand(ctx, "pome")
	require.NoError(t, err)
	assert.Equal(t, "resting", b.Now.State)

	for _, bad := range []seasonstage.NewSeen{{Says: "pigs fly"}, {Says: "buds swell", On: h.Today().AddDate(0, 0, 1)},
		{Says: "buds swell", On: h.Today().AddDate(-9, 0, 0)}} {
		var ps nursery.Problems
		require.ErrorAs(t, h.NoteSeen(ctx, h.maud, "pome", bad), &ps, "%+v", bad)
	}
	require.ErrorIs(t, h.NoteSeen(ctx, h.maud, "moss", seasonstage.NewSeen{Says: "buds swell"}), nursery.ErrNotFound)
}

func TestUsualDatesAreSetAndChecked(t *testing.T) {
	h := newHouse(t)
	set := func(kind, text string) error {
		return h.SetUsual(ctx, h.maud, "pome", []seasonstage.UsualDate{{Kind: kind, Text: text, Spread: 9}})
	}
	for text, want := range map[string]time.Month{"12 March": time.March, "12 Apr": time.April, "05-12": time.May} {
		require.NoError(t, set(season.BudSwell, text))
		p, err := h.Season(ctx, "pome")
		require.NoError(t, err)
		assert.Equal(t, want, p.Anchors[1].Usual.Month())
		assert.Equal(t, 12, p.Anchors[1].Usual.Day())
		assert.Equal(t, "entered", p.Anchors[1].Source)
	}
	for _, bad := range []string{"31 February", "soon", "13-01"} {
		assert.Error(t, set(season.BudSwell, bad), bad)
	}
	var ps nursery.Problems
	require.ErrorAs(
		t,
		h.SetUsual(
			ctx,
			h.maud,
			"pome",
			[]seasonstage.UsualDate{{Kind: season.RestBegins, Text: "5 November"}, {Kind: season.BudSwell, Text: "5 March"},
				{Kind: season.SlipBegins, Text: "1 February"}, {Kind: season.SlipEnds, Text: "5 September"}},
		),
		&ps,
	)
	assert.Contains(t, ps.Error(), "does not go round")
	require.ErrorIs(t, h.SetUsual(ctx, h.ansel, "pome", nil), nursery.ErrNotAllowed)
	require.ErrorIs(
		t,
		h.SetUsual(ctx, h.maud, "moss", []seasonstage.UsualDate{{Kind: season.BudSwell, Text: "5 March"}}),
		nursery.ErrNotFound,
	)
	require.ErrorIs(t, h.SetRests(ctx, h.maud, "moss", false), nursery.ErrNotFound)
}

func TestASouthernSiteAndOneWithoutRest(t *testing.T) {
	h := newHouse(t)
	require.NoError(t, h.SetSite(ctx, h.maud, season.Site{Climate: season.Maritime, South: true}))
	h.on(2027, 2, 10)
	b, err := h.SeasonBand(ctx, "pome")
	require.NoError(t, err)
	assert.Equal(t, "running", b.Now.State)
	assert.Equal(t, technique.Shut, window(t, b, "whip and tongue").Verdict)
	require.NoError(t, h.SetRests(ctx, h.maud, "tender", false))
	require.NoError(
		t,
		h.SetUsual(
			ctx,
			h.maud,
			"tender",
			[]seasonstage.UsualDate{
				{Kind: season.DrySpellBegins, Text: "1 Jan", Spread: 9},
				{Kind: season.DrySpellEnds, Text: "1 April", Spread: 9},
			},
		),
	)
	require.NoError(t, h.NoteSeen(ctx, h.maud, "tender", seasonstage.NewSeen{Says: season.FreshFlush}))
	p, err := h.Season(ctx, "tender")
	require.NoError(t, err)
	assert.Equal(t, technique.Best, window(t, p.Band, "bark flap, top left on").Verdict)
	assert.Equal(t, []string{season.FreshFlush}, p.Sights)
	require.Error(t, h.SetSite(ctx, h.maud, season.Site{Climate: "up"}))
}

func TestWeatherIsKeptOnceAndMovesTheSpring(t *testing.T) {
	h := newHouse(t)
	h.on(2027, 3, 1)
	normals, err := h.UsualTemperatures(ctx)
	require.NoError(t, err)
	var days []season.DegreeDay
	for d := time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC); d.Before(time.Date(2027, 3, 10, 0, 0, 0, 0, time.UTC)); d = d.AddDate(0, 0, 1) {
		days = append(days, season.DegreeDay{On: d, MeanC: season.UsualMean(normals, d) + 4, LowC: 1})
	}
	n, err := h.AddWeather(ctx, h.maud, days, "feed")
	require.NoError(t, err)
	assert.Equal(t, 60, n, "days to come are no readings")
	n, err = h.AddWeather(ctx, h.maud, days, "feed")
	require.NoError(t, err)
	assert.Zero(t, n)
	p, err := h.Season(ctx, "pome")
	require.NoError(t, err)
	assert.Less(t, p.Anchors[1].This.Days(), -5)
	assert.Greater(t, len(p.Warm), 50)
	require.NoError(t, h.SetNormals(ctx, h.maud, [12]float64{8, 9, 11, 13, 15, 18, 20, 20, 17, 14, 11, 9}))
	q, err := h.Season(ctx, "pome")
	require.NoError(t, err)
	assert.Greater(t, q.Anchors[1].This.Days(), p.Anchors[1].This.Days(), "the same days are cold in a warmer place")
	assert.Error(t, h.SetNormals(ctx, h.maud, [12]float64{99}))
}

func TestWeatherComesInAndGoesOutAsAFile(t *testing.T) {
	h := newHouse(t)
	h.on(2027, 2, 24)
	p := h.load(
		"weather",
		"day,mean_f,low_f\n2027-02-22,41,30\n2027-02-23,39.2,\n2027-02-24,,\n2027-02-25,41,30\n"+
			"2027-02-21,30,41\nsoon,41,30\n2027-02-20,412,30\n",
	)
	assert.Equal(t, 2, p.New)
	says := ""
	for _, b := range p.Bad {
		says += b.Says + "\n"
	}
	for _, want := range []string{"mean temperature", "still to come", "above the mean", "no day's mean"} {
		assert.Contains(t, says, want)
	}
	require.NoError(t, h.LoadNow(ctx, h.maud, p.Load.ID))
	ws, err := h.db.Q().Weather(ctx, time.Time{})
	require.NoError(t, err)
	require.Len(t, ws, 2)
	assert.Equal(t, 5.0, ws[0].MeanC)
	assert.Equal(t, -1.1, ws[0].LowC)
	assert.Equal(t, ws[1].MeanC, ws[1].LowC, "without its lowest no frost is read from a day")
	var f bytes.Buffer
	require.NoError(t, h.Export(ctx, h.maud, "weather", exchange.CSV, &f))
	again := h.load("weather", f.String())
	assert.Equal(t, 2, again.Same, "what went out comes back unchanged")
	assert.Zero(t, again.New)
	other := h.load("weather", "day,mean_c\n2027-02-22,9\n")
	assert.Equal(t, 1, other.BadN)
}

func TestWorthMovesTheWaysOut(t *testing.T) {
	h := rivals(t)
	n := outlook.Worth{WageCents: 1600, TreeCents: 900, StemCents: 130, PieceCents: 35, DelayPct: 25, GradePct: 96}
	require.NoError(t, h.SetWorth(ctx, h.maud, n))
	before := h.orderIf("O-1", outlook.WhatIf{})
	n.StemCents, n.GradePct = 5000, 70
	require.NoError(t, h.SetWorth(ctx, h.maud, n))
	after := h.orderIf("O-1", outlook.WhatIf{})
	assert.Greater(t, after.Line.Need.Grafts, before.Line.Need.Grafts)
	buy := func(p outlook.OrderPage) (each float64, source string) {
		for _, w := range p.Ways {
			for _, x := range w.Steps {
				if strings.HasPrefix(x.Says, "Buy") && strings.Contains(x.Says, "stems") {
					i := slices.IndexFunc(w.Working.Inputs, func(i working.Input) bool { return i.Name == "A stem" })
					return float64(x.Cents) / float64(x.Grafts), w.Working.Inputs[i].Source
				}
			}
		}
		require.Fail(t, "no way to buy stems")
		return 0, ""
	}
	cheap, shipped := buy(before)
	dear, typed := buy(after)
	assert.Greater(t, dear, 10*cheap)
	assert.Equal(t, "house default", shipped)
	assert.Equal(t, "entered", typed, "what was typed here is not called a default")
	require.ErrorIs(t, h.SetWorth(ctx, h.ansel, n), nursery.ErrNotAllowed)
	for _, bad := range []outlook.Worth{{WageCents: -1, GradePct: 90}, {DelayPct: 101, GradePct: 90}, {GradePct: 100}} {
		assert.Error(t, h.SetWorth(ctx, h.maud, bad))
	}
}

// TestTheSiteIsSetAtOnceAndTakenBack: all dates, temperatures and rests go by a climate, what
// it would change is said before, and what was there comes back.
func TestTheSiteIsSetAtOnceAndTakenBack(t *testing.T) {
	h := demoHouse(t)
	require.NoError(t, h.SetUsual(ctx, h.maud, "pome", []seasonstage.UsualDate{{Kind: season.LastFrost, Text: "1 May", Spread: 4}}))
	assert.Zero(t, h.sum(`select count(*) from season_anchor where kind = 'last frost' and (month, day, spread_days) <> (5, 1, 4)`),
		"frost comes to the whole site")
	state := func() string {
		var s string
		require.NoError(t, h.db.Get(&s, `select md5((select json_agg(a order by season_group, kind)::text from season_anchor a)
			|| (select json_agg(n order by month)::text from site_normal n) || (select json_agg(g order by key)::text from season_group
			g))`))
		return s
	}
	was := state()
	for _, c := range season.Climates {
		p, err := h.Site(ctx, h.maud, season.Site{Climate: c, South: true}, true)
		require.NoError(t, err)
		require.Len(t, p.Years, len(season.Climates))
		require.NotNil(t, p.Effect)
		assert.False(t, p.Effect.Nothing(), "half a year off changes something")
		assert.Positive(t, p.Entered)
		require.Equal(t, was, state(), "looking keeps nothing")
	}
	require.NoError(t, h.SetSite(ctx, h.maud, season.Site{Climate: season.FrostFree, South: true}))
	assert.NotEqual(t, was, state())
	assert.Zero(t, h.sum(`select count(*) from season_group where rests`))
	p, err := h.Site(ctx, h.maud, season.Site{}, false)
	require.NoError(t, err)
	require.NotNil(t, p.Set)
	assert.ErrorIs(t, h.TakeSiteBack(ctx, h.eye, p.Set.ID), nursery.ErrNotAllowed)
	require.NoError(t, h.TakeSiteBack(ctx, h.maud, p.Set.ID))
	assert.Equal(t, was, state())
	isProblem(t, h.TakeSiteBack(ctx, h.maud, p.Set.ID), "taken back already")
	isProblem(t, h.SetSite(ctx, h.maud, season.Site{Climate: "moon"}), "nearest to yours")
}
