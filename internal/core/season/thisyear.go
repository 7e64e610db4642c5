package season

import (
	"math"
	"slices"
	"sort"
	"time"

	"gonum.org/v1/gonum/stat/distuv"
)

// Source kinds of what moves a date.
const (
	Seen   = "measured"
	Feed   = "weather"
	Carry  = "house default"
	Settle = "house default"
)

// Move is one thing that moved a date, by so many days; earlier is negative.
type Move struct {
	Days   int
	Cause  Cause
	Source string

	Yes, Not   Observation // BySight: the first time it had come, and the last it had not; "" where nobody saw that
	Differ     bool        // BySight: it had come in one place before it had not in another
	Sum, Usual float64     // ByWarmth: degree-days since Since, and in a usual year
	Since      time.Time
}

// Cause is why a date moved.
type Cause string

// What moves a date.
const (
	ByWarmth   Cause = "warmth"
	ByCarry    Cause = "carry"     // half of what was seen of the sign before it
	BySight    Cause = "sight"     // 0 days: it came as reckoned
	ByBudSwell Cause = "bud swell" // bark slips no sooner than a week after
)

// Dated is an anchor of one particular year.
type Dated struct {
	Kind      string
	Usual, On time.Time
	Low, High time.Time // middle 90 % of the belief, in whole days
	Moves     []Move
	Seen      bool // bounded by what somebody saw
}

// Days is by how many days the date is off its usual one; earlier is negative.
func (d Dated) Days() int { return daysBetween(d.Usual, d.On) }

func daysBetween(a, b time.Time) int { return int(math.Round(b.Sub(a).Hours() / 24)) }

// Tell is what a sight tells of an anchor.
type Tell int

// What a sight can tell.
const (
	Nothing Tell = iota
	NotYet
	Come
)

// Sight is something that can be seen, and what it tells of which anchors.
type Sight struct {
	Says  string // "bark slips"
	Kinds []string
	Tells []Tell // for each kind
}

// Sights are what somebody can note, in the words of the craft. What a test of
// the bark tells depends on the season it falls in (told below).
var Sights = []Sight{
	{Slips, []string{SlipBegins, SlipEnds}, []Tell{Come, NotYet}},
	{DoesNotSlip, []string{SlipBegins, SlipEnds}, []Tell{NotYet, Come}},
	{"buds swell", []string{BudSwell}, []Tell{Come}},
	{"buds tight", []string{BudSwell}, []Tell{NotYet}},
	{"budwood ripe", []string{BudwoodRipe}, []Tell{Come}},
	{"budwood not ripe", []string{BudwoodRipe}, []Tell{NotYet}},
	{"at rest, leaves down", []string{RestBegins}, []Tell{Come}},
	{"not at rest yet", []string{RestBegins}, []Tell{NotYet}},
	{hardFrost, []string{FirstHardFrost}, []Tell{Come}},
	{noHardFrost, []string{FirstHardFrost, LastFrost}, []Tell{NotYet, Nothing}},
	{frost, []string{LastFrost, FirstHardFrost}, []Tell{NotYet, Nothing}}, // the last is after it
	{FreshFlush, nil, nil},
}

// Sights that have rules of their own.
const (
	Slips       = "bark slips"
	DoesNotSlip = "bark does not slip"
	// FreshFlush opens the best days where stock takes no rest.
	FreshFlush  = "fresh flush"
	hardFrost   = "hard frost"
	noHardFrost = "no hard frost yet"
	frost       = "frost"
)

// How the soil was when the bark was tested: dry bark does not slip either.
const (
	SoilWet = "wet"
	SoilDry = "dry"
)

// Observation is what was seen on a day. Says is one of the Sights'.
type Observation struct {
	Says  string
	On    time.Time
	Place string
	Soil  string // SoilWet, SoilDry, or "" where nobody noted it
}

// House defaults of how warmth moves a year.
const (
	BaseC        = 5.0  // buds do nothing below it
	daySwingC    = 3.5  // how far a day's mean strays from the month's usual
	warmthTells  = 0.7  // what is left of the spread once warmth is known
	carryShare   = 0.5  // of what was seen of one anchor, to the next that was not
	slipAfter    = 7    // days: bark slips no sooner after bud swell
	HardFrostC   = -3.0 // a night below it is a hard frost
	quantile5    = 0.05
	quantile95   = 0.95
	outOfBelief  = 1e-9
	longestShift = 75 // days: beyond it the readings, not the season, are wrong
)

// warmed are the anchors that spring's warmth brings, in their order.
var warmed = []string{BudSwell, SlipBegins, BudwoodRipe}

// Known is what a site knows of its years beside the usual dates.
type Known struct {
	Normals  Normals
	Weather  []DegreeDay
	Seen     []Observation
	NoNormal bool // no usual temperatures are set: warmth moves nothing
}

// With dates the anchors that usually fall in the years from first to last
// by what is known of them: warmth first, then what somebody saw, which
// outweighs it.
func (y Year) With(k Known, first, last int) Year {
	days := make(map[time.Time]DegreeDay, len(k.Weather))
	for _, d := range k.Weather {
		d.On = DayOf(d.On)
		days[d.On] = d
	}
	seen := slices.Clone(k.Seen)
	for i := range seen {
		seen[i].On = DayOf(seen[i].On)
		if seen[i].Says == FreshFlush {
			y.Flushes = append(y.Flushes, seen[i].On)
		}
	}
	slices.SortFunc(y.Flushes, time.Time.Compare)
	if y.NoRest {
		return y
	}
	sort.SliceStable(seen, func(i, j int) bool { return seen[i].On.Before(seen[j].On) })
	told, dry := y.resolve(seen)
	y.Dry = dry
	for at, os := range y.frosts(k.Weather) {
		told[at] = append(told[at], os...)
	}
	usual := k.Normals.table()
	for yr := first - 1; yr <= last; yr++ {
		for _, d := range y.dateSeason(y.seasonOf(yr), k, usual, days, told) {
			if first <= d.Usual.Year() && d.Usual.Year() <= last {
				y.Dated = append(y.Dated, d)
			}
		}
	}
	return y
}

func (y Year) anchor(kind string) (Anchor, bool) {
	for _, a := range y.Anchors {
		if a.Kind == kind {
			return a, true
		}
	}
	return Anchor{}, false
}

// seasonOf gives the usual days of one season: the swell of a year, and of each
// other anchor the day that follows it. The last frost may come before it.
func (y Year) seasonOf(yr int) map[string]time.Time {
	start := day(yr, 1, 1)
	if a, ok := y.anchor(BudSwell); ok {
		start = day(yr, a.Month, a.Day)
	}
	out := map[string]time.Time{}
	for _, a := range y.Anchors {
		from := start
		if a.Kind == LastFrost {
			from = start.AddDate(0, 0, -lastFrostBefore)
		}
		for n := from.Year(); ; n++ {
			if d := day(n, a.Month, a.Day); !d.Before(from) {
				out[a.Kind] = d
				break
			}
		}
	}
	return out
}

// lastFrostBefore is how long before bud swell the last frost may usually come.
const lastFrostBefore = 120

// dateSeason dates one season's anchors. What is seen of one sign of spring
// carries over to the next of the same season.
func (y Year) dateSeason(of map[string]time.Time, k Known, usual *table, days map[time.Time]DegreeDay, seen map[instance][]told) []Dated {
	var out []Dated
	carried := 0.0 // days that what was seen in spring moved it
	var swell time.Time
	for _, kind := range []string{BudSwell, SlipBegins, BudwoodRipe, SlipEnds, RestBegins, FirstHardFrost, LastFrost} {
		a, ok := y.anchor(kind)
		if !ok {
			continue
		}
		d := Dated{Kind: kind, Usual: of[kind]}
		at, spread := 0.0, math.Max(1, float64(a.SpreadDays)) // days from the usual
		spring := slices.Contains(warmed, kind)
		if w, ok := y.warmthTo(d.Usual, k, usual, days); ok && spring {
			by := daysBetween(d.Usual, w.reaches(d.Usual))
			share := w.known(d.Usual)
			if by != 0 {
				at = float64(by)
				d.Moves = append(d.Moves, w.move(by, d.Usual))
			}
			spread *= 1 - (1-warmthTells)*share
		}
		if by := int(math.Round(carried * carryShare)); spring && by != 0 {
			at += float64(by)
			d.Moves = append(d.Moves, Move{Days: by, Cause: ByCarry, Source: Carry})
		}
		after, by, sight := bounds(d.Usual, seen[instance{kind, d.Usual}])
		before := at
		at, low, high := believe(at, spread, after, by)
		day := int(math.Round(at))
		if !math.IsInf(after, -1) {
			day = max(day, int(after)+1) // never on a day on which it had not come
			low = math.Max(low, after+1)
			high = math.Max(high, after+1)
		}
		if sight != nil {
			d.Seen = true
			sight.Days = day - int(math.Round(before))
			d.Moves = append(d.Moves, *sight)
			if spring {
				carried = float64(day) - before
			}
		} else if spring {
			carried *= carryShare
		}
		d.On = d.Usual.AddDate(0, 0, day)
		d.Low, d.High = d.Usual.AddDate(0, 0, int(math.Floor(low))), d.Usual.AddDate(0, 0, int(math.Ceil(high)))
		if kind == BudSwell {
			swell = d.On
		}
		if least := swell.AddDate(0, 0, slipAfter); kind == SlipBegins && !swell.IsZero() && d.On.Before(least) {
			d.Moves = append(d.Moves, Move{Days: daysBetween(d.On, least), Cause: ByBudSwell, Source: Settle})
			d.On = least
			if d.High.Before(least) {
				d.High = least
			}
		}
		out = append(out, d)
	}
	return out
}

// bounds gathers what was seen of an anchor of one season: it came after the
// last time it had not, and by the first time it had, in days from the usual
// date.
func bounds(usual time.Time, seen []told) (after, by float64, m *Move) {
	after, by = math.Inf(-1), math.Inf(1)
	var not, yes Observation
	for _, o := range seen {
		n := daysBetween(usual, o.On)
		switch {
		case o.tells == Come && float64(n) < by:
			by, yes = float64(n), o.Observation
		case o.tells == NotYet && float64(n) > after:
			after, not = float64(n), o.Observation
		}
	}
	if yes.Says == "" && not.Says == "" {
		return after, by, nil
	}
	return after, by, &Move{Cause: BySight, Source: Seen, Yes: yes, Not: not, Differ: yes.Says != "" && not.Says != "" && after >= by}
}

// nearest says which of several anchors a sight is of, and which one of it: the
// one whose usual day is nearest; -1 for none.
func (y Year) nearest(kinds []string, on time.Time) (best int, usual time.Time) {
	best = -1
	least := math.MaxInt
	for i, k := range kinds {
		a, ok := y.anchor(k)
		if !ok {
			continue
		}
		for yr := on.Year() - 1; yr <= on.Year()+1; yr++ {
			d := day(yr, a.Month, a.Day)
			n := daysBetween(d, on)
			if n = max(n, -n); n < least {
				best, least, usual = i, n, d
			}
		}
	}
	return best, usual
}

// believe cuts a normal belief to what was seen, and gives its mean and its
// middle 90 %. Where the sights leave nothing between them, or lie far outside
// the belief, it is what the sights say.
func believe(mean, sd, after, by float64) (at, low, high float64) {
	n := distuv.Normal{Mu: mean, Sigma: sd}
	if after >= by {
		return (after + by) / 2, by, after
	}
	lo, hi := n.CDF(after), n.CDF(by)
	if math.IsInf(after, -1) {
		lo = 0
	}
	if math.IsInf(by, 1) {
		hi = 1
	}
	if hi-lo < outOfBelief {
		switch {
		case math.IsInf(after, -1):
			return by, by - sd, by
		case math.IsInf(by, 1):
			return after + 1, after, after + sd
		}
		return (after + by) / 2, after, by
	}
	density := func(x float64) float64 {
		if math.IsInf(x, 0) {
			return 0
		}
		return n.Prob(x)
	}
	at = mean + sd*sd*(density(after)-density(by))/(hi-lo)
	low, high = n.Quantile(lo+(hi-lo)*quantile5), n.Quantile(lo+(hi-lo)*quantile95)
	return math.Max(after, math.Min(by, at)), low, high
}

// Moved says whether anything moved a turn of the stock in a year.
func (y Year) Moved(year int) bool {
	return slices.ContainsFunc(y.Dated, func(d Dated) bool {
		_, turns := turning[d.Kind]
		return turns && d.Usual.Year() == year && len(d.Moves) > 0
	})
}
