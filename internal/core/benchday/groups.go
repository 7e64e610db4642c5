package benchday

import (
	"math"
	"math/bits"
)

// Person is somebody who may cut, or tie what another cuts.
type Person struct {
	Cuts  float64 // speed at cutting, times the house's
	Ties  float64 // at tying
	Alone float64 // standard hours of wanted work an hour that they do by themselves: 0 for one who knows none of it
	Hours float64 // usable, that day
	Knows bool    // a wanted technique, so that they can cut
}

// Group is cutters with the one who ties behind them, for a day.
type Group struct {
	Cutters []int
	Tier    int
	PerHour float64 // standard hours of work that the group does in an hour, all of its cutters together
	Gain    float64 // standard hours a day over what its people do by themselves
}

// GroupPace is what cutters and one who ties behind them do in an hour, in standard hours, where a
// share of a graft's time goes to cutting: min(Σ cuts ÷ share, ties ÷ (1 − share)).
func GroupPace(cuts float64, ties, cutShare float64) float64 {
	if !(cutShare > 0 && cutShare < 1) {
		return 0
	}
	return math.Min(cuts/cutShare, ties/(1-cutShare))
}

// mostPaired is up to how many people every way of pairing them is tried; of more, those who gain
// most are tried.
const mostPaired = 12

// GroupUp forms the groups of a day that do most over everybody working alone: one or two cutters
// with one who ties behind them. Used counts how often a cutter and a tier worked together lately:
// of ways that do as much, the one that mixes them more is taken, so that their counts tell them
// apart; mixing costs at most a hundredth of the work for each time. Nobody is grouped who does more
// alone.
func GroupUp(ps []Person, cutShare float64, used func(cutter, tier int) int) []Group {
	n := len(ps)
	if n < 2 {
		return nil
	}
	if n > mostPaired {
		n = mostPaired
	}
	const mixing = 0.01
	type choice struct {
		worth float64
		group Group
		prev  int
	}
	worth := func(g Group) (float64, Group, bool) {
		hours, cuts, alone, times := ps[g.Tier].Hours, 0.0, ps[g.Tier].Alone*ps[g.Tier].Hours, 0
		for _, c := range g.Cutters {
			if !ps[c].Knows {
				return 0, g, false
			}
			hours = math.Min(hours, ps[c].Hours)
			cuts += ps[c].Cuts
			alone += ps[c].Alone * ps[c].Hours
			times += used(c, g.Tier)
		}
		if hours <= 0 {
			return 0, g, false
		}
		g.PerHour = GroupPace(cuts, ps[g.Tier].Ties, cutShare)
		together := g.PerHour * hours
		for _, c := range g.Cutters { // what is left of a cutter's day they work alone
			together += ps[c].Alone * (ps[c].Hours - hours)
		}
		together += ps[g.Tier].Alone * (ps[g.Tier].Hours - hours)
		g.Gain = together - alone
		return g.Gain - mixing*g.PerHour*hours*float64(min(times, 10))/10, g, g.Gain > 1e-9
	}
	size := 1 << n
	best := make([]choice, size)
	for mask := 1; mask < size; mask++ {
		i := bits.TrailingZeros(uint(mask))
		rest := mask &^ (1 << i)
		best[mask] = choice{worth: best[rest].worth, prev: rest, group: Group{Tier: -1}}
		try := func(left int, g Group) {
			if w, g, ok := worth(g); ok && w+best[left].worth > best[mask].worth+1e-12 {
				best[mask] = choice{w + best[left].worth, g, left}
			}
		}
		for j := i + 1; j < n; j++ {
			if rest&(1<<j) == 0 {
				continue
			}
			left := rest &^ (1 << j)
			try(left, Group{Cutters: []int{i}, Tier: j})
			try(left, Group{Cutters: []int{j}, Tier: i})
			for k := j + 1; k < n; k++ {
				if left&(1<<k) == 0 {
					continue
				}
				three := left &^ (1 << k)
				try(three, Group{Cutters: []int{i, j}, Tier: k})
				try(three, Group{Cutters: []int{i, k}, Tier: j})
				try(three, Group{Cutters: []int{j, k}, Tier: i})
			}
		}
	}
	var out []Group
	for mask := size - 1; mask > 0; mask = best[mask].prev {
		if best[mask].group.Tier >= 0 {
			out = append(out, best[mask].group)
		}
	}
	return out
}
