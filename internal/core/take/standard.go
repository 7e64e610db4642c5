package take

import (
	"math"

	"gonum.org/v1/gonum/stat/distuv"
)

// Fair is a level's standardised take: what all tags would have taken, had each
// been of this level and otherwise as it was. Low to High is the middle 90 %.
type Fair struct{ Take, Low, High float64 }

// Standard is the fair take of every level of every factor, and of every
// technique.
type Standard struct {
	Raw       float64  // Σ took ÷ Σ grafts
	Fitted    float64  // Σ grafts·p ÷ Σ grafts, p the fitted take of a tag
	Technique []Fair   // of the base, then of each column asked for
	Factors   [][]Fair // by factor and level
	// NoSpread says of each factor that no difference between its levels was
	// found: they cannot be told apart.
	NoSpread []bool
}

// noSpread is the spread on the logit scale below which levels are not told
// apart: it moves a take of 80 in 100 by less than half of one.
const noSpread = 0.03

// Standard works fair takes out, without their ranges. columns are those of the
// techniques among the fixed effects.
func (f Fit) Standard(columns []int) Standard { return f.standard(columns, false) }

// Ranged is Standard with the ranges. They come from the joint covariance of
// all effects, so that a level nobody else shared has a wide one; and where a
// factor has few levels, from every spread that its records leave likely, each
// at its weight.
func (f Fit) Ranged(columns []int) Standard { return f.standard(columns, true) }

func (f Fit) standard(columns []int, ranged bool) Standard {
	p := f.at
	m := p.m
	out := Standard{Factors: make([][]Fair, m.nf), NoSpread: make([]bool, m.nf)}
	took, grafts := 0.0, 0.0
	for i, n := range m.grafts {
		took, grafts = took+m.took[i], grafts+n
		out.Fitted += n * logistic(p.eta[i])
	}
	out.Raw, out.Fitted = took/grafts, out.Fitted/grafts
	out.Technique = p.techniques(columns, grafts, ranged)
	for i, k := range m.order {
		out.NoSpread[k] = f.SD[k] < noSpread
		means := p.levels(i, grafts, false)
		for _, x := range means {
			out.Factors[k] = append(out.Factors[k], Fair{Take: logistic(x.mean)})
		}
		if ranged {
			m.range90(p, i, grafts, out.Factors[k])
		}
	}
	return out
}

// belief is a normal belief of a take on the logit scale, with its weight.
type belief struct{ mean, variance, weight float64 }

// belief turns a take and its variance into a belief on the logit scale.
func beliefOf(take, variance float64) belief {
	take = math.Max(1e-9, math.Min(1-1e-9, take))
	d := take * (1 - take)
	return belief{mean: math.Log(take / (1 - take)), variance: variance / (d * d), weight: 1}
}

// techniques puts each technique in the place of every tag's own.
func (p *point) techniques(columns []int, grafts float64, ranged bool) []Fair {
	m := p.m
	out := make([]Fair, 0, len(columns)+1)
	x := make([]float64, m.p)
	for level := -1; level < len(columns); level++ {
		sum := 0.0
		gx, gu := make([]float64, m.p), make([]float64, m.q)
		for i, n := range m.grafts {
			copy(x, m.x[i*m.p:(i+1)*m.p])
			eta := p.eta[i]
			for _, c := range columns {
				eta -= p.beta[c] * x[c]
				x[c] = 0
			}
			if level >= 0 {
				x[columns[level]] = 1
				eta += p.beta[columns[level]]
			}
			t := logistic(eta)
			sum += n * t
			if !ranged {
				continue
			}
			w := n * t * (1 - t) / grafts
			for j, xj := range x {
				gx[j] += w * xj
			}
			for k, c := range m.at[i*m.nf : (i+1)*m.nf] {
				gu[c] += w * p.n.sigma[k]
			}
		}
		one := Fair{Take: sum / grafts, High: 1}
		if ranged {
			one.between([]belief{beliefOf(one.Take, p.spread(gx, gu))})
		}
		out = append(out, one)
	}
	return out
}

// levels gives the belief of each level's fair take of the factor that stands
// at a place in the model's order.
//
// With a tag's own level put out, the take that all tags would have with an
// effect t in its place is a smooth function of t alone, and so are the slopes
// that its variance needs. It is worked out at Chebyshev's points over the span
// of the effects and read off between them; the poles of the logistic are π
// away, so that the error is below 1e-9 for spans met in practice.
func (p *point) levels(place int, grafts float64, ranged bool) []belief {
	m := p.m
	k, sigma := m.order[place], p.n.sigma[place]
	low, high := math.Inf(1), math.Inf(-1)
	for _, c := range m.column[k] {
		low, high = math.Min(low, sigma*p.b[c]), math.Max(high, sigma*p.b[c])
	}
	grid := chebyshev(low-0.01, high+0.01)
	takes, slopes := make([]float64, len(grid.at)), make([]float64, len(grid.at))
	variances, through := make([]float64, len(grid.at)), make([][]float64, len(grid.at))
	for a, t := range grid.at {
		gx, gu := make([]float64, m.p), make([]float64, m.q)
		for i, n := range m.grafts {
			at := m.at[i*m.nf : (i+1)*m.nf]
			take := logistic(p.eta[i] - sigma*p.b[at[place]] + t)
			takes[a] += n * take / grafts
			if !ranged {
				continue
			}
			w := n * take * (1 - take) / grafts
			slopes[a] += w
			for j, xj := range m.x[i*m.p : (i+1)*m.p] {
				gx[j] += w * xj
			}
			for l, c := range at {
				if l != place {
					gu[c] += w * p.n.sigma[l]
				}
			}
		}
		if ranged {
			variances[a], through[a] = p.through(gx, gu)
		}
	}
	out := make([]belief, 0, len(m.column[k]))
	for _, c := range m.column[k] {
		shares := grid.shares(sigma * p.b[c])
		take, slope, variance, cross := 0.0, 0.0, 0.0, 0.0
		for a, s := range shares {
			take += s * takes[a]
			if ranged {
				slope += s * slopes[a]
				variance += s * variances[a]
				cross += s * through[a][c]
			}
		}
		if ranged && p.cov != nil {
			own := slope * sigma
			variance += 2*own*cross + own*own*p.own(int(c))
		}
		out = append(out, beliefOf(take, math.Max(0, variance)))
	}
	return out
}

// grid is points on a stretch, with the barycentric weights to read off
// between them.
type grid struct{ at, weight []float64 }

func chebyshev(low, high float64) grid {
	half, mid := (high-low)/2, (high+low)/2
	n := 14 + int(math.Ceil(8*half))
	var g grid
	for i := range n {
		a := math.Pi * (float64(i) + 0.5) / float64(n)
		w := math.Sin(a)
		if i%2 == 1 {
			w = -w
		}
		g.at, g.weight = append(g.at, mid+half*math.Cos(a)), append(g.weight, w)
	}
	return g
}

// shares is how much of each point's value makes the value at x.
func (g grid) shares(x float64) []float64 {
	out, sum := make([]float64, len(g.at)), 0.0
	for i, t := range g.at {
		d := x - t
		if math.Abs(d) < 1e-12 {
			clear(out)
			out[i] = 1
			return out
		}
		out[i] = g.weight[i] / d
		sum += out[i]
	}
	for i := range out {
		out[i] /= sum
	}
	return out
}

// Few levels leave a factor's spread uncertain: below so many that tell, every
// likely spread is reckoned with.
const fewLevels = 30

// spreads are those tried, on the logit scale; what lies between two of them
// is given to both.
var spreads = []float64{0, 0.06, 0.12, 0.18, 0.25, 0.33, 0.42, 0.52, 0.65, 0.8, 1, 1.25, 1.6, 2.1, 2.8}

// unlikely is the weight beside the likeliest below which a spread is left out.
const unlikely = 2e-3

// range90 sets the ranges of a factor's fair takes.
func (m *model) range90(p *point, place int, grafts float64, into []Fair) {
	k := m.order[place]
	told := float64(len(m.column[k]))
	for _, c := range m.column[k] {
		told -= p.n.variance(int(c))
	}
	if told >= fewLevels || p.cov == nil {
		for l, b := range p.levels(place, grafts, true) {
			into[l].between([]belief{b})
		}
		return
	}
	kept, mine := m.b, append([]float64(nil), p.b...)
	defer func() { m.b = kept }()
	m.b = mine
	mixed := make([][]belief, len(into))
	best := math.Inf(1)
	var found []float64
	try := func(a int) bool {
		sigma := append([]float64(nil), p.n.sigma...)
		sigma[place] = spreads[a]
		q, restricted, ok := m.jointly(p.beta, sigma)
		if !ok {
			return false
		}
		// A half-normal prior of one on the logit scale, times the stretch that
		// this spread stands for.
		wide := spreads[min(a+1, len(spreads)-1)] - spreads[max(a-1, 0)]
		score := restricted + spreads[a]*spreads[a] - 2*math.Log(wide)
		best = math.Min(best, score)
		found = append(found, score)
		for l, b := range q.levels(place, grafts, true) {
			mixed[l] = append(mixed[l], b)
		}
		return score-best < -2*math.Log(unlikely)
	}
	start := 0
	for start+1 < len(spreads) && spreads[start+1] <= p.n.sigma[place] {
		start++
	}
	for a := start; a < len(spreads) && try(a); a++ {
	}
	copy(mine, p.b)
	for a := start - 1; a >= 0 && try(a); a-- {
	}
	for l, bs := range mixed {
		for i := range bs {
			bs[i].weight = math.Exp((best - found[i]) / 2)
		}
		into[l].between(bs)
	}
}

// between sets the range to the middle 90 % of what beliefs say together, the
// take itself always inside.
func (f *Fair) between(bs []belief) {
	total, low, high := 0.0, math.Inf(1), math.Inf(-1)
	for _, b := range bs {
		if math.IsInf(b.variance, 1) {
			f.Low, f.High = 0, 1
			return
		}
		total += b.weight
		s := 8 * math.Sqrt(b.variance)
		low, high = math.Min(low, b.mean-s-1e-6), math.Max(high, b.mean+s+1e-6)
	}
	below := func(x float64) float64 {
		s := 0.0
		for _, b := range bs {
			s += b.weight / total * distuv.UnitNormal.CDF((x-b.mean)/math.Max(1e-9, math.Sqrt(b.variance)))
		}
		return s
	}
	at := func(share float64) float64 {
		lo, hi := low, high
		for range 50 {
			if mid := (lo + hi) / 2; below(mid) < share {
				lo = mid
			} else {
				hi = mid
			}
		}
		return (lo + hi) / 2
	}
	f.Low, f.High = math.Min(f.Take, logistic(at(0.05))), math.Max(f.Take, logistic(at(0.95)))
}
