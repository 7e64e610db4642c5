// Package pairing decides which stems get which pieces of wood, and by which
// technique: the weave.
//
// Costs are in grafts: a cost of 0.1 is a tenth of a graft expected lost.
package pairing

import (
	"errors"
	"fmt"
	"math"
	"sort"

	"unionknot/internal/core/caliper"
)

// Way is a technique as the weave needs it. Allows says whether it joins a
// pair of classes and why not; Cost is what a graft by it costs.
type Way struct {
	Key    string
	Allows func(stock, scion caliper.Class) (bool, string)
	Cost   func(stock, scion caliper.Class) float64
	// Takes says whether a bundle's pieces suit it (their buds and state); nil
	// for any bundle.
	Takes func(bundle string) (bool, string)
}

// Pile is the stems of a lot, or the pieces of a bundle, that are free.
type Pile struct {
	ID      string
	Risk    float64 // added to the cost of each graft from it
	Classes []caliper.Count
}

// Order is what is to be paired: so many grafts, and what leaving one out
// costs.
type Order struct {
	Grafts   int
	Shortage float64
	Ways     []Way
	Stock    []Pile
	Wood     []Pile
}

// Thread is a number of grafts between one lot class and one bundle class.
type Thread struct {
	Lot    string
	Stock  caliper.Class
	Bundle string
	Scion  caliper.Class
	Way    string
	N      int
	Cost   float64 // of one graft
}

// Left is what was not used of a class, and why.
type Left struct {
	Pile  string
	Class caliper.Class
	N     int
	Why   string
}

// Weave is the pairing of an order.
type Weave struct {
	Threads   []Thread
	Paired    int
	Short     int
	Cost      float64 // of all threads and of what is short
	LeftStock []Left
	LeftWood  []Left
}

// ErrCount says that an instance has a count below zero.
var ErrCount = errors.New("a count is below zero")

type node struct {
	pile  int
	class caliper.Class
	n     int
}

// Solve pairs an order at least cost, exactly: with one order the weave is a
// flow from stems to pieces, and the cheapest flow is grown one path at a
// time until the next graft would cost more than going short.
func Solve(o Order) (Weave, error) {
	stock, err := nodes(o.Stock)
	if err != nil {
		return Weave{}, fmt.Errorf("stock: %w", err)
	}
	scion, err := nodes(o.Wood)
	if err != nil {
		return Weave{}, fmt.Errorf("wood: %w", err)
	}
	if o.Grafts < 0 {
		return Weave{}, fmt.Errorf("%d grafts wanted: %w", o.Grafts, ErrCount)
	}
	m := newMesh(o, stock, scion)
	w := Weave{Paired: m.fill(o.Grafts, o.Shortage)}
	w.Short = o.Grafts - w.Paired
	w.Cost = float64(w.Short) * o.Shortage
	for i, s := range stock {
		for j, b := range scion {
			if n := m.flow[i][j]; n > 0 {
				w.Threads = append(w.Threads, Thread{Lot: o.Stock[s.pile].ID, Stock: s.class, Bundle: o.Wood[b.pile].ID,
					Scion: b.class, Way: o.Ways[m.way[i][j]].Key, N: n, Cost: m.cost[i][j]})
				w.Cost += float64(n) * m.cost[i][j]
			}
		}
	}
	sort.SliceStable(w.Threads, func(a, b int) bool {
		x, y := w.Threads[a], w.Threads[b]
		if x.Stock != y.Stock {
			return x.Stock > y.Stock
		}
		return x.Scion > y.Scion
	})
	w.LeftStock, w.LeftWood = m.left(o, stock, scion, w)
	return w, nil
}

func nodes(ps []Pile) ([]node, error) {
	var out []node
	for i, p := range ps {
		for _, c := range p.Classes {
			if c.N < 0 {
				return nil, fmt.Errorf("%s, %s mm: %d: %w", p.ID, c.Class, c.N, ErrCount)
			}
			if c.N > 0 {
				out = append(out, node{i, c.Class, c.N})
			}
		}
	}
	return out, nil
}

// mesh is the flow network: every stem class against every piece class.
type mesh struct {
	cost       [][]float64 // +Inf where no technique joins them
	way        [][]int
	why        [][]string
	flow       [][]int
	outS, outW []int // what is left to give at each end
}

func newMesh(o Order, stock, scion []node) *mesh {
	m := &mesh{outS: make([]int, len(stock)), outW: make([]int, len(scion))}
	for j, b := range scion {
		m.outW[j] = b.n
	}
	for i, s := range stock {
		m.outS[i] = s.n
		cost, way, why := make([]float64, len(scion)), make([]int, len(scion)), make([]string, len(scion))
		for j, b := range scion {
			cost[j], way[j] = math.Inf(1), -1
			said := false
			for k, t := range o.Ways {
				if t.Takes != nil {
					if ok, reason := t.Takes(o.Wood[b.pile].ID); !ok {
						if why[j] == "" {
							why[j] = reason
						}
						continue
					}
				}
				ok, reason := t.Allows(s.class, b.class)
				if !ok {
					// Wood too wide is said by the first technique: only the
					// tool cut has more to say of it. Limits are said by the
					// last, which stretches furthest.
					if !said || b.class <= s.class {
						why[j], said = reason, true
					}
					continue
				}
				c := t.Cost(s.class, b.class) + o.Stock[s.pile].Risk + o.Wood[b.pile].Risk
				if c < cost[j] {
					cost[j], way[j] = c, k
				}
			}
		}
		m.cost, m.way, m.why = append(m.cost, cost), append(m.way, way), append(m.why, why)
		m.flow = append(m.flow, make([]int, len(scion)))
	}
	return m
}

// fill pushes up to want grafts through the mesh, cheapest next, and stops
// where the next would cost at least most. It returns how many went through.
func (m *mesh) fill(want int, most float64) int {
	ns, nw := len(m.outS), len(m.outW)
	potS, potW := make([]float64, ns), make([]float64, nw)
	done := 0
	for done < want {
		// Dijkstra on reduced costs over the residual network: stems with some
		// left are the sources, pieces with some left the sinks.
		distS, distW := make([]float64, ns), make([]float64, nw)
		fromS, fromW := make([]int, ns), make([]int, nw) // the other end we came by
		seenS, seenW := make([]bool, ns), make([]bool, nw)
		for i := range distS {
			distS[i], fromS[i] = math.Inf(1), -1
			if m.outS[i] > 0 {
				// A stem with some left is a source, and a source's potential
				// stays 0: a cheaper way to it would undo an optimal flow.
				distS[i] = 0
			}
		}
		for j := range distW {
			distW[j], fromW[j] = math.Inf(1), -1
		}
		for {
			best, at, isStock := math.Inf(1), -1, false
			for i := range distS {
				if !seenS[i] && distS[i] < best {
					best, at, isStock = distS[i], i, true
				}
			}
			for j := range distW {
				if !seenW[j] && distW[j] < best {
					best, at, isStock = distW[j], j, false
				}
			}
			if at < 0 {
				break
			}
			if isStock {
				seenS[at] = true
				for j, c := range m.cost[at] {
					if math.IsInf(c, 1) || seenW[j] {
						continue
					}
					if d := best + math.Max(0, c+potS[at]-potW[j]); d < distW[j] {
						distW[j], fromW[j] = d, at
					}
				}
				continue
			}
			seenW[at] = true
			for i := range m.flow {
				if m.flow[i][at] == 0 || seenS[i] {
					continue
				}
				if d := best + math.Max(0, -m.cost[i][at]+potW[at]-potS[i]); d < distS[i] {
					distS[i], fromS[i] = d, at
				}
			}
		}
		end, real := -1, math.Inf(1)
		for j := range distW {
			if m.outW[j] > 0 && !math.IsInf(distW[j], 1) {
				if c := distW[j] + potW[j]; c < real-1e-12 {
					end, real = j, c
				}
			}
		}
		if end < 0 || real >= most {
			break
		}
		for i := range potS {
			if !math.IsInf(distS[i], 1) {
				potS[i] += distS[i]
			}
		}
		for j := range potW {
			if !math.IsInf(distW[j], 1) {
				potW[j] += distW[j]
			}
		}
		done += m.push(end, fromS, fromW, want-done)
	}
	return done
}

// push sends as much as the found path carries, ending at piece class end.
func (m *mesh) push(end int, fromS, fromW []int, most int) int {
	n := min(most, m.outW[end])
	j := end
	for {
		i := fromW[j]
		if fromS[i] < 0 {
			n = min(n, m.outS[i])
			break
		}
		j = fromS[i]
		n = min(n, m.flow[i][j])
	}
	m.outW[end] -= n
	j = end
	for {
		i := fromW[j]
		m.flow[i][j] += n
		if fromS[i] < 0 {
			m.outS[i] -= n
			return n
		}
		j = fromS[i]
		m.flow[i][j] -= n
	}
}

// left says what was not used, and the reason for each class.
func (m *mesh) left(o Order, stock, scion []node, w Weave) (ls, lw []Left) {
	full := w.Short == 0
	for i, s := range stock {
		if m.outS[i] == 0 {
			continue
		}
		ls = append(ls, Left{o.Stock[s.pile].ID, s.class, m.outS[i], reason(full, len(scion), "wood",
			func(j int) (bool, string, int) { return m.way[i][j] >= 0, m.why[i][j], scion[j].n })})
	}
	for j, b := range scion {
		if m.outW[j] == 0 {
			continue
		}
		lw = append(lw, Left{o.Wood[b.pile].ID, b.class, m.outW[j], reason(full, len(stock), "stock",
			func(i int) (bool, string, int) { return m.way[i][j] >= 0, m.why[i][j], stock[i].n })})
	}
	return ls, lw
}

func reason(full bool, others int, what string, at func(int) (fits bool, why string, n int)) string {
	if others == 0 {
		return "no " + what + " at hand"
	}
	fits, count, best := false, map[string]int{}, ""
	for k := range others {
		ok, why, n := at(k)
		fits = fits || ok
		if !ok {
			count[why] += n
			if best == "" || count[why] > count[best] {
				best = why
			}
		}
	}
	switch {
	case !fits && best == "":
		return "no technique is open"
	case !fits:
		return best
	case full:
		return "not needed: the order is filled"
	}
	return "the " + what + " that fits it is used up"
}
