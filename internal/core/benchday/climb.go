package benchday

import (
	"math/rand/v2"
	"slices"
)

// House limits of the climb: how many plans are built, by how large they are.
const (
	fewestClimbs = 40
	mostClimbs   = 1600
	climbPairs   = 280e6 // over the pieces there are times those that may be moved
	mendWithin   = 1.02  // plans that are nearly as good are mended, tag by tag:
	mendEach     = 2     // every so many of them
)

// climb changes a rule a little at a time and keeps what is no worse: a local
// search over which kinds are to be in time and when they are taken to be due.
// It ends at the bound, or when its plans are built.
func (s *shop) climb(best Plan, by rule, bound relaxed, effort int) Plan {
	n := len(s.kinds)
	if n == 0 {
		return best
	}
	rounds := effort * max(fewestClimbs, min(mostClimbs, int(climbPairs/float64(max(1, len(best.Pieces)*(len(best.Pieces)-len(s.fixed)))))))
	r := rand.New(rand.NewPCG(1, 9))
	now := rule{name: by.name, stay: by.stay, scarce: by.scarce, chosen: slices.Clone(by.chosen), shift: make([]int, n)}
	if now.chosen == nil {
		now.chosen = slices.Repeat([]bool{true}, n)
	}
	late := s.lateKinds(best)
	for round := range rounds {
		if best.LateCost <= bound.cost+1e-9 {
			break
		}
		try := now
		try.chosen, try.shift = slices.Clone(now.chosen), slices.Clone(now.shift)
		pick := func() int {
			if len(late) > 0 && r.IntN(5) < 2 {
				return late[r.IntN(len(late))]
			}
			return r.IntN(n)
		}
		for range 1 + r.IntN(3) {
			g := pick()
			switch r.IntN(5) {
			case 0, 1:
				try.chosen[g] = !try.chosen[g]
			case 2:
				other := pick()
				try.chosen[g], try.chosen[other] = try.chosen[other], try.chosen[g]
			case 3:
				try.shift[g] += 1 + r.IntN(4)
			default:
				try.shift[g] -= 1 + r.IntN(4)
			}
		}
		if r.IntN(12) == 0 {
			try.stay = !try.stay
		}
		x := s.build(try)
		if x.LateCost < best.LateCost || x.LateCost <= mendWithin*best.LateCost && round%mendEach == 0 {
			x = s.mend(x)
		}
		if !better(best, x) {
			if better(x, best) {
				late = s.lateKinds(x)
			}
			best, now = x, try
		}
	}
	return best
}

// lateKinds lists the kinds of which something is late.
func (s *shop) lateKinds(x Plan) []int {
	is := make([]bool, len(s.Jobs))
	for _, c := range x.Pieces {
		is[c.Job] = is[c.Job] || c.Slot > s.Jobs[c.Job].Latest
	}
	for _, l := range x.Unplaced {
		is[l.Job] = true
	}
	var out []int
	for g, k := range s.kinds {
		if slices.ContainsFunc(k.jobs, func(i int) bool { return is[i] }) {
			out = append(out, g)
		}
	}
	return out
}
