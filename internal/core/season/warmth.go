package season

import (
	"math"
	"time"

	"gonum.org/v1/gonum/stat/distuv"
)

// DegreeDay is a day's mean temperature and its lowest, in °C.
type DegreeDay struct {
	On          time.Time
	MeanC, LowC float64
}

// Normals are a site's usual mean temperatures by month, in °C, January first.
type Normals [12]float64

// on gives the usual mean of a day: straight lines between the months' middles.
func (n Normals) on(t time.Time) float64 {
	m := int(t.Month()) - 1
	first := day(t.Year(), m+1, 1)
	length := first.AddDate(0, 1, 0).Sub(first).Hours() / 24
	at := (float64(t.Day()) - 0.5) / length // share of the month that is past
	if at < 0.5 {
		return n[(m+11)%12] + (n[m]-n[(m+11)%12])*(at+0.5)
	}
	return n[m] + (n[(m+1)%12]-n[m])*(at-0.5)
}

// UsualMean is the usual mean temperature of a day, in °C.
func UsualMean(n Normals, t time.Time) float64 { return n.on(t) }

// DegreeDays is the warmth above the base that a usual day brings: days stray
// about their mean, so that a month of 4 °C brings some.
func (n Normals) DegreeDays(t time.Time) float64 {
	z := (n.on(t) - BaseC) / daySwingC
	return daySwingC * (z*distuv.UnitNormal.CDF(z) + distuv.UnitNormal.Prob(z))
}

// Warmth adds up degree-days over base 5 °C from a day on: those of the
// readings where there are any, and a usual day's where there are none.
type Warmth struct {
	From    time.Time
	Normals Normals
	Days    map[time.Time]DegreeDay
	usual   *table // a usual day's degree-days; nil to work them out
}

// table is a usual day's degree-days by day of the year, of common years and of
// leap years.
type table [2][367]float64

func (n Normals) table() *table {
	var out table
	for leap, year := range []int{2027, 2028} {
		for d := day(year, 1, 1); d.Year() == year; d = d.AddDate(0, 0, 1) {
			out[leap][d.YearDay()] = n.DegreeDays(d)
		}
	}
	return &out
}

// at looks a day up.
func (t *table) at(d time.Time) float64 {
	leap := 0
	if day(d.Year(), 12, 31).YearDay() == 366 {
		leap = 1
	}
	return t[leap][d.YearDay()]
}

func (w Warmth) usualOn(t time.Time) float64 {
	if w.usual == nil {
		return w.Normals.DegreeDays(t)
	}
	return w.usual.at(t)
}

// On is a day's degree-days, and whether they were read.
func (w Warmth) On(t time.Time) (float64, bool) {
	if d, ok := w.Days[t]; ok {
		return math.Max(0, d.MeanC-BaseC), true
	}
	return w.usualOn(t), false
}

// Sum adds up from the start to the day, without it. usual leaves readings out.
func (w Warmth) Sum(to time.Time, usual bool) float64 {
	s := 0.0
	for d := w.From; d.Before(to); d = d.AddDate(0, 0, 1) {
		if usual {
			s += w.usualOn(d)
		} else {
			x, _ := w.On(d)
			s += x
		}
	}
	return s
}

// reaches gives the day on which this year's warmth is what a usual year has
// by the anchor's usual day.
func (w Warmth) reaches(usual time.Time) time.Time {
	need, sum := w.Sum(usual, true), 0.0
	for d := w.From; ; d = d.AddDate(0, 0, 1) {
		if sum >= need-1e-6 || daysBetween(usual, d) > longestShift {
			return d
		}
		x, _ := w.On(d)
		sum += x
	}
}

// warmthTo readies the sum of warmth toward an anchor: from the middle of the
// rest before it. False where there are no readings in that stretch.
func (y Year) warmthTo(usual time.Time, k Known, usuals *table, days map[time.Time]DegreeDay) (Warmth, bool) {
	rest, ok1 := y.anchor(RestBegins)
	swell, ok2 := y.anchor(BudSwell)
	if k.NoNormal || !ok1 || !ok2 {
		return Warmth{}, false
	}
	last := func(a Anchor, t time.Time) time.Time {
		d := day(t.Year(), a.Month, a.Day)
		if d.After(t) {
			d = day(t.Year()-1, a.Month, a.Day)
		}
		return d
	}
	s := last(swell, usual)
	r := last(rest, s)
	w := Warmth{From: r.AddDate(0, 0, daysBetween(r, s)/2), Normals: k.Normals, Days: days, usual: usuals}
	return w, w.known(usual) > 0
}

// known is the share of the days toward an anchor whose warmth was read.
func (w Warmth) known(usual time.Time) float64 {
	n, read := 0, 0
	for d := w.From; d.Before(usual); d = d.AddDate(0, 0, 1) {
		n++
		if _, ok := w.Days[d]; ok {
			read++
		}
	}
	if n == 0 {
		return 0
	}
	return float64(read) / float64(n)
}

// move is what the warmth so far moved a date by.
func (w Warmth) move(days int, usual time.Time) Move {
	end := w.From
	for d := w.From; !d.After(usual.AddDate(0, 0, longestShift)); d = d.AddDate(0, 0, 1) {
		if _, ok := w.Days[d]; ok {
			end = d.AddDate(0, 0, 1)
		}
	}
	return Move{Days: days, Cause: ByWarmth, Source: Feed, Sum: w.Sum(end, false), Usual: w.Sum(end, true), Since: w.From}
}

// WarmthOf is the sum of warmth toward the bud swell of the season that a date
// lies in or before. False where there are no readings for it.
func (y Year) WarmthOf(k Known, on time.Time) (Warmth, bool) {
	days := make(map[time.Time]DegreeDay, len(k.Weather))
	for _, d := range k.Weather {
		days[DayOf(d.On)] = d
	}
	a, ok := y.anchor(BudSwell)
	if !ok {
		return Warmth{}, false
	}
	usuals := k.Normals.table()
	// The swell that this date's warmth leads to, or that it has just led to.
	usual := day(on.Year(), a.Month, a.Day)
	if daysBetween(usual, on) > 150 {
		usual = day(on.Year()+1, a.Month, a.Day)
	}
	return y.warmthTo(usual, k, usuals, days)
}
