package season_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/season"
)

var normals = season.Normals{2.5, 3, 5.5, 8.5, 12, 15, 17, 16.8, 14, 10, 6, 3.5}

func full(shift int) season.Year {
	y := anchors(shift)
	for kind, md := range map[string][2]int{season.FirstHardFrost: {11, 2}, season.LastFrost: {5, 6}} {
		y.Anchors = append(y.Anchors, season.Anchor{Kind: kind, Month: (md[0]-1+shift)%12 + 1, Day: md[1]})
	}
	for i := range y.Anchors {
		y.Anchors[i].SpreadDays = 9
	}
	return y
}

func dated(t *testing.T, y season.Year, kind string, year int) season.Dated {
	t.Helper()
	for _, d := range y.Dated {
		if d.Kind == kind && d.Usual.Year() == year {
			return d
		}
	}
	require.Fail(t, "not dated", "%s %d", kind, year)
	return season.Dated{}
}

// weather is days that stray by a fixed amount from the usual.
func weather(from, to time.Time, by float64) []season.DegreeDay {
	r := rand.New(rand.NewPCG(5, 5))
	var out []season.DegreeDay
	for d := from; d.Before(to); d = d.AddDate(0, 0, 1) {
		m := season.UsualMean(normals, d) + by + 3.5*r.NormFloat64()
		out = append(out, season.DegreeDay{On: d, MeanC: m, LowC: m - 1}) // hardly any frost
	}
	return out
}

func TestNothingKnownMovesNothing(t *testing.T) {
	y := full(0).With(season.Known{Normals: normals}, 2026, 2028)
	for _, d := range y.Dated {
		assert.Equal(t, d.Usual, d.On, d.Kind)
		assert.Empty(t, d.Moves)
		assert.True(t, d.Low.Before(d.On) && d.High.After(d.On))
		assert.False(t, d.Seen)
	}
	assert.Equal(t, full(0).Band(2027), y.Band(2027))
}

func TestWarmthMovesTheSpring(t *testing.T) {
	from, to := on(2027, 1, 1), on(2027, 3, 1)
	early := dated(t, full(0).With(season.Known{Normals: normals, Weather: weather(from, to, 3)}, 2027, 2027), season.BudSwell, 2027)
	late := dated(t, full(0).With(season.Known{Normals: normals, Weather: weather(from, to, -3)}, 2027, 2027), season.BudSwell, 2027)
	assert.Less(t, early.Days(), -7)
	assert.Greater(t, late.Days(), 4)
	assert.Equal(t, season.ByWarmth, early.Moves[0].Cause)
	assert.Greater(t, early.Moves[0].Sum, early.Moves[0].Usual)
	assert.Equal(t, early.Days(), early.Moves[0].Days)
	usual := dated(t, full(0).With(season.Known{Normals: normals}, 2027, 2027), season.BudSwell, 2027)
	assert.Less(t, early.High.Sub(early.Low), usual.High.Sub(usual.Low), "what the warmth tells narrows the range")
	autumn := dated(t, full(0).With(season.Known{Normals: normals, Weather: weather(from, to, 3)}, 2027, 2027), season.SlipEnds, 2027)
	assert.Zero(t, autumn.Days(), "spring's warmth says nothing of the autumn")
}

func TestAUsualYearsWarmthIsThatOfDaysThatStray(t *testing.T) {
	sum, n := 0.0, 4000
	r := rand.New(rand.NewPCG(1, 2))
	at := on(2027, 2, 15)
	for range n {
		sum += math.Max(0, season.UsualMean(normals, at)+3.5*r.NormFloat64()-season.BaseC)
	}
	assert.InDelta(t, sum/float64(n), normals.DegreeDays(at), 0.08)
}

func TestSouthOfTheLineTheSpringIsInSeptember(t *testing.T) {
	var south season.Normals
	for m := range south {
		south[m] = normals[(m+6)%12]
	}
	var ws []season.DegreeDay
	for d := on(2027, 7, 1); d.Before(on(2027, 9, 1)); d = d.AddDate(0, 0, 1) {
		ws = append(ws, season.DegreeDay{On: d, MeanC: season.UsualMean(south, d) + 3, LowC: 1})
	}
	d := dated(t, full(6).With(season.Known{Normals: south, Weather: ws}, 2027, 2027), season.BudSwell, 2027)
	assert.Equal(t, time.September, d.Usual.Month())
	assert.Less(t, d.Days(), -4)
}

func TestWhatWasSeenOutweighs(t *testing.T) {
	know := func(os ...season.Observation) season.Year {
		return full(0).With(season.Known{Normals: normals, Seen: os}, 2027, 2027)
	}
	swell := func(y season.Year) season.Dated { return dated(t, y, season.BudSwell, 2027) }
	d := swell(
		know(
			season.Observation{Says: "buds tight", On: on(2027, 3, 12)},
			season.Observation{Says: "buds swell", On: on(2027, 3, 16), Place: "row 4"},
		),
	)
	assert.True(t, d.Seen && d.On.After(on(2027, 3, 12).Truncate(24*time.Hour)) && !d.On.After(on(2027, 3, 16)))
	assert.Equal(t, []string{"buds swell", "row 4", "buds tight"}, []string{d.Moves[0].Yes.Says, d.Moves[0].Yes.Place, d.Moves[0].Not.Says})
	assert.False(t, d.Moves[0].Differ)
	d = swell(know(season.Observation{Says: "buds swell", On: on(2027, 2, 10)}))
	assert.False(t, d.On.After(on(2027, 2, 10)), "far outside the belief, what was seen stands")
	d = swell(know(season.Observation{Says: "buds tight", On: on(2027, 4, 20)}))
	assert.True(t, d.On.After(on(2027, 4, 20).Truncate(24*time.Hour)))
	d = swell(know(season.Observation{Says: "buds swell", On: on(2027, 3, 1)}, season.Observation{Says: "buds tight", On: on(2027, 3, 9)}))
	assert.True(t, d.Moves[0].Differ)
	assert.Equal(t, 10, d.On.Day(), "no date on or before a day with not yet")

	late := know(season.Observation{Says: "buds tight", On: on(2027, 3, 25)})
	slip := dated(t, late, season.SlipBegins, 2027)
	assert.Greater(t, slip.Days(), 3, "half of a late swell carries over to the slip")
	assert.Equal(t, 2, len(late.Band(2027)[1:3]))

	// One test of the bark tells of the spring or of the autumn.
	y := know(season.Observation{Says: "bark slips", On: on(2027, 9, 12)})
	assert.Greater(t, dated(t, y, season.SlipEnds, 2027).Days(), 6)
	assert.Zero(t, dated(t, y, season.SlipBegins, 2027).Days())
	y = know(season.Observation{Says: "frost", On: on(2027, 10, 10)})
	assert.Zero(t, dated(t, y, season.LastFrost, 2027).Days(), "a frost in October is none of the spring's")
}

func TestBarkSlipsNoSoonerThanAWeekAfterBudSwell(t *testing.T) {
	y := full(0).With(season.Known{Normals: normals, Seen: []season.Observation{{Says: "buds tight", On: on(2027, 4, 20)}}}, 2027, 2027)
	swell, slip := dated(t, y, season.BudSwell, 2027), dated(t, y, season.SlipBegins, 2027)
	assert.GreaterOrEqual(t, slip.On.Sub(swell.On), 7*24*time.Hour)
	for _, s := range y.Band(2027) {
		assert.True(t, s.From.Before(s.To))
	}
}

func TestFrostsComeFromTheFeed(t *testing.T) {
	feed := []season.DegreeDay{{On: on(2027, 5, 19), MeanC: 4, LowC: -0.5}, {On: on(2027, 10, 12), MeanC: 1, LowC: -4}}
	y := full(0).With(season.Known{NoNormal: true, Weather: feed}, 2027, 2027)
	assert.Greater(t, dated(t, y, season.LastFrost, 2027).Days(), 12)
	assert.Less(t, dated(t, y, season.FirstHardFrost, 2027).Days(), -20)
	// Nights from a day on, mild but for one.
	nights := func(from time.Time, n, hard int) (out []season.DegreeDay) {
		for i := range n {
			d := season.DegreeDay{On: from.AddDate(0, 0, i), MeanC: 5, LowC: 1}
			if i == hard {
				d.LowC = -5
			}
			out = append(out, d)
		}
		return out
	}
	first := func(feed []season.DegreeDay) season.Dated {
		return dated(t, full(0).With(season.Known{NoNormal: true, Weather: feed}, 2027, 2028), season.FirstHardFrost, 2027)
	}
	d := first(nights(on(2027, 9, 1), 80, 75)) // to 15 November
	assert.Equal(t, on(2027, 11, 15).Format(time.DateOnly), d.On.Format(time.DateOnly), "watched from the start")
	d = first(nights(on(2027, 12, 20), 40, 12))
	assert.Zero(t, d.Days(), "a feed that begins in winter may have missed the first")
	d = first(nights(on(2027, 12, 20), 40, -1))
	assert.Zero(t, d.Days())
	d = first(nights(on(2027, 9, 1), 75, -1))
	assert.True(t, d.On.After(on(2027, 11, 14)), "and none until then")
}

func TestWithoutRest(t *testing.T) {
	y := season.Year{
		Group:   "tender",
		NoRest:  true,
		Anchors: []season.Anchor{{Kind: season.DrySpellBegins, Month: 12, Day: 1}, {Kind: season.DrySpellEnds, Month: 4, Day: 1}},
	}
	y = y.With(season.Known{Seen: []season.Observation{{Says: season.FreshFlush, On: on(2027, 2, 1)}}}, 2026, 2028)
	assert.Len(t, y.Flushes, 1)
	s, ok := y.StockOn(on(2027, 2, 23))
	assert.True(t, ok)
	assert.Equal(t, season.Running, s.State)
	can, why := y.WoodOn(season.Resting, on(2027, 2, 23))
	assert.False(t, can)
	assert.Equal(t, season.WoodNoRest, why.Rule)
	can, _ = y.WoodOn(season.HalfRipe, on(2027, 2, 23))
	assert.True(t, can)
}

func TestLeapYears(t *testing.T) {
	y := season.Year{
		Anchors: []season.Anchor{{Kind: season.BudSwell, Month: 2, Day: 29, SpreadDays: 5}, {Kind: season.RestBegins, Month: 11, Day: 1}},
	}
	s, _ := y.StockOn(on(2028, 2, 29))
	assert.Equal(t, season.Waking, s.State)
	s, _ = y.StockOn(on(2027, 2, 28))
	assert.Equal(t, season.Resting, s.State, "where there is no 29th, it is the first of March")
	s, _ = y.StockOn(on(2027, 3, 1))
	assert.Equal(t, season.Waking, s.State)
}

func ExampleYear_With() {
	y := full(
		0,
	).With(season.Known{NoNormal: true, Seen: []season.Observation{{Says: "buds swell", On: on(2027, 2, 25), Place: "north bed"}}}, 2027,
		2027)
	for _, d := range y.Dated {
		if d.Kind == season.BudSwell {
			fmt.Println(d.Kind, season.Say(d.On), "moved by", d.Days(), "days:", d.Moves[0].Cause)
		}
	}
	// Output: bud swell 20 February moved by -13 days: sight
}
