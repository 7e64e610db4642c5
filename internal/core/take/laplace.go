package take

import (
	"math"
	"math/rand/v2"
	"slices"
	"sync"

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

// linear fills eta and the takes it stands for at fixed effects and modes, and
// gives −2 ln p(y | eta), binomial constants in.
func (m *model) linear(beta, b, sigma []float64) float64 {
	var sums [2]float64
	halves(m.n, func(part, from, to int) {
		s := 0.0
		for i := from; i < to; i++ {
			e := dot(m.x[i*m.p:(i+1)*m.p], beta)
			for k, c := range m.at[i*m.nf : (i+1)*m.nf] {
				e += sigma[k] * b[c]
			}
			// e^−|η| serves both the take and ln(1 + e^η), without overflow.
			z := math.Exp(-math.Abs(e))
			m.eta[i], m.takes[i] = e, 1/(1+z)
			if e < 0 {
				m.takes[i] = z / (1 + z)
			}
			s += m.took[i]*e - m.grafts[i]*(math.Max(e, 0)+math.Log1p(z))
		}
		sums[part] = s
	})
	return -2 * (m.logComb + sums[0] + sums[1])
}

// weigh fills the weights at the takes, and g with the slope of the log
// likelihood less half the penalty, by column.
func (m *model) weigh(sigma, g []float64) {
	for c := range g {
		g[c] = -m.b[c]
	}
	for i, p := range m.takes {
		m.w[i] = m.grafts[i] * p * (1 - p)
		d := m.took[i] - m.grafts[i]*p
		for k, c := range m.at[i*m.nf : (i+1)*m.nf] {
			g[c] += sigma[k] * d
		}
	}
}

// manyTags is from how many tags, or products of a block, on two cores share
// the work: below it they would wait for each other longer than they save.
const (
	manyTags     = 8_000
	manyProducts = 200_000
)

// halves does a range in two parts at once where it is long.
func halves(n int, do func(part, from, to int)) {
	if n < manyTags {
		do(0, 0, n)
		return
	}
	both(func() { do(0, 0, n/2) }, func() { do(1, n/2, n) })
}

func both(one, other func()) {
	var wait sync.WaitGroup
	wait.Go(one)
	other()
	wait.Wait()
}

// modes finds the modes of the random effects by Newton's steps, halved
// while they do not help, and gives H at them. It begins at the last modes
// found. What a step still gains at the end is below 1e-8 of a deviance.
//
// Where factorising costs more than a few walks over the tags, the first steps
// are taken with the H of the last point (Shamanskii's way): they come near
// enough that one new H is all that is needed.
func (m *model) modes(beta, sigma []float64) (n *normal, penalised float64) {
	copy(m.b, m.last)
	g, was := make([]float64, m.q), make([]float64, m.q)
	penalised = m.linear(beta, m.b, sigma) + dot(m.b, m.b)
	move := func(step []float64) (down float64) {
		from := penalised
		copy(was, m.b)
		for half := 1.0; ; half /= 2 {
			for c := range m.b {
				m.b[c] = was[c] + half*step[c]
			}
			now := m.linear(beta, m.b, sigma) + dot(m.b, m.b)
			if now <= from+1e-10 || half < 1e-6 {
				penalised = now
				return from - now
			}
		}
	}
	m.weigh(sigma, g)
	if old := m.seen.n; old != nil && m.n >= manyTags {
		for range 8 {
			step := old.solve(g)
			gain := dot(g, step)
			move(step)
			m.weigh(sigma, g)
			if gain < 1e-5 {
				break
			}
		}
	}
	for range 60 {
		var ok bool
		if n, ok = m.factorise(m.w, sigma); !ok {
			return n, math.Inf(1)
		}
		step := n.solve(g)
		gain := dot(g, step)
		if gain < 1e-12 {
			break
		}
		move(step)
		if gain < 1e-8 {
			break // the weights moved by less than could be seen
		}
		m.weigh(sigma, g)
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
	clear(slope)
	n.invert()
	m.seen = seen{x: slices.Clone(x), n: n, penalised: f}
	for j, b := range beta {
		f += weak * b * b
		slope[j] = 2 * weak * b
	}
	nf := m.nf
	lev := make([]float64, m.n)      // W′ × leverage
	third := make([]float64, m.q)    // Σ W′ v a
	inner := make([]float64, m.n*nf) // H⁻¹a over the tag's own columns
	halves(m.n, func(_, from, to int) {
		block := make([]float64, nf*nf)
		for i := from; i < to; i++ {
			p := m.takes[i]
			n.block(i, block)
			ha, v := inner[i*nf:(i+1)*nf], 0.0
			for k := range nf {
				for l := range nf {
					ha[k] += block[k*nf+l] * sigma[l]
				}
				v += sigma[k] * ha[k]
			}
			lev[i] = m.grafts[i] * p * (1 - p) * (1 - 2*p) * v
		}
	})
	for i, v := range lev {
		for k, c := range m.at[i*nf : (i+1)*nf] {
			third[c] += v * sigma[k]
		}
	}
	r := n.solve(third)
	for i, p := range m.takes {
		w := m.grafts[i] * p * (1 - p)
		d := m.took[i] - m.grafts[i]*p
		at, ar := m.at[i*nf:(i+1)*nf], 0.0
		for k, c := range at {
			ar += sigma[k] * r[c]
		}
		t := lev[i] - w*ar
		for j, xj := range m.x[i*m.p : (i+1)*m.p] {
			slope[j] += xj * (t - 2*d)
		}
		for k, c := range at {
			slope[m.p+m.order[k]] += m.b[c]*(t-2*d) + 2*w*inner[i*nf+k] + d*r[c]
		}
	}
	for k := range m.nf {
		if x[m.p+k] < 0 {
			slope[m.p+k] = -slope[m.p+k]
		}
	}
	return f + n.logDet()
}

// fixed is what is known of the fixed effects beside the random ones, at the
// point where H was made.
type fixed struct {
	h     *mat.SymDense // their information, the random effects' share taken off
	cross [][]float64   // ΛᵀZᵀWX, by fixed effect
	s     [][]float64   // H⁻¹ of it
}

func (m *model) fixedPart(n *normal) fixed {
	f := fixed{h: mat.NewSymDense(max(1, m.p), nil), cross: make([][]float64, m.p), s: make([][]float64, m.p)}
	for j := range m.p {
		f.h.SetSym(j, j, weak)
	}
	var sums [2][]float64
	var crosses [2][]float64
	halves(m.n, func(part, from, to int) {
		sum, cross := make([]float64, m.p*m.p), make([]float64, m.p*m.q)
		sums[part], crosses[part] = sum, cross
		for i := from; i < to; i++ {
			w, x, at := m.w[i], m.x[i*m.p:(i+1)*m.p], m.at[i*m.nf:(i+1)*m.nf]
			for j, xj := range x {
				if xj == 0 {
					continue
				}
				wx, own := w*xj, cross[j*m.q:(j+1)*m.q]
				for k, c := range at {
					own[c] += wx * n.sigma[k]
				}
				for k := j; k < m.p; k++ {
					sum[j*m.p+k] += wx * x[k]
				}
			}
		}
	})
	for j := range m.p {
		f.cross[j] = crosses[0][j*m.q : (j+1)*m.q]
	}
	if sums[1] != nil {
		for i, v := range sums[1] {
			sums[0][i] += v
		}
		for i, v := range crosses[1] {
			crosses[0][i] += v
		}
	}
	sum := sums[0]
	for j := range m.p {
		for k := j; k < m.p; k++ {
			f.h.SetSym(j, k, f.h.At(j, k)+sum[j*m.p+k])
		}
	}
	for j := range m.p {
		f.s[j] = n.solve(f.cross[j])
	}
	for j := range m.p {
		for k := j; k < m.p; k++ {
			f.h.SetSym(j, k, f.h.At(j, k)-dot(f.s[j], f.cross[k]))
		}
	}
	return f
}

// startFixed fits the fixed effects alone, to begin from.
func (m *model) startFixed(beta []float64) {
	for range 25 {
		h, g := mat.NewSymDense(max(1, m.p), nil), mat.NewVecDense(max(1, m.p), nil)
		for j := range m.p {
			h.SetSym(j, j, weak)
			g.SetVec(j, -weak*beta[j])
		}
		for i := range m.n {
			x := m.x[i*m.p : (i+1)*m.p]
			pr := logistic(dot(x, beta))
			w := m.grafts[i] * pr * (1 - pr)
			for j, xj := range x {
				g.SetVec(j, g.AtVec(j)+xj*(m.took[i]-m.grafts[i]*pr))
				for k := j; k < m.p; k++ {
					h.SetSym(j, k, h.At(j, k)+w*xj*x[k])
				}
			}
		}
		inv, ok := symmetric(h)
		if !ok {
			return
		}
		var step mat.VecDense
		step.MulVec(inv, g)
		move := 0.0
		for j := range beta {
			s := math.Max(-3, math.Min(3, step.AtVec(j)))
			beta[j] += s
			move = math.Max(move, math.Abs(s))
		}
		if move < 0.02 {
			return
		}
	}
}

// Where the search for the best point begins, and in which units it goes.
const (
	firstSpread = 0.5
	leastSpread = 0.03 // a start at no spread at all would stay there
	warmUps     = 8
)

// start comes near the best point by the way of Schall (1991): fixed and
// random effects are moved together by Newton's step, and each spread is set
// to √(Σ b² ÷ the levels well told apart). It fills x, and gives the lower
// triangle that turns steps of one standard error into steps of x.
func (m *model) start(x []float64) *mat.TriDense {
	beta := x[:m.p]
	m.startFixed(beta)
	for k := range m.nf {
		x[m.p+k] = firstSpread
	}
	told, signs := make([]float64, m.nf), rand.New(rand.NewPCG(1, 1))
	var f fixed
	for round := range warmUps {
		sigma := m.sigmas(x)
		m.linear(beta, m.b, sigma)
		g := make([]float64, m.q)
		m.weigh(sigma, g)
		n, ok := m.factorise(m.w, sigma)
		if !ok {
			break
		}
		f = m.fixedPart(n)
		m.together(n, f, beta, g)
		// The trace of H⁻¹ over a factor is z·H⁻¹z on average, for z of ones of
		// either sign (Hutchinson 1990): near enough to begin from.
		z := make([]float64, m.q)
		for c := range z {
			z[c] = float64(1 - 2*signs.IntN(2))
		}
		hz := n.solve(z)
		moved := 0.0
		for i, k := range m.order {
			sum, lost := 0.0, 0.0
			for _, c := range m.column[k] {
				sum += m.b[c] * m.b[c]
				lost += z[c] * hz[c]
			}
			// Modes are kept in units of their spread.
			told[k] = math.Max(0.5, float64(len(m.column[k]))-lost)
			s := math.Max(leastSpread, math.Min(5, sigma[i]*math.Sqrt(sum/told[k])))
			moved = math.Max(moved, math.Abs(math.Log(s/sigma[i])))
			for _, c := range m.column[k] {
				m.b[c] *= sigma[i] / s
			}
			x[m.p+k] = s
		}
		if round > 1 && moved < 0.01 {
			break
		}
	}
	copy(m.last, m.b)
	units := mat.NewTriDense(m.p+m.nf, mat.Lower, nil)
	for j := range m.p + m.nf {
		units.SetTri(j, j, 1)
	}
	if f.h != nil && m.p > 0 {
		if inv, ok := symmetric(f.h); ok {
			var c mat.Cholesky
			if c.Factorize(inv) {
				var l mat.TriDense
				c.LTo(&l)
				for j := range m.p {
					for k := range j + 1 {
						units.SetTri(j, k, l.At(j, k)/math.Sqrt2) // f is twice a log likelihood
					}
				}
			}
		}
	}
	for k := range m.nf {
		units.SetTri(m.p+k, m.p+k, x[m.p+k]/(2*math.Sqrt(told[k])))
	}
	return units
}

// together moves fixed and random effects by one step of Newton's, both at
// once, held to three in each.
func (m *model) together(n *normal, f fixed, beta, g []float64) {
	gb := make([]float64, m.p)
	for i := range m.n {
		d := m.took[i] - m.grafts[i]*m.takes[i]
		for j, xj := range m.x[i*m.p : (i+1)*m.p] {
			gb[j] += xj * d
		}
	}
	u := n.solve(g)
	rhs := mat.NewVecDense(max(1, m.p), nil)
	for j := range m.p {
		rhs.SetVec(j, gb[j]-weak*beta[j]-dot(f.s[j], g))
	}
	inv, ok := symmetric(f.h)
	if !ok {
		return
	}
	var step mat.VecDense
	step.MulVec(inv, rhs)
	hold := func(s float64) float64 { return math.Max(-3, math.Min(3, s)) }
	for j := range beta {
		s := hold(step.AtVec(j))
		beta[j] += s
		for c := range u {
			u[c] -= f.s[j][c] * s
		}
	}
	for c := range m.b {
		m.b[c] += hold(u[c])
	}
}

// fit reads the answer off at the best point.
func (m *model) fit(x []float64, d Data) Fit {
	beta, sigma := x[:m.p], m.sigmas(x)
	n, pen := m.seen.n, m.seen.penalised
	if !slices.Equal(m.seen.x, x) {
		n, pen = m.modes(beta, sigma)
		n.invert()
	}
	f := Fit{
		Deviance: pen + n.logDet(),
		Fixed:    slices.Clone(beta),
		SD:       make([]float64, m.nf),
		Effects:  make([][]Effect, m.nf),
		Separate: bounds(d),
	}
	for i, k := range m.order {
		f.SD[k] = sigma[i]
		for l := range d.Factors[k].Levels {
			c := m.columnOf(k, l)
			f.Effects[k] = append(f.Effects[k], Effect{sigma[i] * m.b[c], sigma[i] * math.Sqrt(n.variance(c))})
		}
	}
	f.at = m.point(n, beta)
	f.FixedSE = make([]float64, m.p)
	for j := range f.FixedSE {
		f.FixedSE[j] = math.Inf(1)
		if f.at.cov != nil {
			f.FixedSE[j] = math.Sqrt(f.at.cov.At(j, j))
		}
	}
	return f
}
