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
	FixedCov [][]float64 // of the fixed effects; nil where they are not known at all
	SD       []float64   // of each factor
	Effects  [][]Effect  // by factor and level
	Separate []Bound     // what the records cannot tell apart
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
	start := make([]float64, m.p+m.nf)
	scale := m.startFixed(start[:m.p])
	for k, f := range d.Factors {
		start[m.p+k] = 0.5
		scale = append(scale, 4*math.Sqrt(float64(len(f.Levels))))
	}
	// The search goes in steps of about one standard error each way, which is
	// what makes its first step a fair one.
	x := make([]float64, len(start))
	for j := range x {
		x[j] = start[j] * scale[j]
	}
	natural := make([]float64, len(x))
	// Value and slope come from one factorisation; keep the last.
	var at []float64
	var value float64
	slope := make([]float64, len(x))
	eval := func(x []float64) {
		if at != nil && slices.Equal(at, x) {
			return
		}
		at = append(at[:0], x...)
		for j := range x {
			natural[j] = x[j] / scale[j]
		}
		value = m.laplace(natural, slope)
		for j := range slope {
			slope[j] /= scale[j]
		}
	}
	problem := optimize.Problem{
		Func: func(x []float64) float64 { eval(x); return value },
		Grad: func(grad, x []float64) { eval(x); copy(grad, slope) },
	}
	settings := &optimize.Settings{GradientThreshold: 1e-4, MajorIterations: 400,
		Converger: &optimize.FunctionConverge{Absolute: 1e-7, Iterations: 8}}
	r, err := optimize.Minimize(problem, x, settings, &optimize.BFGS{})
	if r == nil {
		return Fit{}, fmt.Errorf("fitting: %w", err)
	}
	// A line search that can go no lower in rounding ends with an error at the
	// best point found: that point is the answer.
	for j := range natural {
		natural[j] = r.X[j] / scale[j]
	}
	m.shareBound(natural, d)
	return m.fit(natural, d), nil
}

// shareBound splits evenly the spread of factors that always go together:
// only their sum is known.
func (m *model) shareBound(x []float64, d Data) {
	for a := range m.nf {
		for b := a + 1; b < m.nf; b++ {
			if len(d.Factors[a].Levels) > 0 && oneToOne(d, a, b) {
				s := math.Sqrt((x[m.p+a]*x[m.p+a] + x[m.p+b]*x[m.p+b]) / 2)
				x[m.p+a], x[m.p+b] = s, s
			}
		}
	}
}

// pairsOf gives, for two factors, which levels of b each level of a met.
func pairsOf(d Data, a, b int) (ab, ba map[int]map[int]bool) {
	ab, ba = map[int]map[int]bool{}, map[int]map[int]bool{}
	put := func(m map[int]map[int]bool, i, j int) {
		if m[i] == nil {
			m[i] = map[int]bool{}
		}
		m[i][j] = true
	}
	for _, r := range d.Rows {
		if r.Grafts > 0 {
			put(ab, r.Levels[a], r.Levels[b])
			put(ba, r.Levels[b], r.Levels[a])
		}
	}
	return ab, ba
}

func oneToOne(d Data, a, b int) bool {
	ab, ba := pairsOf(d, a, b)
	for _, m := range []map[int]map[int]bool{ab, ba} {
		for _, with := range m {
			if len(with) != 1 {
				return false
			}
		}
	}
	return len(ab) > 0
}

// bounds names what always goes together: whole factors, else single levels.
func bounds(d Data) []Bound {
	var out []Bound
	for a := range d.Factors {
		for b := a + 1; b < len(d.Factors); b++ {
			fa, fb := d.Factors[a], d.Factors[b]
			ab, ba := pairsOf(d, a, b)
			if len(ab) > 1 && oneToOne(d, a, b) {
				out = append(out, Bound{A: fa.Name, B: fb.Name})
				continue
			}
			var some []Bound
			for i, with := range ab {
				for j := range with {
					if len(with) == 1 && len(ba[j]) == 1 {
						some = append(some, Bound{fa.Name, fb.Name, fa.Levels[i], fb.Levels[j]})
					}
				}
			}
			sort.Slice(some, func(i, j int) bool { return some[i].LevelA < some[j].LevelA })
			out = append(out, some...)
		}
	}
	return out
}

// Predict gives the take expected on a job: its fixed effects x, and a level
// of each factor or −1 where it is not known. The range is the middle 90 %,
// and holds what is not known of the level as well as of the effects.
func (f Fit) Predict(x []float64, levels []int) (mean, low, high float64) {
	eta, v := 0.0, 0.0
	for j, b := range f.Fixed {
		eta += b * x[j]
		if f.FixedCov == nil {
			v += x[j] * x[j] * f.FixedSE[j] * f.FixedSE[j]
			continue
		}
		for k := range f.Fixed {
			v += x[j] * x[k] * f.FixedCov[j][k]
		}
	}
	for k, l := range levels {
		if l < 0 {
			v += f.SD[k] * f.SD[k]
			continue
		}
		e := f.Effects[k][l]
		eta += e.Mode
		v += e.SD * e.SD
	}
	const z90 = 1.6449
	s := z90 * math.Sqrt(v)
	return logistic(eta), logistic(eta - s), logistic(eta + s)
}

func logistic(x float64) float64 { return 1 / (1 + math.Exp(-x)) }
