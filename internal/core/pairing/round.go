package pairing

import (
	"math"
	"math/rand/v2"
	"slices"
)

// turns betters a whole draft. With one side shared out among the orders, as
// x uses it, the rest is a flow, and comes out whole; the other side is then
// shared out as that flow used it, and so on by turns, until it costs no more
// than enough or the turns are up. x may have parts of grafts; draft is whole.
func (m *mesh) turns(x []float64, best draft, most int, enough float64, r *rand.Rand) draft {
	least, s := m.costs(best), woodSide
	from := best
	for i := range x {
		if math.Abs(x[i]-float64(best[i])) > 1e-3 {
			from = nil // what x shares out may not hold the draft
			break
		}
	}
	for idle := 0; idle < 3 && most > 0 && least > enough; most-- {
		d := m.flowWith(s, m.shareOf(s, x, r), from)
		if c := m.costs(d); c < least-1e-9 || from == nil {
			if c < least-1e-9 {
				best, least, idle = d, c, 0
			}
			from = d
		} else {
			idle++
			from = best
		}
		for i := range x {
			x[i] = float64(from[i])
		}
		s = 1 - s
	}
	return best
}

type side int

const (
	stockSide side = iota
	woodSide
)

func (m *mesh) ends(s side) []end {
	if s == stockSide {
		return m.stock
	}
	return m.wood
}

func (l link) end(s side) int {
	if s == stockSide {
		return l.s
	}
	return l.w
}

// part is a unit of an end that is for one order alone.
type part struct {
	end, order, n int
	risk          float64
}

// shareOf shares one side's ends out among the orders as a pairing uses
// them: first what it uses whole, then the parts, then what is spare.
func (m *mesh) shareOf(s side, x []float64, r *rand.Rand) []part {
	es := m.ends(s)
	use := make([]map[int]float64, len(es))
	for i := range use {
		use[i] = map[int]float64{}
	}
	got := make([]float64, len(m.orders))
	for i, l := range m.links {
		use[l.end(s)][l.order] += x[i]
		got[l.order] += x[i]
	}
	var out []part
	for i, e := range es {
		orders := make([]int, 0, len(use[i]))
		for o := range use[i] {
			orders = append(orders, o)
		}
		if len(orders) == 0 {
			continue
		}
		slices.Sort(orders)
		spare := e.n()
		n, more := make([]int, len(orders)), make([]int, len(orders))
		part := make([]float64, len(orders)) // of a graft, beyond the whole ones
		for k, o := range orders {
			n[k] = int(math.Floor(use[i][o] + 1e-3))
			part[k] = use[i][o] - float64(n[k])
			spare -= n[k]
		}
		for spare > 0 {
			k := 0
			for j := range part {
				if part[j] > part[k] {
					k = j
				}
			}
			if part[k] < 1e-3 {
				break
			}
			n[k]++
			part[k] = 0
			spare--
		}
		// What is spare goes where there is most to gain by it.
		var hungry []int
		for k, o := range orders {
			if got[o] < float64(m.orders[o].left)-1e-3 {
				hungry = append(hungry, k)
			}
		}
		for range spare {
			if len(hungry) > 0 {
				more[hungry[r.IntN(len(hungry))]]++
			} else {
				more[r.IntN(len(more))]++
			}
		}
		out = append(out, e.parts(i, orders, n, more)...)
	}
	return out
}

// parts shares an end's units out: the least risk to what is used, before
// what is spare.
func (e end) parts(i int, orders []int, shares ...[]int) []part {
	var out []part
	at, left := 0, e.units[0].n
	for _, n := range shares {
		for k, o := range orders {
			for n[k] > 0 {
				for left == 0 {
					at++
					left = e.units[at].n
				}
				by := min(left, n[k])
				out = append(out, part{i, o, by, e.units[at].risk})
				left, n[k] = left-by, n[k]-by
			}
		}
	}
	return out
}

// flowWith pairs with one side shared out: a flow, whose answer is whole.
func (m *mesh) flowWith(far side, share []part, from draft) draft {
	w := &network{home: make([]int, 1)}
	order := make([]int, len(m.orders))
	type key struct{ end, order int }
	onNear, onFar, onOrder := make([]int, len(m.ends(1-far))), map[key]int{}, make([]int, len(m.orders))
	for i, n := range from {
		l := m.links[i]
		onNear[l.end(1-far)] += n
		onFar[key{l.end(far), l.order}] += n
		onOrder[l.order] += n
	}
	for i, o := range m.orders {
		if o.left > 0 {
			order[i] = w.node()
			w.arcs[w.arc(order[i], 0, float64(o.left), -o.Shortage, -1)].flow = float64(onOrder[i])
		}
	}
	near0 := len(w.home)
	w.gates = near0 - 1
	for i, e := range m.ends(1 - far) {
		v := w.node()
		for _, u := range e.units {
			if u.n > 0 {
				n := min(u.n, onNear[i])
				w.arcs[w.arc(0, v, float64(u.n), u.risk, -1)].flow = float64(n)
				onNear[i] -= n
			}
		}
	}
	at := map[key]int{}
	has := map[key]int{}
	for _, p := range share {
		k := key{p.end, p.order}
		if at[k] == 0 {
			at[k] = w.node()
		}
		n := min(p.n, onFar[k])
		w.arcs[w.arc(at[k], order[p.order], float64(p.n), p.risk, -1)].flow = float64(n)
		onFar[k] -= n
		has[k] += p.n
	}
	by := make([]int, len(m.links))
	for i, l := range m.links {
		by[i] = -1
		k := key{l.end(far), l.order}
		if v := at[k]; v > 0 {
			near := l.end(1 - far)
			by[i] = w.arc(near0+near, v, float64(min(m.ends(1 - far)[near].n(), has[k])), l.cost, -1)
			if from != nil {
				w.arcs[by[i]].flow = float64(from[i])
			}
		}
	}
	w.start(rand.New(rand.NewPCG(9, 26)))
	w.solve()
	d := make(draft, len(m.links))
	for i, a := range by {
		if a >= 0 {
			d[i] = int(math.Round(w.arcs[a].flow))
		}
	}
	return d
}
