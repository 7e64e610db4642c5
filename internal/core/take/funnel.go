package take

import (
	"cmp"
	"slices"

	"gonum.org/v1/gonum/mathext"

	"unionknot/internal/core/sizing"
)

// Limits are the takes between which a group of a given size falls by luck
// alone when its true take is the mean: 95 in 100 within the inner pair, 998
// in 1,000 within the outer.
type Limits struct {
	Grafts          int
	Low95, High95   float64
	Low998, High998 float64
}

// Funnel gives the limits around a mean take (0 to 1) at a group's size. They
// are whole counts of the binomial: what lies on a limit is still within it.
func Funnel(mean float64, grafts int) Limits {
	l := Limits{Grafts: grafts, High95: 1, High998: 1}
	if grafts <= 0 || !(mean >= 0 && mean <= 1) {
		return l
	}
	l.Low95, l.High95 = binomial(mean, grafts, 0.025), binomial(mean, grafts, 0.975)
	l.Low998, l.High998 = binomial(mean, grafts, 0.001), binomial(mean, grafts, 0.999)
	return l
}

// Beyond says how a group's take lies: 2 beyond the outer limits, 1 beyond the
// inner, 0 within; below zero when it is below.
func (l Limits) Beyond(take float64) int {
	switch {
	case take < l.Low998:
		return -2
	case take < l.Low95:
		return -1
	case take > l.High998:
		return 2
	case take > l.High95:
		return 1
	}
	return 0
}

// binomial is the least share of n that the count is at or below with chance p.
func binomial(mean float64, n int, p float64) float64 {
	if mean == 0 || mean == 1 {
		return mean
	}
	// P(X ≤ k) = 1 − I(mean; k + 1, n − k)
	cdf := func(k int) float64 {
		switch {
		case k < 0:
			return 0
		case k >= n:
			return 1
		}
		return 1 - mathext.RegIncBeta(float64(k+1), float64(n-k), mean)
	}
	lo, hi := -1, n // cdf(lo) < p ≤ cdf(hi)
	for hi-lo > 1 {
		if m := (lo + hi) / 2; cdf(m) < p {
			lo = m
		} else {
			hi = m
		}
	}
	return float64(hi) / float64(n)
}

// Loss is so many dead grafts of a group for one cause.
type Loss struct {
	Group, Cause string
	N            int
}

// Cause is a cause's part in a group's losses.
type Cause struct {
	Cause string
	N     int
	Share sizing.Interval // of the group's grafts, on a flat prior
	Rest  float64         // the same share among all other groups' grafts
	More  bool            // clearly more than among the others: the whole range lies above
}

// CausesByGroup sets each group's losses by cause, most first, beside those of
// all other groups. grafts says how many grafts each group had looked at.
func CausesByGroup(losses []Loss, grafts map[string]int) map[string][]Cause {
	n, all := map[Loss]int{}, map[string]int{}
	total := 0
	for _, g := range grafts {
		total += g
	}
	for _, l := range losses {
		n[Loss{l.Group, l.Cause, 0}] += l.N
		all[l.Cause] += l.N
	}
	out := map[string][]Cause{}
	for k, dead := range n {
		of := grafts[k.Group]
		if dead <= 0 || of < dead {
			continue
		}
		c := Cause{Cause: k.Cause, N: dead, Share: sizing.Beta{Alpha: 1, Beta: 1}.And(dead, of).Interval90()}
		c.Share.Mean = float64(dead) / float64(of)
		if rest := total - of; rest > 0 {
			c.Rest = float64(all[k.Cause]-dead) / float64(rest)
			c.More = c.Share.Low > c.Rest
		}
		out[k.Group] = append(out[k.Group], c)
	}
	for _, cs := range out {
		slices.SortFunc(cs, func(a, b Cause) int { return cmp.Or(b.N-a.N, cmp.Compare(a.Cause, b.Cause)) })
	}
	return out
}
