package take

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
)

// Named is an effect of the model: a level of a factor (Worker, Lot, Bundle or Tier), or, with
// the factor Technique, what a technique does beside the base; with the factor Intercept, the
// base itself.
type Named struct{ Factor, Level string }

// Technique is the factor of Named under which techniques stand.
const Technique = "technique"

// unknownSD is the standard deviation, on the logit scale, of a fixed effect of which the
// records hold nothing. House default.
const unknownSD = 1.0

// Joint is the covariance of effects on the logit scale, given the records, in the order in
// which they are named. A level that was never counted has its factor's spread, apart from all
// others; a technique that was never counted, unknownSD.
func (l Learned) Joint(of []Named) *mat.SymDense {
	out := mat.NewSymDense(len(of), nil)
	if l.at == nil {
		for i, n := range of {
			out.SetSym(i, i, squared(l.unknown(n)))
		}
		return out
	}
	m := l.at.m
	// Where each stands: a random effect's column and its spread, or a fixed effect's place.
	column, spread, fixed := make([]int, len(of)), make([]float64, len(of)), make([]int, len(of))
	for i, n := range of {
		column[i], fixed[i] = -1, -1
		switch n.Factor {
		case Intercept:
			fixed[i] = slices.Index(l.d.Fixed, Intercept)
		case Technique:
			fixed[i] = slices.Index(l.d.Fixed, techniquePrefix+n.Level)
		default:
			k := slices.IndexFunc(l.d.Factors, func(f Factor) bool { return f.Name == n.Factor })
			if k < 0 {
				continue
			}
			if level, ok := l.levels[k][n.Level]; ok {
				column[i], spread[i] = m.columnOf(k, level), l.at.n.sigma[slices.Index(m.order, k)]
			}
		}
	}
	for i, n := range of {
		gx, gu := make([]float64, m.p), make([]float64, m.q)
		switch {
		case column[i] >= 0:
			gu[column[i]] = spread[i]
		case fixed[i] >= 0 && l.at.cov != nil:
			gx[fixed[i]] = 1
		case n.Factor == Technique && l.techniques[n.Level] != nil:
			continue // the base, which the intercept stands for
		default:
			out.SetSym(i, i, squared(l.unknown(n)))
			continue
		}
		_, along := l.at.through(gx, gu)
		for j := range i + 1 {
			switch {
			case column[j] >= 0:
				out.SetSym(i, j, along[column[j]]*spread[j])
			case fixed[j] >= 0 && l.at.cov != nil && fixed[i] >= 0:
				out.SetSym(i, j, l.at.cov.At(fixed[i], fixed[j]))
			case fixed[j] >= 0 && l.at.cov != nil:
				out.SetSym(i, j, l.across(fixed[j], column[i])*spread[i])
			}
		}
	}
	return out
}

// across is the covariance of a fixed effect with a random one in units of its spread.
func (l Learned) across(fixed, column int) float64 {
	gx := make([]float64, l.at.m.p)
	gx[fixed] = 1
	_, along := l.at.through(gx, make([]float64, l.at.m.q))
	return along[column]
}

// unknown is the standard deviation of an effect of which the records hold nothing.
func (l Learned) unknown(n Named) float64 {
	s := l.Spreads
	if l.at == nil {
		s = UsualSpreads
	}
	switch n.Factor {
	case Worker:
		return s.Worker
	case Lot:
		return s.Lot
	case Bundle:
		return s.Bundle
	case Tier:
		return math.Max(s.Tier, s.Worker)
	}
	return unknownSD
}

func squared(x float64) float64 { return x * x }

// HalfWidth90 is half the width of the middle 90 % of a take about mean whose variance on the
// logit scale is given, as a share.
func HalfWidth90(mean, variance float64) float64 {
	return z90 * math.Sqrt(variance) * mean * (1 - mean)
}

// Given is Joint of levels of factors where the fixed effects are taken as they are: what is not
// known of them is left out.
func (l Learned) Given(of []Named) *mat.SymDense {
	if l.at == nil {
		return l.Joint(of)
	}
	at := *l.at
	at.fixed.s = make([][]float64, at.m.p)
	for j := range at.fixed.s {
		at.fixed.s[j] = make([]float64, at.m.q)
	}
	l.at = &at
	return l.Joint(of)
}

// Knows says whether a level of a factor was counted.
func (l Learned) Knows(n Named) bool {
	for k, f := range l.d.Factors {
		if f.Name == n.Factor {
			_, ok := l.levels[k][n.Level]
			return ok
		}
	}
	return false
}
