package sizing

import "math"

// together is how far two buds on one stock live or die together, as a
// correlation: a stock that is dry or sick fails both. House default.
const together = 0.15

// OneOf is what is believed of stocks on which so many buds were set, of which one
// suffices: that at least one takes. b is the belief of a bud, and the buds of a
// stock are tied together by a correlation; one bud changes nothing. The beta given
// has the mean and the spread that the stocks' rate has, by b's moments.
//
// With q the chance that a bud fails, two fail with chance q² + r·q(1 − q), r their
// correlation; a third and more are taken to be as one of the two.
func (b Beta) OneOf(buds int) Beta {
	if buds < 2 || !(b.Alpha > 0) || !(b.Beta > 0) {
		return b
	}
	// Moments of q, which is beta(Beta, Alpha).
	m, at := [5]float64{1}, b.Alpha+b.Beta
	for k := 1; k < len(m); k++ {
		m[k] = m[k-1] * (b.Beta + float64(k) - 1) / (at + float64(k) - 1)
	}
	const r = together
	fails := (1-r)*m[2] + r*m[1]
	square := (1-r)*(1-r)*m[4] + 2*r*(1-r)*m[3] + r*r*m[2]
	v := math.Max(1e-12, square-fails*fails)
	return Prior(1-fails, math.Max(1e-3, fails*(1-fails)/v-1))
}

// OneOfTwo is the chance that at least one of a stock's buds takes, when one takes
// with chance p, and how much that moves for a unit of p.
func OneOfTwo(p float64) (chance, slope float64) {
	q := 1 - p
	return 1 - q*q - together*q*p, 2*q - together*(q-p)
}
