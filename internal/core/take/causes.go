package take

import (
	"cmp"
	"maps"
	"math"
	"slices"

	"unionknot/internal/core/sizing"
)

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
	More  bool            // clearly more than groups differ among each other
}

// CausesByGroup sets each group's losses by cause, most first, beside those of
// all other groups. grafts says how many grafts each group had looked at, those
// without losses too. What stands out is flagged as LimitsOf flags groups: each
// cause's shares beside their own spread between groups, and of all the flags
// of all causes no more than one in twenty is expected to be luck.
func CausesByGroup(losses []Loss, grafts map[string]int) map[string][]Cause {
	n, all := map[Loss]int{}, map[string]int{}
	total := 0
	for _, g := range grafts {
		total += g
	}
	for _, l := range losses {
		if of := grafts[l.Group]; l.N > 0 && of >= l.N {
			n[Loss{l.Group, l.Cause, 0}] += l.N
			all[l.Cause] += l.N
		}
	}
	groups := slices.Sorted(maps.Keys(grafts))
	var z []float64
	var of []Loss // whose each z is
	for _, cause := range slices.Sorted(maps.Keys(all)) {
		each := make([]Group, len(groups))
		for i, g := range groups {
			each[i] = Group{grafts[g], min(grafts[g], n[Loss{g, cause, 0}])}
		}
		for i, s := range LimitsOf(each).Groups {
			z, of = append(z, s.Z), append(of, Loss{groups[i], cause, 0})
		}
	}
	more := map[Loss]bool{}
	for i, f := range flagged(z) {
		more[of[i]] = f > 0
	}
	out := map[string][]Cause{}
	for k, dead := range n {
		looked := grafts[k.Group]
		c := Cause{Cause: k.Cause, N: dead, Share: sizing.Beta{Alpha: 1, Beta: 1}.And(dead, looked).Interval90(), More: more[k]}
		c.Share.Mean = float64(dead) / float64(looked)
		c.Share.Low, c.Share.High = math.Min(c.Share.Low, c.Share.Mean), math.Max(c.Share.High, c.Share.Mean)
		if rest := total - looked; rest > 0 {
			c.Rest = float64(all[k.Cause]-dead) / float64(rest)
		}
		out[k.Group] = append(out[k.Group], c)
	}
	for _, cs := range out {
		slices.SortFunc(cs, func(a, b Cause) int { return cmp.Or(b.N-a.N, cmp.Compare(a.Cause, b.Cause)) })
	}
	return out
}
