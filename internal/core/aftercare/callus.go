// Package aftercare dates what follows a graft: how far it has callused, and
// when it is to be looked at. Days are whole calendar days.
//
// Every number is a house default unless it says otherwise.
package aftercare

import (
	"math"
	"sort"
	"time"
)

// Reading is a healing place's temperature in °C at a time.
type Reading struct {
	At time.Time
	C  float64
}

// Made is a group of grafts made alike, as what follows asks of them.
type Made struct {
	Technique string // its key
	Healing   string // cold callus, cool room, warm union, pot at once, in the row
	Group     string // the genus group: nut and climber callus warm
	Covered   bool   // a bud that film covers: its petiole is not seen
	Finished  time.Time
	Readings  []Reading // of the place it heals in, in any order
}

// Boxed says that it heals in a box or a room before it is potted.
func (m Made) Boxed() bool {
	return m.Healing == "cold callus" || m.Healing == "cool room" || m.Healing == "warm union"
}

// Window is when a step falls: from its first day, best on one, by its last.
type Window struct{ From, Best, By time.Time }

const (
	// longestCallus bounds how many days after a graft callus is looked for.
	longestCallus = 180
	// gapAfter is how long readings may be apart; a longer stretch counts at the
	// healing way's own temperature.
	gapAfter = 26 * time.Hour
	baseDays = 21.0 // at the reference temperature
	coldest  = 0.0  // °C at which callus stops
	hottest  = 32.0
)

// warm says that the group's callus wants warmth.
func warm(group string) bool { return group == "nut" || group == "climber" }

// Rate is how fast callus forms at a temperature in °C; 1 at the group's
// reference, of which it takes 21 days.
func Rate(group string, c float64) float64 {
	ref, best := 4.0, 20.0
	if warm(group) {
		ref, best = 25.5, 27
	}
	switch {
	case c <= coldest || c >= hottest:
		return 0
	case c <= best:
		return math.Pow(2, (c-ref)/10)
	}
	return math.Pow(2, (best-ref)/10) * (hottest - c) / (hottest - best)
}

// wayC is the temperature of a healing way where nothing is read.
func wayC(healing string) float64 {
	switch healing {
	case "cold callus":
		return 4
	case "cool room":
		return 11
	case "warm union":
		return 25.5
	}
	return 15
}

// stretch is time at one temperature.
type stretch struct {
	from, to time.Time // to is zero for the last, which has no end
	c        float64
}

// stretches cuts the time after start by the readings.
func (m Made) stretches(start time.Time) []stretch {
	rs := append([]Reading(nil), m.Readings...)
	// Of two at one time the colder comes first.
	sort.SliceStable(rs, func(i, j int) bool {
		if rs[i].At.Equal(rs[j].At) {
			return rs[i].C < rs[j].C
		}
		return rs[i].At.Before(rs[j].At)
	})
	own := wayC(m.Healing)
	if len(rs) == 0 {
		return []stretch{{from: start, c: own}}
	}
	var out []stretch
	add := func(from, to time.Time, c float64) {
		if from.Before(start) {
			from = start
		}
		if from.Before(to) {
			out = append(out, stretch{from, to, c})
		}
	}
	add(start, rs[0].At, own)
	for i := 1; i < len(rs); i++ {
		c := (rs[i-1].C + rs[i].C) / 2
		if rs[i].At.Sub(rs[i-1].At) > gapAfter {
			c = own
		}
		add(rs[i-1].At, rs[i].At, c)
	}
	// After the last: the mean of it and those less than a day before it.
	last, sum, n := rs[len(rs)-1], 0.0, 0
	for _, r := range rs {
		if last.At.Sub(r.At) < 24*time.Hour {
			sum, n = sum+r.C, n+1
		}
	}
	end := last.At
	if end.Before(start) {
		end = start
	}
	return append(out, stretch{from: end, c: sum / float64(n)})
}

// start is when the callus clock begins: noon of the day it was finished.
func (m Made) start() time.Time {
	y, mo, d := m.Finished.Date()
	return time.Date(y, mo, d, 12, 0, 0, 0, time.UTC)
}

func dayOf(t time.Time) time.Time {
	y, m, d := t.Date()
	return time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
}

// Callus is when a graft is callused: three quarters of the way, there, and a
// third past it. In the row it is by days alone.
func (m Made) Callus() Window {
	day := dayOf(m.Finished)
	if m.Healing == "in the row" {
		return Window{day.AddDate(0, 0, 14), day.AddDate(0, 0, 22), day.AddDate(0, 0, 30)}
	}
	when := func(share float64) time.Time {
		days := m.until(share)
		return day.AddDate(0, 0, int(math.Min(longestCallus, math.Ceil(days-1e-6))))
	}
	return Window{when(0.75), when(1), when(1.35)}
}

// until is how many days after its start the callus clock comes to a share.
func (m Made) until(share float64) float64 {
	start, done := m.start(), 0.0
	for _, s := range m.stretches(start) {
		rate := Rate(m.Group, s.c) / baseDays // a day
		if s.to.IsZero() || done+rate*s.to.Sub(s.from).Hours()/24 >= share {
			if rate <= 0 {
				return longestCallus
			}
			return math.Min(longestCallus, s.from.Sub(start).Hours()/24+(share-done)/rate)
		}
		done += rate * s.to.Sub(s.from).Hours() / 24
	}
	return longestCallus
}

// Callused is how far callus has come by a time, 0 to 1 and beyond.
func (m Made) Callused(at time.Time) float64 {
	done := 0.0
	for _, s := range m.stretches(m.start()) {
		to := s.to
		if to.IsZero() || to.After(at) {
			to = at
		}
		if to.After(s.from) {
			done += Rate(m.Group, s.c) * to.Sub(s.from).Hours() / 24 / baseDays
		}
	}
	return done
}

// FirstLook is when a graft is first looked at: by its callus where it heals in
// a box, else by what it is.
func (m Made) FirstLook() Window {
	if m.Boxed() {
		return m.Callus()
	}
	day := dayOf(m.Finished)
	w := func(from, best, by int) Window {
		return Window{day.AddDate(0, 0, from), day.AddDate(0, 0, best), day.AddDate(0, 0, by)}
	}
	switch m.Technique {
	case "t-bud":
		if m.Covered { // by the bud's colour
			return w(21, 24, 28)
		}
		return w(12, 15, 24)
	case "chip-bud":
		return w(21, 25, 30)
	case "bark-flap":
		return w(28, 30, 42)
	}
	return w(28, 35, 42)
}
