package sizing

import (
	"fmt"
	"math"
	"slices"
	"sort"
)

// Group is grafts that nobody has counted: N of them, of which a share lives
// that is believed to be Take, the same for all of the group. Groups are
// reckoned with as if they knew nothing of each other.
type Group struct {
	N    int
	Take Beta
}

// Balance is what an order's grafts may still come to: those counted alive, the
// groups that are not counted, and the share of all that live that are lifted
// and make the grade, which is one unknown for them all.
type Balance struct {
	Alive  int
	Groups []Group
	Grade  Beta
}

// nothing is a chance too small to be carried on.
const nothing = 1e-13

// Chance is the chance that at least trees come of what there is. It is exact
// but for chances below 1e-12: the groups' beta-binomials are folded together,
// and the grade's is summed over how many live.
func (b Balance) Chance(trees int) float64 {
	flat := Beta{1, 1}
	same, other := b.lives(flat)
	return b.chances(trees, flat, same, other)(0)
}

// Mean is how many trees are to be expected.
func (b Balance) Mean() float64 {
	live := float64(b.Alive)
	for _, g := range b.Groups {
		live += float64(g.N) * g.Take.Mean()
	}
	return live * b.Grade.Mean()
}

// Interval90 is the trees to expect, with the counts that 5 in 100 fall below
// and 5 in 100 above.
func (b Balance) Interval90() Interval {
	top := b.Alive
	for _, g := range b.Groups {
		top += g.N
	}
	// What lives is the same whatever is asked for, and the chance of at least t falls with t:
	// the greatest t that is still reached with a chance.
	flat := Beta{1, 1}
	same, other := b.lives(flat)
	reached := func(chance float64) float64 {
		return float64(sort.Search(top, func(t int) bool { return b.chances(t+1, flat, same, other)(0) < chance }))
	}
	return Interval{Mean: b.Mean(), Low: reached(0.95), High: reached(0.05)}
}

// ToGo gives the least number of grafts more, of a group believed to take as
// more has it, with which at least trees come with a chance. Where a group holds
// the same belief, the new grafts are of that group: what moves its take moves
// theirs. Bench grafts that are tied and not counted must not be asked for twice,
// and so count by their own group's belief.
func (b Balance) ToGo(trees int, chance float64, more Beta) (int, error) {
	if trees <= 0 {
		return 0, nil
	}
	if !(chance > 0 && chance < 1) || !(more.Alpha > 0 && more.Beta > 0) || !(b.Grade.Alpha > 0 && b.Grade.Beta > 0) {
		return 0, fmt.Errorf("chance %g, rates %v and %v: %w", chance, more, b.Grade, ErrNever)
	}
	same, other := b.lives(more)
	at := b.chances(trees, more, same, other)
	if at(0) >= chance {
		return 0, nil
	}
	lo, hi := 0, max(8, trees/4)
	for at(hi) < chance {
		if lo, hi = hi, hi*2; hi > mostGrafts {
			return 0, fmt.Errorf("over %d grafts: %w", mostGrafts, ErrNever)
		}
	}
	return lo + 1 + sort.Search(hi-lo-1, func(i int) bool { return at(lo+1+i) >= chance }), nil
}

// lives is how many of the groups live: those of the same belief as more by their number, and the
// chances of how many of all others.
func (b Balance) lives(more Beta) (same int, other spread) {
	other = spread{0, []float64{1}}
	for _, g := range b.Groups {
		switch {
		case g.N == 0:
		case g.Take == more:
			same += g.N
		default:
			other = other.and(g.Take.spread(g.N))
		}
	}
	return same, other
}

// chances readies the chance of at least trees with n grafts more of a belief, beside those of the
// groups that live.
func (b Balance) chances(trees int, more Beta, same int, other spread) func(n int) float64 {
	grade := reaching{trees: trees, grade: b.Grade}
	// from is the chance by how many of more's grafts live, whatever the others do.
	var from []float64
	return func(n int) float64 {
		live := more.spread(same + n)
		if k := len(from); k < live.low+len(live.p) {
			made := make([]float64, live.low+len(live.p)-k+len(other.p)-1)
			for i := range made {
				made[i] = grade.at(b.Alive + other.low + k + i)
			}
			from = append(from, along(other.p, made)...)
		}
		sum := 0.0
		for i, p := range live.p {
			sum += p * from[live.low+i]
		}
		return math.Min(1, sum)
	}
}

// along gives the mean of values by chances that are laid along them, from each of them on: of
// len(values) − len(chances) + 1 places.
func along(chances, values []float64) []float64 {
	places := len(values) - len(chances) + 1
	if places*len(chances) <= transforms(len(values)+len(chances)) {
		out := make([]float64, places)
		for i := range out {
			for j, p := range chances {
				out[i] += p * values[i+j]
			}
		}
		return out
	}
	back := slices.Clone(chances)
	slices.Reverse(back)
	return fold(back, values)[len(chances)-1 : len(values)]
}

// spread is the chances of low, low+1, … living; what is left out is nothing.
type spread struct {
	low int
	p   []float64
}

// spread is how many of n live of a group of the belief.
func (b Beta) spread(n int) spread {
	if n <= 0 {
		return spread{0, []float64{1}}
	}
	mode := 0
	if b.Alpha+b.Beta > 2 {
		mode = min(n, max(0, int((float64(n)+1)*(b.Alpha-1)/(b.Alpha+b.Beta-2))))
	} else if b.Alpha > b.Beta {
		mode = n
	}
	m := float64(n)
	// up is P(X = x + 1) ÷ P(X = x).
	up := func(x float64) float64 { return (m - x) / (x + 1) * (x + b.Alpha) / (m - x - 1 + b.Beta) }
	var below, above []float64
	for k, term := mode, 1.0; k > 0; k-- {
		if term /= up(float64(k - 1)); term < nothing && b.Alpha >= 1 {
			break
		}
		below = append(below, term)
	}
	for k, term := mode, 1.0; k < n; k++ {
		if term *= up(float64(k)); term < nothing && b.Beta >= 1 {
			break
		}
		above = append(above, term)
	}
	s := spread{mode - len(below), make([]float64, 0, len(below)+1+len(above))}
	for i := len(below) - 1; i >= 0; i-- {
		s.p = append(s.p, below[i])
	}
	s.p = append(append(s.p, 1), above...)
	sum := 0.0
	for _, p := range s.p {
		sum += p
	}
	for i := range s.p {
		s.p[i] /= sum
	}
	return s
}

// and folds two groups together.
func (s spread) and(t spread) spread {
	return spread{s.low + t.low, fold(s.p, t.p)}
}

// reaching is the chance that at least trees of a number that live are lifted
// and make the grade, worked out from one number to the next: with one more that
// lives, the chance grows by that of having been one short, times that of the
// new one making it.
type reaching struct {
	trees int
	grade Beta
	of    []float64 // by how many live above trees
	log   float64   // ln P(trees − 1 of the last number make it)
}

func (r *reaching) at(live int) float64 {
	if r.trees <= 0 {
		return 1
	}
	if live < r.trees {
		return 0
	}
	a, c, t := r.grade.Alpha, r.grade.Beta, float64(r.trees)
	if len(r.of) == 0 {
		r.log = logPMF(r.trees-1, r.trees-1, a, c)
		r.of = append(r.of, math.Exp(r.log+math.Log((a+t-1)/(a+c+t-1))))
	}
	for len(r.of) <= live-r.trees {
		l := float64(r.trees - 1 + len(r.of)) // that live before the one more
		r.log += math.Log((l) / (l - t + 1) * (c + l - t) / (a + c + l - 1))
		gain := math.Exp(r.log + math.Log((a+t-1)/(a+c+l)))
		r.of = append(r.of, math.Min(1, r.of[len(r.of)-1]+gain))
	}
	return r.of[live-r.trees]
}
