// Package benchday plans who makes which grafts in which half-day: nothing
// late where it can be met, changeovers few, the wood that keeps shortest
// first, and every larger lot shared by two hands.
//
// Time is counted in half-days from 0, and work in standard hours: an hour of
// a hand who works at the house's rates. A hand of speed 0.8 gives 0.8 of one.
package benchday

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"
)

// House defaults.
const (
	breakShare   = 1.0 / 6 // ten minutes in the hour off the cut
	freshHours   = 2.0     // after so many hours of a half-day people tire
	tiredPace    = 0.9
	tagHours     = 3.0 / 60 // a tag's labels and laying out
	changeHours  = 4.0 / 60 // another lot or bundle: wipe, blade, fetch
	fewestApiece = 5        // grafts: no tag smaller, where it can be helped
	mostOfALot   = 0.75     // one hand's part of a lot that must be shared
	shareWithin  = 14       // half-days in which a second hand is waited for
	urgentHalves = 2        // half-days before its last in which a job is pressing
)

// ErrProblem is given for a problem that makes no sense.
var ErrProblem = errors.New("not a bench problem")

// Usable is how many hours of cutting and tying a half-day of so many hours
// gives, with its breaks, and people tiring after two hours.
func Usable(hours float64) float64 {
	if hours <= 0 {
		return 0
	}
	return (math.Min(hours, freshHours) + tiredPace*math.Max(0, hours-freshHours)) * (1 - breakShare)
}

// Job is grafts of one batch by one technique from one lot and one bundle.
type Job struct {
	ID                            string
	Batch, Technique, Lot, Bundle string
	Grafts                        int
	Whole                         bool    // a tag that has its label: it is not divided
	Earliest, Latest              int     // half-days in which it may be made, both included
	Weight                        float64 // of a graft that is late: more for a higher priority
	Keep                          int     // the half-day until which its wood keeps
	Prepare                       float64 // hours of making its stem ready, a graft
	// Fixed says that it stays with a hand in a half-day.
	Fixed      bool
	Hand, Slot int
}

// Hand is somebody at the bench.
type Hand struct {
	ID    string
	Speed float64 // times the house's rates
	Knows map[string]bool
	Hours []float64 // usable, by half-day
}

// Problem is what is to be planned.
type Problem struct {
	Jobs      []Job
	Hands     []Hand
	Slots     int                // half-days planned
	Rate      map[string]float64 // grafts an hour, by technique
	Seats     int                // hands at the bench at once; 0 for any number
	Stations  map[string]int     // hands at once of a technique that has places of its own
	TagSize   int                // most grafts of a tag
	ShareOver int                // a lot of more grafts is shared by two hands
}

// Piece is grafts of a job that a hand makes in a half-day: one tag.
type Piece struct {
	Job, Hand, Slot int
	Grafts          int
	Hours           float64 // standard, with its laying out
}

// Lack is what keeps grafts off every half-day.
type Lack string

// What keeps grafts off every half-day, the first that holds.
const (
	NobodyKnows Lack = "nobody-knows" // no hand knows the technique
	NobodyThere Lack = "nobody-there" // who knows it has no hours from its first half-day on
	NoWholeRoom Lack = "no-whole"     // a tag that cannot be parted fits no half-day
	NoRoom      Lack = "no-room"      // every half-day is full
)

// Left is grafts that no half-day of the plan could take.
type Left struct {
	Job, Grafts int
	Lack        Lack
}

// Plan is who does what when.
type Plan struct {
	Pieces      []Piece
	Unplaced    []Left
	Grafts      int // in all
	Late        int // made after their last half-day, or not at all
	LateCost    float64
	Bound       float64 // no plan has a lower LateCost
	LeastLate   int     // no plan has fewer late
	LateHours   float64 // standard hours of what is late
	Changeovers int
	Alone       []string // lots that should be shared and are not
	Rule        string   // which way of choosing won
}

// perGraft is what a graft of a job takes at the least, in standard hours.
func (p *Problem) perGraft(j Job) float64 {
	return 1/p.Rate[j.Technique] + j.Prepare + tagHours/float64(p.size(j))
}

func (p *Problem) size(j Job) int {
	if j.Whole {
		return max(1, j.Grafts)
	}
	return p.TagSize
}

// hours is what a tag of n grafts takes, in standard hours.
func (p *Problem) hours(j Job, n int) float64 {
	return float64(n)*(1/p.Rate[j.Technique]+j.Prepare) + tagHours
}

// Takes is what a tag of n grafts takes, in standard hours, with a change of lot or bundle before it.
func (p *Problem) Takes(j Job, n int) float64 { return p.hours(j, n) + changeHours }

// capacity is a hand's standard hours in a half-day.
func (p *Problem) capacity(h, s int) float64 {
	if s >= len(p.Hands[h].Hours) {
		return 0
	}
	return p.Hands[h].Hours[s] * p.Hands[h].Speed
}

func (p *Problem) check() error {
	if p.TagSize < 1 || p.Slots < 0 {
		return fmt.Errorf("tags of %d, %d half-days: %w", p.TagSize, p.Slots, ErrProblem)
	}
	for _, j := range p.Jobs {
		if j.Grafts < 0 || !(p.Rate[j.Technique] > 0) || !(j.Weight >= 0) {
			return fmt.Errorf("job %s, %d grafts by %q at %g an hour: %w", j.ID, j.Grafts, j.Technique, p.Rate[j.Technique], ErrProblem)
		}
		if j.Fixed && (j.Hand < 0 || j.Hand >= len(p.Hands) || j.Slot < 0) {
			return fmt.Errorf("job %s stays with nobody: %w", j.ID, ErrProblem)
		}
	}
	for _, h := range p.Hands {
		if !(h.Speed > 0) {
			return fmt.Errorf("hand %s has speed %g: %w", h.ID, h.Speed, ErrProblem)
		}
	}
	return nil
}

// Solve plans a problem. Several ways of choosing are tried, earliest due
// first among them, and the best is climbed from: what is chosen to be in time,
// and when it is taken to be due, is changed a little at a time for as long as
// that helps. The best is least late, then fewest changeovers. Bound is what no
// plan can be better than. The answer is the same on any machine.
func Solve(p Problem) (Plan, error) { return solve(p, 1) }

// solve climbs so many times as long as usual.
func solve(p Problem, effort int) (Plan, error) {
	if err := p.check(); err != nil {
		return Plan{}, err
	}
	s := p.shop()
	bound := s.bound(1)
	best, by := s.simple()
	good := func() bool { return best.LateCost <= bound.cost+1e-9 }
	for _, r := range s.squeezed() {
		if good() {
			break // nothing is gained by leaving anything out
		}
		if x := s.build(r); better(x, best) {
			best, by = x, r
		}
	}
	if !good() {
		best = s.mend(best)
	}
	if !good() {
		best = s.climb(best, by, bound, effort)
	}
	best.Bound, best.LeastLate = bound.cost, bound.late
	return best, nil
}

// Quick plans by the few simplest ways of choosing: to see what a change would
// do, at a tenth of the work. It states no bound.
func Quick(p Problem) (Plan, error) {
	if err := p.check(); err != nil {
		return Plan{}, err
	}
	best, _ := p.shop().simple()
	return best, nil
}

// What the rules are called in tests and benchmarks.
const (
	dueFirst      = "earliest due first"
	dueFewChanges = "earliest due first, few changeovers"
	inTimeFirst   = "what can be in time first"
)

// simple takes the best of the ways of choosing that leave nothing out.
func (s *shop) simple() (best Plan, by rule) {
	by = rule{name: dueFirst}
	best = s.build(by)
	for _, stay := range []bool{true, false} {
		for _, scarce := range []bool{false, true} {
			r := rule{name: dueFewChanges, stay: stay, scarce: scarce}
			if x := s.build(r); better(x, best) {
				best, by = x, r
			}
		}
	}
	return best, by
}

// squeezed are the ways that choose what is to be in time for a share of the
// hours, since whole tags and changeovers cost some of them.
func (s *shop) squeezed() []rule {
	var out []rule
	for _, share := range []float64{1, 0.98, 0.96, 0.94, 0.92, 0.88, 0.84} {
		chosen := s.chosen(share)
		for _, stay := range []bool{true, false} {
			out = append(out, rule{name: inTimeFirst, stay: stay, scarce: true, chosen: chosen})
		}
	}
	return out
}

// EarliestDueFirst is the plain way, to measure others by.
func EarliestDueFirst(p Problem) (Plan, error) {
	if err := p.check(); err != nil {
		return Plan{}, err
	}
	return p.shop().build(rule{name: dueFirst}), nil
}

func better(a, b Plan) bool {
	return cmp.Or(
		compare(a.LateCost, b.LateCost),
		a.unplaced()-b.unplaced(),
		cmp.Compare(len(a.Alone), len(b.Alone)),
		cmp.Compare(a.Changeovers, b.Changeovers),
	) < 0
}

func (x Plan) unplaced() (n int) {
	for _, l := range x.Unplaced {
		n += l.Grafts
	}
	return n
}

func compare(a, b float64) int {
	if math.Abs(a-b) < 1e-9 {
		return 0
	}
	return cmp.Compare(a, b)
}

// tally adds a plan's figures up.
func (p *Problem) tally(x *Plan) {
	x.Late, x.LateCost, x.LateHours, x.Grafts = 0, 0, 0, 0
	for _, j := range p.Jobs {
		x.Grafts += j.Grafts
	}
	for _, c := range x.Pieces {
		if j := p.Jobs[c.Job]; c.Slot > j.Latest {
			x.Late += c.Grafts
			x.LateCost += j.Weight * float64(c.Grafts)
			x.LateHours += c.Hours
		}
	}
	for _, l := range x.Unplaced {
		j := p.Jobs[l.Job]
		x.Late += l.Grafts
		x.LateCost += j.Weight * float64(l.Grafts)
		x.LateHours += float64(l.Grafts) * p.perGraft(j)
	}
	slices.SortStableFunc(x.Pieces, func(a, b Piece) int { return cmp.Or(a.Slot-b.Slot, a.Hand-b.Hand) })
	x.Changeovers = p.changeovers(x.Pieces)
	x.Alone = p.alone(x.Pieces)
}

// changeovers counts how often a hand goes from one lot or bundle to another
// within a half-day.
func (p *Problem) changeovers(ps []Piece) int {
	n := 0
	for i := 1; i < len(ps); i++ {
		a, b := ps[i-1], ps[i]
		if a.Hand == b.Hand && a.Slot == b.Slot && !p.alike(a.Job, b.Job) {
			n++
		}
	}
	return n
}

func (p *Problem) alike(a, b int) bool {
	x, y := p.Jobs[a], p.Jobs[b]
	return x.Lot == y.Lot && x.Bundle == y.Bundle && x.Technique == y.Technique
}

// alone lists the lots over ShareOver that one hand has although another knows
// how.
func (p *Problem) alone(ps []Piece) []string {
	n, who, able := map[string]int{}, map[string]map[int]bool{}, map[string]bool{}
	var lots []string
	for _, c := range ps {
		lot := p.Jobs[c.Job].Lot
		if who[lot] == nil {
			who[lot] = map[int]bool{}
			lots = append(lots, lot)
		}
		n[lot] += c.Grafts
		who[lot][c.Hand] = true
		able[lot] = able[lot] || p.knowers(p.Jobs[c.Job].Technique) > 1
	}
	var out []string
	for _, lot := range lots {
		if n[lot] > p.ShareOver && len(who[lot]) == 1 && able[lot] {
			out = append(out, lot)
		}
	}
	slices.Sort(out)
	return out
}

func (p *Problem) knowers(technique string) int {
	n := 0
	for _, h := range p.Hands {
		if h.Knows[technique] {
			n++
		}
	}
	return n
}
