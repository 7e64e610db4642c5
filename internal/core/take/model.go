package take

import (
	"math"

	"gonum.org/v1/gonum/mat"
)

// weak is the pull on fixed effects: a normal spread of 10 on the logit
// scale. It moves a deviance by less than 0.1 and an effect of 2 by nothing
// that can be seen, and gives an answer where all or none took.
const weak = 1.0 / (10 * 10)

// model holds the data in the order in which the fit walks them. The factor
// with the most levels is the last: its block of the normal matrix is
// diagonal, and it is eliminated first, so that what is left to factorise is
// only as wide as the other factors together.
type model struct {
	p, nf   int
	rows    []Row
	order   []int // factors, the largest last
	offset  []int // where each factor's levels start, in order
	small   int   // levels of all factors but the largest
	q       int
	logComb float64 // Σ ln C(n, k)
	b       []float64
	eta     []float64
	last    []float64 // modes at the last point, to start from
	at      [][]int   // columns of each row, in order
}

func newModel(d Data) *model {
	m := &model{p: len(d.Fixed), nf: len(d.Factors)}
	for _, r := range d.Rows {
		if r.Grafts > 0 {
			m.rows = append(m.rows, r)
			lg := func(n int) float64 { v, _ := math.Lgamma(float64(n) + 1); return v }
			m.logComb += lg(r.Grafts) - lg(r.Took) - lg(r.Grafts-r.Took)
		}
	}
	largest := 0
	for k, f := range d.Factors {
		if len(f.Levels) > len(d.Factors[largest].Levels) {
			largest = k
		}
	}
	for k := range d.Factors {
		if k != largest {
			m.order = append(m.order, k)
		}
	}
	if m.nf > 0 {
		m.order = append(m.order, largest)
	}
	m.offset = make([]int, m.nf)
	for i, k := range m.order {
		if i == m.nf-1 {
			m.small = m.q
		}
		m.offset[k] = m.q
		m.q += len(d.Factors[k].Levels)
	}
	for _, r := range m.rows {
		at := make([]int, m.nf)
		for i, k := range m.order {
			at[i] = m.offset[k] + r.Levels[k]
		}
		m.at = append(m.at, at)
	}
	m.b, m.last, m.eta = make([]float64, m.q), make([]float64, m.q), make([]float64, len(m.rows))
	return m
}

// startFixed fits the fixed effects alone, to begin from.
func (m *model) startFixed(beta []float64) {
	for range 25 {
		h := mat.NewSymDense(m.p, nil)
		g := mat.NewVecDense(m.p, nil)
		for j := range m.p {
			h.SetSym(j, j, weak)
			g.SetVec(j, -weak*beta[j])
		}
		for _, r := range m.rows {
			pr := logistic(dot(r.X, beta))
			w := float64(r.Grafts) * pr * (1 - pr)
			for j, xj := range r.X {
				g.SetVec(j, g.AtVec(j)+xj*(float64(r.Took)-float64(r.Grafts)*pr))
				for k := j; k < m.p; k++ {
					h.SetSym(j, k, h.At(j, k)+w*xj*r.X[k])
				}
			}
		}
		var c mat.Cholesky
		if !c.Factorize(h) {
			return
		}
		var step mat.VecDense
		if c.SolveVecTo(&step, g) != nil {
			return
		}
		move := 0.0
		for j := range beta {
			s := math.Max(-3, math.Min(3, step.AtVec(j)))
			beta[j] += s
			move = math.Max(move, math.Abs(s))
		}
		if move < 1e-8 {
			return
		}
	}
}

func dot(a, b []float64) float64 {
	s := 0.0
	for i := range a {
		s += a[i] * b[i]
	}
	return s
}

// normal is the factorised H = ΛᵀZᵀWZΛ + I: diagonal d of the largest factor,
// the sparse border between it and the rest, and the Schur complement.
type normal struct {
	m      *model
	d      []float64         // of the largest factor
	border []map[int]float64 // by its level: column of the rest → value
	chol   mat.Cholesky
	inv    *mat.SymDense // of the Schur complement, when asked for
}

// factorise builds H at weights w and spreads sigma, in the order's columns.
func (m *model) factorise(w, sigma []float64) (*normal, bool) {
	big := m.q - m.small
	n := &normal{m: m, d: make([]float64, big), border: make([]map[int]float64, big)}
	for j := range n.d {
		n.d[j], n.border[j] = 1, map[int]float64{}
	}
	a := mat.NewSymDense(max(1, m.small), nil)
	for j := range max(1, m.small) {
		a.SetSym(j, j, 1)
	}
	for i := range m.rows {
		at := m.at[i]
		for x := 0; x < m.nf-1; x++ {
			for y := x; y < m.nf-1; y++ {
				a.SetSym(at[x], at[y], a.At(at[x], at[y])+w[i]*sigma[x]*sigma[y])
			}
		}
		if m.nf > 0 {
			last := at[m.nf-1] - m.small
			s := sigma[m.nf-1]
			n.d[last] += w[i] * s * s
			for x := 0; x < m.nf-1; x++ {
				n.border[last][at[x]] += w[i] * s * sigma[x]
			}
		}
	}
	for j, row := range n.border {
		for x, vx := range row {
			for y, vy := range row {
				if x <= y {
					a.SetSym(x, y, a.At(x, y)-vx*vy/n.d[j])
				}
			}
		}
	}
	return n, n.chol.Factorize(a)
}

// solve gives H⁻¹g.
func (n *normal) solve(g []float64) []float64 {
	m := n.m
	out := make([]float64, m.q)
	rhs := mat.NewVecDense(max(1, m.small), nil)
	for x := range m.small {
		rhs.SetVec(x, g[x])
	}
	for j, row := range n.border {
		for x, v := range row {
			rhs.SetVec(x, rhs.AtVec(x)-v*g[m.small+j]/n.d[j])
		}
	}
	var u mat.VecDense
	if err := n.chol.SolveVecTo(&u, rhs); err != nil {
		return out // near singular: the step is refused by the caller's halving
	}
	for x := range m.small {
		out[x] = u.AtVec(x)
	}
	for j, row := range n.border {
		s := g[m.small+j]
		for x, v := range row {
			s -= v * out[x]
		}
		out[m.small+j] = s / n.d[j]
	}
	return out
}

func (n *normal) logDet() float64 {
	s := n.chol.LogDet()
	for _, d := range n.d {
		s += math.Log(d)
	}
	return s
}

func (n *normal) invert() {
	n.inv = mat.NewSymDense(max(1, n.m.small), nil)
	n.chol.InverseTo(n.inv)
}

// block gives H⁻¹ over a row's own columns.
func (n *normal) block(at []int, out [][]float64) {
	m := n.m
	last := m.nf - 1
	if last < 0 {
		return
	}
	j := at[last] - m.small
	for x := 0; x < last; x++ {
		for y := 0; y < last; y++ {
			out[x][y] = n.inv.At(at[x], at[y])
		}
		s := 0.0
		for c, v := range n.border[j] {
			s += n.inv.At(at[x], c) * v
		}
		out[x][last], out[last][x] = -s/n.d[j], -s/n.d[j]
	}
	out[last][last] = n.own(j)
}

// own is H⁻¹'s diagonal at a level of the largest factor.
func (n *normal) own(j int) float64 {
	s := 0.0
	for c, v := range n.border[j] {
		for e, u := range n.border[j] {
			s += v * n.inv.At(c, e) * u
		}
	}
	return 1/n.d[j] + s/(n.d[j]*n.d[j])
}
