package take

import (
	"math"

	"gonum.org/v1/gonum/mat"
)

// sigmas gives the spreads in the model's order. Only their size counts.
func (m *model) sigmas(x []float64) []float64 {
	s := make([]float64, m.nf)
	for i, k := range m.order {
		s[i] = math.Abs(x[m.p+k])
	}
	return s
}

// linear fills eta at fixed effects and modes.
func (m *model) linear(beta, b, sigma []float64) {
	for i, r := range m.rows {
		e := dot(r.X, beta)
		for k, c := range m.at[i] {
			e += sigma[k] * b[c]
		}
		m.eta[i] = e
	}
}

// minusTwoLog is −2 ln p(y | eta), binomial constants in.
func (m *model) minusTwoLog() float64 {
	s := m.logComb
	for i, r := range m.rows {
		e := m.eta[i]
		// ln(1 + e^η) without overflow.
		l := math.Max(e, 0) + math.Log1p(math.Exp(-math.Abs(e)))
		s += float64(r.Took)*e - float64(r.Grafts)*l
	}
	return -2 * s
}

// modes finds the modes of the random effects by Newton's steps, halved
// while they do not help, and gives H at them.
func (m *model) modes(beta, sigma []float64) (n *normal, penalised float64) {
	copy(m.b, m.last)
	w, g := make([]float64, len(m.rows)), make([]float64, m.q)
	m.linear(beta, m.b, sigma)
	penalised = m.minusTwoLog() + dot(m.b, m.b)
	for range 60 {
		for c := range g {
			g[c] = -m.b[c]
		}
		for i, r := range m.rows {
			p := logistic(m.eta[i])
			w[i] = float64(r.Grafts) * p * (1 - p)
			d := float64(r.Took) - float64(r.Grafts)*p
			for k, c := range m.at[i] {
				g[c] += sigma[k] * d
			}
		}
		var ok bool
		if n, ok = m.factorise(w, sigma); !ok {
			return n, math.Inf(1)
		}
		step := n.solve(g)
		if gain := dot(g, step); gain < 1e-10 {
			break
		}
		was := append([]float64(nil), m.b...)
		for half := 1.0; ; half /= 2 {
			for c := range m.b {
				m.b[c] = was[c] + half*step[c]
			}
			m.linear(beta, m.b, sigma)
			now := m.minusTwoLog() + dot(m.b, m.b)
			if now <= penalised || half < 1e-6 {
				penalised = now
				break
			}
		}
	}
	copy(m.last, m.b)
	return n, penalised
}

// laplace gives −2 × the Laplace log likelihood (with the weak pull) at x,
// fixed effects and then spreads, and its slope. The modes move with x, and
// the slope holds that too.
func (m *model) laplace(x, slope []float64) float64 {
	beta, sigma := x[:m.p], m.sigmas(x)
	n, f := m.modes(beta, sigma)
	if math.IsInf(f, 1) {
		return f
	}
	for j := range slope {
		slope[j] = 0
	}
	for j, b := range beta {
		f += weak * b * b
		slope[j] = 2 * weak * b
	}
	if n.invert() != nil {
		return math.Inf(1)
	}
	lev := make([]float64, len(m.rows))     // W′ × leverage
	third := make([]float64, m.q)           // Σ W′ v a
	inner := make([][]float64, len(m.rows)) // H⁻¹a over the row's own columns
	block := square(m.nf)
	for i, r := range m.rows {
		p := logistic(m.eta[i])
		dw := float64(r.Grafts) * p * (1 - p) * (1 - 2*p)
		n.block(m.at[i], block)
		ha, v := make([]float64, m.nf), 0.0
		for k := range m.nf {
			for l := range m.nf {
				ha[k] += block[k][l] * sigma[l]
			}
			v += sigma[k] * ha[k]
		}
		inner[i], lev[i] = ha, dw*v
		for k, c := range m.at[i] {
			third[c] += lev[i] * sigma[k]
		}
	}
	r := n.solve(third)
	for i, row := range m.rows {
		p := logistic(m.eta[i])
		w := float64(row.Grafts) * p * (1 - p)
		d := float64(row.Took) - float64(row.Grafts)*p
		ar := 0.0
		for k, c := range m.at[i] {
			ar += sigma[k] * r[c]
		}
		t := lev[i] - w*ar
		for j, xj := range row.X {
			slope[j] += xj * (t - 2*d)
		}
		for k, c := range m.at[i] {
			slope[m.p+m.order[k]] += m.b[c]*(t-2*d) + 2*w*inner[i][k] + d*r[c]
		}
	}
	for k := range m.nf {
		if x[m.p+k] < 0 {
			slope[m.p+k] = -slope[m.p+k]
		}
	}
	return f + n.logDet()
}

func square(n int) [][]float64 {
	out := make([][]float64, n)
	for i := range out {
		out[i] = make([]float64, n)
	}
	return out
}

// fit reads the answer off at the best point.
func (m *model) fit(x []float64, d Data) Fit {
	beta, sigma := x[:m.p], m.sigmas(x)
	n, pen := m.modes(beta, sigma)
	n.invert() // it could be inverted at this very point before
	f := Fit{Deviance: pen + n.logDet(), Fixed: append([]float64(nil), beta...), SD: make([]float64, m.nf), Effects: make([][]Effect, m.nf), Separate: bounds(d)}
	for i, k := range m.order {
		f.SD[k] = sigma[i]
		for l := range d.Factors[k].Levels {
			c := m.offset[k] + l
			f.Effects[k] = append(f.Effects[k], Effect{sigma[i] * m.b[c], sigma[i] * math.Sqrt(n.variance(c))})
		}
	}
	f.FixedSE, f.FixedCov = m.standardErrors(n, sigma)
	return f
}

// standardErrors of the fixed effects and their covariances: what is known of
// them once the random effects have had their share.
func (m *model) standardErrors(n *normal, sigma []float64) ([]float64, [][]float64) {
	h := mat.NewSymDense(m.p, nil)
	cross := make([][]float64, m.p) // ΛᵀZᵀWX by column
	for j := range cross {
		cross[j] = make([]float64, m.q)
		h.SetSym(j, j, weak)
	}
	for i, r := range m.rows {
		p := logistic(m.eta[i])
		w := float64(r.Grafts) * p * (1 - p)
		for j, xj := range r.X {
			for k, c := range m.at[i] {
				cross[j][c] += w * xj * sigma[k]
			}
			for k := j; k < m.p; k++ {
				h.SetSym(j, k, h.At(j, k)+w*xj*r.X[k])
			}
		}
	}
	for j := range m.p {
		s := n.solve(cross[j])
		for k := j; k < m.p; k++ {
			h.SetSym(j, k, h.At(j, k)-dot(s, cross[k]))
		}
	}
	out := make([]float64, m.p)
	var c mat.Cholesky
	if !c.Factorize(h) {
		for j := range out {
			out[j] = math.Inf(1)
		}
		return out, nil
	}
	var inv mat.SymDense
	if err := c.InverseTo(&inv); err != nil {
		return out, nil
	}
	cov := square(m.p)
	for j := range out {
		out[j] = math.Sqrt(inv.At(j, j))
		for k := range cov[j] {
			cov[j][k] = inv.At(j, k)
		}
	}
	return out, cov
}
