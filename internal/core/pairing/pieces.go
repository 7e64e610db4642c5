package pairing

import (
	"cmp"
	"slices"

	"unionknot/internal/core/caliper"
)

func (y Way) pieces() int { return max(1, y.Pieces) }

// each is the fewest pieces that a stem of the order takes.
func (o *want) each() int {
	k := 0
	for _, y := range o.Ways {
		if k == 0 || y.pieces() < k {
			k = y.pieces()
		}
	}
	return max(1, k)
}

// eachOf is the most pieces that a stem of a variety's orders takes.
func (p Programme) eachOf(variety string) int {
	k := 1
	for _, o := range p.Orders {
		if o.Variety == variety {
			for _, y := range o.Ways {
				k = max(k, y.pieces())
			}
		}
	}
	return k
}

// mixed says that stems of one variety's orders take different numbers of pieces.
func (p Programme) mixed() bool {
	each := map[string]int{}
	for _, o := range p.Orders {
		for _, y := range o.Ways {
			if k, ok := each[o.Variety]; ok && k != y.pieces() {
				return true
			}
			each[o.Variety] = y.pieces()
		}
	}
	return false
}

// most is the most pieces that any stem takes.
func (p Programme) most() int {
	k := 1
	for _, o := range p.Orders {
		k = max(k, p.eachOf(o.Variety))
	}
	return k
}

// upTo is the programme without the ways that take more than so many pieces.
func (p Programme) upTo(most int) Programme {
	p.Orders = slices.Clone(p.Orders)
	for i, o := range p.Orders {
		p.Orders[i].Ways = slices.DeleteFunc(slices.Clone(o.Ways), func(y Way) bool { return y.pieces() > most })
	}
	return p
}

// single is the programme as if every stem took one piece: no weave of p costs
// less than one of it.
func (p Programme) single() Programme {
	p.Orders = slices.Clone(p.Orders)
	for i, o := range p.Orders {
		p.Orders[i].Ways = slices.Clone(o.Ways)
		for k := range o.Ways {
			p.Orders[i].Ways[k].Pieces = 1
		}
	}
	return p
}

// after is what of a programme a weave leaves to be paired.
func (p Programme) after(w Weave) Programme {
	type at struct {
		pile  string
		class caliper.Class
	}
	stems, pieces, got := map[at]int{}, map[at]int{}, map[string]int{}
	for _, t := range w.Threads {
		stems[at{t.Lot, t.Stock}] += t.N
		pieces[at{t.Bundle, t.Scion}] += t.Pieces()
		got[t.Order] += t.N
	}
	less := func(ps []Pile, used map[at]int) []Pile {
		ps = slices.Clone(ps)
		for i, pile := range ps {
			ps[i].Classes = slices.Clone(pile.Classes)
			for j, c := range pile.Classes {
				k := at{pile.ID, c.Class}
				n := min(c.N, used[k])
				used[k] -= n
				ps[i].Classes[j].N -= n
			}
		}
		return ps
	}
	p.Stock, p.Wood, p.Held = less(p.Stock, stems), less(p.Wood, pieces), nil
	p.Orders = slices.Clone(p.Orders)
	for i, o := range p.Orders {
		p.Orders[i].Grafts = o.Grafts - got[o.ID]
	}
	return p
}

// add takes up what was paired of what a weave had left.
func (w *Weave) add(more Weave) {
	for _, t := range more.Threads {
		i := slices.IndexFunc(w.Threads, func(x Thread) bool {
			x.N = t.N
			return x == t
		})
		if i >= 0 {
			w.Threads[i].N += t.N
		} else {
			w.Threads = append(w.Threads, t)
		}
	}
	slices.SortStableFunc(w.Threads, func(a, b Thread) int { return cmp.Or(int(b.Stock-a.Stock), int(b.Scion-a.Scion)) })
	// What was short is now what more has of it.
	short := 0.0
	for i, f := range more.Orders {
		o := &w.Orders[i]
		o.Paired, o.Short = o.Paired+f.Paired, f.Short
		short += float64(f.Paired) * w.shortage[i]
	}
	for _, t := range more.Threads {
		w.Cost += float64(t.N) * t.Cost
	}
	w.Cost -= short
	w.Paired, w.Short = w.Paired+more.Paired, more.Short
}
