package take

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
)

// point is the model with its effects at their modes, for spreads that are
// given.
type point struct {
	m     *model
	n     *normal
	beta  []float64
	eta   []float64 // by tag
	b     []float64 // random effects, in units of their spread
	fixed fixed
	cov   *mat.SymDense // of the fixed effects; nil where they are not known at all
}

// point keeps what the model holds after its modes were found and H inverted.
func (m *model) point(n *normal, beta []float64) *point {
	p := &point{m: m, n: n, beta: slices.Clone(beta), eta: slices.Clone(m.eta), b: slices.Clone(m.b), fixed: m.fixedPart(n)}
	p.cov, _ = symmetric(p.fixed.h)
	return p
}

// jointly finds the modes of fixed and random effects together for given spreads, in
// the model's order, and −2 × the log likelihood with both put out by Laplace's
// approximation: what restricted likelihood is to a linear model.
func (m *model) jointly(beta, sigma []float64) (p *point, restricted float64, ok bool) {
	beta = slices.Clone(beta)
	g := make([]float64, m.q)
	var n *normal
	pen := m.linear(beta, m.b, sigma) + dot(m.b, m.b) + weak*dot(beta, beta)
	for range 40 {
		m.weigh(sigma, g)
		if n, ok = m.factorise(m.w, sigma); !ok {
			return nil, 0, false
		}
		m.together(n, m.fixedPart(n), beta, g)
		now := m.linear(beta, m.b, sigma) + dot(m.b, m.b) + weak*dot(beta, beta)
		settled := math.Abs(now-pen) < 1e-7
		if pen = now; settled {
			break
		}
	}
	n.invert()
	p = m.point(n, beta)
	restricted = pen + n.logDet()
	if p.cov != nil {
		var c mat.Cholesky
		c.Factorize(p.fixed.h)
		restricted += c.LogDet()
	}
	return p, restricted, true
}

// spread is the variance of the sum gx·β + gu·u, u the random effects in units
// of their spread: g′Vg with V the inverse of the whole information.
func (p *point) spread(gx, gu []float64) float64 {
	v, _ := p.through(gx, gu)
	return v
}

// through gives g′Vg, and Vg over the random effects.
func (p *point) through(gx, gu []float64) (variance float64, vg []float64) {
	vg = p.n.solve(gu)
	variance = dot(gu, vg)
	if p.cov == nil {
		return math.Inf(1), vg
	}
	t := make([]float64, p.m.p)
	for j := range t {
		t[j] = gx[j] - dot(p.fixed.s[j], gu)
	}
	for j := range t {
		ct := 0.0
		for k, b := range t {
			ct += p.cov.At(j, k) * b
		}
		variance += t[j] * ct
		for c, s := range p.fixed.s[j] {
			vg[c] -= s * ct
		}
	}
	return variance, vg
}

// own is the variance of one random effect in units of its spread, with what
// is not known of the fixed effects.
func (p *point) own(c int) float64 {
	v := p.n.variance(c)
	for j := range p.m.p {
		for k := range p.m.p {
			v += p.fixed.s[j][c] * p.fixed.s[k][c] * p.cov.At(j, k)
		}
	}
	return v
}
