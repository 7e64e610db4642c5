// Package rows plans work along rows in the field: which row is next, on which side of the stock,
// how far a crew comes in a day, and where in its row each stem stands.
package rows

import (
	"cmp"
	"math"
	"slices"
	"time"
)

// Soil is how a row's soil was found.
type Soil string

// The soils; "" was not looked at.
const (
	Dry    Soil = "dry"
	Moist  Soil = "moist"
	Sodden Soil = "sodden"
)

// Side is where the bud sits, for somebody who walks the row from its first plant and looks ahead.
type Side string

// The sides.
const (
	Left   Side = "left"
	Right  Side = "right"
	Ahead  Side = "ahead"  // the far side of each stem
	Behind Side = "behind" // the near side
)

// SideOf gives the side that lies nearest a bearing, of a row walked along another, both in degrees
// from north: each side has the quarter around it, the lower one where two are as near.
func SideOf(walked, to int) Side {
	turn := ((to-walked)%360 + 360) % 360
	switch {
	case turn <= 45 || turn > 315:
		return Ahead
	case turn <= 135:
		return Right
	case turn <= 225:
		return Behind
	}
	return Left
}

// AwayFromSun is the bearing away from the midday sun: north in the northern half of the world,
// south in the other.
func AwayFromSun(south bool) int {
	if south {
		return 180
	}
	return 0
}

// Work is stems of a row that wait for one kind of work.
type Work struct {
	Row            string // its key
	Field          string
	Number         int
	Stems          int
	Opens, Closes  time.Time // days in which it can be done; Closes zero: any
	BestFrom, Best time.Time // days in which it does best; zero: none
	Soil           Soil
	Rate           float64 // stems a crew does in an hour
}

// Reason is why a row stands where it does among those to be done.
type Reason string

// The reasons, the first that holds.
const (
	NotOpen Reason = "not open" // its season is still to come
	Over    Reason = "over"     // its season is past
	TooDry  Reason = "too dry"  // bark does not slip: water first
	TooWet  Reason = "too wet"  // the soil would be trodden to mud
	Closing Reason = "closing"  // it would be late
	Best    Reason = "best"
	Open    Reason = "open"
)

// Turn is a row in its turn, with the days on which a crew is at it.
type Turn struct {
	Work
	Why       Reason
	From, To  time.Time // zero: not planned
	Days      float64   // crew days it takes
	Late      bool      // it is not done by its last day
	LateStems int
}

// Crew is who works: how many hours a day it gives, and where it stands.
type Crew struct {
	Hours float64 // usable, of each that works at once, a day
	Field string
	At    int // the row's number
}

// Asks is what a kind of work asks of the soil.
type Asks struct {
	Slip bool // bark that slips: not in dry soil
	Lift bool // roots that come out: neither in dry nor in sodden soil
}

// Order puts rows in their turn from a day on: those that can be done now by their last day, the
// soonest first, and among those with the same last day the nearest; then those whose soil has to
// be seen to; then those whose season is still to come, by its beginning. Done in the order of
// their last days, the latest row is late by as little as in any order (Jackson's rule), where all
// of them are open. Rows whose season is past stand last and are not planned.
func Order(works []Work, today time.Time, crew Crew, asks Asks) []Turn {
	out := make([]Turn, 0, len(works))
	for _, w := range works {
		t := Turn{Work: w, Why: Open}
		if w.Rate > 0 && crew.Hours > 0 {
			t.Days = float64(w.Stems) / w.Rate / crew.Hours
		}
		switch {
		case !w.Closes.IsZero() && w.Closes.Before(today):
			t.Why = Over
		case w.Opens.After(today):
			t.Why = NotOpen
		case w.Soil == Dry && (asks.Slip || asks.Lift):
			t.Why = TooDry
		case w.Soil == Sodden && asks.Lift:
			t.Why = TooWet
		case !w.BestFrom.IsZero() && !today.Before(w.BestFrom) && !today.After(w.Best):
			t.Why = Best
		}
		out = append(out, t)
	}
	rank := map[Reason]int{Open: 0, Best: 0, Closing: 0, TooDry: 1, TooWet: 1, NotOpen: 2, Over: 3}
	last := func(t Turn) time.Time {
		if t.Closes.IsZero() {
			return today.AddDate(10, 0, 0)
		}
		return t.Closes
	}
	far := func(t Turn) float64 {
		if t.Field != crew.Field {
			return math.MaxInt32
		}
		return math.Abs(float64(t.Number - crew.At))
	}
	slices.SortStableFunc(out, func(a, b Turn) int {
		if a.Why == NotOpen && b.Why == NotOpen {
			return cmp.Or(a.Opens.Compare(b.Opens), last(a).Compare(last(b)), cmp.Compare(far(a), far(b)), cmp.Compare(a.Number, b.Number))
		}
		return cmp.Or(rank[a.Why]-rank[b.Why], last(a).Compare(last(b)), cmp.Compare(far(a), far(b)), cmp.Compare(a.Field, b.Field),
			cmp.Compare(a.Number, b.Number))
	})
	done := 0.0 // crew days so far
	for i := range out {
		t := &out[i]
		if t.Why == Over || t.Days == 0 {
			continue
		}
		start := done
		if t.Why == NotOpen {
			start = math.Max(start, days(today, t.Opens))
		}
		end := start + t.Days
		t.From, t.To = today.AddDate(0, 0, int(start+1e-9)), today.AddDate(0, 0, int(math.Ceil(end-1e-9))-1)
		if !t.Closes.IsZero() {
			if room := days(today, t.Closes) + 1 - start; room < t.Days {
				t.Late = true
				t.LateStems = int(math.Ceil((t.Days - math.Max(0, room)) / t.Days * float64(t.Stems)))
				if t.Why == Open || t.Why == Best {
					t.Why = Closing
				}
			}
		}
		done = end
	}
	return out
}

func days(from, to time.Time) float64 { return math.Round(to.Sub(from).Hours() / 24) }

// Team is a crew in the rows: budders who cut and set, and wrappers behind them who tie.
type Team struct{ Budders, Wrappers int }

// Pace is how many stems a team does in an hour at a house rate of so many buds an hour by one who
// does both, of whose time a share goes to cutting: min(b ÷ cut, w ÷ tie), or all for themselves
// where nobody wraps. Buds is how many each stem gets.
func (t Team) Pace(rate, cutShare float64, buds int) float64 {
	if rate <= 0 || t.Budders < 1 || !(cutShare > 0 && cutShare < 1) {
		return 0
	}
	per := float64(t.Budders)
	if t.Wrappers > 0 {
		per = math.Min(float64(t.Budders)/cutShare, float64(t.Wrappers)/(1-cutShare))
	}
	return per * rate / float64(max(1, buds))
}

// Stretch is plants of a row, counted from its first, both ends included.
type Stretch struct{ First, Last int }

// Plants is how many plants stand in a stretch: all places but the gaps.
func Plants(s Stretch, gaps []int) int {
	n := max(0, s.Last-s.First+1)
	for _, g := range gaps {
		if g >= s.First && g <= s.Last {
			n--
		}
	}
	return n
}

// Lay lays runs of stems along a stretch, gaps left out, each where the one before ends; a run that
// begins at a place of its own (above 0) is laid there. A run for which there is no room any more
// has a zero Stretch.
func Lay(s Stretch, gaps []int, runs []Run) []Stretch {
	gone := map[int]bool{}
	for _, g := range gaps {
		gone[g] = true
	}
	out := make([]Stretch, len(runs))
	at := s.First
	for i, r := range runs {
		if r.At > 0 {
			at = max(s.First, r.At)
		}
		left := r.Stems
		for ; at <= s.Last && left > 0; at++ {
			if gone[at] {
				continue
			}
			if out[i].First == 0 {
				out[i].First = at
			}
			out[i].Last = at
			left--
		}
	}
	return out
}

// Run is stems of one tag, in the order in which a row is worked.
type Run struct {
	Stems int
	At    int // the place at which it begins, where that was noted; 0: after the one before
}

// Backward says whether a row is walked from its last plant: every other row of a field is, so that
// nobody walks back empty-handed. Rows come in the order in which they are walked.
func Backward(nth int) bool { return nth%2 == 1 }
