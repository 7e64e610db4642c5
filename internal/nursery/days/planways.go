package days

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// PlanWay is a way out when tags are late, and what it does.
type PlanWay struct {
	Says  string
	Late  int // grafts that would still be late
	Saves int
	Cents int

	Working working.Working
}

// EachCents is what a graft brought in time costs.
func (w PlanWay) EachCents() float64 { return float64(w.Cents) / float64(max(1, w.Saves)) }

// reckoned adds a way's working.
func (w PlanWay) reckoned(base benchday.Plan, h store.House) PlanWay {
	w.Working = working.Working{Title: w.Says, Answer: words.Money(w.Cents), Rule: words.WaysOutOfALate,
		Says: words.TheDaysArePlannedAnew,
		Inputs: []working.Input{
			{
				Name:   words.LateAsItStands,
				Value:  fmt.Sprintf(words.NGraftsNHoursAt, base.Late, base.LateHours),
				Source: working.OwnRecords,
			},
			{Name: words.LateWithIt, Value: fmt.Sprintf("%d grafts", w.Late), Source: working.OwnRecords},
			{Name: words.CostHour, Value: words.Money(h.WageCents), Source: outlook.WorthOf(h).Source(outlook.WageOf)},
			{
				Name:   words.ATreeAndAYears,
				Value:  fmt.Sprintf(words.WorthAndShare, words.Money(h.TreeCents), words.Pct(h.DelayShare)),
				Source: outlook.WorthOf(h).Source(outlook.TreeOf, outlook.DelayOf),
			}}}
	return w
}

// House defaults of ways out of a late plan.
const (
	overtimeTimes  = 1.5 // wages of an hour over the week's
	learnHours     = 4.0 // practice before a technique is let near stock
	learnerSpeed   = 0.6
	helperMostDays = 30
	mostTaught     = 8 // lessons tried out
)

// PlanWays works out what would bring late grafts in time, each by planning
// anew with it, the cheapest a graft first.
func (s *Stage) PlanWays(ctx context.Context) ([]PlanWay, int, error) {
	f, err := s.Facts(ctx, outlook.DayNeeds...)
	if err != nil {
		return nil, 0, err
	}
	d := outlook.DiaryOf(f, false)
	late := 0
	ways, err := nursery.Heavy(ctx, s.Kernel, func() (ways []PlanWay, err error) {
		ways, late, err = planWays(d, f.House)
		return ways, err
	})
	return ways, late, err
}

func planWays(d *outlook.Diary, h store.House) ([]PlanWay, int, error) {
	base, err := benchday.Solve(d.Work)
	if err != nil || base.Late == 0 {
		return nil, 0, err
	}
	var out []PlanWay
	try := func(says string, cents func(plan benchday.Plan, p benchday.Problem) float64, change func(p *benchday.Problem)) error {
		p := d.Work
		p.Hands = slices.Clone(d.Work.Hands)
		change(&p)
		plan, err := benchday.Quick(p)
		if err != nil {
			return err
		}
		if saved := base.Late - plan.Late; saved > 0 {
			out = append(out, PlanWay{Says: says, Late: plan.Late, Saves: saved, Cents: int(cents(plan, p) + 0.5)}.reckoned(base, h))
		}
		return nil
	}
	wage := float64(h.WageCents)
	// Hours over the week's, for those who are there.
	for _, more := range []float64{1, 2} {
		extra := 0.0
		says := words.EverybodyStaysAnHourLonger
		if more > 1 {
			says = fmt.Sprintf(words.EverybodyStaysNHoursLonger, more)
		}
		if err := try(says, func(benchday.Plan, benchday.Problem) float64 { return extra * wage * overtimeTimes },
			func(p *benchday.Problem) {
				*p, extra = d.Longer(more, lastLate(d, base))
			}); err != nil {
			return nil, 0, err
		}
	}
	// One more pair of hands who knows all of it.
	if err := try(words.TakeOnOneMoreWorker,
		func(plan benchday.Plan, p benchday.Problem) float64 {
			hours := 0.0
			for _, c := range plan.Pieces {
				if c.Hand == len(d.Hands) {
					hours += c.Hours
				}
			}
			return hours * wage * 6 / 5 // breaks are paid
		}, func(p *benchday.Problem) {
			p.Hands = append(p.Hands, helper(d, base))
			p.Seats++
		}); err != nil {
		return nil, 0, err
	}
	// Teach what is late to those who do not know it, the most hours first.
	learners := make([]int, len(d.Hands))
	for i := range learners {
		learners[i] = i
	}
	slices.SortStableFunc(learners, func(a, b int) int { return cmp.Compare(d.Hands[b].WeekHours(), d.Hands[a].WeekHours()) })
	taught := 0
	for _, k := range lateTechniques(d, base) {
		for _, i := range learners {
			x := d.Hands[i]
			if x.Knows[k] || x.WeekHours() == 0 || taught == mostTaught {
				continue
			}
			taught++
			if err := try(fmt.Sprintf(words.TeachXToX, d.Names[k], x.Person.Name),
				func(benchday.Plan, benchday.Problem) float64 { return learnHours * 2 * wage }, func(p *benchday.Problem) {
					knows := map[string]bool{k: true}
					for t, ok := range p.Hands[i].Knows {
						knows[t] = ok || t == k
					}
					p.Hands[i].Knows = knows
					p.Hands[i].Speed *= (1 + learnerSpeed) / 2
				}); err != nil {
				return nil, 0, err
			}
		}
	}
	slices.SortStableFunc(out, func(a, b PlanWay) int { return cmp.Compare(a.EachCents(), b.EachCents()) })
	// What is left to summer costs half a year's growth of each.
	out = append(out, PlanWay{Says: words.LineThoseStocksOutAnd, Late: 0, Saves: base.Late,
		Cents: int(float64(base.Late) * float64(h.TreeCents) * h.DelayShare * outlook.SummerDelay)}.reckoned(base, h))
	slices.SortStableFunc(out, func(a, b PlanWay) int { return cmp.Compare(a.EachCents(), b.EachCents()) })
	return out, base.Late, nil
}

// lastLate is the last half-day in which something late is due.
func lastLate(d *outlook.Diary, p benchday.Plan) int {
	last := d.Now
	for _, c := range p.Pieces {
		if j := d.Work.Jobs[c.Job]; c.Slot > j.Latest {
			last = max(last, j.Latest)
		}
	}
	for _, l := range p.Unplaced {
		last = max(last, d.Work.Jobs[l.Job].Latest)
	}
	return min(last, d.Work.Slots-1)
}

func lateTechniques(d *outlook.Diary, p benchday.Plan) []string {
	var out []string
	for _, c := range p.Pieces {
		if j := d.Work.Jobs[c.Job]; c.Slot > j.Latest {
			out = append(out, j.Technique)
		}
	}
	for _, l := range p.Unplaced {
		out = append(out, d.Work.Jobs[l.Job].Technique)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// helper is a hand at the house's pace, Monday to Friday, until the last late
// tag is due.
func helper(d *outlook.Diary, base benchday.Plan) benchday.Hand {
	x := benchday.Hand{ID: "one more", Speed: 1, Knows: map[string]bool{}, Hours: make([]float64, d.Work.Slots)}
	for _, j := range d.Work.Jobs {
		x.Knows[j.Technique] = true
	}
	for s := d.Now; s <= min(lastLate(d, base), 2*helperMostDays); s++ {
		if day, half := d.Day(s); day.Weekday() != time.Saturday && day.Weekday() != time.Sunday {
			x.Hours[s] = benchday.Usable(d.HoursLeft(s, []float64{outlook.MorningHours, outlook.AfternoonHours}[half-1]))
		}
	}
	return x
}
