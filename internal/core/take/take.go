// Package take finds what moved the take: a logistic model of tag counts with
// fixed effects for what was done (technique, mismatch, days in store) and a
// crossed random intercept for each factor (worker, stock lot, wood bundle),
// fitted by penalised iteratively reweighted least squares with the Laplace
// approximation, variances by maximum likelihood.
//
// Effects are on the logit scale.
package take

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"sort"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/optimize"
)

// Row is one tag: so many grafts of which so many took, what was done (X, one
// value a fixed effect, the intercept included) and its level in each factor.
type Row struct {
	X      []float64
	Levels []int
	Grafts int
	Took   int
}

// Factor is a random intercept: its name and the names of its levels.
type Factor struct {
	Name   string
	Levels []string
}

// Data is what is fitted.
type Data struct {
	Fixed   []string // names of the columns of X
	Factors []Factor
	Rows    []Row
}

// Effect is a level's own effect: the mode and standard deviation of its
// random intercept.
type Effect struct{ Mode, SD float64 }

// Fit is the model as the records tell it.
type Fit struct {
	Deviance float64 // −2 × the Laplace log likelihood, binomial constants in
	Fixed    []float64
	FixedSE  []float64
	SD       []float64  // of each factor
	Effects  [][]Effect // by factor and level
	Separate []Bound    // what the records cannot tell apart

	at *point // where it was found, for what is asked of it later
}

// Bound is a pair that always goes together, so that no count can say which
// of the two made the difference. Levels are "" when two whole factors do.
type Bound struct{ A, B, LevelA, LevelB string }

// Errors that Solve gives.
var (
	ErrShape = errors.New("rows do not agree in shape")
	ErrEmpty = errors.New("no grafts to learn from")
)

func (d Data) check() error {
	n := 0
	for i, r := range d.Rows {
		switch {
		case len(r.X) != len(d.Fixed) || len(r.Levels) != len(d.Factors):
			return fmt.Errorf("row %d: %w", i+1, ErrShape)
		case r.Grafts < 0 || r.Took < 0 || r.Took > r.Grafts:
			return fmt.Errorf("row %d: %d took of %d: %w", i+1, r.Took, r.Grafts, ErrShape)
		}
		for k, l := range r.Levels {
			if l < 0 || l >= len(d.Factors[k].Levels) {
				return fmt.Errorf("row %d: level %d of %s: %w", i+1, l, d.Factors[k].Name, ErrShape)
			}
		}
		for _, x := range r.X {
			if math.IsNaN(x) || math.IsInf(x, 0) {
				return fmt.Errorf("row %d: %g: %w", i+1, x, ErrShape)
			}
		}
		n += r.Grafts
	}
	if n == 0 {
		return ErrEmpty
	}
	return nil
}

// Solve fits the model. Degenerate records have an answer too: where all or
// none took, effects stop at the bounds set by a weak pull toward zero (as if
// a fixed effect of size 10 were unlikely), which no ordinary record feels.
func Solve(d Data) (Fit, error) {
	if err := d.check(); err != nil {
		return Fit{}, err
	}
	m := newModel(d)
	best := make([]float64, m.p+m.nf)
	units := m.start(best)
	// The search goes in steps of about one standard error each way, in which
	// the deviance is nearly a bowl: BFGS begins with the right curvature.
	from := slices.Clone(best)
	natural := mat.NewVecDense(len(best), nil)
	place := func(z []float64) []float64 {
		natural.MulVec(units, mat.NewVecDense(len(z), z))
		for j := range best {
			best[j] = from[j] + natural.AtVec(j)
		}
		return best
	}
	// Value and slope come from one factorisation; keep the last.
	var at []float64
	var value float64
	slope, turned := make([]float64, len(best)), mat.NewVecDense(len(best), nil)
	eval := func(z []float64) {
		if at != nil && slices.Equal(at, z) {
			return
		}
		at = append(at[:0], z...)
		value = m.laplace(place(z), slope)
		turned.MulVec(units.T(), mat.NewVecDense(len(slope), slope))
	}
	problem := optimize.Problem{
		Func: func(z []float64) float64 { eval(z); return value },
		Grad: func(grad, z []float64) { eval(z); copy(grad, turned.RawVector().Data) },
	}
	settings := &optimize.Settings{GradientThreshold: 1e-2, MajorIterations: 400,
		Converger: &optimize.FunctionConverge{Absolute: 1e-6, Iterations: 3}}
	r, err := optimize.Minimize(problem, make([]float64, len(best)), settings, &optimize.BFGS{})
	if r == nil {
		return Fit{}, fmt.Errorf("fitting: %w", err)
	}
	// A line search that can go no lower in rounding ends with an error at the
	// best point found: that point is the answer.
	place(r.X)
	m.shareBound(best, d)
	return m.fit(best, d), nil
}

// shareBound splits evenly the spread of factors that always go together:
// only their sum is known.
func (m *model) shareBound(x []float64, d Data) {
	for a := range m.nf {
		for b := a + 1; b < m.nf; b++ {
			if _, is := oneToOne(partners(d, a, b)); is {
				s := math.Sqrt((x[m.p+a]*x[m.p+a] + x[m.p+b]*x[m.p+b]) / 2)
				x[m.p+a], x[m.p+b] = s, s
			}
		}
	}
}

// Who a level met: nobody, more than one, or the one level counted from 0.
const (
	nobody = -1
	many   = -2
)

// partners gives, for two factors, whom each level of either met of the other.
func partners(d Data, a, b int) (ofA, ofB []int) {
	ofA, ofB = make([]int, len(d.Factors[a].Levels)), make([]int, len(d.Factors[b].Levels))
	for _, of := range [][]int{ofA, ofB} {
		for i := range of {
			of[i] = nobody
		}
	}
	meet := func(of []int, i, j int) {
		switch of[i] {
		case nobody:
			of[i] = j
		case j:
		default:
			of[i] = many
		}
	}
	for _, r := range d.Rows {
		if r.Grafts > 0 {
			meet(ofA, r.Levels[a], r.Levels[b])
			meet(ofB, r.Levels[b], r.Levels[a])
		}
	}
	return ofA, ofB
}

// oneToOne says whether each level of either factor that was met went with one
// of the other's, and how many of the first's were met.
func oneToOne(ofA, ofB []int) (met int, is bool) {
	if slices.Contains(ofA, many) || slices.Contains(ofB, many) {
		return 0, false
	}
	for _, j := range ofA {
		if j != nobody {
			met++
		}
	}
	return met, met > 0
}

// bounds names what always goes together: whole factors, else single levels.
func bounds(d Data) []Bound {
	var out []Bound
	for a := range d.Factors {
		for b := a + 1; b < len(d.Factors); b++ {
			fa, fb := d.Factors[a], d.Factors[b]
			ofA, ofB := partners(d, a, b)
			if met, is := oneToOne(ofA, ofB); is && met > 1 {
				out = append(out, Bound{A: fa.Name, B: fb.Name})
				continue
			}
			var some []Bound
			for i, j := range ofA {
				if j >= 0 && ofB[j] == i {
					some = append(some, Bound{fa.Name, fb.Name, fa.Levels[i], fb.Levels[j]})
				}
			}
			sort.Slice(some, func(i, j int) bool { return some[i].LevelA < some[j].LevelA })
			out = append(out, some...)
		}
	}
	return out
}

// z90 is the half-width of the middle 90 % of a normal spread.
const z90 = 1.6449

// Predict gives the take expected on a job: its fixed effects x, and a level
// of each factor or −1 where it is not known. The range is the middle 90 %,
// from the joint covariance of all effects; a level that is not known adds its
// factor's whole spread.
func (f Fit) Predict(x []float64, levels []int) (mean, low, high float64) {
	eta, v := f.Linear(x, levels)
	s := z90 * math.Sqrt(v)
	return logistic(eta), logistic(eta - s), logistic(eta + s)
}

// Linear is what Predict says on the logit scale: the middle and its variance.
func (f Fit) Linear(x []float64, levels []int) (eta, variance float64) {
	p := f.at
	g := make([]float64, p.m.q)
	for j, b := range f.Fixed {
		eta += b * x[j]
	}
	for i, k := range p.m.order {
		if l := levels[k]; l >= 0 {
			eta += f.Effects[k][l].Mode
			g[p.m.columnOf(k, l)] = p.n.sigma[i]
		} else {
			variance += f.SD[k] * f.SD[k]
		}
	}
	return eta, variance + p.spread(x, g)
}

func logistic(x float64) float64 { return 1 / (1 + math.Exp(-x)) }
