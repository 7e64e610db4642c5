// Package season knows the year of stock and wood at a site: in which state
// the stock stands on a date, and which wood there is to put on it.
//
// Dates are calendar days; their clock and zone are ignored.
package season

import (
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
	// Only where stock takes no rest:
	DrySpellBegins = "dry spell begins"
	DrySpellEnds   = "dry spell ends"
)

// Kinds lists the anchors of a site with a rest season, and those of one
// without, in the order people read them.
var (
	Kinds       = []string{RestBegins, BudSwell, SlipBegins, BudwoodRipe, SlipEnds, LastFrost, FirstHardFrost}
	KindsNoRest = []string{DrySpellBegins, DrySpellEnds}
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

// Year is the anchors of one genus group at one site, with what is known of
// particular years.
type Year struct {
	Group   string
	Anchors []Anchor
	// NoRest says that stock of the group takes no rest here: it grows in
	// flushes, and Flushes are the days fresh shoots were seen on it.
	NoRest  bool
	Flushes []time.Time
	// Dry are the days, since bark was last seen to slip, on which it did not for
	// want of water.
	Dry   []time.Time
	Dated []Dated // anchors of particular years that something moved
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

// date is when an anchor falls whose usual day is given.
func (y Year) date(kind string, usual time.Time) time.Time {
	for _, d := range y.Dated {
		if d.Kind == kind && d.Usual.Equal(usual) {
			return d.On
		}
	}
	return usual
}

// Calendar is a run of years with every anchor dated.
type Calendar struct {
	year  Year
	spans []Span                 // states of the stock, in order, without gaps
	dates map[string][]time.Time // of each kind of anchor, in order
	of    []Season
}

// Season is one season's anchors as they are dated: from a bud swell on, to the
// frost that ends it. A kind is missing where the calendar does not reach.
type Season map[string]time.Time

// Calendar dates the anchors of the years from first to last.
func (y Year) Calendar(first, last int) *Calendar {
	c := &Calendar{year: y, dates: map[string][]time.Time{}}
	on := map[instance]time.Time{}
	type turn struct {
		kind      string
		usual, on time.Time
	}
	var turns []turn
	for yr := first; yr <= last; yr++ {
		for _, a := range y.Anchors {
			t := turn{a.Kind, day(yr, a.Month, a.Day), time.Time{}}
			if t.on = y.date(a.Kind, t.usual); turning[a.Kind] == "" || y.NoRest {
				c.dates[a.Kind] = append(c.dates[a.Kind], t.on)
				on[instance{t.kind, t.usual}] = t.on
			} else {
				turns = append(turns, t)
			}
		}
	}
	if y.NoRest {
		// Bark slips on and off the whole year, with the flushes.
		c.spans = []Span{{State: Running, From: day(first, 1, 1), To: day(last+1, 1, 1)}}
		return c
	}
	// The states follow each other in their usual order, however far what was
	// seen has pushed one of them.
	sort.SliceStable(turns, func(i, j int) bool { return turns[i].usual.Before(turns[j].usual) })
	for i, t := range turns {
		if i > 0 && !t.on.After(turns[i-1].on) {
			t.on = turns[i-1].on.AddDate(0, 0, 1)
			turns[i] = t
		}
		c.spans = append(c.spans, Span{State: turning[t.kind], From: t.on})
		c.dates[t.kind] = append(c.dates[t.kind], t.on)
		on[instance{t.kind, t.usual}] = t.on
	}
	for yr := first - 1; yr <= last; yr++ {
		s := Season{}
		for kind, usual := range y.seasonOf(yr) {
			if d, ok := on[instance{kind, usual}]; ok {
				s[kind] = d
			}
		}
		c.of = append(c.of, s)
	}
	for i := range c.spans {
		if i+1 < len(c.spans) {
			c.spans[i].To = c.spans[i+1].From
		}
	}
	if n := len(c.spans); n > 0 {
		c.spans = c.spans[:n-1] // the last has no end yet
	}
	return c
}

// Around is the calendar of a date: its year and the ones on either side.
func (y Year) Around(t time.Time) *Calendar { return y.Calendar(t.Year()-1, t.Year()+1) }

// Year is what the calendar was made of.
func (c *Calendar) Year() Year { return c.year }

// Spans are the states of the stock in order.
func (c *Calendar) Spans() []Span { return c.spans }

// Seasons are the calendar's seasons, in order.
func (c *Calendar) Seasons() []Season { return c.of }

// Dates gives the days of a kind of anchor in order.
func (c *Calendar) Dates(kind string) []time.Time { return c.dates[kind] }

// StockOn gives the stretch of time in one state that holds the date.
func (c *Calendar) StockOn(t time.Time) (Span, bool) {
	t = DayOf(t)
	for _, s := range c.spans {
		if !t.Before(s.From) && t.Before(s.To) {
			return s, true
		}
	}
	return Span{}, false
}

// around finds the last time an anchor fell on or before a date, and the next
// after it; either is zero when the calendar holds none.
func (c *Calendar) around(kind string, t time.Time) (last, next time.Time) {
	for _, d := range c.dates[kind] {
		if d.After(t) {
			return last, d
		}
		last = d
	}
	return last, next
}

// Band is the state of the stock from the first of January of a year to its
// end, without gaps. It is empty when the site has no anchors that turn it.
func (y Year) Band(year int) []Span {
	return y.Calendar(year-1, year+1).Between(day(year, 1, 1), day(year+1, 1, 1))
}

// Between cuts the states of the stock to a stretch of time.
func (c *Calendar) Between(from, to time.Time) []Span {
	var out []Span
	for _, s := range c.spans {
		if !s.To.After(from) || !s.From.Before(to) {
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
func (y Year) StockOn(t time.Time) (Span, bool) { return y.Around(t).StockOn(t) }

// House defaults for which wood is at hand.
const (
	// restBeforeCuttingDays: dormant wood is cut in deep rest, not at once.
	restBeforeCuttingDays = 21
	// storedPastSwellDays: wood cut at rest is held in the store past bud swell
	// for spring chip buds and bark grafts.
	storedPastSwellDays = 90
	// halfRipeLeadDays: shoots are half ripe so long before they are ripe.
	halfRipeLeadDays = 30
	// leafFallDays: green budwood is at hand until so long before the first hard
	// frost, in case rest begins later.
	leafFallDays = 14
)

// WoodSpans are the stretches in which wood in a state is at hand. To is the
// day after the last.
func (c *Calendar) WoodSpans(state string) []Span {
	if c.year.NoRest {
		if state == Resting || len(c.spans) == 0 {
			return nil
		}
		return []Span{{State: state, From: c.spans[0].From, To: c.spans[0].To}}
	}
	var out []Span
	switch state {
	case Resting:
		for _, rest := range c.dates[RestBegins] {
			if _, swell := c.around(BudSwell, rest); !swell.IsZero() {
				out = append(out, Span{state, rest.AddDate(0, 0, restBeforeCuttingDays), swell.AddDate(0, 0, storedPastSwellDays+1)})
			}
		}
	case HalfRipe:
		for _, s := range c.of {
			if ripe, end := s[BudwoodRipe], s[SlipEnds]; !ripe.IsZero() && end.After(ripe) {
				out = append(out, Span{state, ripe.AddDate(0, 0, -halfRipeLeadDays), end})
			}
		}
	case RipeGreen:
		for _, s := range c.of {
			ripe, to := s[BudwoodRipe], s[RestBegins]
			if frost := s[FirstHardFrost]; !frost.IsZero() && (to.IsZero() || frost.AddDate(0, 0, -leafFallDays).Before(to)) {
				to = frost.AddDate(0, 0, -leafFallDays)
			}
			if to.IsZero() {
				to = s[SlipEnds]
			}
			if !ripe.IsZero() && ripe.Before(to) {
				out = append(out, Span{state, ripe, to})
			}
		}
	}
	return out
}

// WoodOn says whether wood in a state can be had on a date, and why.
func (y Year) WoodOn(state string, t time.Time) (bool, WoodStand) {
	return y.Around(t).WoodOn(state, t)
}

// WoodRule is how wood of a state stands on a day.
type WoodRule string

// How wood of a state stands on a day.
const (
	WoodUnknown     WoodRule = "unknown"   // no wood is called that
	WoodNoRest      WoodRule = "no-rest"   // nothing rests here
	WoodNoDates     WoodRule = "no-dates"  // the site has none for it
	WoodNoSeason    WoodRule = "no-season" // none is set for the genus
	WoodBetween     WoodRule = "between"   // the plants, which are in State, neither rest deeply nor have ripe wood
	WoodTooOld      WoodRule = "too-old"   // what was cut at rest is; new wood from On
	WoodNotDeep     WoodRule = "not-deep"  // not deep in rest until On
	WoodNotHalfRipe WoodRule = "not-half"  // no half-ripe shoots until On
	WoodNotRipe     WoodRule = "not-ripe"  // not ripe until On
	WoodMiddling    WoodRule = "middling"  // shoots of middling age are at hand
	WoodStored      WoodRule = "stored"    // cut at rest, usable until On
	WoodHalfRipe    WoodRule = "half-ripe" // half-ripe shoots are at hand
	WoodRipe        WoodRule = "ripe"      // ripe until On
)

// WoodCut is what wood can be cut on a day: its state, or "" with how the wood
// stands that could be.
type WoodCut struct {
	State string
	Not   WoodStand
}

// CutOn says which wood can be cut on a day: dormant wood while the plants rest
// deeply, green wood when it is ripe.
func (y Year) CutOn(t time.Time) WoodCut {
	span, ok := y.StockOn(t)
	if ok && span.State == Resting {
		if can, why := y.WoodOn(Resting, t); !can {
			return WoodCut{Not: why}
		}
		return WoodCut{State: Resting}
	}
	if can, _ := y.WoodOn(RipeGreen, t); can {
		return WoodCut{State: RipeGreen}
	}
	if !ok {
		return WoodCut{Not: WoodStand{Rule: WoodNoSeason}}
	}
	return WoodCut{Not: WoodStand{Rule: WoodBetween, State: span.State}}
}

// WoodStand is how wood of a state stands on a day, with the day that its rule
// names.
type WoodStand struct {
	Rule  WoodRule
	State string
	On    time.Time
}

// WoodOn says whether wood of a state is at hand on a day, and why or why not.
func (c *Calendar) WoodOn(state string, t time.Time) (bool, WoodStand) {
	t = DayOf(t)
	says := func(r WoodRule, on time.Time) WoodStand { return WoodStand{r, state, on} }
	switch state {
	case Resting, RipeGreen, HalfRipe:
	default:
		return false, says(WoodUnknown, time.Time{})
	}
	spans := c.WoodSpans(state)
	if state == Resting && len(spans) == 0 {
		return false, says(WoodNoRest, time.Time{})
	}
	for _, s := range spans {
		last := s.To.AddDate(0, 0, -1)
		switch {
		case t.Before(s.From):
			switch state {
			case Resting:
				if before, _ := c.around(BudSwell, t); !before.IsZero() && t.Sub(before) < 200*24*time.Hour {
					return false, says(WoodTooOld, s.From)
				}
				return false, says(WoodNotDeep, s.From)
			case HalfRipe:
				return false, says(WoodNotHalfRipe, s.From)
			}
			return false, says(WoodNotRipe, s.From)
		case t.Before(s.To):
			switch {
			case c.year.NoRest:
				return true, says(WoodMiddling, time.Time{})
			case state == Resting:
				return true, says(WoodStored, last)
			case state == HalfRipe:
				return true, says(WoodHalfRipe, time.Time{})
			}
			return true, says(WoodRipe, last)
		}
	}
	return false, says(WoodNoDates, time.Time{})
}

// Say gives a date as people say it: 5 March.
func Say(t time.Time) string { return t.Format("2 January") }

// Days is how many days lie between two, rounded.
func Days(from, to time.Time) int { return int(to.Sub(from).Hours()/24 + 0.5) }
