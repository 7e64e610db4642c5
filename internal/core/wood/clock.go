package wood

import (
	"math"
	"sort"
	"time"
)

// House defaults of the store.
const (
	Q10         = 2.5 // how many times as fast wood ages for 10 °C more
	LifeResting = 120 // days at 1 °C
	LifeGreen   = 4
	FrostC      = -3 // below this for FrostFor buds and cambium freeze
	FrostFor    = 2 * time.Hour
	WarmC       = 6 // above this for WarmFor buds move
	WarmFor     = 48 * time.Hour
	SafeLowC    = 0
	SafeHighC   = 4
	GreenHighC  = 8
	LookEvery   = 14 * 24 * time.Hour
	// GapAfter is how long a reading stands for what comes after it; a reading by
	// hand once a day leaves no gap.
	GapAfter = 26 * time.Hour
	// SilentAfter is how long a logger may say nothing.
	SilentAfter = 3 * time.Hour
	// ThermometerC is how far a store's thermometer may be out, either way.
	ThermometerC = 0.5
	// ColdestC and WarmestC bound what is believed of a thermometer: a reading
	// beyond them is questioned before it counts.
	ColdestC, WarmestC = -30, 50
)

// Doubtful says that a reading in °C is to be questioned before it counts.
func Doubtful(c float64) bool { return !(c >= ColdestC && c <= WarmestC) }

// Life is how long wood keeps, in days at 1 °C.
func Life(state string) float64 {
	if state == "resting" {
		return LifeResting
	}
	return LifeGreen
}

// Rate is how fast wood ages at a temperature in °C, 1 at 1 °C. Below 0 °C it
// ages as at 0: cold adds no life.
func Rate(c float64) float64 { return math.Pow(Q10, (math.Max(0, c)-1)/10) }

// Reading is a store's temperature in °C at a time.
type Reading struct {
	At time.Time
	C  float64
}

// Clock adds up how wood ages in one store. Make one with NewClock.
//
// The temperature of a stretch is the mean of its two ends. A stretch longer
// than GapAfter counts GapAfter at the reading before it and the rest at the
// set point, unread; so does the time after the last reading. Time before the
// first counts at the set point.
type Clock struct {
	rs   []Reading
	set  float64
	upTo []float64       // days at 1 °C from the first reading to each
	dark []time.Duration // unread, from the first reading to each
}

// NewClock readies a clock on a store's readings, in any order, and its set
// point in °C, which stands in where there are none.
func NewClock(rs []Reading, setC float64) Clock {
	rs = append([]Reading(nil), rs...)
	sort.Slice(rs, func(i, j int) bool { return rs[i].At.Before(rs[j].At) })
	c := Clock{rs: rs, set: setC, upTo: make([]float64, len(rs)), dark: make([]time.Duration, len(rs))}
	for i := 1; i < len(rs); i++ {
		days, dark := c.past(i-1, rs[i].At.Sub(rs[i-1].At))
		if d := rs[i].At.Sub(rs[i-1].At); d <= GapAfter {
			days, dark = d.Hours()/24*Rate((rs[i].C+rs[i-1].C)/2), 0
		}
		c.upTo[i], c.dark[i] = c.upTo[i-1]+days, c.dark[i-1]+dark
	}
	return c
}

// past is how far wood ages in so long after a reading with none behind it, and
// how much of that is unread.
func (c Clock) past(i int, d time.Duration) (days float64, dark time.Duration) {
	near := min(d, GapAfter)
	return near.Hours()/24*Rate(c.rs[i].C) + (d-near).Hours()/24*Rate(c.set), d - near
}

// Age is how far wood has aged.
type Age struct {
	Days    float64       // at 1 °C
	Unknown time.Duration // of the time, reckoned at the set point
}

// Age gives how far wood aged between two times.
func (c Clock) Age(from, to time.Time) Age {
	if !to.After(from) {
		return Age{}
	}
	if len(c.rs) == 0 {
		return Age{to.Sub(from).Hours() / 24 * Rate(c.set), to.Sub(from)}
	}
	a, ua := c.at(from)
	b, ub := c.at(to)
	return Age{b - a, ub - ua}
}

// at gives age and unknown time since the first reading; below zero before it.
func (c Clock) at(t time.Time) (days float64, unknown time.Duration) {
	n := len(c.rs)
	first := c.rs[0].At
	if t.Before(first) {
		d := first.Sub(t)
		return -d.Hours() / 24 * Rate(c.set), -d
	}
	i := sort.Search(n, func(i int) bool { return c.rs[i].At.After(t) }) // the first after t
	d := t.Sub(c.rs[i-1].At)
	if i < n {
		if whole := c.rs[i].At.Sub(c.rs[i-1].At); whole <= GapAfter {
			return c.upTo[i-1] + d.Hours()/whole.Hours()*(c.upTo[i]-c.upTo[i-1]), c.dark[i-1]
		}
	}
	days, unknown = c.past(i-1, d)
	return c.upTo[i-1] + days, c.dark[i-1] + unknown
}

// Now is the store's temperature over the last day, or its set point where
// nothing was read in it.
func (c Clock) Now(now time.Time) (mean float64, read bool) {
	n := 0
	for i := len(c.rs) - 1; i >= 0 && now.Sub(c.rs[i].At) <= 24*time.Hour; i-- {
		if !c.rs[i].At.After(now) {
			mean += c.rs[i].C
			n++
		}
	}
	if n == 0 {
		return c.set, false
	}
	return mean / float64(n), true
}

// Keeping is how wood stands in a store. The range is that of a thermometer
// out by half a degree either way.
type Keeping struct {
	Age                        Age
	Life                       float64 // days at 1 °C
	Used                       float64 // share of life, 0 and up
	NowC                       float64
	KeepBy, Earliest, KeepLate time.Time
}

// Keep works out how wood cut on a day and kept here since stands now, and
// until when it keeps at the store's present temperature.
func (c Clock) Keep(cut, now time.Time, state string) Keeping {
	return c.KeepAged(c.Age(cut, now), now, state)
}

// KeepAged works it out for wood that has aged so far already, here and
// elsewhere.
func (c Clock) KeepAged(age Age, now time.Time, state string) Keeping {
	k := Keeping{Age: age, Life: Life(state)}
	k.Used = k.Age.Days / k.Life
	k.NowC, _ = c.Now(now)
	// To the minute: wood cut at midnight that keeps whole days ends at a midnight,
	// and its day must not turn on the last bit of a float.
	until := func(out float64) time.Time {
		left := k.Life - k.Age.Days*Rate(1+out)
		return now.Add(time.Duration(left / Rate(k.NowC+out) * 24 * float64(time.Hour))).Round(time.Minute)
	}
	k.KeepBy, k.Earliest, k.KeepLate = until(0), until(ThermometerC), until(-ThermometerC)
	return k
}

// Harm is a stretch in a store that hurts wood.
type Harm struct {
	Kind     string // "frost" or "warmth"
	From, To time.Time
	WorstC   float64
}

// Harms finds frost and warmth that lasted long enough to hurt, oldest first.
// Between two readings the temperature is taken to go by a straight line; a
// stretch longer than GapAfter ends a run.
func (c Clock) Harms() []Harm {
	var out []Harm
	run := func(kind string, limit, sign float64, least time.Duration) {
		// sign turns warmth and frost alike: what is above the limit is bad.
		over := func(r Reading) float64 { return sign * (r.C - limit) }
		var h *Harm
		end := func() {
			if h != nil && h.To.Sub(h.From) >= least {
				out = append(out, *h)
			}
			h = nil
		}
		for i, r := range c.rs {
			now := over(r)
			if i > 0 {
				was, gap := over(c.rs[i-1]), r.At.Sub(c.rs[i-1].At)
				if gap > GapAfter {
					end()
				} else if crossing := c.rs[i-1].At.Add(time.Duration(was / (was - now) * float64(gap))); was <= 0 && now > 0 {
					h = &Harm{Kind: kind, From: crossing, WorstC: r.C}
				} else if was > 0 && now <= 0 {
					h.To = crossing
					end()
				}
			}
			if now <= 0 {
				continue
			}
			if h == nil {
				h = &Harm{Kind: kind, From: r.At, WorstC: r.C}
			}
			if h.To = r.At; sign*(r.C-h.WorstC) > 0 {
				h.WorstC = r.C
			}
		}
		end()
	}
	run("frost", FrostC, -1, FrostFor)
	run("warmth", WarmC, 1, WarmFor)
	sort.SliceStable(out, func(i, j int) bool { return out[i].From.Before(out[j].From) })
	return out
}
