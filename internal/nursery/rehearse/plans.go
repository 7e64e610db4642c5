package rehearse

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/rehearsal"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
)

// replanned is the season by another plan of the days: for hours or a hand more, or with one
// order first. It touches all orders.
type replanned struct {
	Lever
	only   int // the order that it is made for; below 0 for all
	season rehearsal.Season
	out    rehearsal.Answer
}

// key tells plans apart.
func (r replanned) key() string { return fmt.Sprint(r.Kind, r.N, r.only) }

// House defaults of plans that are tried.
const (
	leastMissed = 0.5 // grafts expected to be late or on no day, for another plan to be worth a try
	mostSooner  = 6   // orders that are tried first, those with the most late grafts
)

// hoursMore and helperDays are what is tried of each. House default.
var (
	hoursMore  = []float64{1, 2}
	helperDays = []int{2, 5, 10, 20}
)

// replans makes the days anew with what could be changed in them, and plays each.
func (x *Rehearsed) replans(p outlook.Played, w outlook.Worth, base rehearsal.Answer) (out []replanned, err error) {
	d, late := p.Diary, 0.0
	for i, o := range x.Orders {
		late += o.Out.Late + float64(p.Unplaced[i])
	}
	if late < leastMissed || len(d.Work.Jobs) == 0 {
		return nil, nil
	}
	try := func(l Lever, only int, work benchday.Problem, hands []outlook.Hand) error {
		plan, err := benchday.Solve(work)
		if err != nil {
			return fmt.Errorf("planning the days anew: %w", err)
		}
		r := replanned{Lever: l, only: only, season: p.Anew(work, hands, plan)}
		if r.out, err = rehearsal.Play(r.season, leverSeasons, rehearsal.Seed, rehearsal.Nothing); err != nil {
			return fmt.Errorf("playing another plan: %w", err)
		}
		r.Plan, r.From, r.To = true, base.AllMet, r.out.AllMet
		if only >= 0 {
			r.Order, r.at, r.From, r.To = p.Orders[only].Code, only, base.Orders[only].Met, r.out.Orders[only].Met
		}
		r.change = func(s *rehearsal.Season) { *s = whole(r.season) }
		out = append(out, r)
		return nil
	}
	last := d.Now
	for _, c := range p.Plan.Pieces {
		last = max(last, c.Slot)
	}
	for _, u := range p.Plan.Unplaced {
		last = max(last, min(d.Work.Jobs[u.Job].Latest, d.Work.Slots-1))
	}
	wage := float64(w.WageCents)
	for _, more := range hoursMore {
		work, hours := d.Longer(more, last)
		if hours > 0 {
			l := Lever{Kind: Hour, N: int(more), Cents: int(math.Round(hours * overtime * wage)), Path: "/bench/hands"}
			if err := try(l, -1, work, d.Hands); err != nil {
				return nil, err
			}
		}
	}
	for _, days := range helperDays {
		hand, at := d.Helper(days)
		work := d.Work
		work.Hands = append(slices.Clone(d.Work.Hands), at)
		work.Seats++
		hours := 0.0
		for slot := range at.Hours {
			if at.Hours[slot] > 0 {
				day, half := d.Day(slot)
				hours += hand.HoursOn(day, half)
			}
		}
		l := Lever{Kind: Helper, N: days, Cents: int(math.Round(hours * wage)), Path: "/bench/hands"}
		if err := try(l, -1, work, append(slices.Clone(d.Hands), hand)); err != nil {
			return nil, err
		}
	}
	for _, i := range x.latest(p) {
		code := p.Orders[i].Code
		if work, some := d.Sooner(code, daysEarlier); some {
			if err := try(Lever{Kind: Earlier, N: daysEarlier, Path: "/bench/days"}, i, work, d.Hands); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}

// OtherPlan is another plan of the days, and how many orders it meets on the mean.
type OtherPlan struct {
	Lever
	Met float64
}

// OtherPlans are the plans that were tried and meet more orders, those that meet most first; of
// those that meet about as many the cheapest.
func (x Rehearsed) OtherPlans() (out []OtherPlan) {
	for _, r := range x.plans {
		if met := x.Met() + r.out.Met() - x.base; met > x.Met()+leastSet {
			out = append(out, OtherPlan{r.Lever, met})
		}
	}
	slices.SortStableFunc(out, func(a, b OtherPlan) int {
		if math.Abs(a.Met-b.Met) < leastSet {
			return a.Cents - b.Cents
		}
		return cmp.Compare(b.Met, a.Met)
	})
	return out
}

// latest are the orders with the most grafts expected to be late, the most first.
func (x *Rehearsed) latest(p outlook.Played) []int {
	at := map[string]float64{}
	for _, o := range x.Orders {
		at[o.Order.Code] = o.Out.Late
	}
	var out []int
	for i, o := range p.Orders {
		if at[o.Code] >= leastMissed {
			out = append(out, i)
		}
	}
	slices.SortStableFunc(out, func(a, b int) int { return cmp.Compare(at[p.Orders[b].Code], at[p.Orders[a].Code]) })
	return out[:min(len(out), mostSooner)]
}

// forOrder is what other plans bring an order.
func forOrder(rs []replanned, o store.Order, at int, base float64) (out []Lever) {
	for _, r := range rs {
		if r.only >= 0 && r.only != at {
			continue
		}
		l := r.Lever
		l.at, l.Order, l.From, l.To = at, o.Code, base, r.out.Orders[at].Met
		if l.Gain() >= leastGain {
			out = append(out, l)
		}
	}
	return out
}
