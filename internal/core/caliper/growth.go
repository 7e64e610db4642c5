package caliper

import (
	"errors"
	"math"
	"slices"
	"time"
)

// Dated is a sample of stems measured on a day, in mm.
type Dated struct {
	On time.Time
	MM []float64
}

// Growth is how a lot's mean diameter moves, as dated samples of it tell. A
// range is the middle 90 %.
type Growth struct {
	PerWeek, Low, High float64 // mm a week
	MM                 float64 // mean on the last day measured, by the line
	Last               time.Time

	mid      time.Time // where the line is surest
	at       float64   // its height there
	varAt    float64
	varSlope float64 // of mm a week
}

// stemSpread is the spread of diameters within a lot, in mm, where the samples
// cannot tell it. House default.
const stemSpread = 0.8

// ErrOneDay says that samples of one day tell no growth.
var ErrOneDay = errors.New("growth needs readings from two days or more, a week apart at least")

// Grow fits a straight line through the samples' means, each weighed by how
// many stems it has. Each sample is of stems picked anew, so its mean is known
// to within the stems' spread ÷ √n; where more than two samples stray further
// from the line than that, the range is widened to match. A line is for a
// stretch in which the stems grow: give it no winter.
func Grow(samples []Dated) (Growth, error) {
	type mean struct{ week, mm, n float64 }
	var ms []mean
	var first, last time.Time
	square, freedom := 0.0, 0.0
	for _, s := range samples {
		n := float64(len(s.MM))
		if n == 0 {
			continue
		}
		if first.IsZero() || s.On.Before(first) {
			first = s.On
		}
		if s.On.After(last) {
			last = s.On
		}
		m := 0.0
		for _, d := range s.MM {
			m += d / n
		}
		for _, d := range s.MM {
			square += (d - m) * (d - m)
		}
		freedom += n - 1
		ms = append(ms, mean{weeks(samples[0].On, s.On), m, n})
	}
	if last.Sub(first) < 7*24*time.Hour {
		return Growth{}, ErrOneDay
	}
	v := stemSpread * stemSpread
	if freedom >= 5 && square > 0 {
		v = square / freedom
	}
	var w, wt, wm float64
	for _, m := range ms {
		w, wt, wm = w+m.n/v, wt+m.n/v*m.week, wm+m.n/v*m.mm
	}
	midWeek, mid := wt/w, wm/w
	var xx, xy float64
	for _, m := range ms {
		xx += m.n / v * (m.week - midWeek) * (m.week - midWeek)
		xy += m.n / v * (m.week - midWeek) * (m.mm - mid)
	}
	slope := xy / xx
	stray := 0.0
	for _, m := range ms {
		d := m.mm - mid - slope*(m.week-midWeek)
		stray += m.n / v * d * d
	}
	wider := 1.0
	if len(ms) > 2 {
		wider = math.Max(1, stray/float64(len(ms)-2))
	}
	g := Growth{PerWeek: slope, Last: last, mid: samples[0].On.Add(time.Duration(midWeek * float64(7*24*time.Hour))), at: mid, varAt: wider / w, varSlope: wider / xx}
	s := z90 * math.Sqrt(g.varSlope)
	g.Low, g.High = slope-s, slope+s
	g.MM, _, _ = g.On(last)
	return g, nil
}

// z90 is the half-width of the middle 90 % of a normal spread.
const z90 = 1.6449

func weeks(from, to time.Time) float64 { return to.Sub(from).Hours() / (7 * 24) }

// On is the lot's mean diameter on a day, in mm, with its range.
func (g Growth) On(day time.Time) (mm, low, high float64) {
	t := weeks(g.mid, day)
	mm = g.at + g.PerWeek*t
	s := z90 * math.Sqrt(g.varAt+g.varSlope*t*t)
	return mm, mm - s, mm + s
}

// Reach is when a lot comes to a wanted diameter. Latest is zero when it may
// never: growth cannot be told from none.
type Reach struct{ On, Earliest, Latest time.Time }

// furthest is how far ahead Reaches looks, in days.
const furthest = 3 * 366

// Reaches says on which day the lot's mean comes to mm, at this pace. It gives
// false when that is not within three years of the last reading.
func (g Growth) Reaches(mm float64) (Reach, bool) {
	if g.PerWeek <= 0 {
		return Reach{}, false
	}
	on := g.mid.Add(time.Duration((mm - g.at) / g.PerWeek * float64(7*24*time.Hour)))
	on = time.Date(on.Year(), on.Month(), on.Day(), 0, 0, 0, 0, on.Location())
	if m, _, _ := g.On(on); m < mm-1e-9 {
		on = on.AddDate(0, 0, 1) // the first whole day on which it is there
	}
	if on.After(g.Last.AddDate(0, 0, furthest)) {
		return Reach{}, false
	}
	from := g.mid
	if on.Before(from) {
		from = on
	}
	sure := func(low bool) time.Time {
		for d := range 2 * furthest {
			day := from.AddDate(0, 0, d)
			_, l, h := g.On(day)
			if low && l >= mm || !low && h >= mm {
				return day
			}
		}
		return time.Time{}
	}
	return Reach{On: on, Earliest: sure(false), Latest: sure(true)}, true
}

// ByDay gathers readings into samples, oldest day first.
func ByDay(on []time.Time, mm []float64) []Dated {
	var out []Dated
	for i, day := range on {
		k := slices.IndexFunc(out, func(d Dated) bool { return d.On.Equal(day) })
		if k < 0 {
			k = len(out)
			out = append(out, Dated{On: day})
		}
		out[k].MM = append(out[k].MM, mm[i])
	}
	slices.SortFunc(out, func(a, b Dated) int { return a.On.Compare(b.On) })
	return out
}
