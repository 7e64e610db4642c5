package caliper

import (
	"errors"
	"math"
	"slices"
	"sort"
	"time"

	"gonum.org/v1/gonum/stat/distuv"
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

	first   time.Time
	lines   []line  // for each likely stray of the days
	freedom float64 // with which the stems' spread is known
}

// line is a straight line through the samples, for days that stray by so much.
type line struct {
	weight                   float64
	mid, at, slope           float64 // weeks from the first day; mm; mm a week
	varAt, varSlope, wanting float64 // wanting: −2 × the log of the weight
}

const (
	// stemSpread is the spread of diameters within a lot, in mm, where the
	// samples cannot tell it, and stemFreedom what it is worth. House default.
	stemSpread  = 0.8
	stemFreedom = 2
	// dayStray is the usual size in mm by which a day's sample strays from the
	// line beyond what its stems differ by: another pick, another hand at the
	// caliper. House default; a Cauchy prior, so that days that stray more are
	// believed. Two days cannot show it, and are taken not to stray.
	dayStray = 0.07
)

// strays are those tried.
var strays = []float64{0, 0.02, 0.04, 0.06, 0.09, 0.13, 0.18, 0.25, 0.34, 0.46, 0.62, 0.85, 1.2, 1.7}

// ErrOneDay says that samples of one day tell no growth.
var ErrOneDay = errors.New("growth needs readings from two days or more, a week apart at least")

// Grow fits a straight line through the samples' means. A sample's mean is
// known to within its stems' spread ÷ √n, the spread from all samples together
// (so that ranges are Student's); and days stray beside that by an amount that
// is not known: every likely one is reckoned with, by restricted likelihood on
// a grid. A line is for a stretch in which the stems grow: give it no winter.
func Grow(samples []Dated) (Growth, error) {
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
		ms = append(ms, mean{0, m, n, s.On})
	}
	if last.Sub(first) < 7*24*time.Hour {
		return Growth{}, ErrOneDay
	}
	for i := range ms {
		ms[i].week = weeks(first, ms[i].on)
	}
	if freedom < 2*stemFreedom || square == 0 {
		square, freedom = square+stemFreedom*stemSpread*stemSpread, freedom+stemFreedom
	}
	g := Growth{Last: last, first: first, freedom: freedom}
	best := math.Inf(1)
	tried := strays
	if len(ms) == 2 {
		tried = strays[:1]
	}
	for i, stray := range tried {
		l := through(ms, square/freedom, stray*stray)
		wide := strays[i+1-i/(len(strays)-1)] - strays[max(i-1, 0)]
		l.wanting += 2*math.Log(1+stray*stray/(dayStray*dayStray)) - 2*math.Log(wide)
		best = math.Min(best, l.wanting)
		g.lines = append(g.lines, l)
	}
	sum := 0.0
	for i := range g.lines {
		g.lines[i].weight = math.Exp((best - g.lines[i].wanting) / 2)
		sum += g.lines[i].weight
	}
	for i := range g.lines {
		g.lines[i].weight /= sum
		g.PerWeek += g.lines[i].weight * g.lines[i].slope
	}
	g.Low, g.High = g.between(func(l line) (float64, float64) { return l.slope, l.varSlope })
	g.MM, _, _ = g.On(last)
	return g, nil
}

// mean is a sample's: when, how thick, of how many stems.
type mean struct {
	week, mm, n float64
	on          time.Time
}

// through lays a line through means whose stems vary by v and whose days stray
// by a variance.
func through(ms []mean, v, stray float64) line {
	var l line
	var w, wt, wm float64
	for _, m := range ms {
		k := 1 / (v/m.n + stray)
		w, wt, wm = w+k, wt+k*m.week, wm+k*m.mm
		l.wanting -= math.Log(k)
	}
	l.mid, l.at = wt/w, wm/w
	var xx, xy float64
	for _, m := range ms {
		k := 1 / (v/m.n + stray)
		xx += k * (m.week - l.mid) * (m.week - l.mid)
		xy += k * (m.week - l.mid) * (m.mm - l.at)
	}
	l.slope = xy / xx
	for _, m := range ms {
		d := m.mm - l.at - l.slope*(m.week-l.mid)
		l.wanting += d * d / (v/m.n + stray)
	}
	l.wanting += math.Log(w) + math.Log(xx)
	l.varAt, l.varSlope = 1/w, 1/xx
	return l
}

// between gives the middle 90 % of what the lines say together: quantiles of a mixture of
// Student's t, by Newton's method kept between the lines' own quantiles, where the mixture's
// lies too. Some five steps, each of a CDF and a density a line.
func (g Growth) between(of func(line) (at, variance float64)) (low, high float64) {
	t := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: g.freedom}
	type part struct{ at, sd, weight float64 }
	parts := make([]part, 0, len(g.lines))
	whole := 0.0
	for _, l := range g.lines {
		if l.weight > negligible {
			at, v := of(l)
			parts = append(parts, part{at, math.Sqrt(v), l.weight})
			whole += l.weight
		}
	}
	quantile := func(share float64) float64 {
		own := t.Quantile(share)
		lo, hi, x := math.Inf(1), math.Inf(-1), 0.0
		for _, p := range parts {
			q := p.at + own*p.sd
			lo, hi, x = math.Min(lo, q), math.Max(hi, q), x+p.weight/whole*q
		}
		for range 60 {
			below, density := 0.0, 0.0
			for _, p := range parts {
				z := (x - p.at) / p.sd
				below += p.weight / whole * t.CDF(z)
				density += p.weight / whole * t.Prob(z) / p.sd
			}
			if math.Abs(below-share) < 1e-10 || hi-lo < 1e-10 {
				break
			}
			if below < share {
				lo = x
			} else {
				hi = x
			}
			if x -= (below - share) / density; !(x > lo && x < hi) {
				x = (lo + hi) / 2
			}
		}
		return x
	}
	return quantile(0.05), quantile(0.95)
}

// negligible is a line's weight below which it is left out.
const negligible = 1e-9

func weeks(from, to time.Time) float64 { return to.Sub(from).Hours() / (7 * 24) }

// On is the lot's mean diameter on a day, in mm, with its range.
func (g Growth) On(day time.Time) (mm, low, high float64) {
	t := weeks(g.first, day)
	for _, l := range g.lines {
		mm += l.weight * (l.at + l.slope*(t-l.mid))
	}
	low, high = g.between(func(l line) (float64, float64) {
		d := t - l.mid
		return l.at + l.slope*d, l.varAt + l.varSlope*d*d
	})
	return mm, low, high
}

// Reach is when a lot comes to a wanted diameter. Latest is zero when it may
// never: growth cannot be told from none.
type Reach struct{ On, Earliest, Latest time.Time }

// furthest is how far ahead of the last reading, and how far back from the
// first, Reaches looks, in days.
const furthest = 3 * 366

// Reaches says on which day the lot's mean comes to mm, at this pace. It gives
// false when that is not within three years of the readings.
func (g Growth) Reaches(mm float64) (Reach, bool) {
	if g.PerWeek <= 0 {
		return Reach{}, false
	}
	midnight := time.Date(g.first.Year(), g.first.Month(), g.first.Day(), 0, 0, 0, 0, g.first.Location())
	last := int(g.Last.Sub(midnight).Hours()/24) + furthest
	at := func(day int) (mm, low, high float64) { return g.On(midnight.AddDate(0, 0, day)) }
	// The first day on which of(day) holds, between the bounds; past them: none.
	first := func(of func(day int) bool) (int, bool) {
		if of(-furthest) || !of(last) {
			return 0, false
		}
		return -furthest + 1 + sort.Search(last+furthest-1, func(i int) bool { return of(-furthest + 1 + i) }), true
	}
	on, ok := first(func(day int) bool { m, _, _ := at(day); return m >= mm-1e-9 })
	if !ok {
		return Reach{}, false
	}
	r := Reach{On: midnight.AddDate(0, 0, on)}
	// The ends of the range need not rise all along: they are walked to from the
	// day itself.
	for d := on; ; d-- {
		if _, _, high := at(d); high < mm || d < -furthest {
			r.Earliest = midnight.AddDate(0, 0, d+1)
			break
		}
	}
	for d := on; d <= last; d++ {
		if _, low, _ := at(d); low >= mm {
			r.Latest = midnight.AddDate(0, 0, d)
			break
		}
	}
	return r, true
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
