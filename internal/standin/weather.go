package standin

import (
	"math"
	"math/rand/v2"
	"time"

	"unionknot/internal/core/season"
)

// Weather gives a site's days between two dates, the second left out.
type Weather interface {
	Days(from, to time.Time) []season.DegreeDay
}

// WeatherFeed is a simulated feed: the site's usual year, spells of some days
// that run warm or cold, and whole seasons that do. The same days give the
// same weather.
type WeatherFeed struct {
	Normals season.Normals
	Seasons []Trouble // stretches that run warmer, or below zero colder
}

// Days implements Weather.
func (f WeatherFeed) Days(from, to time.Time) []season.DegreeDay {
	var out []season.DegreeDay
	for d := season.DayOf(from); d.Before(to); d = d.AddDate(0, 0, 1) {
		n := d.Unix() / 86400
		noise := func(k int64, salt uint64) float64 {
			return rand.New(rand.NewPCG(uint64(k), salt)).NormFloat64()
		}
		// Spells of five days, run together, and a little of the day's own.
		spell, at := n/5, float64(n%5)/5
		c := season.UsualMean(f.Normals, d) + 2.8*(noise(spell, 41)*(1-at)+noise(spell+1, 41)*at) + 1.6*noise(n, 43)
		for _, t := range f.Seasons {
			if !d.Before(t.From) && d.Before(t.To) {
				c += t.ByC
			}
		}
		c = math.Round(c*10) / 10
		low := c - 3 - math.Abs(1.5*noise(n, 47))
		out = append(out, season.DegreeDay{On: d, MeanC: c, LowC: math.Round(low*10) / 10})
	}
	return out
}
