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
	touch   [][]int   // by level of the largest factor: the other columns it meets
	spot    [][]int   // by row: where its columns stand in touch
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
	m.meet()
	m.b, m.last, m.eta = make([]float64, m.q), make([]float64, m.q), make([]float64, len(m.rows))
	return m
}

// meet notes which columns each level of the largest factor meets: the
// pattern of the border, which stays while its values move.
func (m *model) meet() {
	if m.nf == 0 {
		return
	}
	m.touch = make([][]int, m.q-m.small)
	seen := map[[2]int]int{}
	for _, at := range m.at {
		j := at[m.nf-1] - m.small
		spot := make([]int, m.nf-1)
		for x, c := range at[:m.nf-1] {
			k, ok := seen[[2]int{j, c}]
			if !ok {
				k = len(m.touch[j])
				seen[[2]int{j, c}] = k
				m.touch[j] = append(m.touch[j], c)
			}
			spot[x] = k
		}
		m.spot = append(m.spot, spot)
	}
}

// startFixed fits the fixed effects alone, to begin from, and gives how
// sharply each is known: one over its standard error with the others held.
func (m *model) startFixed(beta []float64) (sharp []float64) {
	sharp = make([]float64, m.p)
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
		for j := range sharp {
			sharp[j] = math.Sqrt(h.At(j, j))
		}
		var c mat.Cholesky
		var step mat.VecDense
		if !c.Factorize(h) || c.SolveVecTo(&step, g) != nil {
			return sharp
		}
		move := 0.0
		for j := range beta {
			s := math.Max(-3, math.Min(3, step.AtVec(j)))
			beta[j] += s
			move = math.Max(move, math.Abs(s))
		}
		if move < 1e-8 {
			return sharp
		}
	}
	return sharp
}

func dot(a, b []float64) float64 {
	s := 0.0
	for i := range a {
		s += a[i] * b[i]
	}
	return s
}

// normal is the factorised H = ΛᵀZᵀWZΛ + I: the diagonal d of the largest
// factor, the sparse border between it and the rest, and the Cholesky factor
// of the Schur complement.
type normal struct {
	m      *model
	d      []float64   // by level of the largest factor
	border [][]float64 // by level, over model.touch
	chol   mat.Cholesky
	inv    []float64   // inverse of the Schur complement, row by row
	across [][]float64 // by level: inv × border
	own    []float64   // by level: H⁻¹'s diagonal
}

// factorise builds H at weights w and spreads sigma, in the order's columns.
func (m *model) factorise(w, sigma []float64) (*normal, bool) {
	big, width := m.q-m.small, max(1, m.small)
	n := &normal{m: m, d: make([]float64, big), border: make([][]float64, big)}
	for j := range n.d {
		n.d[j], n.border[j] = 1, make([]float64, len(m.touch[j]))
	}
	a := make([]float64, width*width) // its upper half is used
	for j := range width {
		a[j*width+j] = 1
	}
	add := func(x, y int, v float64) {
		if x > y {
			x, y = y, x
		}
		a[x*width+y] += v
	}
	for i := range m.rows {
		at := m.at[i]
		for x := 0; x < m.nf-1; x++ {
			for y := x; y < m.nf-1; y++ {
				add(at[x], at[y], w[i]*sigma[x]*sigma[y])
			}
		}
		if m.nf > 0 {
			j, s := at[m.nf-1]-m.small, sigma[m.nf-1]
			n.d[j] += w[i] * s * s
			for x, k := range m.spot[i] {
				n.border[j][k] += w[i] * s * sigma[x]
			}
		}
	}
	for j, row := range n.border {
		cols := m.touch[j]
		for x, vx := range row {
			f := vx / n.d[j]
			for y := x; y < len(row); y++ {
				add(cols[x], cols[y], -f*row[y])
			}
		}
	}
	return n, n.chol.Factorize(mat.NewSymDense(width, a))
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
		f := g[m.small+j] / n.d[j]
		for k, c := range m.touch[j] {
			rhs.SetVec(c, rhs.AtVec(c)-row[k]*f)
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
		for k, c := range m.touch[j] {
			s -= row[k] * out[c]
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

// invert readies the parts of H⁻¹ that rows ask for.
func (n *normal) invert() error {
	width := max(1, n.m.small)
	inv := mat.NewSymDense(width, nil)
	if err := n.chol.InverseTo(inv); err != nil {
		return err
	}
	n.inv = make([]float64, width*width)
	for x := range width {
		for y := range width {
			n.inv[x*width+y] = inv.At(x, y)
		}
	}
	n.across, n.own = make([][]float64, len(n.d)), make([]float64, len(n.d))
	for j, row := range n.border {
		h := make([]float64, width)
		for k, c := range n.m.touch[j] {
			v := row[k]
			for x, u := range n.inv[c*width : (c+1)*width] {
				h[x] += v * u
			}
		}
		s := 0.0
		for k, c := range n.m.touch[j] {
			s += row[k] * h[c]
		}
		n.across[j], n.own[j] = h, 1/n.d[j]+s/(n.d[j]*n.d[j])
	}
	return nil
}

// block gives H⁻¹ over a row's own columns.
func (n *normal) block(at []int, out [][]float64) {
	m := n.m
	last := m.nf - 1
	if last < 0 {
		return
	}
	width := max(1, m.small)
	j := at[last] - m.small
	for x := 0; x < last; x++ {
		for y := 0; y < last; y++ {
			out[x][y] = n.inv[at[x]*width+at[y]]
		}
		v := -n.across[j][at[x]] / n.d[j]
		out[x][last], out[last][x] = v, v
	}
	out[last][last] = n.own[j]
}

// variance is H⁻¹'s diagonal at a column.
func (n *normal) variance(c int) float64 {
	if c < n.m.small {
		return n.inv[c*max(1, n.m.small)+c]
	}
	return n.own[c-n.m.small]
}
