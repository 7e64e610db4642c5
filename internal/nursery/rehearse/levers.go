package rehearse

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"unionknot/internal/core/rehearsal"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
)

// Kind is what a lever does.
type Kind string

// What levers do.
const (
	More    Kind = "more"    // more grafts of what is free
	Buy     Kind = "buy"     // stock or wood for what nothing is woven of
	Hand    Kind = "hand"    // its work to a better hand
	Earlier Kind = "earlier" // its work days earlier, before that of others
	Second  Kind = "second"  // a share to a second lot
	Helper  Kind = "helper"  // another hand for some days
	Again   Kind = "again"   // stocks whose graft fails are budded in summer
	Hour    Kind = "hour"    // everybody stays an hour longer
	Measure Kind = "measure" // a lot or wood is looked into first, and more is grafted only where it is poor
)

// Lever is a change that would raise an order's chance.
type Lever struct {
	Kind     Kind
	Order    string
	N        int    // grafts, stems or days
	Name     string // of the hand or lot
	From, To float64
	AllTo    float64 // of all orders together
	Cents    int     // what it costs
	Path     string  // where it is done
	Plan     bool    // the days are planned anew with it: it touches all orders, and there is one such in a set
	at       int     // of the order, among those played
	change   func(s *rehearsal.Season)
}

// Gain is by how much it raises its order's chance.
func (l Lever) Gain() float64 { return l.To - l.From }

// House defaults of levers.
const (
	leverSeasons = 4000
	leastGain    = 0.02 // that a lever must bring to be said
	daysEarlier  = 5    // working days
	overtime     = 1.5  // wages of an hour over the week's
	measureMore  = 20   // grafts added where what was looked into is poor
	measureNodes = 5
	secondShare  = 0.5 // of a lot's grafts
)

// steps are how many more grafts are tried.
var steps = []int{5, 10, 20, 40, 80, 160}

// levers looks for the best change for each order that is not safe, and reckons the best of each
// anew with all orders.
func (x *Rehearsed) levers(f *snapshot.Snapshot, r *outlook.OrderSizer, p outlook.Played, lines []outlook.OrderLine) error {
	// What a change adds to all orders together is reckoned on this.
	all, err := rehearsal.Play(p.Season, leverSeasons, rehearsal.Seed, rehearsal.Nothing)
	if err != nil {
		return fmt.Errorf("playing the season again: %w", err)
	}
	x.base = all.Met()
	if x.plans, err = x.replans(p, outlook.WorthOf(f.House), all); err != nil {
		return err
	}
	for i := range x.Orders {
		o := &x.Orders[i]
		want := f.House.Chance
		if o.Out.Met >= want {
			continue
		}
		sub := only(p.Season, i)
		base, err := rehearsal.Play(sub, leverSeasons, rehearsal.Seed, rehearsal.Nothing)
		if err != nil {
			return fmt.Errorf("playing order %s: %w", o.Order.Code, err)
		}
		found := forOrder(x.plans, o.Order, i, all.Orders[i].Met)
		for _, l := range candidates(f, r, p, lines[i], i, o.Out) {
			tried := only(p.Season, i)
			l.change(&tried)
			a, err := rehearsal.Play(tried, leverSeasons, rehearsal.Seed, rehearsal.Nothing)
			if err != nil {
				return fmt.Errorf("trying a change for order %s: %w", o.Order.Code, err)
			}
			l.at, l.Order, l.From, l.To = i, o.Order.Code, base.Orders[i].Met, a.Orders[i].Met
			if l.Gain() >= leastGain {
				found = append(found, l)
			}
		}
		if l, ok, err := measure(p, lines[i], i, o, base.Orders[i].Met, want, found); err != nil {
			return err
		} else if ok {
			found = append(found, l)
		}
		found = leanest(found, want)
		if len(found) == 0 {
			continue
		}
		best := found[0]
		o.Lever = &best
		x.Levers = append(x.Levers, found...)
	}
	for i := range x.Orders {
		if o := &x.Orders[i]; o.Lever != nil && o.Lever.change != nil {
			s := whole(p.Season)
			o.Lever.change(&s)
			a, err := rehearsal.Play(s, leverSeasons, rehearsal.Seed, rehearsal.Nothing)
			if err != nil {
				return fmt.Errorf("trying a change for all orders: %w", err)
			}
			o.Lever.To = math.Max(0, math.Min(1, o.Out.Met+a.Orders[i].Met-all.Orders[i].Met))
			o.Lever.From, o.Lever.AllTo = o.Out.Met, math.Min(1, x.AllMet+math.Max(0, a.AllMet-all.AllMet))
		}
	}
	slices.SortStableFunc(x.Levers, func(a, b Lever) int { return cmp.Compare(b.Gain(), a.Gain()) })
	return nil
}

// leanest keeps of each kind the least that reaches the chance wanted, or else the one that
// brings the most; what reaches it comes first, the cheapest of that first.
func leanest(ls []Lever, want float64) (out []Lever) {
	by := map[Kind]Lever{}
	for _, l := range ls {
		had, ok := by[l.Kind]
		switch {
		case !ok:
		case had.To >= want: // it suffices: only a cheaper one that does too
			if l.To < want || l.Cents >= had.Cents {
				continue
			}
		case l.To <= had.To:
			continue
		}
		by[l.Kind] = l
	}
	for _, l := range by {
		out = append(out, l)
	}
	slices.SortFunc(out, func(a, b Lever) int {
		if (a.To >= want) != (b.To >= want) {
			if a.To >= want {
				return -1
			}
			return 1
		}
		if a.To >= want {
			return cmp.Or(a.Cents-b.Cents, cmp.Compare(b.To, a.To), cmp.Compare(a.Kind, b.Kind))
		}
		return cmp.Or(cmp.Compare(b.To, a.To), a.Cents-b.Cents, cmp.Compare(a.Kind, b.Kind))
	})
	return out
}

// whole is a season whose jobs and effects may be changed.
func whole(s rehearsal.Season) rehearsal.Season {
	s.Jobs, s.Effects = slices.Clone(s.Jobs), slices.Clone(s.Effects)
	return s
}

// only is a season with the jobs of one order.
func only(s rehearsal.Season, order int) rehearsal.Season {
	out := s
	out.Jobs, out.Effects = nil, slices.Clone(s.Effects)
	for _, j := range s.Jobs {
		if j.Order == order {
			out.Jobs = append(out.Jobs, j)
		}
	}
	return out
}

// mine are the places of an order's jobs in a season that satisfy something.
func mine(s *rehearsal.Season, order int, is func(j rehearsal.Job) bool) (out []int) {
	for i, j := range s.Jobs {
		if j.Order == order && is(j) {
			out = append(out, i)
		}
	}
	return out
}

func toMake(j rehearsal.Job) bool { return j.Hand != rehearsal.Made }

// largest is the largest of an order's jobs that are to be made, or that grafts may be added to.
func largest(s *rehearsal.Season, order int) int {
	at := mine(s, order, toMake)
	if len(at) == 0 {
		at = mine(s, order, func(j rehearsal.Job) bool { return !j.Sure && len(j.Effects) > 0 })
	}
	if len(at) == 0 {
		return -1
	}
	return slices.MaxFunc(at, func(a, b int) int { return s.Jobs[a].Grafts - s.Jobs[b].Grafts })
}

// Set is changes within a sum, with what they bring together.
type Set struct {
	Levers   []Lever
	Cents    int
	From, To float64 // all orders met
	Met      float64 // orders met with it, on the mean
	Before   float64 // and without
}

// BestFor is Best, in its turn; it is kept until the season is played anew.
func (s *Stage) BestFor(ctx context.Context, x Rehearsed, cents int) (Set, error) {
	best := func() (Set, error) {
		return nursery.Heavy(context.WithoutCancel(ctx), s.Kernel, func() (Set, error) { return x.Best(cents) })
	}
	// Never the set of a season before: it is worked out at once.
	set, _, err := s.sets.Get(fmt.Sprint(cents, " ", x.At), "", best, best)
	return set, err
}

// Best is the set of changes, one for an order at most, that raises most how many orders are met
// within a sum in cents: those that cost nothing first, then what brings most for its money. It
// is sought on the plan as it is and on each other plan that was tried and that the sum allows,
// each set is played with all of it, and the one that meets most is the best.
func (x Rehearsed) Best(cents int) (Set, error) {
	none := Set{From: x.AllMet, To: x.AllMet}
	for _, o := range x.Orders {
		none.Before += o.Out.Met
	}
	none.Met = none.Before
	best := none
	seen := map[string]bool{}
	for _, plan := range append([]replanned{{only: -1}}, x.plans...) {
		if plan.Cents > cents || seen[plan.key()] {
			continue
		}
		seen[plan.key()] = true
		set := x.choose(plan, cents)
		if len(set.Levers) == 0 {
			continue
		}
		s := whole(x.played.Season)
		for _, l := range set.Levers {
			l.change(&s)
		}
		a, err := rehearsal.Play(s, x.Seasons, rehearsal.Seed, rehearsal.Nothing)
		if err != nil {
			return none, fmt.Errorf("playing a set of changes: %w", err)
		}
		set.From, set.Before, set.To, set.Met = none.From, none.Before, a.AllMet, a.Met()
		if set.Met > best.Met+leastSet || set.Met > best.Met-leastSet && len(best.Levers) > 0 && set.Cents < best.Cents {
			best = set
		}
	}
	return best, nil
}

// leastSet is by how many orders a set must be better to be dearer. House default.
const leastSet = 0.02

// choose fills a set with what the orders' own levers bring most for their money, beside a plan
// of the days that is first in it where it is another one.
func (x Rehearsed) choose(plan replanned, cents int) (out Set) {
	own := map[string]int{}
	if plan.Plan {
		out.Levers, out.Cents = append(out.Levers, plan.Lever), plan.Cents
	}
	gain := func(l Lever) float64 {
		if !plan.Plan {
			return l.Gain()
		}
		return l.To - math.Max(l.From, plan.out.Orders[l.at].Met)
	}
	// what depends on what is found, and plans
	ls := slices.DeleteFunc(slices.Clone(x.Levers), func(l Lever) bool { return l.change == nil || l.Plan })
	slices.SortStableFunc(ls, func(a, b Lever) int {
		return cmp.Compare(gain(b)/float64(max(1, b.Cents)), gain(a)/float64(max(1, a.Cents)))
	})
	hands := map[string]bool{}
	for _, l := range ls {
		if gain(l) < leastGain || l.Kind == Hand && hands[l.Name] { // their hours may not do for two
			continue
		}
		if i, ok := own[l.Order]; ok {
			// A dearer one for the same order, where it brings more and the sum allows it.
			had := out.Levers[i]
			if l.To <= had.To+leastGain || out.Cents-had.Cents+l.Cents > cents {
				continue
			}
			out.Cents += l.Cents - had.Cents
			if had.Kind == Hand {
				hands[had.Name] = false
			}
			out.Levers[i] = l
			hands[l.Name] = hands[l.Name] || l.Kind == Hand
			continue
		}
		if out.Cents+l.Cents > cents {
			continue
		}
		own[l.Order] = len(out.Levers)
		hands[l.Name] = hands[l.Name] || l.Kind == Hand
		out.Levers, out.Cents = append(out.Levers, l), out.Cents+l.Cents
	}
	return out
}
