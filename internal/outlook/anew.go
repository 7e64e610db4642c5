package outlook

import (
	"math"
	"slices"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/rehearsal"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/take"
	"unionknot/internal/store"
)

// Anew is the season played by another plan: the same orders, counts and beliefs, the grafts that
// are to be made as a plan of work has them, for these hands. Effects and windows keep their
// places; what the plan brings beside comes after them, drawn by itself.
func (p Played) Anew(work benchday.Problem, hands []Hand, plan benchday.Plan) rehearsal.Season {
	was := p.by
	d := *was.d
	d.Work, d.Hands = work, hands
	b := playing{r: was.r, d: &d, l: was.l, kept: was.kept, lines: was.lines, order: was.order, effect: map[take.Named]int{},
		window: map[Shutting]int{},
		merged: map[mergedJob]int{}}
	b.p = Played{Orders: p.Orders, Effects: slices.Clone(p.Effects), Windows: slices.Clone(p.Windows), Work: work, Plan: plan, From: p.From}
	for i, n := range p.Effects {
		b.effect[n] = i
	}
	for i, w := range p.Windows {
		b.window[w] = i
	}
	n := len(p.Orders)
	b.p.Unwoven, b.p.Unplaced, b.p.Summer = make([]int, n), make([]int, n), make([]int, n)
	s := &b.p.Season
	s.Orders, s.Later, s.Joint = p.Season.Orders, p.Season.Later, p.Season.Joint
	s.Effects, s.Windows = slices.Clone(p.Season.Effects), slices.Clone(p.Season.Windows)
	b.hands()
	for i, j := range p.Season.Jobs {
		if x := p.Jobs[i]; x.State != JobBench && x.State != JobSummer {
			b.add(j, j.Grafts, x)
		}
	}
	b.planned()
	for i := len(p.Effects); i < len(b.p.Effects); i++ {
		b.alone(i)
	}
	return b.p.Season
}

// Helper is somebody taken on, who knows all that is to be done and works at the house's pace as
// far as that can be known beforehand, for so many working days from the next half-day on.
func (d *Diary) Helper(days int) (Hand, benchday.Hand) {
	h := Hand{Person: store.Person{ID: helperID}, Knows: map[string]bool{}, Speed: sizing.Interval{Mean: 1, Low: 1 - helperPace, High: 1 +
		helperPace}}
	x := benchday.Hand{ID: "one more", Speed: 1, Knows: h.Knows, Hours: make([]float64, d.Work.Slots)}
	for _, j := range d.Work.Jobs {
		h.Knows[j.Technique] = true
	}
	for weekday := 1; weekday <= 5; weekday++ {
		h.Week[weekday] = [3]float64{0, MorningHours, AfternoonHours}
	}
	first := (d.Now + 2) / 2 * 2 // the next morning
	for slot := first; slot < d.Work.Slots && days > 0; slot++ {
		if day, half := d.Day(slot); h.HoursOn(day, half) > 0 {
			x.Hours[slot] = benchday.Usable(h.HoursOn(day, half))
			if half == 2 {
				days--
			}
		}
	}
	return h, x
}

// House defaults of a helper: nobody's number, and how far their pace may lie from the house's
// either way in nine of ten.
const (
	helperID   = -1
	helperPace = 0.35
)

// Longer is the work with everybody an hour and more longer on each afternoon until a half-day,
// and the hours that come to.
func (d *Diary) Longer(more float64, until int) (work benchday.Problem, hours float64) {
	work = d.Work
	work.Hands = slices.Clone(d.Work.Hands)
	for i := range work.Hands {
		work.Hands[i].Hours = slices.Clone(work.Hands[i].Hours)
		for s := d.Now; s <= until && s < work.Slots; s++ {
			day, half := d.Day(s)
			if there := d.Hands[i].HoursOn(day, half); half == 2 && there > 0 {
				with := d.HoursLeft(s, there+more) // of a half-day that is running, only what is left
				work.Hands[i].Hours[s] = benchday.Usable(with)
				hours += with - d.HoursLeft(s, there)
			}
		}
	}
	return work, hours
}

// Sooner is the work with an order's jobs due so many working days earlier than they are, and
// before all others.
func (d *Diary) Sooner(order string, days int) (work benchday.Problem, some bool) {
	work = d.Work
	work.Jobs = slices.Clone(d.Work.Jobs)
	for i := range work.Jobs {
		if d.orderOf(i) != order {
			continue
		}
		j := &work.Jobs[i]
		earlier := max(j.Earliest, j.Latest-2*int(math.Ceil(float64(days)*7/5)))
		some = some || earlier < j.Latest
		j.Latest, j.Weight = earlier, soonerWeight*j.Weight
	}
	return work, some
}

// soonerWeight is how much more a late graft of an order weighs that is to come first. House
// default.
const soonerWeight = 4

// orderOf is the order that a job is for.
func (d *Diary) orderOf(job int) string {
	if w, ok := d.Woven[job]; ok {
		return w.Order
	}
	if k, ok := d.TagOf[job]; ok {
		return d.Tags[k].Order
	}
	if rs := d.Rest[job]; len(rs) > 0 {
		return rs[0].Order
	}
	return ""
}
