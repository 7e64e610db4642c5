package supply

import (
	"fmt"

	"unionknot/internal/core/sizing"
)

// Of is an order's grafts of one technique that nobody has counted, with what is
// expected of them.
type Of struct {
	Rest    int // in batches, on no tag yet
	Bench   int // on tags that are not finished
	Healing int // tied on tags that are
	Take    sizing.Beta
}

// Doubtful is what is believed of a graft that a count called doubtful: one in
// two lives, as weakly held as four grafts would show it. House default.
var Doubtful = sizing.Prior(0.5, 4)

// Account is every graft made for an order, and what is believed of them.
type Account struct {
	Wanted                int // trees
	Alive, Doubtful, Dead int // by the counts that stand
	Gone                  int // of those alive, delivered: they made the grade
	Below                 int // grade, alive: not the order's
	Elsewhere             int // of its grafts, sold or planted for others
	Borrowed              int // of those delivered, from other orders' grafts
	Of                    []Of
	Grade                 sizing.Beta // of those that live, lifted and making the grade
	More                  sizing.Beta // what is expected of a graft still to be made
	Chance                float64     // of having the trees, that is planned with
	Planned               int         // grafts put into batches, whatever became of them
}

// Balance is how an order stands by what was seen of its grafts.
type Balance struct {
	Wanted, Alive, Doubtful, Dead int
	Rest, Bench, Healing          int
	Delivered, Owed               int             // of Alive; of the trees wanted
	Below, Elsewhere, Borrowed    int             // as in Account
	Expected                      sizing.Interval // trees of what there is
	Chance                        float64         // of the trees wanted, of what there is
	ToGo                          int             // grafts to make for the chance planned with
	Low, High                     int             // of ToGo, at the top and at the foot of the take's range
	Fresh                         int             // grafts that the order would want were nothing made
	// Fell is how many grafts more are to go than what was planned leaves: what
	// counts, dead tags and short finishes added.
	Fell int
	// Met says that those counted alive alone give the trees with the chance
	// planned with; Spare how many grafts in batches nobody has begun.
	Met bool
}

// Made is how many grafts were made for it or are in batches.
func (b Balance) Made() int {
	return b.Alive - b.Borrowed + b.Below + b.Elsewhere + b.Doubtful + b.Dead + b.Rest + b.Bench + b.Healing
}

// Grafts is how many it takes in all: those made, and those to go.
func (b Balance) Grafts() int { return b.Made() + b.ToGo }

// sized is the account as the core sums it, with takes moved where by is set.
func (a Account) sized(by func(sizing.Beta) sizing.Beta) sizing.Balance {
	s := sizing.Balance{Alive: a.Alive - a.Gone, Grade: a.Grade}
	for _, o := range a.Of {
		s.Groups = append(s.Groups, sizing.Group{N: o.Rest + o.Bench + o.Healing, Take: by(o.Take)})
	}
	s.Groups = append(s.Groups, sizing.Group{N: a.Doubtful, Take: Doubtful})
	return s
}

// Balance works out how an order stands. sizing.ErrNever: no number of grafts
// gives the chance.
func (a Account) Balance() (Balance, error) {
	b := Balance{Wanted: a.Wanted, Alive: a.Alive, Doubtful: a.Doubtful, Dead: a.Dead, Delivered: a.Gone,
		Owed: max(0, a.Wanted-a.Gone), Below: a.Below, Elsewhere: a.Elsewhere, Borrowed: a.Borrowed}
	for _, o := range a.Of {
		b.Rest, b.Bench, b.Healing = b.Rest+o.Rest, b.Bench+o.Bench, b.Healing+o.Healing
	}
	as := func(t sizing.Beta) sizing.Beta { return t }
	s := a.sized(as)
	wanted, gone := max(0, a.Wanted-a.Gone), float64(a.Gone)
	b.Expected, b.Chance = s.Interval90(), s.Chance(wanted)
	b.Expected.Mean, b.Expected.Low, b.Expected.High = b.Expected.Mean+gone, b.Expected.Low+gone, b.Expected.High+gone
	var err error
	if b.ToGo, err = s.ToGo(wanted, a.Chance, a.More); err != nil {
		return b, fmt.Errorf("what is to go: %w", err)
	}
	if b.Fresh, err = (sizing.Balance{Grade: a.Grade}).ToGo(a.Wanted, a.Chance, a.More); err != nil {
		return b, fmt.Errorf("the whole order: %w", err)
	}
	b.Low, b.High = b.ToGo, b.ToGo
	for _, x := range []struct {
		p    float64
		into *int
	}{{0.95, &b.Low}, {0.05, &b.High}} {
		known := func(t sizing.Beta) sizing.Beta { return sizing.Prior(t.Quantile(x.p), certain) }
		if n, err := a.sized(known).ToGo(wanted, a.Chance, known(a.More)); err == nil {
			*x.into = n
		}
	}
	if a.Planned > 0 {
		b.Fell = max(0, b.ToGo-max(0, b.Fresh-a.Planned))
	}
	b.Met = a.Alive > 0 && sizing.Balance{Alive: a.Alive - a.Gone, Grade: a.Grade}.Chance(wanted) >= a.Chance
	return b, nil
}

// certain is the weight at which a take is as good as known.
const certain = 1e7
