package pairing

import (
	"math"

	"gonum.org/v1/gonum/blas/blas64"
)

func rest(a *arc, high bool) {
	a.state, a.flow = atLeast, 0
	if high {
		a.state, a.flow = atMost, a.most
	}
}

// turn changes the basis: the column takes the place of what stopped it.
func (w *network) turn(col int, dir float64, s stop) {
	w.pivots++
	switch s.kind {
	case stopsItself:
		rest(&w.arcs[col], dir > 0)
		return
	case stopsExtra:
		if e := w.extra[s.index]; e >= 0 {
			rest(&w.arcs[e], s.high)
		} else {
			w.slack[-1-e] = false
		}
		w.swapExtra(s.index)
		w.extra[s.index] = col
		w.basic(col)
		w.reprice()
		return
	}
	f := s.index
	rest(&w.arcs[w.pred[f]], s.high)
	w.mark(f, true)
	side := w.side // how much of each extra's unit goes through the leaving arc
	q := -1
	for j, e := range w.extra {
		if side[j] = w.crosses(f, e); side[j] != 0 && q < 0 {
			q = j
		}
	}
	in := col
	if se := w.crosses(f, col); se != 0 {
		w.swapTree(side, se)
	} else {
		in = w.extra[q]
		w.swapBoth(q, side)
		w.extra[q] = col
	}
	w.basic(col)
	w.mark(f, false)
	w.rehang(f, in)
	w.reprice()
}

func (w *network) basic(col int) {
	if col >= 0 {
		w.arcs[col].state = basic
	} else {
		w.slack[-1-col] = true
	}
}

// mark marks the nodes under f.
func (w *network) mark(f int, as bool) {
	w.stack = append(w.stack[:0], f)
	for len(w.stack) > 0 {
		v := w.stack[len(w.stack)-1]
		w.stack = w.stack[:len(w.stack)-1]
		w.inside[v] = as
		for c := w.first[v]; c >= 0; c = w.next[c] {
			w.stack = append(w.stack, c)
		}
	}
}

// crosses says how a unit round a column's cycle goes through the arc above
// f, whose side of the tree is marked: 1 with it, -1 against it, 0 not at all.
func (w *network) crosses(f, col int) float64 {
	if col < 0 {
		return 0
	}
	a, s := &w.arcs[col], 0.0
	if w.inside[a.to] {
		s++
	}
	if w.inside[a.from] {
		s--
	}
	if !w.up[f] {
		s = -s
	}
	return s
}

// swapExtra puts the column in the place of extra j.
func (w *network) swapExtra(j int) {
	row, y := w.inverse[j], w.share[j]
	for g := range row {
		row[g] /= y
	}
	for i, yi := range w.share {
		if i != j && yi != 0 {
			take(w.inverse[i], row, yi)
		}
	}
}

// take lessens a row by so many of another.
func take(row, by []float64, n float64) {
	blas64.Axpy(-n, blas64.Vector{N: len(by), Inc: 1, Data: by}, blas64.Vector{N: len(row), Inc: 1, Data: row})
}

// swapTree puts the column in the tree in the leaving arc's place: every
// extra that went through that arc now goes round by the column.
func (w *network) swapTree(side []float64, se float64) {
	t, through := make([]float64, len(side)), 0.0
	for j, s := range side {
		if s != 0 {
			take(t, w.inverse[j], -s)
			through += s * w.share[j]
		}
	}
	for i, y := range w.share {
		if y != 0 {
			take(w.inverse[i], t, -y*se/(1-se*through))
		}
	}
}

// swapBoth puts extra q in the tree in the leaving arc's place, and the
// column in q's. The column itself does not go through the leaving arc.
func (w *network) swapBoth(q int, side []float64) {
	row, through := append([]float64(nil), w.inverse[q]...), 0.0
	for j, s := range side {
		if s == 0 {
			continue
		}
		through += s * w.share[j]
		if j != q {
			take(row, w.inverse[j], -s*side[q])
		}
	}
	for g := range row {
		row[g] /= side[q] * through
	}
	for i, y := range w.share {
		if i != q && y != 0 {
			take(w.inverse[i], row, y)
		}
	}
	w.inverse[q] = row
}

// rehang takes the part of the tree under f and hangs it by arc in.
func (w *network) rehang(f, in int) {
	a := &w.arcs[in]
	// Which end lies under f?
	v, p := int(a.from), int(a.to)
	for u := v; ; u = w.parent[u] {
		if u == f {
			break
		}
		if u == 0 {
			v, p = p, v
			break
		}
	}
	top, arcIn, up := v, in, v == int(a.from)
	for {
		old, oldArc, oldUp := w.parent[v], w.pred[v], w.up[v]
		w.cut(v)
		w.hang(v, p)
		w.pred[v], w.up[v] = arcIn, up
		if v == f {
			break
		}
		v, p, arcIn, up = old, v, oldArc, !oldUp
	}
	w.climb(top)
}

// reprice works out the groups' prices from the extras, which must cost
// nothing more nor less than what they are worth, and the heights with them.
func (w *network) reprice() {
	if len(w.limit) == 0 {
		return
	}
	changed := false
	was := append(w.was[:0], w.price...)
	w.was = was
	clear(w.price)
	for j, e := range w.extra {
		if e < 0 {
			continue
		}
		a := &w.arcs[e]
		if c := a.cost + w.base[a.from] - w.base[a.to]; c != 0 {
			take(w.price, w.inverse[j], c)
		}
	}
	for g := range was {
		if w.slack[g] {
			w.price[g] = 0
		}
		changed = changed || math.Abs(was[g]-w.price[g]) > 1e-13
	}
	if changed {
		w.climb(0)
	}
}
