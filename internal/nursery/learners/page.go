package learners

import (
	"cmp"
	"context"
	"slices"
	"time"

	"unionknot/internal/core/learning"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/union"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Seat is a place of a class with all that is known of it.
type Seat struct {
	store.Learner
	Course  learning.Course
	Warm    learning.Course
	Running []float64 // share right the first time, over the bar's run
	Newest  string    // the newest look, as a phone knows it
	Waits   time.Duration
	Must    bool // be passed before it is bound
	Held    int  // looks that do not hold
}

func (s *Stage) seat(c store.Class, l store.Learner) Seat {
	x := Seat{Learner: l, Course: CourseOf(l, false), Warm: CourseOf(l, true), Must: mustPass(c, l)}
	x.Running = Bar(c).Running(x.Course.First)
	for _, v := range l.Looks {
		if v.Held == nil {
			x.Newest = v.ID
		} else if *v.Held == HeldJudged {
			x.Held++
		}
	}
	if l.WaitsSince != nil {
		x.Waits = max(0, s.Now().Sub(*l.WaitsSince))
	}
	return x
}

// Reason is how often grafts were not right for one.
type Reason struct {
	Says learning.Says
	N    int
}

// CurvePoint is a try, with how likely it is right.
type CurvePoint struct {
	Try   int
	Right sizing.Interval
}

// Tried is first tries of a stretch, as they were counted.
type Tried struct {
	From, To int
	Right    sizing.Interval
	N, Of    int
}

// Page is a class's board.
type Page struct {
	Class         store.Class
	State         string
	Seats         []Seat
	Queue         []Seat // who waits, the longest first
	Tools         []store.ClassTool
	Missing       int
	Tries         int // first tries
	FirstRight    int // of them
	Right         sizing.Interval
	Early         sizing.Interval // of the first three of each
	EarlyOf       int
	Reasons       []Reason
	Curve         []CurvePoint // of a learner of this class: nine in ten lie between
	Tried         []Tried
	ByLuck        float64 // chance that one who is right six times in ten is cleared within the cans
	Cleared       int
	Bound         int
	Planned       int
	Alive         int
	Counted       int // grafts
	Took          int
	Cautions      []string
	Steps         []string
	Sides         []union.Side // of the technique, as its cut is drawn
	Technique     technique.Technique
	Stock, Wood   float64 // mm, on the mean
	Warm          WarmUpWood
	Lots, Bundles []string
	Workers       []store.Person // of the house, who can learn here
	Erase         time.Time      // the names go by themselves
}

// WarmUpWood is practice wood for a class.
type WarmUpWood struct {
	Unions int
	Metres float64
	Genera []learning.SoftWood
}

// slowRight is the hand against which the bar's luck is told.
const slowRight = 0.6

// List is the classes, and the batches that one can be made of.
type List struct {
	Classes []store.Class
	Batches []store.Batch
	Usual   learning.Bar
	Check   string
}

// Classes gathers them.
func (s *Stage) Classes(ctx context.Context) (p List, err error) {
	q := s.DB.Q()
	if p.Classes, err = q.ClassesKept(ctx); err != nil {
		return p, err
	}
	if p.Batches, err = q.BatchesUnbegun(ctx); err != nil {
		return p, err
	}
	p.Usual = learning.UsualBar
	return p, err
}

// ClassBoard gathers a class's board.
func (s *Stage) ClassBoard(ctx context.Context, code string) (p Page, err error) {
	q := s.DB.Q()
	if p.Class, err = q.ClassByCode(ctx, nursery.CleanCode(code)); err != nil {
		return p, err
	}
	ls, err := q.Learners(ctx, p.Class.ID)
	if err != nil {
		return p, err
	}
	if p.Tools, err = q.ClassTools(ctx, p.Class.ID); err != nil {
		return p, err
	}
	p.State = StateOf(p.Class)
	reasons := map[learning.Says]int{}
	right, early := 0, 0
	for _, l := range ls {
		x := s.seat(p.Class, l)
		p.Seats = append(p.Seats, x)
		if x.WaitsSince != nil {
			p.Queue = append(p.Queue, x)
		}
		for i, ok := range x.Course.First {
			p.Tries++
			if i < 3 {
				p.EarlyOf++
			}
			if ok {
				right++
				if i < 3 {
					early++
				}
			}
		}
		for k, n := range x.Course.Reasons {
			reasons[k] += n
		}
		if x.ClearedAt != nil {
			p.Cleared++
		}
		p.Bound, p.Planned, p.Alive = p.Bound+l.Bound, p.Planned+l.Planned, p.Alive+l.Alive
		for _, t := range l.Tags {
			if t.Counted {
				p.Counted, p.Took = p.Counted+t.Tied, p.Took+t.Taken
			}
			if !slices.Contains(p.Lots, t.Lot) {
				p.Lots = append(p.Lots, t.Lot)
			}
			if !slices.Contains(p.Bundles, t.Bundle) {
				p.Bundles = append(p.Bundles, t.Bundle)
			}
		}
	}
	slices.SortStableFunc(p.Queue, func(a, b Seat) int { return a.WaitsSince.Compare(*b.WaitsSince) })
	even := sizing.Beta{Alpha: 1, Beta: 1}
	p.FirstRight = right
	p.Right, p.Early = even.And(right, p.Tries).Interval90(), even.And(early, p.EarlyOf).Interval90()
	for _, k := range learning.All {
		if n := reasons[k]; n > 0 {
			p.Reasons = append(p.Reasons, Reason{k, n})
		}
	}
	slices.SortStableFunc(p.Reasons, func(a, b Reason) int { return cmp.Compare(b.N, a.N) })
	for _, t := range p.Tools {
		if t.In != nil {
			p.Missing += max(0, t.Out-*t.In)
		}
	}
	if p.Class.ClosedAt != nil {
		p.Erase = p.Class.ClosedAt.Add(NamesKept)
	}
	return p, nil
}

// WholeClass adds to a board what stands beside it: its curve, its cautions, its steps and what it takes
// along.
func (s *Stage) WholeClass(ctx context.Context, code string) (Page, error) {
	p, err := s.ClassBoard(ctx, code)
	if err != nil {
		return p, err
	}
	var all [][]bool
	longest := p.Class.Cans
	for _, x := range p.Seats {
		all, longest = append(all, x.Course.First), max(longest, len(x.Course.First))
	}
	prior, err := nursery.Heavy(ctx, s.Kernel, func() (learning.Prior, error) { return learning.Class(all), nil })
	if err != nil {
		return p, err
	}
	anybody := learning.Read(nil, prior)
	for k := 1; k <= longest; k++ {
		p.Curve = append(p.Curve, CurvePoint{k, anybody.At(k)})
	}
	p.Tried = tried(all)
	p.ByLuck = Bar(p.Class).Passes(slowRight, p.Class.Cans)
	f, err := s.Facts(ctx)
	if err != nil {
		return p, err
	}
	h := f.Answers()
	p.Technique, _ = f.Technique(p.Class.Technique)
	p.Steps, p.Cautions = words.CardSteps(p.Class.Technique, h, false, 1), words.ClassCautions(h)
	p.Workers = f.Workers()
	if p.Stock, p.Wood, err = s.DB.Q().ClassStems(ctx, p.Class.ID); err != nil {
		return p, err
	}
	genus := ""
	for _, l := range f.Lots {
		if slices.Contains(p.Lots, l.Code) {
			genus = l.Genus
		}
	}
	p.Warm = WarmUpWood{Unions: p.Class.Warmups * p.Class.Learners, Genera: learning.Practice(genus)}
	p.Warm.Metres = learning.PracticeMetres(p.Warm.Unions)
	if p.Stock > 0 && p.Wood > 0 {
		if side, err := union.SideBy(p.Class.Technique, union.Stems{Stock: p.Stock, Scion: min(p.Wood, p.Stock)},
			outlook.FaceWay(f.Way(outlook.WayFace)), outlook.MannerOf(f)); err == nil {
			p.Sides = append(p.Sides, side)
		}
	}
	return p, nil
}

// tried counts first tries by doublings.
func tried(all [][]bool) (out []Tried) {
	for from := 1; ; from *= 2 {
		t := Tried{From: from, To: 2*from - 1}
		for _, first := range all {
			for k := from; k <= t.To && k <= len(first); k++ {
				t.Of++
				if first[k-1] {
					t.N++
				}
			}
		}
		if t.Of == 0 {
			return out
		}
		t.Right = sizing.Beta{Alpha: 1, Beta: 1}.And(t.N, t.Of).Interval90()
		out = append(out, t)
	}
}

// PlacePage is a learner's own.
type PlacePage struct {
	Page
	Seat  Seat
	Own   []CurvePoint // their own curve
	Now   sizing.Interval
	Shown []store.Verdict // newest first
}

// Seat gathers a learner's page.
func (s *Stage) Seat(ctx context.Context, code string, place int) (PlacePage, error) {
	w, err := s.WholeClass(ctx, code)
	p := PlacePage{Page: w}
	if err != nil {
		return p, err
	}
	i := slices.IndexFunc(w.Seats, func(x Seat) bool { return x.Place == place })
	if i < 0 {
		return p, nursery.ErrNotFound
	}
	p.Seat = w.Seats[i]
	var all [][]bool
	for _, x := range w.Seats {
		all = append(all, x.Course.First)
	}
	me := learning.Read(p.Seat.Course.First, learning.Class(all))
	for k := 1; k <= max(w.Class.Cans, len(p.Seat.Course.First)); k++ {
		p.Own = append(p.Own, CurvePoint{k, me.At(k)})
	}
	p.Now = me.At(len(p.Seat.Course.First) + 1)
	p.Shown = slices.Clone(p.Seat.Looks)
	slices.Reverse(p.Shown)
	return p, nil
}

// LiveClasses are the classes that are under way, for those at the bench.
func (s *Stage) LiveClasses(ctx context.Context) (out []store.Class, err error) {
	cs, err := s.DB.Q().ClassesKept(ctx)
	for _, c := range cs {
		if c.ClosedAt == nil && c.OffAt == nil && !c.Day.After(s.Today().AddDate(0, 0, 7)) {
			out = append(out, c)
		}
	}
	return out, err
}

// ClassTechnique gives a technique by its key.
func (s *Stage) ClassTechnique(ctx context.Context, key string) (technique.Technique, error) {
	f, err := s.Facts(ctx)
	if err != nil {
		return technique.Technique{}, err
	}
	t, _ := f.Technique(key)
	return t, nil
}
