package take

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/stat/distuv"
)

// Group is so many grafts of which so many took.
type Group struct{ Grafts, Took int }

// Limits says which of some groups differ from the others by more than luck
// and the spread that there always is between groups.
type Limits struct {
	Mean   float64 // the groups' mean take
	Phi    float64 // how much wider they lie than luck alone lays them; 1: as luck does
	Tau    float64 // the spread between groups, on the logit scale
	Groups []Standing

	at float64 // the mean on the logit scale
}

// Standing is how a group stands beside the others.
type Standing struct {
	Z    float64 // from the mean, in spreads of a group of its size
	Flag int     // 1 above, −1 below, 0 as groups do
}

const (
	// pulledIn is what is left of a normal's variance when it is pulled in to
	// its own 10 and 90 % quantiles.
	pulledIn = 0.678661
	// falseShare is the share of flags that may be false.
	falseShare = 0.05
	// mostTau2 bounds the spread between groups that is looked for.
	mostTau2 = 25.0
)

// LimitsOf sets groups beside each other on the logit scale. The spread between
// groups is widened until the groups, pulled in to their own tenth and ninth
// tenths so that a few odd ones do not hide themselves, lie as wide as it says
// (Spiegelhalter 2005); flags are by Benjamini and Hochberg's rule. With one
// group, or where all took or none, nothing is flagged.
func LimitsOf(groups []Group) Limits {
	l := Limits{Groups: make([]Standing, len(groups))}
	took, grafts := 0, 0
	for _, g := range groups {
		took, grafts = took+g.Took, grafts+g.Grafts
	}
	if grafts > 0 {
		l.Mean = float64(took) / float64(grafts)
		l.at = math.Log((float64(took) + 0.5) / (float64(grafts-took) + 0.5))
	}
	if len(groups) < 2 || took == 0 || took == grafts {
		return l
	}
	x, v := make([]float64, len(groups)), make([]float64, len(groups))
	for i, g := range groups {
		t, n := float64(g.Took)+0.5, float64(g.Grafts-g.Took)+0.5
		x[i], v[i] = math.Log(t/n), 1/t+1/n
	}
	at, z := apart(x, v, 0)
	l.Phi = width(z)
	if l.Phi > 1 {
		lo, hi := 0.0, mostTau2
		for range 100 {
			mid := (lo + hi) / 2
			if _, z = apart(x, v, mid); width(z) > 1 {
				lo = mid
			} else {
				hi = mid
			}
		}
		l.Tau = math.Sqrt((lo + hi) / 2)
		at, z = apart(x, v, l.Tau*l.Tau)
	}
	l.at, l.Mean = at, logistic(at)
	flags := flagged(z)
	for i := range z {
		l.Groups[i] = Standing{z[i], flags[i]}
	}
	return l
}

// apart gives the mean of x at a spread tau2 between groups, and how far each
// lies from it.
func apart(x, v []float64, tau2 float64) (mean float64, z []float64) {
	sum, all := 0.0, 0.0
	for i := range x {
		w := 1 / (v[i] + tau2)
		sum, all = sum+w*x[i], all+w
	}
	mean = sum / all
	z = make([]float64, len(x))
	for i := range x {
		z[i] = (x[i] - mean) / math.Sqrt(v[i]+tau2)
	}
	return mean, z
}

// width is φ: how wide z lie, pulled in, beside a normal's.
func width(z []float64) float64 {
	sorted := slices.Clone(z)
	slices.Sort(sorted)
	quantile := func(q float64) float64 {
		at := float64(len(z)-1) * q
		i := int(at)
		if i+1 >= len(z) {
			return sorted[len(z)-1]
		}
		return sorted[i] + (at-float64(i))*(sorted[i+1]-sorted[i])
	}
	low, high := quantile(0.1), quantile(0.9)
	s := 0.0
	for _, x := range z {
		x = math.Max(low, math.Min(high, x))
		s += x * x
	}
	return s / (float64(len(z)-1) * pulledIn)
}

// flagged gives 1 or −1 for each z that stands out so far that of all that are
// given no more than falseShare is expected to be luck.
func flagged(z []float64) []int {
	out, order := make([]int, len(z)), make([]int, len(z))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(math.Abs(z[b]), math.Abs(z[a])) })
	last := -1
	for r, i := range order {
		p := 2 * distuv.UnitNormal.Survival(math.Abs(z[i]))
		if p <= falseShare*float64(r+1)/float64(len(z)) {
			last = r
		}
	}
	for _, i := range order[:last+1] {
		out[i] = 1
		if z[i] < 0 {
			out[i] = -1
		}
	}
	return out
}

// Bounds are the takes between which groups of a size lie.
type Bounds struct{ Low95, High95, Low998, High998 float64 }

// Of gives the limits to draw at a size: 95 in 100 groups of so many grafts
// lie within the inner pair, 998 in 1,000 within the outer.
func (l Limits) Of(grafts int) Bounds {
	if grafts <= 0 {
		return Bounds{0, 1, 0, 1}
	}
	n := float64(grafts)
	v := 1/(n*l.Mean+0.5) + 1/(n*(1-l.Mean)+0.5)
	s := math.Sqrt(v + l.Tau*l.Tau)
	return Bounds{logistic(l.at - 1.96*s), logistic(l.at + 1.96*s), logistic(l.at - 3.09*s), logistic(l.at + 3.09*s)}
}
