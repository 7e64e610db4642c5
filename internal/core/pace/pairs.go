package pace

import (
	"math"

	"gonum.org/v1/gonum/mat"

	"unionknot/internal/core/sizing"
)

// Together is a tag of a cutter and a tier: how long it took, against the house's rate.
type Together struct {
	Cutter, Tier int     // from 0
	LogPace      float64 // ln of its grafts an hour over the house's rate
}

// House defaults of how people differ in a pair, and tags of one pair from each other, on the scale
// of logs.
const (
	pairSpread = 0.20
	tagSpread  = 0.25
)

// Part is what somebody does for the pace of the pairs that they are in, as a multiple of the
// others': for one of whom nothing is known it is 1, with a wide range. Told is how much of what was
// not known before the tags tell, 0 to 1.
type Part struct {
	sizing.Interval
	Told float64
	Tags int
}

// Pairs parts the pace of pairs between those who cut and those who tie: ln pace = mean + cutter +
// tier + chance, with normal priors on the cutters' and tiers' parts, solved in one step. Where two
// people were always together the tags tell only what both do, and Told is under a half for each.
func Pairs(ts []Together, cutters, tiers int) (cut, tie []Part, mean float64) {
	n := 1 + cutters + tiers
	a := mat.NewSymDense(n, nil)
	b := mat.NewVecDense(n, nil)
	a.SetSym(0, 0, 1e-6)
	for i := 1; i < n; i++ {
		a.SetSym(i, i, 1/(pairSpread*pairSpread))
	}
	const w = 1 / (tagSpread * tagSpread)
	tags := make([]int, n)
	for _, t := range ts {
		at := [3]int{0, 1 + t.Cutter, 1 + cutters + t.Tier}
		for _, i := range at {
			tags[i]++
			b.SetVec(i, b.AtVec(i)+w*t.LogPace)
			for _, j := range at {
				if j >= i {
					a.SetSym(i, j, a.At(i, j)+w)
				}
			}
		}
	}
	var ch mat.Cholesky
	if !ch.Factorize(a) {
		return nil, nil, 0
	}
	var x mat.VecDense
	var cov mat.SymDense
	if ch.SolveVecTo(&x, b) != nil || ch.InverseTo(&cov) != nil {
		return nil, nil, 0
	}
	const z90 = 1.6449
	part := func(i int) Part {
		sd := math.Sqrt(cov.At(i, i))
		m := x.AtVec(i)
		return Part{Interval: sizing.Interval{Mean: math.Exp(m), Low: math.Exp(m - z90*sd), High: math.Exp(m + z90*sd)},
			Told: math.Max(0, 1-cov.At(i, i)/(pairSpread*pairSpread)), Tags: tags[i]}
	}
	for i := range cutters {
		cut = append(cut, part(1+i))
	}
	for i := range tiers {
		tie = append(tie, part(1+cutters+i))
	}
	return cut, tie, math.Exp(x.AtVec(0))
}
