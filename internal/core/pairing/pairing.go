// Package pairing decides which stems get which pieces of wood, and by which
// technique: the weave.
//
// Costs are in grafts: a cost of 0.1 is a tenth of a graft expected lost.
package pairing

import (
	"errors"
	"fmt"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/technique"
)

// Way is a technique as the weave needs it. Joins says whether it joins a
// pair of classes, and Misfit, asked only when it does not, why; Cost is what
// a graft by it costs, 0 or more.
type Way struct {
	Key    string
	Joins  func(stock, scion caliper.Class) bool
	Misfit func(stock, scion caliper.Class) technique.Misfit
	Cost   func(stock, scion caliper.Class) float64
	// Pieces is how many a stem takes, all of one bundle's class; 0 is 1.
	Pieces int
	// Unfit gives what keeps a bundle's pieces from it, by their buds and
	// state; nil where it takes any bundle.
	Unfit func(bundle string) technique.Misfit
	// UnfitLot gives what keeps a lot's stems from it, by where they stand; nil
	// where it takes any lot.
	UnfitLot func(lot string) technique.Misfit
}

// Pile is the stems of a lot that are free, all of one stock type; or the
// pieces of a bundle, all of one variety. Of names the type or the variety.
type Pile struct {
	ID      string
	Of      string
	Risk    float64 // added to the cost of each graft from it
	Classes []caliper.Count
}

// Order is what is to be paired: so many grafts of a variety on a stock type,
// what leaving one out costs, and the ways that are open to it.
type Order struct {
	ID       string
	Variety  string
	Stock    string
	Grafts   int
	Shortage float64
	Ways     []Way
	Shut     technique.Standing // when Ways is empty, how the best stands; zero for not known
}

// Programme is everything that is to be paired at once.
type Programme struct {
	Orders []Order
	Stock  []Pile
	Wood   []Pile
	Held   []Thread // as they are to be: their counts are taken first; Cost is not read, and Way may be empty
	Banned []Pair
}

// Pair names threads. An empty name and a class of 0 stand for all.
type Pair struct {
	Order, Lot, Bundle string
	Stock, Scion       caliper.Class
}

func (p Pair) covers(order, lot, bundle string, s, c caliper.Class) bool {
	return (p.Order == "" || p.Order == order) && (p.Lot == "" || p.Lot == lot) && (p.Bundle == "" || p.Bundle == bundle) &&
		(p.Stock == 0 || p.Stock == s) && (p.Scion == 0 || p.Scion == c)
}

// Thread is a number of grafts between one lot class and one bundle class.
type Thread struct {
	Order  string
	Lot    string
	Stock  caliper.Class
	Bundle string
	Scion  caliper.Class
	Way    string
	N      int     // stems
	Each   int     // pieces a stem
	Cost   float64 // of one graft
	Held   bool
}

// Pieces is how many pieces it takes.
func (t Thread) Pieces() int { return t.N * max(1, t.Each) }

// Filled is what an order got.
type Filled struct {
	Order         string
	Paired, Short int
}

// Left is what was not used of a class, and why.
type Left struct {
	Pile  string
	Class caliper.Class
	N     int
	Why   Reason
}

// Weave is the pairing of a programme.
type Weave struct {
	Threads   []Thread
	Orders    []Filled
	Paired    int
	Short     int
	Cost      float64 // of all threads and of what is short
	Bound     float64 // no weave costs less, with what is held and banned
	LeftStock []Left
	LeftWood  []Left // in pieces

	shortage []float64 // of each order
}

// ErrCount says that an instance has a count or a diameter below zero.
var ErrCount = errors.New("a count or a diameter is below zero")

// ErrHeld says that a held thread cannot be; a HeldError says which and why.
var ErrHeld = errors.New("cannot be held")

// ErrNamed says that a name stands twice, or that one is asked for that is
// not there.
var ErrNamed = errors.New("name")

// Solve pairs a programme at least cost. Where no variety is wanted on
// several stocks the weave is a flow, and the answer is the cheapest there is;
// elsewhere Cost is seldom as much as a thousandth over Bound.
//
// Where stems of one variety's orders take different numbers of pieces, each is
// first given as many as any takes; what that leaves over is woven again, in the
// end by what takes fewer, until nothing more goes together. Bound then is as if
// each took one.
func Solve(p Programme) (Weave, error) {
	w, err := solve(p)
	if err != nil || !p.mixed() {
		return w, err
	}
	single, err := solve(p.single())
	if err != nil {
		return w, err
	}
	for most := p.most(); w.Short > 0; {
		more, err := solve(p.after(w).upTo(most))
		if err != nil {
			return w, err
		}
		if more.Paired > 0 {
			w.add(more)
			continue
		}
		if most--; most == 0 {
			break
		}
	}
	// What is left is told as it stands after all of them.
	rest, err := solve(p.after(w))
	w.LeftStock, w.LeftWood = rest.LeftStock, rest.LeftWood
	w.Bound = single.Bound
	return w, err
}

// solve pairs a programme in which a piece is worth as much to every order.
func solve(p Programme) (Weave, error) {
	w := Weave{}
	m, err := merge(p)
	if err != nil {
		return w, err
	}
	if err := m.hold(&w); err != nil {
		return w, err
	}
	m.join()
	whole, bound := m.whole(m.begin())
	m.unravel(&w, whole)
	w.Bound += bound
	m.count(&w)
	m.left(&w)
	return w, nil
}

func (p Programme) check() error {
	seen := map[string]bool{}
	for _, o := range p.Orders {
		if o.Grafts < 0 {
			return fmt.Errorf("order %s: %d grafts wanted: %w", o.ID, o.Grafts, ErrCount)
		}
		if seen["o"+o.ID] {
			return fmt.Errorf("%w: order %s stands twice", ErrNamed, o.ID)
		}
		seen["o"+o.ID] = true
	}
	for kind, ps := range map[string][]Pile{"lot": p.Stock, "bundle": p.Wood} {
		for _, pile := range ps {
			if seen[kind+pile.ID] {
				return fmt.Errorf("%w: %s %s stands twice", ErrNamed, kind, pile.ID)
			}
			seen[kind+pile.ID] = true
			for _, c := range pile.Classes {
				if c.N < 0 || c.Class < 0 {
					return fmt.Errorf("%s %s, %s mm: %d: %w", kind, pile.ID, c.Class, c.N, ErrCount)
				}
			}
		}
	}
	return nil
}
