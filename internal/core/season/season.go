// Package season knows the year of stock and wood at a site: in which state
// the stock stands on a date, and which wood there is to put on it.
//
// Dates are calendar days; their clock and zone are ignored.
package season

import (
	"fmt"
	"sort"
	"time"
)

// Kinds of anchor: what happens on the day.
const (
	RestBegins     = "rest begins"
	BudSwell       = "bud swell"
	SlipBegins     = "slip begins"
	SlipEnds       = "slip ends"
	BudwoodRipe    = "budwood ripe"
	FirstHardFrost = "first hard frost"
	LastFrost      = "last frost"
)

// States of stock and of wood.
const (
	Resting   = "resting"
	Waking    = "waking"
	Running   = "running"
	Hardening = "hardening"
	RipeGreen = "ripe green"
	HalfRipe  = "half-ripe"
)

// Anchor is a usual date at this site, in any year.
type Anchor struct {
	Kind       string
	Month, Day int
	SpreadDays int // about two years in three fall within so many days of it
	Source     string
}

// Year is the anchors of one genus group at one site.
type Year struct {
	Group   string
	Anchors []Anchor
}

// turning are the anchors at which stock changes state, and into which.
var turning = map[string]string{RestBegins: Resting, BudSwell: Waking, SlipBegins: Running, SlipEnds: Hardening}

// Span is a run of days in one state. To is the day after the last.
type Span struct {
	State    string
	From, To time.Time
}

func day(y, m, d int) time.Time { return time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC) }

// DayOf drops the clock and the zone.
func DayOf(t time.Time) time.Time { y, m, d := t.Date(); return day(y, int(m), d) }

// turns lists the state changes of the years from y0 to y1 in order of date.
func (y Year) turns(y0, y1 int) []Span {
	var out []Span
	for yr := y0; yr <= y1; yr++ {
		for _, a := range y.Anchors {
			if s, ok := turning[a.Kind]; ok {
				out = append(out, Span{State: s, From: day(yr, a.Month, a.Day)})
			}
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].From.Before(out[j].From) })
	for i := range len(out) - 1 {
		out[i].To = out[i+1].From
	}
	return out
}

// Band is the state of the stock from the first of January of a year to its
// end, without gaps. It is empty when the site has no anchors that turn it.
func (y Year) Band(year int) []Span {
	var out []Span
	from, to := day(year, 1, 1), day(year+1, 1, 1)
	for _, s := range y.turns(year-1, year+1) {
		if s.To.IsZero() || !s.To.After(from) || !s.From.Before(to) {
			continue
		}
		if s.From.Before(from) {
			s.From = from
		}
		if s.To.After(to) {
			s.To = to
		}
		out = append(out, s)
	}
	return out
}

// StockOn gives the stretch of time in one state that holds the date.
func (y Year) StockOn(t time.Time) (Span, bool) {
	t = DayOf(t)
	for _, s := range y.turns(t.Year()-1, t.Year()+1) {
		if !t.Before(s.From) && (s.To.IsZero() || t.Before(s.To)) && !s.To.IsZero() {
			return s, true
		}
	}
	return Span{}, false
}

// on finds the last time an anchor fell on or before the date, and the next
// time it falls after it.
func (y Year) on(kind string, t time.Time) (last, next time.Time, ok bool) {
	t = DayOf(t)
	for _, a := range y.Anchors {
		if a.Kind != kind {
			continue
		}
		for yr := t.Year() - 1; yr <= t.Year()+1; yr++ {
			d := day(yr, a.Month, a.Day)
			if d.After(t) {
				return last, d, true
			}
			last = d
		}
	}
	return last, next, false
}

// House defaults for which wood is at hand.
const (
	// restBeforeCuttingDays: dormant wood is cut in deep rest, not at once.
	restBeforeCuttingDays = 21
	// storedPastSwellDays: wood cut at rest is held in the store past bud swell
	// for spring chip buds and bark grafts.
	storedPastSwellDays = 90
)

// WoodOn says whether wood in a state can be had on a date, and why.
func (y Year) WoodOn(state string, t time.Time) (bool, string) {
	t = DayOf(t)
	switch state {
	case Resting:
		rest, _, _ := y.on(RestBegins, t)
		_, swellNext, ok := y.on(BudSwell, rest)
		if !ok {
			return false, "no rest season here"
		}
		from, to := rest.AddDate(0, 0, restBeforeCuttingDays), swellNext.AddDate(0, 0, storedPastSwellDays)
		switch {
		case t.Before(from):
			return false, "wood is not deep in rest until " + Say(from)
		case t.After(to):
			return false, "wood cut at rest is too old by now"
		}
		return true, "wood cut at rest, from the store, until " + Say(to)
	case RipeGreen, HalfRipe:
		ripe, next, _ := y.on(BudwoodRipe, t)
		_, end, ok := y.on(SlipEnds, ripe)
		lead := 0
		if state == HalfRipe {
			lead = -30
		}
		if ok && t.Before(end) || ok && t.Equal(end) {
			return true, "green wood is ripe until the bark stops slipping, " + Say(end)
		}
		if !next.IsZero() && !t.Before(next.AddDate(0, 0, lead)) {
			return true, "half-ripe shoots are at hand"
		}
		return false, "green wood is not ripe until " + Say(next.AddDate(0, 0, lead))
	}
	return false, fmt.Sprintf("no wood is called %q", state)
}

// Say gives a date as people say it: 5 March.
func Say(t time.Time) string { return t.Format("2 January") }
