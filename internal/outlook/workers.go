package outlook

import (
	"fmt"
	"math"
	"time"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/pace"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// oClock is a time of day, in hours.
func oClock(t time.Time) float64 { return float64(t.Hour()) + float64(t.Minute())/60 }

// leftOfHours is what is left of hours in a half-day of today (0 or 1) that ends
// when it usually does or later, for those who stay over.
func leftOfHours(half int, clock, hours float64) float64 {
	from, usual := morningFrom, morningEnds-morningFrom
	if half == 1 {
		from, usual = noonTill, afternoonEnd-noonTill
	}
	end := from + math.Max(usual, hours)
	return math.Max(0, math.Min(hours, end-clock))
}

// House defaults of a bench week and of pace.
const (
	MorningHours   = 4.0 // a bench hand's, Monday to Friday
	AfternoonHours = 3.5
)

// Hand is somebody who grafts: when they are there, what they know, how fast.
type Hand struct {
	Person  store.Person
	Week    [8][3]float64 // by weekday, Monday 1, and half, morning 1
	Away    []store.Away
	Knows   map[string]bool
	Speed   sizing.Interval // times the house's rates
	Grafts  float64         // own grafts the speed was counted from
	Tags    int
	Default bool // the week is the role's
}

// HoursOn is how long a hand is at the bench in a half-day.
func (h Hand) HoursOn(day time.Time, half int) float64 {
	for _, a := range h.Away {
		if !day.Before(a.From) && !day.After(a.To) {
			return 0
		}
	}
	return h.Week[(int(day.Weekday())+6)%7+1][half]
}

// WeekHours is the hours of a whole week.
func (h Hand) WeekHours() float64 {
	sum := 0.0
	for _, d := range h.Week {
		sum += d[1] + d[2]
	}
	return sum
}

// Working shows how a hand's pace was come by.
func (h Hand) Working() working.Working {
	source := working.OwnRecords
	if h.Tags == 0 {
		source = working.HouseDefault
	}
	return working.Working{
		Title:  "Pace of " + h.Person.Name,
		Answer: fmt.Sprintf(words.NOfTheHousesRates, h.Speed.Mean*100),
		Range:  fmt.Sprintf("%.0f–%.0f %%", h.Speed.Low*100, h.Speed.High*100),
		Rule:   words.AWorkersPace,
		Says:   words.GraftsTiedOnTagsBegun,
		Inputs: []working.Input{{Name: "Tags", Value: fmt.Sprintf(words.NOfNGrafts, h.Tags, h.Grafts), Source: source},
			{Name: words.RateIsWorth, Value: fmt.Sprintf("%.0f grafts", pace.Weight), Source: working.HouseDefault}},
	}
}

// HandsOf gathers everybody who works at the bench.
func HandsOf(f *snapshot.Snapshot) []Hand {
	rate := map[string]float64{}
	for _, t := range f.AllWays {
		rate[t.Key] = float64(t.RatePerHour)
	}
	var out []Hand
	for _, p := range f.Workers() {
		h := Hand{Person: p, Knows: map[string]bool{}, Default: !p.HoursSet}
		if !p.HoursSet && snapshot.Role(p.Role) == snapshot.BenchHand {
			for d := 1; d <= 5; d++ {
				h.Week[d][1], h.Week[d][2] = MorningHours, AfternoonHours
			}
		}
		for _, x := range f.Hours {
			if x.PersonID == p.ID {
				h.Week[x.Weekday][x.Half] = x.Hours
			}
		}
		for _, t := range f.Techniques {
			h.Knows[t.Key] = !p.SkillsSet
		}
		for _, x := range f.Skills {
			if _, inUse := h.Knows[x.Technique]; inUse && x.PersonID == p.ID {
				h.Knows[x.Technique] = true
			}
		}
		for _, x := range f.Aways {
			if x.PersonID == p.ID {
				h.Away = append(h.Away, x)
			}
		}
		var rs []pace.Record
		for _, x := range f.Paces {
			if x.WorkerID == p.ID {
				rs = append(
					rs,
					pace.Record{Rate: rate[x.Technique], Tags: x.Tags, Grafts: x.Grafts, Hours: x.Hours, LogSum: x.LogSum, LogSq: x.LogSq},
				)
				h.Grafts, h.Tags = h.Grafts+x.Grafts, h.Tags+x.Tags
			}
		}
		h.Speed = pace.Of(rs)
		out = append(out, h)
	}
	return out
}

// spare is how much grafting, in hours at the house's rates, the hands who
// know a technique have from a day to another, both included.
func spare(hs []Hand, t technique.Technique, from, to, today time.Time, clock float64) float64 {
	sum := 0.0
	for _, h := range hs {
		if !h.Knows[t.Key] {
			continue
		}
		for d := from; !d.After(to); d = d.AddDate(0, 0, 1) {
			for half := 1; half <= 2; half++ {
				hours := h.HoursOn(d, half)
				if d.Equal(today) {
					hours = leftOfHours(half-1, clock, hours)
				}
				sum += benchday.Usable(hours) * h.Speed.Mean
			}
		}
	}
	return sum
}
