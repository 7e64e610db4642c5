package pairing

import (
	"cmp"
	"math/rand/v2"
	"slices"
)

// begin makes a first draft: the link that gains most, time and again, bettered
// in two turns.
func (m *mesh) begin() draft {
	f := newFill(m)
	f.greedily()
	x := make([]float64, len(f.d))
	for i, n := range f.d {
		x[i] = float64(n)
	}
	return m.turns(x, f.d, 2, 0, rand.New(rand.NewPCG(3, 14)))
}

// fill is a draft in the making, with what is left of everything.
type fill struct {
	m       *mesh
	d       draft
	s, w, o []int
}

func newFill(m *mesh) *fill {
	f := &fill{m, make(draft, len(m.links)), make([]int, len(m.stock)), make([]int, len(m.wood)), make([]int, len(m.orders))}
	for i, e := range m.stock {
		f.s[i] = e.n()
	}
	for i, e := range m.wood {
		f.w[i] = e.n()
	}
	for i := range f.o {
		f.o[i] = m.orders[i].left
	}
	return f
}

func (f *fill) put(i, most int) {
	l := f.m.links[i]
	n := min(most, f.s[l.s], f.w[l.w], f.o[l.order])
	f.d[i] += n
	f.s[l.s], f.w[l.w], f.o[l.order] = f.s[l.s]-n, f.w[l.w]-n, f.o[l.order]-n
}

func (f *fill) greedily() {
	type gain struct {
		link int
		cost float64
	}
	open := make([]gain, 0, len(f.d))
	for i, l := range f.m.links {
		if f.s[l.s] > 0 && f.w[l.w] > 0 && f.o[l.order] > 0 {
			open = append(open, gain{i, l.cost - f.m.orders[l.order].Shortage})
		}
	}
	slices.SortFunc(open, func(a, b gain) int { return cmp.Or(cmp.Compare(a.cost, b.cost), a.link-b.link) })
	for _, g := range open {
		f.put(g.link, f.o[f.m.links[g.link].order])
	}
}
