package sizing

import (
	"fmt"
	"math"
	"math/bits"
	"sort"

	"gonum.org/v1/gonum/dsp/fourier"
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
	return c.least(c.chances(), trees, chance)
}

// least searches about the answer for one stage of the same mean and spread.
func (c Chain) least(of func(trees, n int) float64, trees int, chance float64) (int, error) {
	guess, err := Grafts(trees, chance, c.alike())
	if err != nil {
		guess = trees
	}
	lo, hi := trees-1, guess // of(lo) < chance: fewer grafts than trees are never enough
	for step := 1; of(trees, hi) < chance; step *= 2 {
		if lo = hi; hi > mostGrafts {
			return 0, fmt.Errorf("over %d grafts: %w", mostGrafts, ErrNever)
		}
		hi += step
	}
	for step := 1; hi-step > lo; step *= 2 {
		if of(trees, hi-step) < chance {
			lo = hi - step
			break
		}
		hi -= step
	}
	return lo + 1 + sort.Search(hi-lo-1, func(i int) bool { return of(trees, lo+1+i) >= chance }), nil
}

// alike is one stage of about the same mean and spread as the chain.
func (c Chain) alike() Beta {
	mean, square := 1.0, 1.0
	for _, b := range c {
		m := b.Mean()
		mean *= m
		square *= m*m + m*(1-m)/(b.Alpha+b.Beta+1)
	}
	return Prior(mean, math.Max(1e-6, mean*(1-mean)/(square-mean*mean)-1))
}

// Sized is how many grafts are wanted, and the chance of the trees with them
// and with one fewer.
type Sized struct {
	Grafts        int
	Chance, Fewer float64
}

// Size works out the grafts for so many trees with a chance, as Grafts does,
// and the chances on either side of it.
func (c Chain) Size(trees int, chance float64) (Sized, error) {
	if trees <= 0 || !(chance > 0 && chance < 1) || !c.sound() {
		n, err := c.Grafts(trees, chance)
		return Sized{Grafts: n, Chance: 1, Fewer: 1}, err
	}
	of := c.chances()
	n, err := c.least(of, trees, chance)
	if err != nil {
		return Sized{}, err
	}
	s := Sized{Grafts: n, Chance: of(trees, n)}
	if n > trees {
		s.Fewer = of(trees, n-1)
	}
	return s, nil
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
	// What lies far out weighs nothing.
	const nothing = 1e-12
	for len(weights) > 1 && weights[0] < nothing {
		low, weights = low+h, weights[1:]
	}
	for len(weights) > 1 && weights[len(weights)-1] < nothing {
		weights = weights[:len(weights)-1]
	}
	return func(trees, n int) float64 {
		if n < trees {
			return 0
		}
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

// fold gives the sums of products a[i]·b[j] by i + j: one by one, or by their fast Fourier
// transforms where that is less work, which is exact to about 1e-15 of the greatest.
func fold(a, b []float64) []float64 {
	n := len(a) + len(b) - 1
	if len(a)*len(b) > transforms(n) {
		fft := fourier.NewFFT(1 << bits.Len(uint(n-1)))
		x, y := make([]float64, fft.Len()), make([]float64, fft.Len())
		copy(x, a)
		copy(y, b)
		of := fft.Coefficients(nil, x)
		for i, c := range fft.Coefficients(nil, y) {
			of[i] *= c
		}
		out := fft.Sequence(x, of)[:n]
		for i := range out {
			out[i] = math.Max(0, out[i]/float64(fft.Len())) // there is nothing below zero to fold
		}
		return out
	}
	out := make([]float64, n)
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

// transforms is how many products take about as long as the transforms of n values.
func transforms(n int) int {
	k := bits.Len(uint(n - 1))
	return 20 * k << k
}
