package season_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/season"
)

// TestOnceBarkSlippedDoesNotSpeaksOfTheEnd goes through what "does not slip" can
// mean.
func TestOnceBarkSlippedDoesNotSpeaksOfTheEnd(t *testing.T) {
	slips := season.Observation{Says: season.Slips, On: on(2027, 4, 12)}
	not := func(m, d int, soil string) season.Observation {
		return season.Observation{Says: season.DoesNotSlip, On: on(2027, m, d), Soil: soil}
	}
	for name, c := range map[string]struct {
		seen        []season.Observation
		begins, end int // days moved: 0 none, −1 earlier, 1 later
		dry         bool
	}{
		"June, after it slipped":   {[]season.Observation{slips, not(6, 20, "")}, 0, 0, true},
		"July, after it slipped":   {[]season.Observation{slips, not(7, 1, "")}, 0, 0, true},
		"July, in dry soil":        {[]season.Observation{slips, not(7, 25, season.SoilDry)}, 0, 0, true},
		"July, the soil wet":       {[]season.Observation{slips, not(7, 25, season.SoilWet)}, 0, -1, false},
		"late August":              {[]season.Observation{slips, not(8, 24, "")}, 0, -1, false},
		"late August, in dry soil": {[]season.Observation{slips, not(8, 24, season.SoilDry)}, 0, 0, true},
		"April, not yet":           {[]season.Observation{not(4, 15, "")}, 1, 0, false},
		"June, never seen to slip": {[]season.Observation{not(6, 20, "")}, 0, 0, true},
		"dry in July, then it slips again": {[]season.Observation{slips, not(7, 25, season.SoilDry),
			{Says: season.Slips, On: on(2027, 8, 3)}}, 0, 0, false},
		"slipped last year, not in April":   {[]season.Observation{{Says: season.Slips, On: on(2026, 6, 1)}, not(4, 15, "")}, 1, 0, false},
		"not in April, then in May it does": {[]season.Observation{not(4, 15, ""), {Says: season.Slips, On: on(2027, 5, 1)}}, 1, 0, false},
	} {
		t.Run(name, func(t *testing.T) {
			y := full(0).With(season.Known{NoNormal: true, Seen: c.seen}, 2026, 2028)
			sign := func(kind string) int {
				n := dated(t, y, kind, 2027).Days()
				return min(1, max(-1, n))
			}
			assert.Equal(t, c.end, sign(season.SlipEnds), "slip ends")
			if c.begins != 0 || len(c.seen) == 0 || c.seen[0].Says != season.Slips {
				assert.Equal(t, c.begins, sign(season.SlipBegins), "slip begins")
			} else {
				assert.Less(t, dated(t, y, season.SlipBegins, 2027).Days(), 5)
			}
			assert.Equal(t, c.dry, len(y.Dry) > 0, "drought")
			// Whatever was seen, green wood pairs with its own season's slip.
			for _, s := range y.Calendar(2026, 2028).WoodSpans(season.RipeGreen) {
				assert.Less(t, s.To.Sub(s.From), 200*24*time.Hour)
			}
		})
	}
}

func TestFarSightsAreDoubtedBeforeTheyAreKept(t *testing.T) {
	y := full(0)
	slipped := []season.Observation{{Says: season.Slips, On: on(2027, 4, 12)}}
	for _, c := range []struct {
		says string
		on   time.Time
		seen []season.Observation
		want bool
	}{
		{season.Slips, on(2027, 4, 1), nil, false},
		{season.Slips, on(2027, 7, 1), nil, false},
		{season.Slips, on(2027, 1, 20), nil, true},
		{season.DoesNotSlip, on(2027, 6, 20), slipped, true},
		{season.DoesNotSlip, on(2027, 7, 1), slipped, true},
		{season.DoesNotSlip, on(2027, 8, 20), slipped, false},
		{season.DoesNotSlip, on(2027, 4, 20), nil, false},
		{season.DoesNotSlip, on(2027, 6, 1), nil, true},
		{"buds swell", on(2027, 1, 5), nil, true},
		{"buds swell", on(2027, 3, 1), nil, false},
		{"buds tight", on(2027, 1, 5), nil, false},
		{"buds tight", on(2027, 4, 25), nil, true},
		{"budwood ripe", on(2027, 4, 25), nil, true},
		{"hard frost", on(2027, 8, 25), nil, true},
		{"fresh flush", on(2027, 8, 25), nil, false},
	} {
		got := y.Doubt(season.Observation{Says: c.says, On: c.on}, c.seen)
		assert.Equal(t, c.want, got != nil, "%s on %s: %v", c.says, c.on.Format(time.DateOnly), got)
	}
}

func TestCarryOverStaysInItsSeason(t *testing.T) {
	for _, shift := range []int{0, 6} {
		swell := time.Date(2027, time.Month(3+shift), 5, 0, 0, 0, 0, time.UTC)
		y := full(
			shift,
		).With(season.Known{NoNormal: true, Seen: []season.Observation{{Says: "buds swell", On: swell.AddDate(0, 0, -16)}}}, 2025, 2029)
		for _, d := range y.Dated {
			after := d.Usual.Sub(swell).Hours() / 24
			if after < 0 || after > 200 {
				assert.Zero(t, d.Days(), "%s of %s, shift %d", d.Kind, d.Usual.Format(time.DateOnly), shift)
			}
			if d.Kind == season.BudwoodRipe && after > 0 && after < 200 {
				assert.Negative(t, d.Days(), "shift %d", shift)
			}
		}
	}
}

// TestSouthMirrorsNorth sees the same things at the same distance from the usual
// days on either side of the line.
func TestSouthMirrorsNorth(t *testing.T) {
	r := rand.New(rand.NewPCG(18, 3))
	usual := func(y season.Year, kind string, near time.Time) time.Time {
		for _, d := range y.With(season.Known{NoNormal: true}, near.Year()-1, near.Year()+1).Dated {
			if d.Kind == kind && d.Usual.Sub(near).Abs() < 185*24*time.Hour {
				return d.Usual
			}
		}
		return time.Time{}
	}
	for range 400 {
		north, south := full(0), full(6)
		var n, s season.Known
		n.NoNormal, s.NoNormal = true, true
		for range 1 + r.IntN(4) {
			x := season.Sights[r.IntN(len(season.Sights)-1)]
			off := r.IntN(60) - 30
			a := usual(north, x.Kinds[0], on(2027, 6, 1))
			b := usual(south, x.Kinds[0], on(2027, 12, 1))
			n.Seen = append(n.Seen, season.Observation{Says: x.Says, On: a.AddDate(0, 0, off)})
			s.Seen = append(s.Seen, season.Observation{Says: x.Says, On: b.AddDate(0, 0, off)})
		}
		moved := func(y season.Year, k season.Known, from time.Time) map[string]int {
			out := map[string]int{}
			for _, d := range y.With(k, 2026, 2028).Dated {
				if at := d.Usual.Sub(from); at > -100*24*time.Hour && at < 265*24*time.Hour {
					out[d.Kind] = d.Days()
				}
			}
			return out
		}
		a, b := moved(north, n, on(2027, 3, 5)), moved(south, s, on(2027, 9, 5))
		for kind, days := range a {
			require.InDelta(t, days, b[kind], 2, "%s: %+v / %+v", kind, n.Seen, s.Seen)
		}
	}
}

// TestLeapYearsAreAsWarm: a usual year's warmth is a usual year's, leap or not.
func TestLeapYearsAreAsWarm(t *testing.T) {
	for year := 2026; year <= 2029; year++ {
		var ws []season.DegreeDay
		for d := on(year, 1, 1); d.Before(on(year, 7, 1)); d = d.AddDate(0, 0, 1) {
			ws = append(ws, season.DegreeDay{On: d, MeanC: season.BaseC + normals.DegreeDays(d), LowC: 1})
		}
		y := full(0).With(season.Known{Normals: normals, Weather: ws}, year, year)
		for _, d := range y.Dated {
			assert.Zero(t, d.Days(), "%s %d: %v", d.Kind, year, d.Moves)
		}
	}
}
