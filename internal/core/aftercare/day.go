// Package aftercare dates what follows a graft, until a tree is fit to sell: how
// far it has callused, whether its bud sleeps, when it starts to grow, and each
// step still to come, which is a knot on the batch's cord.
//
// Days are whole calendar days. Every number is a house default unless it says
// otherwise.
package aftercare

import (
	"slices"
	"sort"
	"time"
)

// Day is a calendar day, counted from 1 January 1970.
type Day int32

// DayOf is the calendar day of a time, in the time's own place.
func DayOf(t time.Time) Day {
	y, m, d := t.Date()
	return Day(time.Date(y, m, d, 0, 0, 0, 0, time.UTC).Unix() / (24 * 3600))
}

// Date is the day's midnight, UTC.
func (d Day) Date() time.Time { return time.Unix(int64(d)*24*3600, 0).UTC() }

// String is the day as 2027-02-24.
func (d Day) String() string { return d.Date().Format(time.DateOnly) }

// Window is when a step falls: from its first day, best on one, by its last.
type Window struct{ From, Best, By Day }

func around(d Day, from, best, by int) Window {
	return Window{d + Day(from), d + Day(best), d + Day(by)}
}

// Moved is the window so many days later.
func (w Window) Moved(days int) Window {
	return around(0, int(w.From)+days, int(w.Best)+days, int(w.By)+days)
}

// Anchor is a kind of date of the season.
type Anchor string

// The anchors that dates hang on.
const (
	Swell     Anchor = "bud swell"
	Ripe      Anchor = "budwood ripe"
	SlipEnds  Anchor = "slip ends"
	Frost     Anchor = "first hard frost"
	RestBegin Anchor = "rest begins"
)

// Calendar is the dates of anchors over several years, rising. A kind may be
// missing: a site without rest has none of it.
type Calendar map[Anchor][]Day

// CalendarOf reads dates, in any order.
func CalendarOf(dates map[Anchor][]time.Time) Calendar {
	c := Calendar{}
	for k, ts := range dates {
		for _, t := range ts {
			c[k] = append(c[k], DayOf(t))
		}
		slices.Sort(c[k])
	}
	return c
}

// from is the first date of an anchor on or after a day.
func (c Calendar) from(a Anchor, d Day) (Day, bool) {
	ds := c[a]
	i := sort.Search(len(ds), func(i int) bool { return ds[i] >= d })
	if i == len(ds) {
		return 0, false
	}
	return ds[i], true
}

// after is the first date of an anchor later than a day.
func (c Calendar) after(a Anchor, d Day) (Day, bool) { return c.from(a, d+1) }

// last is the latest date of an anchor on or before a day.
func (c Calendar) last(a Anchor, d Day) (Day, bool) {
	ds := c[a]
	i := sort.Search(len(ds), func(i int) bool { return ds[i] > d })
	if i == 0 {
		return 0, false
	}
	return ds[i-1], true
}

// rests says whether a day is in rest: rest began, and no bud swell came since.
func (c Calendar) rests(d Day) bool {
	r, ok := c.last(RestBegin, d)
	if !ok {
		return false
	}
	s, ok := c.last(Swell, d)
	return !ok || r > s
}

// outOfRest moves a day in rest to the next bud swell; where none is known it stays.
func (c Calendar) outOfRest(d Day) Day {
	if !c.rests(d) {
		return d
	}
	if s, ok := c.from(Swell, d); ok {
		return s
	}
	return d
}
