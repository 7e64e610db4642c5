package pairing

import (
	"math"
	"math/rand/v2"
)

// draft is a pairing of a mesh's ends: how many go by each link.
type draft []int

// whole pairs the mesh, starting from a draft, and gives what no pairing can
// cost less than.
func (m *mesh) whole(d draft) (draft, float64) {
	r := rand.New(rand.NewPCG(15, 9))
	bound := math.Inf(-1)
	// A corner of the linear programme may have parts of grafts where another
	// as good has none, so a poor rounding is worth a second corner.
	for try := range 3 {
		w, at := m.network(d)
		w.start(r)
		w.solve()
		x := make([]float64, len(m.links))
		even := true
		for i, a := range at {
			x[i] = w.arcs[a].flow
			even = even && math.Abs(x[i]-math.Round(x[i])) < 0.1
		}
		bound = math.Max(bound, m.nothing()+w.bound())
		if even {
			for i := range x {
				d[i] = int(math.Round(x[i]))
			}
			return m.within(d), bound
		}
		rounds := 8
		if try > 0 {
			rounds = 4
		}
		d = m.turns(x, d, rounds, bound*(1+closeEnough), r)
		if m.costs(d) <= bound*(1+closeEnough)+1e-6 {
			break
		}
	}
	return m.within(d), bound
}

// within holds a draft to what there is, whatever rounding has done to it:
// nothing may be spent twice.
func (m *mesh) within(d draft) draft {
	f := newFill(m)
	for i, n := range d {
		f.put(i, n)
	}
	return f.d
}

// closeEnough is how far over the bound a weave may stay without more search.
const closeEnough = 2e-4

// nothing is what pairing nothing costs.
func (m *mesh) nothing() float64 {
	c := 0.0
	for _, o := range m.orders {
		c += float64(o.left) * o.Shortage
	}
	return c
}

// network lays the mesh out as a flow from the root through stock and wood
// and back. An order alone in its variety is a node after its wood; one alone
// on its stock type is a node before its stock; any other is a group. It gives
// each link's arc. The flow starts as the draft has it.
func (m *mesh) network(from draft) (*network, []int) {
	w := &network{home: make([]int, 1), arcs: make([]arc, 0, len(m.links)+3*(len(m.p.Stock)+len(m.p.Wood))*16)}
	ofVariety, ofType := map[string]int{}, map[string]int{}
	for _, o := range m.orders {
		ofVariety[o.Variety]++
		ofType[o.Stock]++
	}
	before, after := make([]int, len(m.stock)), make([]int, len(m.wood)) // the node each end hangs by; 0: the root
	group := make([]int, len(m.orders))
	ns, nw, no := make([]int, len(m.stock)), make([]int, len(m.wood)), make([]int, len(m.orders))
	for i, n := range from {
		l := m.links[i]
		ns[l.s], nw[l.w], no[l.order] = ns[l.s]+n, nw[l.w]+n, no[l.order]+n
	}
	for i, o := range m.orders {
		group[i] = -1
		switch {
		case o.left == 0:
		case ofVariety[o.Variety] == 1:
			v := w.node()
			w.arcs[w.arc(v, 0, float64(o.left), -o.Shortage, -1)].flow = float64(no[i])
			for _, j := range o.wood {
				after[j] = v
			}
		case ofType[o.Stock] == 1:
			v := w.node()
			w.arcs[w.arc(0, v, float64(o.left), -o.Shortage, -1)].flow = float64(no[i])
			for _, j := range o.stock {
				before[j] = v
			}
		default:
			group[i] = len(w.limit)
			w.limit = append(w.limit, float64(o.left))
		}
	}
	s0 := len(w.home)
	w.gates = s0 - 1
	for j, e := range m.stock {
		v := w.node()
		for _, u := range e.units {
			if u.n > 0 {
				n := min(u.n, ns[j])
				w.arcs[w.arc(before[j], v, float64(u.n), u.risk, -1)].flow = float64(n)
				ns[j] -= n
			}
		}
	}
	w0 := len(w.home)
	for j, e := range m.wood {
		v := w.node()
		for _, u := range e.units {
			if u.n > 0 {
				n := min(u.n, nw[j])
				w.arcs[w.arc(v, after[j], float64(u.n), u.risk, -1)].flow = float64(n)
				nw[j] -= n
			}
		}
	}
	at := make([]int, len(m.links))
	for i, l := range m.links {
		cost := l.cost
		if group[l.order] >= 0 {
			cost -= m.orders[l.order].Shortage
		}
		at[i] = w.arc(s0+l.s, w0+l.w, float64(min(m.stock[l.s].n(), m.wood[l.w].n())), cost, group[l.order])
		w.arcs[at[i]].flow = float64(from[i])
	}
	return w, at
}

// node adds a node, with a way back to the root that is never worth taking.
func (w *network) node() int {
	v := len(w.home)
	w.home = append(w.home, w.arc(v, 0, 1, never, -1))
	return v
}

// never is a cost above that of leaving any graft out.
const never = 1e4

func (w *network) arc(from, to int, most, cost float64, group int) int {
	w.arcs = append(w.arcs, arc{from: int32(from), to: int32(to), most: most, cost: cost, group: int32(group)})
	return len(w.arcs) - 1
}

// bound is what no flow can cost less than, by the prices found: whatever the
// prices, it holds.
func (w *network) bound() float64 {
	c := 0.0
	for g := range w.limit {
		c -= math.Max(0, w.price[g]) * math.Round(w.limit[g])
	}
	for i := range w.arcs {
		c += math.Min(0, w.gain(&w.arcs[i])) * math.Round(w.arcs[i].most)
	}
	return c
}

// costs is what a draft costs in all.
func (m *mesh) costs(d draft) float64 {
	c := m.nothing()
	ns, nw := make([]int, len(m.stock)), make([]int, len(m.wood))
	for i, l := range m.links {
		c += float64(d[i]) * (l.cost - m.orders[l.order].Shortage)
		ns[l.s] += d[i]
		nw[l.w] += d[i]
	}
	return c + risks(m.stock, ns) + risks(m.wood, nw)
}

func risks(es []end, used []int) float64 {
	c := 0.0
	for i, e := range es {
		for _, u := range e.units {
			n := min(used[i], u.n)
			c += float64(n) * u.risk
			used[i] -= n
		}
	}
	return c
}
