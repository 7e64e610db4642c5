package pairing

import (
	"math"
	"math/rand/v2"

	"gonum.org/v1/gonum/mat"
)

// A flow goes round from node 0, the root, and back to it. Beside the arcs'
// own limits, arcs may belong to a group whose flows together have a limit:
// that is what makes a programme of several orders more than a flow.
//
// network is solved by the primal network simplex with bounded arcs and side
// constraints, as the texts on network programming have it (Ahuja, Magnanti and
// Orlin, Network Flows, ch. 11; Kennington and Helgason, Algorithms for Network
// Programming, on embedded networks). A basis is a spanning tree and, for each
// group, one extra basic column: the group's slack, or an arc. Nodes have
// potentials, groups have prices (the duals of their limits); an arc's reduced
// cost is its cost plus its group's price, less the fall of potential along it.
// The square matrix that says how a unit round each extra column's cycle changes
// each group is kept as its inverse, and worked out anew now and then.
//
// Invariants between pivots: the flow is conserved at each node and within all
// limits; the tree spans every node and parent, first, next, prev, depth and
// pred describe it; arcs not in the basis stand at one of their limits, but for
// those of a start that is not yet a corner; the potentials make every tree
// arc's reduced cost zero. No arc has a reduced cost that could better the flow:
// then it is optimal, and the potentials and prices prove the bound.
//
// Cost: a pivot walks a cycle and a subtree and updates an inverse of the
// groups' number squared; pricing looks at a block of arcs at a time.
type network struct {
	arcs  []arc
	limit []float64 // of each group
	gates int       // nodes 1 to gates are orders
	home  []int     // the arc by which each node but the root starts: from it to the root

	price     []float64 // of a group's limit, as the cost it adds to each of its arcs
	potential []float64 // of each node, with those prices
	base      []float64 // and without

	parent, first, next, prev []int // the tree: parent, first child, siblings
	depth                     []int
	pred                      []int  // the arc to the parent
	up                        []bool // that it leads from the node to its parent
	extra                     []int  // basic columns beside the tree: an arc, or -1-g for the slack of group g
	inverse                   [][]float64
	was, side                 []float64
	column, share             []float64 // of the column that comes in: its effect on groups, and on extras
	change                    []float64 // of flow up from a node, per unit that comes in
	touched, stack            []int
	inside, moves             []bool
	used                      []float64 // of each group's limit
	slack                     []bool    // of a group: basic
	at                        int       // where pricing goes on
	list                      []int     // arcs that were worth bringing in when last seen
	pivots, fresh             int       // done, and done when the inverse was last worked out
}

type arc struct {
	most, cost, flow float64
	from, to, group  int32 // group -1: none
	state            arcState
}

type arcState int8

const (
	atLeast arcState = iota
	atMost
	basic
	between // off both limits, yet not in the basis: a start that is not yet a corner
)

const (
	flowEps = 1e-9
	costEps = 1e-9
	// nudge breaks ties between limits, which are whole numbers, so that the
	// simplex never turns on the spot; all nudges together stay under a half.
	nudge = 1e-5
	// pivots between workings of the inverse from the start
	refreshAfter = 1024
)

// start sets the tree in which each node hangs from the root by its home arc,
// by which it sends back a nudge of its own. What flows already stays.
func (w *network) start(r *rand.Rand) {
	n, m := len(w.home), len(w.limit)
	ints := func() []int { return make([]int, n) }
	w.parent, w.first, w.next, w.prev, w.depth, w.pred = ints(), ints(), ints(), ints(), ints(), ints()
	w.up, w.inside, w.moves = make([]bool, n), make([]bool, n), make([]bool, n)
	w.potential, w.base, w.change = make([]float64, n), make([]float64, n), make([]float64, n)
	w.side = make([]float64, m)
	w.price, w.column, w.share, w.used = make([]float64, m), make([]float64, m), make([]float64, m), make([]float64, m)
	w.extra, w.slack, w.inverse = make([]int, m), make([]bool, m), make([][]float64, m)
	for i := range n {
		w.parent[i], w.first[i], w.next[i], w.prev[i] = -1, -1, -1, -1
	}
	// A limit where the flow begins is nudged up and one where it ends down,
	// so that what is used up is at its limit from the start and every node
	// has a little too much rather than too little.
	excess := make([]float64, n)
	for i := range w.arcs {
		a, by := &w.arcs[i], nudge*r.Float64()
		full := a.flow > 0 && a.flow == a.most
		ends := a.from == 0 || int(a.to) <= w.gates
		if ends && a.from != 0 {
			by = -by
		}
		a.most += by
		switch {
		case full && ends:
			a.state, a.flow = atMost, a.most
			excess[a.to] += by
			excess[a.from] -= by
		case a.flow > 0:
			a.state = between
			if a.group >= 0 {
				w.used[a.group] += a.flow
			}
		}
	}
	for g := range m {
		w.extra[g], w.slack[g] = -1-g, true
		w.inverse[g] = make([]float64, m)
		w.inverse[g][g] = 1
		w.limit[g] += nudge * (1 + r.Float64())
	}
	for v := 1; v < n; v++ {
		a := w.home[v]
		w.arcs[a].state, w.pred[v], w.up[v] = basic, a, true
		w.arcs[a].flow = nudge*(0.1+r.Float64())/4 + math.Max(0, excess[v])
		w.hang(v, 0)
	}
	w.climb(0)
}

func (w *network) hang(v, parent int) {
	w.parent[v], w.prev[v], w.next[v] = parent, -1, w.first[parent]
	if w.next[v] >= 0 {
		w.prev[w.next[v]] = v
	}
	w.first[parent] = v
}

func (w *network) cut(v int) {
	if w.prev[v] >= 0 {
		w.next[w.prev[v]] = w.next[v]
	} else {
		w.first[w.parent[v]] = w.next[v]
	}
	if w.next[v] >= 0 {
		w.prev[w.next[v]] = w.prev[v]
	}
}

func (w *network) priced(a *arc) float64 {
	if a.group >= 0 {
		return a.cost + w.price[a.group]
	}
	return a.cost
}

// climb reckons depths and heights anew in the part of the tree under v.
func (w *network) climb(v int) {
	w.stack = append(w.stack[:0], v)
	for len(w.stack) > 0 {
		v := w.stack[len(w.stack)-1]
		w.stack = w.stack[:len(w.stack)-1]
		if p := w.parent[v]; p >= 0 {
			a := &w.arcs[w.pred[v]]
			c := w.priced(a)
			w.depth[v] = w.depth[p] + 1
			if w.up[v] {
				w.potential[v], w.base[v] = w.potential[p]-c, w.base[p]-a.cost
			} else {
				w.potential[v], w.base[v] = w.potential[p]+c, w.base[p]+a.cost
			}
		}
		for c := w.first[v]; c >= 0; c = w.next[c] {
			w.stack = append(w.stack, c)
		}
	}
}

// gain is what a unit more through an arc costs, all told.
func (w *network) gain(a *arc) float64 { return w.priced(a) + w.potential[a.from] - w.potential[a.to] }

// enter picks the column to bring in: an arc, or -1-g for a group's slack.
func (w *network) enter() (col int, ok bool) {
	best := costEps
	for g := range w.limit {
		if !w.slack[g] && -w.price[g] > best {
			best, col, ok = -w.price[g], -1-g, true
		}
	}
	// Those found before that are still worth it come first: looking through
	// all arcs anew costs more than a turn.
	kept := w.list[:0]
	for _, i := range w.list {
		if c := w.worth(i); c > costEps {
			kept = append(kept, i)
			if c > best {
				best, col, ok = c, i, true
			}
		}
	}
	if w.list = kept; ok {
		return col, true
	}
	block := max(64, len(w.arcs)/24)
	for done := 0; done < len(w.arcs); {
		for range min(block, len(w.arcs)-done) {
			if w.at == len(w.arcs) {
				w.at = 0
			}
			if c := w.worth(w.at); c > costEps {
				w.list = append(w.list, w.at)
				if c > best {
					best, col, ok = c, w.at, true
				}
			}
			w.at++
			done++
		}
		if ok {
			return col, true
		}
	}
	return col, ok
}

// worth is what moving an arc off the limit that it rests at would save, for
// each unit.
func (w *network) worth(i int) float64 {
	a := &w.arcs[i]
	switch a.state {
	case atLeast:
		return -w.gain(a)
	case atMost:
		return w.gain(a)
	}
	return 0
}

// round adds to the changes what a flow of by through arc a does to the tree,
// and, when groups is not nil, to each group.
func (w *network) round(a *arc, by float64, groups []float64) {
	if groups != nil && a.group >= 0 {
		groups[a.group] += by
	}
	u, v := int(a.from), int(a.to)
	for u != v {
		if w.depth[u] >= w.depth[v] {
			w.lift(u, -by, groups)
			u = w.parent[u]
		} else {
			w.lift(v, by, groups)
			v = w.parent[v]
		}
	}
}

func (w *network) lift(v int, by float64, groups []float64) {
	if groups == nil {
		if !w.moves[v] {
			w.moves[v], w.touched = true, append(w.touched, v)
		}
		w.change[v] += by
		return
	}
	if g := w.arcs[w.pred[v]].group; g >= 0 {
		if w.up[v] {
			groups[g] += by
		} else {
			groups[g] -= by
		}
	}
}

// limits on how far a column goes: which basic thing stops it.
type stop struct {
	far   float64
	kind  stopKind
	index int  // node whose tree arc stops, or place among the extras
	high  bool // at its upper limit
	coef  float64
}

type stopKind int8

const (
	stopsItself stopKind = iota
	stopsTree
	stopsExtra
)

func (s *stop) try(kind stopKind, index int, flow, most, coef float64) {
	if math.Abs(coef) < 1e-7 {
		return
	}
	far, high := 0.0, coef > 0
	if high {
		far = (most - flow) / coef
	} else {
		far = flow / -coef
	}
	far = math.Max(far, 0)
	if far < s.far-flowEps || far <= s.far+flowEps && s.kind != stopsItself && math.Abs(coef) > math.Abs(s.coef) {
		*s = stop{math.Min(far, s.far), kind, index, high, coef}
	}
}

// solve turns the basis until nothing that could come in would lower the cost.
// What it starts from is first moved to a corner that costs no more.
func (w *network) solve() {
	for a := range w.arcs {
		if w.arcs[a].state == between {
			w.step(a)
		}
	}
	// What flows is sound after every turn, so a count of turns that no
	// programme should need can end it: the answer is then a little dearer.
	for most := 100_000 + 500*len(w.home); w.pivots < most; {
		col, ok := w.enter()
		if !ok {
			// Prices carried along drift: the end is the end by fresh ones.
			if !w.refresh() {
				return
			}
			if col, ok = w.enter(); !ok {
				return
			}
		}
		w.step(col)
		if w.pivots-w.fresh >= refreshAfter {
			w.refresh()
		}
	}
}

// refresh works out the inverse anew, so that rounding does not add up. It
// says whether there was anything to work out.
func (w *network) refresh() bool {
	m := len(w.limit)
	if m == 0 || w.fresh == w.pivots {
		return false
	}
	w.fresh = w.pivots
	q, inv := mat.NewDense(m, m, nil), mat.NewDense(m, m, nil)
	for j, e := range w.extra {
		clear(w.column)
		if e < 0 {
			w.column[-1-e] = 1
		} else {
			w.round(&w.arcs[e], 1, w.column)
		}
		q.SetCol(j, w.column)
	}
	if err := inv.Inverse(q); err != nil {
		return false // near singular: what has been carried along serves
	}
	for j := range w.inverse {
		mat.Row(w.inverse[j], j, inv)
	}
	w.reprice()
	return true
}

// step brings a column in.
func (w *network) step(col int) {
	dir := 1.0
	clear(w.column)
	s := stop{far: math.Inf(1), kind: stopsItself, coef: 1}
	if col >= 0 {
		a := &w.arcs[col]
		s.far = a.most - a.flow
		if a.state == atMost || a.state == between && w.gain(a) > 0 {
			dir, s.far = -1, a.flow
		}
		w.round(a, 1, w.column)
	} else {
		w.column[-1-col] = 1
	}
	w.spread()
	// How everything basic moves per unit of the column in its direction.
	w.touched = w.touched[:0]
	if col >= 0 {
		w.round(&w.arcs[col], dir, nil)
	}
	for j, y := range w.share {
		if y == 0 {
			continue
		}
		if e := w.extra[j]; e >= 0 {
			a := &w.arcs[e]
			w.round(a, -dir*y, nil)
			s.try(stopsExtra, j, a.flow, a.most, -dir*y)
		} else {
			s.try(stopsExtra, j, w.limit[-1-e]-w.used[-1-e], math.Inf(1), -dir*y)
		}
	}
	for _, v := range w.touched {
		a := &w.arcs[w.pred[v]]
		by := w.change[v]
		if !w.up[v] {
			by = -by
		}
		s.try(stopsTree, v, a.flow, a.most, by)
	}
	w.move(col, dir, s.far)
	w.turn(col, dir, s)
	for _, v := range w.touched {
		w.change[v], w.moves[v] = 0, false
	}
}

// spread works out share: the column in terms of the extras.
func (w *network) spread() {
	clear(w.share)
	for g, c := range w.column {
		if c == 0 {
			continue
		}
		for j := range w.share {
			w.share[j] += w.inverse[j][g] * c
		}
	}
	for j, y := range w.share {
		if math.Abs(y) < 1e-11 {
			w.share[j] = 0
		}
	}
}

func (w *network) add(a *arc, by float64) {
	a.flow += by
	if a.group >= 0 {
		w.used[a.group] += by
	}
}

func (w *network) move(col int, dir, far float64) {
	if col >= 0 {
		w.add(&w.arcs[col], dir*far)
	}
	for j, y := range w.share {
		if e := w.extra[j]; y != 0 && e >= 0 {
			w.add(&w.arcs[e], -dir*y*far)
		}
	}
	for _, v := range w.touched {
		by := w.change[v] * far
		if !w.up[v] {
			by = -by
		}
		w.add(&w.arcs[w.pred[v]], by)
	}
}
