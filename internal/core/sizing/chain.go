package sizing

import (
	"fmt"
	"math"
	"sort"

	"gonum.org/v1/gonum/mathext"
)

// Chain is what a graft must come through, stage after stage: to take, to be
// lifted, to make the grade. Each rate is of those that came through the one
// before.
type Chain []Beta

// Mean is the expected share that comes through all stages.
func (c Chain) Mean() float64 {
	m := 1.0
	for _, b := range c {
		m *= b.Mean()
	}
	return m
}

// Grafts gives the least n of which at least trees come through every stage
// with the given chance. A chain of one stage is that stage's Grafts.
func (c Chain) Grafts(trees int, chance float64) (int, error) {
	if len(c) == 1 {
		return Grafts(trees, chance, c[0])
	}
	if trees <= 0 {
		return 0, nil
	}
	if !(chance > 0 && chance < 1) || !c.sound() {
		return 0, fmt.Errorf("chance %g, stages %v: %w", chance, []Beta(c), ErrNever)
	}
	of := c.chances()
	hi := trees
	for of(trees, hi) < chance {
		if hi > mostGrafts {
			return 0, fmt.Errorf("over %d grafts: %w", mostGrafts, ErrNever)
		}
		hi *= 2
	}
	return trees + sort.Search(hi-trees, func(i int) bool { return of(trees, trees+i) >= chance }), nil
}

func (c Chain) sound() bool {
	for _, b := range c {
		if !(b.Alpha > 0 && b.Beta > 0) {
			return false
		}
	}
	return len(c) > 0
}

// ChanceOf is the chance that at least trees of n grafts come through every
// stage.
func (c Chain) ChanceOf(trees, n int) float64 {
	switch {
	case len(c) == 1:
		return c[0].ChanceOf(trees, n)
	case trees <= 0:
		return 1
	case trees > n || !c.sound():
		return 0
	}
	return c.chances()(trees, n)
}

// chances uses that, whatever each stage's true rate, what comes through all
// of them is binomial with the product of the rates. So the chance is the
// binomial tail averaged over that product, whose logarithm is a sum: its
// density is the stages' densities folded together, on a grid fine enough for
// the narrowest.
func (c Chain) chances() func(trees, n int) float64 {
	const steps = 10 // grid steps a spread
	h := math.Inf(1)
	for _, b := range c {
		m := b.Mean()
		sd := math.Sqrt(m*(1-m)/(b.Alpha+b.Beta+1)) / m
		h = math.Min(h, sd/steps)
	}
	h = math.Max(h, 2e-5) // a rate known closer than that is a point
	var low float64
	weights := []float64{1}
	for _, b := range c {
		l, w := b.logGrid(h)
		low += l
		weights = fold(weights, w)
	}
	return func(trees, n int) float64 {
		sum, all := 0.0, 0.0
		for i, w := range weights {
			all += w
			p := math.Exp(low + float64(i)*h)
			if p >= 1 {
				sum += w
				continue
			}
			sum += w * mathext.RegIncBeta(float64(trees), float64(n-trees+1), p)
		}
		return sum / all
	}
}

// logGrid gives the chance of each step of width h of the rate's logarithm,
// and the middle of the lowest.
func (b Beta) logGrid(h float64) (low float64, weights []float64) {
	lo := math.Log(math.Max(b.Quantile(1e-9), 1e-12))
	hi := math.Log(math.Min(1, b.Quantile(1-1e-9)))
	first, last := math.Floor(lo/h), math.Ceil(math.Min(hi, 0)/h)
	below := mathext.RegIncBeta(b.Alpha, b.Beta, math.Exp(first*h))
	for k := first; k < last; k++ {
		to := 1.0
		if k+1 < 0 {
			to = mathext.RegIncBeta(b.Alpha, b.Beta, math.Exp((k+1)*h))
		}
		weights = append(weights, to-below)
		below = to
	}
	return (first + 0.5) * h, weights
}

func fold(a, b []float64) []float64 {
	out := make([]float64, len(a)+len(b)-1)
	for i, x := range a {
		if x == 0 {
			continue
		}
		for j, y := range b {
			out[i+j] += x * y
		}
	}
	return out
}
