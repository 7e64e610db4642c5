// Package pace says how fast somebody grafts: now, from the taps of the last
// hours, and in general, from the tags they finished, against the house's
// rates.
package pace

import (
	"math"
	"time"

	"unionknot/internal/core/sizing"
)

// House defaults of pace.
const (
	Weight    = 100.0 // grafts that the house's rate is worth against own records
	fewTags   = 5     // under which tags' own spread is not trusted
	logSD     = 0.25  // how tags of one worker differ, where too few tell
	fewGrafts = 5     // on a tag, under which it says nothing of the pace
	shortest  = 4 * time.Minute
	longest   = 5 * time.Hour
)

// Hours is how long a tag took from its first tap to its finish, in hours, where
// it says something of the pace: 0 where too few were tied, or where the time
// is too short to have been that of the work or so long that it was left lying.
func Hours(tied int, from, to time.Time) float64 {
	if d := to.Sub(from); tied >= fewGrafts && d >= shortest && d <= longest {
		return d.Hours()
	}
	return 0
}

// Record adds up somebody's tags by one technique.
type Record struct {
	Rate   float64 // the house's, grafts an hour
	Tags   int
	Grafts float64
	Hours  float64
	LogSum float64 // of ln(grafts ÷ hours) over the tags
	LogSq  float64 // of its squares
}

// And is a record with another's tags at its rate.
func (r Record) And(o Record) Record {
	r.Tags, r.Grafts, r.Hours, r.LogSum, r.LogSq = r.Tags+o.Tags, r.Grafts+o.Grafts, r.Hours+o.Hours, r.LogSum+o.LogSum, r.LogSq+o.LogSq
	return r
}

// Of is somebody's pace as a multiple of the house's rates, with the middle
// 90 % of what it may be. The house's rate counts as Weight grafts, so that few
// tags do not say much.
func Of(rs []Record) sizing.Interval {
	n, grafts, expected, sum, sq := 0, 0.0, 0.0, 0.0, 0.0
	for _, r := range rs {
		if r.Rate <= 0 || r.Tags <= 0 {
			continue
		}
		rate, k := math.Log(r.Rate), float64(r.Tags)
		n += r.Tags
		grafts, expected = grafts+r.Grafts, expected+r.Hours*r.Rate
		sum += r.LogSum - k*rate
		sq += r.LogSq - 2*rate*r.LogSum + k*rate*rate
	}
	mean := (Weight + grafts) / (Weight + expected)
	sd := 0.0
	if n > 1 {
		sd = math.Sqrt(math.Max(0, (sq-sum*sum/float64(n))/float64(n-1)))
	}
	if n < fewTags {
		sd = math.Max(sd, logSD)
	}
	const z90 = 1.6449
	wide := math.Exp(z90 * sd / math.Sqrt(float64(max(1, n))))
	return sizing.Interval{Mean: mean, Low: mean / wide, High: mean * wide}
}

// Stretch is grafts tied in a stretch of ten minutes.
type Stretch struct {
	From time.Time
	N    int
}

// PerHour is the pace over the last half hour of work, or 0 with under ten
// minutes to go by.
func PerHour(ps []Stretch, now time.Time) float64 {
	n, from := 0, time.Time{}
	for _, p := range ps {
		if now.Sub(p.From) <= 40*time.Minute {
			if from.IsZero() {
				from = p.From
			}
			n += p.N
		}
	}
	if from.IsZero() || now.Sub(from) < 10*time.Minute {
		return 0
	}
	return float64(n) / now.Sub(from).Hours()
}

// Finish is when so many grafts more will be tied at a pace, to the minute; the
// zero time where that is not known.
func Finish(now time.Time, left int, perHour float64) time.Time {
	if perHour <= 0 || left <= 0 {
		return time.Time{}
	}
	return now.Add(time.Duration(math.Round(float64(left)/perHour*60)) * time.Minute)
}
