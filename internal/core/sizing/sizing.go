// Package sizing answers two questions about a take rate: how sure are we of
// it, and how many grafts make the trees wanted.
package sizing

import (
	"errors"
	"fmt"
	"math"
	"sort"

	"gonum.org/v1/gonum/mathext"
)

// Beta is what is believed of a rate: Alpha took and Beta did not, prior and
// own counts together. Both are above zero.
type Beta struct{ Alpha, Beta float64 }

// Prior gives the belief that a rate is mean (0 to 1), held as firmly as if
// weight grafts had shown it.
func Prior(mean, weight float64) Beta { return Beta{mean * weight, (1 - mean) * weight} }

// And adds a count: took of n.
func (b Beta) And(took, n int) Beta {
	return Beta{b.Alpha + float64(took), b.Beta + float64(n-took)}
}

// Times is the belief in both of two rates in turn, as the beta that has the mean and the variance
// of their product.
func (b Beta) Times(c Beta) Beta {
	square := func(x Beta) float64 { return x.Mean() * (x.Alpha + 1) / (x.Alpha + x.Beta + 1) }
	m := b.Mean() * c.Mean()
	v := square(b)*square(c) - m*m
	return Prior(m, m*(1-m)/v-1)
}

// Mean is the expected rate, 0 to 1.
func (b Beta) Mean() float64 { return b.Alpha / (b.Alpha + b.Beta) }

// Quantile is the rate that the true one is below with chance p.
func (b Beta) Quantile(p float64) float64 {
	return mathext.InvRegIncBeta(b.Alpha, b.Beta, p)
}

// Interval is a rate with its 90 % range.
type Interval struct{ Mean, Low, High float64 }

// Interval90 is the mean with the 5 % and 95 % points of the belief.
func (b Beta) Interval90() Interval {
	return Interval{b.Mean(), b.Quantile(0.05), b.Quantile(0.95)}
}

// Shift moves a rate on the logit scale: the way a genus changes a prior.
func Shift(rate, logit float64) float64 {
	return 1 / (1 + math.Exp(-(math.Log(rate/(1-rate)) + logit)))
}

// ErrNever says that no number of grafts will do: the rate or the chance is
// not between 0 and 1.
var ErrNever = errors.New("no number of grafts will do")

const mostGrafts = 4_000_000

// Grafts gives the least n for which at least trees of n take with the given
// chance, when the rate is believed to be b: P(X ≥ trees) ≥ chance with X
// beta-binomial(n, b). No trees need no grafts.
func Grafts(trees int, chance float64, b Beta) (int, error) {
	if trees <= 0 {
		return 0, nil
	}
	if !(chance > 0 && chance < 1) || !(b.Alpha > 0 && b.Beta > 0) {
		return 0, fmt.Errorf("chance %g, rate %g:%g: %w", chance, b.Alpha, b.Beta, ErrNever)
	}
	// The chance grows with n, so double to bracket it and then halve.
	hi := trees
	for b.ChanceOf(trees, hi) < chance {
		if hi > mostGrafts {
			return 0, fmt.Errorf("over %d grafts: %w", mostGrafts, ErrNever)
		}
		hi *= 2
	}
	n := trees + sort.Search(hi-trees, func(i int) bool { return b.ChanceOf(trees, trees+i) >= chance })
	return n, nil
}

// ChanceOf is the chance that at least trees of n grafts take.
func (b Beta) ChanceOf(trees, n int) float64 {
	if trees <= 0 {
		return 1
	}
	if trees > n {
		return 0
	}
	// The shorter tail is summed, so that little is added and little lost.
	if n-trees <= trees {
		return sumPMF(trees, n, n, b.Alpha, b.Beta)
	}
	return 1 - sumPMF(0, trees-1, n, b.Alpha, b.Beta)
}

// logPMF is ln P(X = k).
func logPMF(k, n int, a, c float64) float64 {
	lg := func(x float64) float64 { v, _ := math.Lgamma(x); return v }
	x, m := float64(k), float64(n)
	return lg(m+1) - lg(x+1) - lg(m-x+1) +
		lg(x+a) + lg(m-x+c) - lg(m+a+c) -
		lg(a) - lg(c) + lg(a+c)
}

// sumPMF adds P(X = k) for k from k0 to k1.
func sumPMF(k0, k1, n int, a, c float64) float64 {
	// Anchored at the largest term in the range, so that nothing underflows
	// before it counts.
	mode := int((float64(n)+1)*(a-1)/(a+c-2) + 0.5)
	if a+c <= 2 || mode < k0 {
		mode = k0
	}
	if mode > k1 {
		mode = k1
	}
	top := logPMF(mode, n, a, c)
	sum := 1.0
	term := 1.0
	for k := mode; k < k1; k++ {
		x, m := float64(k), float64(n)
		term *= (m - x) / (x + 1) * (x + a) / (m - x - 1 + c)
		sum += term
		if term < 1e-18*sum && float64(k) > float64(mode)+2 && a > 1 && c > 1 {
			break
		}
	}
	term = 1.0
	for k := mode; k > k0; k-- {
		x, m := float64(k), float64(n)
		term *= x / (m - x + 1) * (m - x + c) / (x - 1 + a)
		sum += term
		if term < 1e-18*sum && a > 1 && c > 1 {
			break
		}
	}
	return math.Min(1, math.Exp(top)*sum)
}
