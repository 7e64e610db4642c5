package take

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
)

// weak is the pull on fixed effects: a normal spread of 10 on the logit
// scale. It moves a deviance by less than 0.1 and an effect of 2 by nothing
// that can be seen, and gives an answer where all or none took.
const weak = 1.0 / (10 * 10)

// model holds the data in the order in which the fit walks them. The factor
// with the most levels is the last: its block of the normal matrix is
// diagonal, and it is eliminated first. What is left of the others is an
// envelope: stock and wood live one season, so that most of it is blocks.
type model struct {
	p, nf, n int       // fixed effects, factors, tags
	x        []float64 // by tag, p each
	grafts   []float64
	took     []float64
	order    []int     // factors, the largest last
	column   [][]int32 // of each factor's levels
	small    int       // columns of all factors but the largest
	q        int       // columns
	logComb  float64   // Σ ln C(n, k)

	at    []int32 // by tag, nf each: its columns, in order
	pairs []int32 // by tag: where its small columns' products stand in the envelope
	spot  []int32 // by tag, nf − 1 each: where its small columns stand in the border
	first []int32 // the envelope's shape

	// By level of the largest factor: the other columns it meets, rising, from
	// begin[j] to begin[j+1].
	begin []int32
	meets []int32

	b, eta, w []float64
	takes     []float64 // the logistic of eta
	last      []float64 // modes at the last point, to start from
	seen      seen
}

// seen is the last point at which the likelihood was worked out, with what it
// left in the model.
type seen struct {
	x         []float64
	n         *normal
	penalised float64
}

// columnOf is the column of a level of a factor.
func (m *model) columnOf(factor, level int) int { return int(m.column[factor][level]) }

func newModel(d Data) *model {
	m := &model{p: len(d.Fixed), nf: len(d.Factors)}
	rows := make([]Row, 0, len(d.Rows))
	lg := func(n int) float64 { v, _ := math.Lgamma(float64(n) + 1); return v }
	for _, r := range d.Rows {
		if r.Grafts > 0 {
			rows = append(rows, r)
			m.logComb += lg(r.Grafts) - lg(r.Took) - lg(r.Grafts-r.Took)
		}
	}
	m.n = len(rows)
	m.lay(d, rows)
	m.x, m.grafts, m.took = make([]float64, 0, m.n*m.p), make([]float64, 0, m.n), make([]float64, 0, m.n)
	for _, r := range rows {
		m.x = append(m.x, r.X...)
		m.grafts, m.took = append(m.grafts, float64(r.Grafts)), append(m.took, float64(r.Took))
	}
	m.b, m.last = make([]float64, m.q), make([]float64, m.q)
	m.eta, m.takes, m.w = make([]float64, m.n), make([]float64, m.n), make([]float64, m.n)
	return m
}

// lay gives every level its column and every product its place.
func (m *model) lay(d Data, rows []Row) {
	if m.nf == 0 {
		return
	}
	largest := 0
	for k, f := range d.Factors {
		if len(f.Levels) > len(d.Factors[largest].Levels) {
			largest = k
		}
	}
	// Tags of one level follow each other, so that what they add lies together.
	byLevel(rows, largest, len(d.Factors[largest].Levels))
	m.column = make([][]int32, m.nf)
	number := func(k int) {
		m.order = append(m.order, k)
		for range d.Factors[k].Levels {
			m.column[k] = append(m.column[k], int32(m.q))
			m.q++
		}
	}
	for k := range d.Factors {
		if k != largest {
			number(k)
		}
	}
	m.small = m.q
	number(largest)
	m.border(d, rows, largest)
	at := narrow(m.neighbours(rows))
	for k := range d.Factors {
		if k != largest {
			for l, c := range m.column[k] {
				m.column[k][l] = at[c]
			}
		}
	}
	m.sortMeets(at)
	m.first = make([]int32, m.small)
	for c := range m.first {
		m.first[c] = int32(c)
	}
	for j := range len(m.begin) - 1 {
		met := m.meets[m.begin[j]:m.begin[j+1]]
		for _, c := range met {
			m.first[c] = min(m.first[c], met[0])
		}
	}
	aligned(m.first)
	shape := shaped(m.first)
	m.at, m.pairs = make([]int32, 0, m.n*m.nf), make([]int32, 0, m.n*m.nf*(m.nf-1)/2)
	for _, r := range rows {
		here := len(m.at)
		for _, k := range m.order {
			m.at = append(m.at, m.column[k][r.Levels[k]])
		}
		own := m.at[here:]
		for x := range m.nf - 1 {
			for y := x; y < m.nf-1; y++ {
				m.pairs = append(m.pairs, int32(shape.place(int(own[x]), int(own[y]))))
			}
		}
	}
}

// byLevel puts tags in the order of their level in a factor, by counting.
func byLevel(rows []Row, factor, levels int) {
	next := make([]int, levels+1)
	for _, r := range rows {
		next[r.Levels[factor]+1]++
	}
	for l := range levels {
		next[l+1] += next[l]
	}
	was := slices.Clone(rows)
	for _, r := range was {
		l := r.Levels[factor]
		rows[next[l]] = r
		next[l]++
	}
}

// sortMeets gives the columns that levels meet their places, in rising order,
// so that what is added to the envelope is added along its rows.
func (m *model) sortMeets(at []int32) {
	now := make([]int32, len(m.meets)) // where each stands after sorting
	for j := range len(m.begin) - 1 {
		from, to := m.begin[j], m.begin[j+1]
		met := m.meets[from:to]
		order := make([]int32, len(met))
		for i, c := range met {
			met[i], order[i] = at[c], from+int32(i)
		}
		slices.SortFunc(order, func(a, b int32) int { return cmp.Compare(m.meets[a], m.meets[b]) })
		for i, was := range order {
			now[was] = from + int32(i)
		}
		slices.Sort(met)
	}
	for i, s := range m.spot {
		m.spot[i] = now[s]
	}
}

// border notes which other columns each level of the largest factor meets:
// the pattern stays while its values move.
func (m *model) border(d Data, rows []Row, largest int) {
	met := make([][]int32, len(d.Factors[largest].Levels))
	of := make([][]int32, len(met)) // the tags of each
	for i, r := range rows {
		of[r.Levels[largest]] = append(of[r.Levels[largest]], int32(i))
	}
	others := m.nf - 1
	own := make([]int32, len(rows)*others)
	slot, seen := make([]int32, m.small), make([]int32, m.small) // of a column, for the level at hand
	for j, tags := range of {
		for _, i := range tags {
			for x, k := range m.order[:others] {
				c := m.column[k][rows[i].Levels[k]]
				if seen[c] != int32(j)+1 {
					seen[c], slot[c] = int32(j)+1, int32(len(met[j]))
					met[j] = append(met[j], c)
				}
				own[int(i)*others+x] = slot[c]
			}
		}
	}
	m.begin = make([]int32, len(met)+1)
	for j, cs := range met {
		m.begin[j+1] = m.begin[j] + int32(len(cs))
		m.meets = append(m.meets, cs...)
	}
	for i, r := range rows {
		for x := range others {
			own[i*others+x] += m.begin[r.Levels[largest]]
		}
	}
	m.spot = own
}

// neighbours lists, for each small column, those that some level of the
// largest factor meets with it.
func (m *model) neighbours(rows []Row) [][]int32 {
	of := make([][]int32, m.small) // levels that meet a column
	for j := range len(m.begin) - 1 {
		for _, c := range m.meets[m.begin[j]:m.begin[j+1]] {
			of[c] = append(of[c], int32(j))
		}
	}
	out := make([][]int32, m.small)
	mark := make([]int32, m.small)
	for c := range out {
		for _, j := range of[c] {
			for _, other := range m.meets[m.begin[j]:m.begin[j+1]] {
				if int(other) != c && mark[other] != int32(c)+1 {
					mark[other] = int32(c) + 1
					out[c] = append(out[c], other)
				}
			}
		}
	}
	return out
}

func byFewest(cs []int32, neighbours [][]int32) {
	slices.SortStableFunc(cs, func(a, b int32) int { return cmp.Compare(len(neighbours[a]), len(neighbours[b])) })
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
	sigma  []float64
	d      []float64 // by level of the largest factor
	border []float64 // over model.meets
	schur  envelope  // factorised
	z      envelope  // the parts of its inverse that are asked for
	across []float64 // over model.meets: z × border
	own    []float64 // by level of the largest factor: H⁻¹'s diagonal
}

// factorise builds H at weights w and spreads sigma, in the order's columns.
func (m *model) factorise(w, sigma []float64) (*normal, bool) {
	n := &normal{
		m:      m,
		sigma:  slices.Clone(sigma),
		d:      make([]float64, m.q-m.small),
		border: make([]float64, len(m.meets)),
		schur:  shaped(m.first),
	}
	for j := range n.d {
		n.d[j] = 1
	}
	for c := range m.small {
		n.schur.v[n.schur.start[c+1]-1] = 1
	}
	if m.nf > 0 {
		n.gather(w)
	}
	for j := range n.d {
		row := n.border[m.begin[j]:m.begin[j+1]]
		met := m.meets[m.begin[j]:m.begin[j+1]]
		for y, vy := range row {
			f, to := vy/n.d[j], n.schur.from0(int(met[y]))
			for x, c := range met[:y+1] {
				n.schur.v[to+int(c)] -= f * row[x]
			}
		}
	}
	return n, n.schur.factorise()
}

// gather adds the tags up. Two halves of the tags meet different levels of the
// largest factor, but the same of the others: each adds to an envelope of its
// own.
func (n *normal) gather(w []float64) {
	m := n.m
	others := m.nf - 1
	each := others * (others + 1) / 2
	add := func(v []float64, from, to int) {
		for i := from; i < to; i++ {
			pairs, k := m.pairs[i*each:(i+1)*each], 0
			for x := range others {
				wx := w[i] * n.sigma[x]
				for y := x; y < others; y++ {
					v[pairs[k]] += wx * n.sigma[y]
					k++
				}
			}
			s := n.sigma[others]
			n.d[int(m.at[i*m.nf+others])-m.small] += w[i] * s * s
			for x, slot := range m.spot[i*others : (i+1)*others] {
				n.border[slot] += w[i] * s * n.sigma[x]
			}
		}
	}
	if m.n < manyTags {
		add(n.schur.v, 0, m.n)
		return
	}
	half := m.n / 2
	for half < m.n && m.at[half*m.nf+others] == m.at[(half-1)*m.nf+others] {
		half++
	}
	second := make([]float64, len(n.schur.v))
	both(func() { add(n.schur.v, 0, half) }, func() { add(second, half, m.n) })
	for i, v := range second {
		n.schur.v[i] += v
	}
}

// solve gives H⁻¹g.
func (n *normal) solve(g []float64) []float64 {
	m := n.m
	out := slices.Clone(g)
	for j, d := range n.d {
		f := g[m.small+j] / d
		for k := m.begin[j]; k < m.begin[j+1]; k++ {
			out[m.meets[k]] -= n.border[k] * f
		}
	}
	n.schur.solve(out[:m.small])
	for j, d := range n.d {
		s := g[m.small+j]
		for k := m.begin[j]; k < m.begin[j+1]; k++ {
			s -= n.border[k] * out[m.meets[k]]
		}
		out[m.small+j] = s / d
	}
	return out
}

func (n *normal) logDet() float64 {
	s := n.schur.logDet()
	for _, d := range n.d {
		s += math.Log(d)
	}
	return s
}

// invert readies the parts of H⁻¹ that tags ask for.
func (n *normal) invert() {
	m := n.m
	n.z = n.schur.inverse()
	n.across, n.own = make([]float64, len(m.meets)), make([]float64, len(n.d))
	levels := func(begin, end int) {
		for j := begin; j < end; j++ {
			n.cover(j)
		}
	}
	if m.n < manyTags {
		levels(0, len(n.d))
		return
	}
	both(func() { levels(0, len(n.d)/2) }, func() { levels(len(n.d)/2, len(n.d)) })
}

// cover works out what invert readies for a level of the largest factor.
func (n *normal) cover(j int) {
	m, d := n.m, n.d[j]
	from, to := int(m.begin[j]), int(m.begin[j+1])
	row, h := n.border[from:to], n.across[from:to]
	met := m.meets[from:to]
	for y, vy := range row {
		z, sum := n.z.from0(int(met[y])), 0.0
		for x, c := range met[:y] {
			v := n.z.v[z+int(c)]
			sum += v * row[x]
			h[x] += v * vy
		}
		h[y] += sum + n.z.v[z+int(met[y])]*vy
	}
	n.own[j] = 1/d + dot(row, h)/(d*d)
}

// block gives H⁻¹ over a tag's own columns, after invert.
func (n *normal) block(tag int, out []float64) {
	m := n.m
	nf := m.nf
	if nf == 0 {
		return
	}
	others := nf - 1
	each, k := others*(others+1)/2, 0
	pairs := m.pairs[tag*each : (tag+1)*each]
	j := int(m.at[tag*nf+others]) - m.small
	for x := range others {
		for y := x; y < others; y++ {
			v := n.z.v[pairs[k]]
			out[x*nf+y], out[y*nf+x] = v, v
			k++
		}
		v := -n.across[m.spot[tag*others+x]] / n.d[j]
		out[x*nf+others], out[others*nf+x] = v, v
	}
	out[nf*nf-1] = n.own[j]
}

// variance is H⁻¹'s diagonal at a column, after invert.
func (n *normal) variance(c int) float64 {
	if c < n.m.small {
		return n.z.v[n.z.start[c+1]-1]
	}
	return n.own[c-n.m.small]
}

// symmetric factorises a small dense matrix and gives its inverse; false where
// it has none.
func symmetric(h *mat.SymDense) (*mat.SymDense, bool) {
	var c mat.Cholesky
	if !c.Factorize(h) {
		return nil, false
	}
	var inv mat.SymDense
	return &inv, c.InverseTo(&inv) == nil
}
