// Package family reckons trees of several unions: a tree of three varieties is good when each of
// them lives on it.
package family

import (
	"fmt"
	"math"

	"unionknot/internal/core/sizing"
)

// Limb is one variety on each of some trees alike, and what is believed of its grafts.
type Limb struct {
	Grafts int         // of it on each tree
	Take   sizing.Beta // of one graft
}

// dies is the expected n-th power of the chance that a graft dies: all of n die.
func dies(b sizing.Beta, n int) float64 {
	p := 1.0
	for k := range n {
		p *= (b.Beta + float64(k)) / (b.Alpha + b.Beta + float64(k))
	}
	return p
}

// Lives is the chance, 0 to 1, that one graft at least of a limb lives. Grafts of a limb share one
// take that nobody knows, so a second one brings less than it would alone.
func (l Limb) Lives() float64 { return 1 - dies(l.Take, l.Grafts) }

// Chance is the chance, 0 to 1, that a tree is good: the product over its limbs. What is not known
// of one variety's take is taken to tell nothing of another's.
func Chance(ls []Limb) float64 {
	p := 1.0
	for _, l := range ls {
		p *= l.Lives()
	}
	return p
}

// Good is the belief in the share of good trees, as the beta with its mean and variance.
func Good(ls []Limb) sizing.Beta {
	mean, square := 1.0, 1.0
	for _, l := range ls {
		mean *= l.Lives()
		square *= 1 - 2*dies(l.Take, l.Grafts) + dies(l.Take, 2*l.Grafts)
	}
	v := square - mean*mean
	if mean <= 0 || mean >= 1 || v <= 1e-12 {
		return sizing.Prior(math.Min(1-1e-9, math.Max(1e-9, mean)), 1e6)
	}
	return sizing.Prior(mean, mean*(1-mean)/v-1)
}

// Start is the least number of trees to begin so that at least want of them are good and come to be
// fit to sell, with a chance; fit is the belief in the share of good trees that do.
// sizing.ErrNever: no number does.
func Start(want int, chance float64, ls []Limb, fit sizing.Beta) (int, error) {
	n, err := sizing.Grafts(want, chance, Good(ls).Times(fit))
	if err != nil {
		return 0, fmt.Errorf("%d trees of %d varieties: %w", want, len(ls), err)
	}
	return n, nil
}

// Fewest is the least number of grafts on each limb of one tree with which it is good with a
// chance: the next graft goes where it brings most, which is best since each brings less than the
// one before it. most bounds each limb; ok is false where that does not do.
func Fewest(takes []sizing.Beta, chance float64, most int) (ns []int, ok bool) {
	ls := make([]Limb, len(takes))
	ns = make([]int, len(takes))
	for i, t := range takes {
		ls[i], ns[i] = Limb{1, t}, 1
	}
	for Chance(ls) < chance {
		best, by := -1, 0.0
		for i, l := range ls {
			if l.Grafts >= most {
				continue
			}
			if r := (Limb{l.Grafts + 1, l.Take}).Lives() / math.Max(1e-12, l.Lives()); best < 0 || r > by {
				best, by = i, r
			}
		}
		if best < 0 {
			return ns, false
		}
		ls[best].Grafts++
		ns[best]++
	}
	return ns, true
}
