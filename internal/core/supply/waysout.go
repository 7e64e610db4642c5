package supply

import (
	"cmp"
	"fmt"
	"math"
	"slices"
)

// Lack is a means that an order lacks.
type Lack int

// The means of an order.
const (
	Wood Lack = iota
	Stock
	Hands
	Window
	lacks
)

// Lacks is how many of an order's grafts lack each of its means. They are taken
// to be the same grafts as far as they go: what lacks wood lacks hands too.
type Lacks [lacks]int

// All is how many grafts lack something.
func (l Lacks) All() int { return slices.Max(l[:]) }

// Remedy is a way to make up for lacks of some grafts, at a price each.
type Remedy struct {
	Meets []Lack
	Most  int     // grafts it can cover
	Cents float64 // a graft
}

func (r Remedy) meets(l Lack) bool { return slices.Contains(r.Meets, l) }

// whole says that it meets more than one lack at once: such a graft is out of
// the order's ordinary way.
func (r Remedy) whole() bool { return len(r.Meets) > 1 }

// Part is so many grafts of a remedy, by its place in the list.
type Part struct{ Remedy, Grafts int }

// Combination is remedies that together meet all that an order lacks.
type Combination struct {
	Parts []Part
	Cents float64
}

// Combine finds combinations that meet all lacks, the cheapest sum first, no two
// of the same remedies. Prices are by the graft, so that within a lack the
// cheapest goes first as far as it goes; which remedy begins, and how many
// grafts leave the ordinary way altogether, is tried out: the best number is
// one at which some lack is met, or comes down to what its cheaper remedies
// cover.
func Combine(l Lacks, rs []Remedy) []Combination {
	type start struct {
		whole  int // a remedy of several lacks, −1 for none
		grafts int
	}
	starts := []start{{-1, 0}}
	for i, r := range rs {
		if !r.whole() {
			continue
		}
		seen := map[int]bool{}
		for _, n := range turns(l, rs) {
			if k := min(n, r.Most); k > 0 && !seen[k] {
				seen[k] = true
				starts = append(starts, start{i, k})
			}
		}
	}
	var out []Combination
	at := map[string]int{}
	for _, s := range starts {
		left := l
		var begun Combination
		if s.whole >= 0 {
			begun.add(s.whole, s.grafts, rs)
			for k := range left {
				if rs[s.whole].meets(Lack(k)) {
					left[k] = max(0, left[k]-s.grafts)
				}
			}
		}
		for _, c := range fill(begun, left, rs, 0) {
			slices.SortFunc(c.Parts, func(a, b Part) int { return a.Remedy - b.Remedy })
			names := ""
			for _, p := range c.Parts {
				names += fmt.Sprint(p.Remedy, " ")
			}
			if i, ok := at[names]; !ok {
				at[names] = len(out)
				out = append(out, c)
			} else if c.Cents < out[i].Cents {
				out[i] = c
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Combination) int {
		if math.Abs(a.Cents-b.Cents) > 0.5 {
			return cmp.Compare(a.Cents, b.Cents)
		}
		return len(a.Parts) - len(b.Parts)
	})
	return out
}

// turns are the numbers of grafts out of the ordinary way at which what a graft
// more saves changes.
func turns(l Lacks, rs []Remedy) []int {
	var out []int
	for k, n := range l {
		var own []Remedy
		for _, r := range rs {
			if !r.whole() && r.meets(Lack(k)) {
				own = append(own, r)
			}
		}
		slices.SortStableFunc(own, func(a, b Remedy) int { return cmp.Compare(a.Cents, b.Cents) })
		out = append(out, n)
		for _, r := range own {
			if n -= min(n, r.Most); n > 0 {
				out = append(out, n)
			}
		}
	}
	return out
}

func (c *Combination) add(remedy, grafts int, rs []Remedy) {
	c.Cents += float64(grafts) * rs[remedy].Cents
	c.Parts = append(slices.Clone(c.Parts), Part{remedy, grafts})
}

// fill meets what is left lack by lack, each remedy of a lack beginning once.
func fill(c Combination, left Lacks, rs []Remedy, from Lack) []Combination {
	for from < lacks && left[from] == 0 {
		from++
	}
	if from == lacks {
		return []Combination{c}
	}
	var own []int
	for i, r := range rs {
		if !r.whole() && r.meets(from) && r.Most > 0 {
			own = append(own, i)
		}
	}
	slices.SortStableFunc(own, func(a, b int) int { return cmp.Compare(rs[a].Cents, rs[b].Cents) })
	var out []Combination
	for _, first := range own {
		with, need := c, left[from]
		for _, i := range append([]int{first}, slices.DeleteFunc(slices.Clone(own), func(i int) bool { return i == first })...) {
			if n := min(need, rs[i].Most); n > 0 {
				with.add(i, n, rs)
				need -= n
			}
		}
		if need == 0 {
			out = append(out, fill(with, left, rs, from+1)...)
		}
	}
	return out
}
