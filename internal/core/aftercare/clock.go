package aftercare

import (
	"math"
	"sort"
	"time"

	"unionknot/internal/core/ways"
)

// Reading is a healing place's temperature in °C at a time.
type Reading struct {
	At time.Time
	C  float64
}

// Ways to heal.
const (
	ColdCallus = "cold callus"
	CoolRoom   = "cool room"
	WarmUnion  = "warm union"
	PotAtOnce  = ways.PotAtOnce
	InTheRow   = ways.InTheRow
)

const (
	// longestCallus bounds how many days after a graft callus is looked for.
	longestCallus = 180
	// gapAfter is how long readings may be apart; a longer stretch counts at the
	// healing way's own temperature.
	gapAfter = 26 * time.Hour
	// tailOver is how far back from the last reading the temperature after it is taken
	// from.
	tailOver = 24 * time.Hour
	baseDays = 21.0 // of callus at the reference temperature
	coldest  = 0.0  // °C at which callus stops
	hottest  = 32.0
)

// warm says that a season group's callus wants warmth.
func warm(group string) bool { return group == "nut" || group == "climber" }

// Rate is how fast callus forms at a temperature in °C; 1 at the group's
// reference, at which it takes 21 days.
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

// WayC is the temperature in °C of a healing way where nothing is read.
func WayC(healing string) float64 {
	switch healing {
	case ColdCallus:
		return 4
	case CoolRoom:
		return 11
	case WarmUnion:
		return 25.5
	}
	return 15
}

// Box is the callus clock of a place for grafts of a group that heal there in one
// way. The share of callus rises in straight lines between readings, so it is kept
// as their sum: any graft's share is the difference of two of its points.
type Box struct {
	at         []float64 // of each reading, in days since 1970
	sum        []float64 // share by then, from the first reading on
	rate       []float64 // a day, from each reading to the next; the last goes on
	before     float64   // a day, before the first reading
	ReadC      float64   // what it counts at after the last reading
	unreadDays float64
}

func days(t time.Time) float64 { return float64(t.UnixNano()) / (24 * 3600 * 1e9) }

// NewBox sums up the readings of a place, in any order, where nothing is read at the healing
// way's usual temperature.
func NewBox(healing, group string, readings []Reading) *Box {
	return NewBoxAt(WayC(healing), group, readings)
}

// NewBoxAt sums up the readings of a place, in any order; own is its temperature in °C where
// nothing is read.
func NewBoxAt(own float64, group string, readings []Reading) *Box {
	b := &Box{before: Rate(group, own) / baseDays, ReadC: own}
	rs := append([]Reading(nil), readings...)
	// Of two at one time the colder comes first.
	sort.Slice(rs, func(i, j int) bool {
		if rs[i].At.Equal(rs[j].At) {
			return rs[i].C < rs[j].C
		}
		return rs[i].At.Before(rs[j].At)
	})
	for i, r := range rs {
		b.at = append(b.at, days(r.At))
		if i == 0 {
			b.sum = append(b.sum, 0)
			continue
		}
		c := (rs[i-1].C + r.C) / 2
		if r.At.Sub(rs[i-1].At) > gapAfter {
			c = own
			b.unreadDays += r.At.Sub(rs[i-1].At).Hours() / 24
		}
		b.rate = append(b.rate, Rate(group, c)/baseDays)
		b.sum = append(b.sum, b.sum[i-1]+b.rate[i-1]*(b.at[i]-b.at[i-1]))
	}
	if len(rs) == 0 {
		return b
	}
	last, sum, n := rs[len(rs)-1], 0.0, 0
	for i := len(rs) - 1; i >= 0 && last.At.Sub(rs[i].At) < tailOver; i-- {
		sum, n = sum+rs[i].C, n+1
	}
	b.ReadC = sum / float64(n)
	b.rate = append(b.rate, Rate(group, b.ReadC)/baseDays)
	return b
}

// upTo is the sum at a time in days; below zero before the first reading.
func (b *Box) upTo(t float64) float64 {
	i := sort.SearchFloat64s(b.at, t) // the first reading at t or later
	switch {
	case len(b.at) == 0:
		return b.before * t
	case i == 0:
		return b.before * (t - b.at[0])
	}
	return b.sum[i-1] + b.rate[i-1]*(t-b.at[i-1])
}

// reaches is the time in days at which the sum comes to a share; +Inf where it never
// does.
func (b *Box) reaches(share float64) float64 {
	forward := func(from, sum, rate float64) float64 {
		if rate <= 0 {
			if share <= sum {
				return from
			}
			return math.Inf(1)
		}
		return from + (share-sum)/rate
	}
	if len(b.at) == 0 {
		return forward(0, 0, b.before)
	}
	// The first reading at which it is there; rates of 0 leave it flat, so the first of
	// equals is taken.
	i := sort.SearchFloat64s(b.sum, share)
	switch i {
	case 0:
		return forward(b.at[0], 0, b.before)
	default:
		return forward(b.at[i-1], b.sum[i-1], b.rate[i-1])
	}
}

// start is when a graft's clock begins: noon UTC of the day it was finished.
func start(finished Day) float64 { return float64(finished) + 0.5 }

// Callus is when a graft finished on a day is callused: three quarters of the way,
// there, and a third past it, each at most 180 days on.
func (b *Box) Callus(finished Day) Window {
	from := start(finished)
	base := b.upTo(from)
	when := func(share float64) Day {
		d := math.Ceil(b.reaches(base+share) - from - 1e-6)
		return finished + Day(math.Max(0, math.Min(longestCallus, d)))
	}
	return Window{when(0.75), when(1), when(1.35)}
}

// Callused is how far a graft finished on a day has callused by a time, 0 to 1 and
// beyond.
func (b *Box) Callused(finished Day, at time.Time) float64 {
	return math.Max(0, b.upTo(days(at))-b.upTo(start(finished)))
}
