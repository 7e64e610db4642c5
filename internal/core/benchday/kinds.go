package benchday

import (
	"cmp"
	"slices"
)

// kind is jobs that a plan need not tell apart: tags with their labels of one
// lot, bundle and technique, due alike. A job that can be divided is a kind of
// its own. Plans choose among kinds, so that thousands of tags cost no more
// than the batches they came from.
type kind struct {
	jobs      []int // the largest first
	whole     bool
	technique int
	lot       int
	alike     int // of one lot, bundle and technique
	grafts    int
	earliest  int
	latest    int
	weight    float64
	keep      int
	perGraft  float64 // the least that a graft takes, in standard hours
}

// shop is a problem made ready: what every way of choosing asks for, once.
type shop struct {
	*Problem
	kinds  []kind
	fixed  []int   // jobs that stay where they are
	of     [][]int // kinds by alike
	rate   []float64
	able   []int    // hands who know a technique
	knows  [][]bool // by hand and technique
	places []int    // of a technique's own; −1 for none
	seats  int
	lotN   []int // grafts of each lot, in all
	there  [][]float64
	skills []int // hands, those who know least first
	alike  []int // of each job
	lotOf  []int
	byWay  []int // technique of each job
}

func (p *Problem) shop() *shop {
	s := &shop{
		Problem: p,
		seats:   p.Seats,
		alike:   make([]int, len(p.Jobs)),
		lotOf:   make([]int, len(p.Jobs)),
		byWay:   make([]int, len(p.Jobs)),
	}
	techniques, lots, runs := map[string]int{}, map[string]int{}, map[[3]string]int{}
	number := func(of map[string]int, name string) int {
		i, ok := of[name]
		if !ok {
			i = len(of)
			of[name] = i
		}
		return i
	}
	type key struct {
		batch                         string
		alike, earliest, latest, keep int
		weight                        float64
	}
	at := map[key]int{}
	for i, j := range p.Jobs {
		t, lot := number(techniques, j.Technique), number(lots, j.Lot)
		if t == len(s.rate) {
			s.rate = append(s.rate, p.Rate[j.Technique])
			s.able = append(s.able, p.knowers(j.Technique))
			n, own := p.Stations[j.Technique]
			if !own {
				n = -1
			}
			s.places = append(s.places, n)
		}
		if lot == len(s.lotN) {
			s.lotN = append(s.lotN, 0)
		}
		s.lotN[lot] += j.Grafts
		run := [3]string{j.Technique, j.Lot, j.Bundle}
		a, ok := runs[run]
		if !ok {
			a = len(runs)
			runs[run] = a
			s.of = append(s.of, nil)
		}
		s.alike[i], s.lotOf[i], s.byWay[i] = a, lot, t
		if j.Fixed {
			s.fixed = append(s.fixed, i)
			continue
		}
		if j.Grafts == 0 {
			continue
		}
		k := key{j.Batch, a, j.Earliest, j.Latest, j.Keep, j.Weight}
		g, ok := at[k]
		if !j.Whole || !ok {
			g = len(s.kinds)
			s.kinds = append(
				s.kinds,
				kind{
					whole:     j.Whole,
					technique: t,
					lot:       lot,
					alike:     a,
					earliest:  j.Earliest,
					latest:    j.Latest,
					weight:    j.Weight,
					keep:      j.Keep,
					perGraft:  p.perGraft(j),
				},
			)
			s.of[a] = append(s.of[a], g)
			if j.Whole {
				at[k] = g
			}
		}
		x := &s.kinds[g]
		x.jobs = append(x.jobs, i)
		x.grafts += j.Grafts
		x.perGraft = min(x.perGraft, p.perGraft(j))
	}
	for g := range s.kinds {
		slices.SortStableFunc(s.kinds[g].jobs, func(a, b int) int { return p.Jobs[b].Grafts - p.Jobs[a].Grafts })
	}
	for h, hand := range p.Hands {
		knows := make([]bool, len(techniques))
		for name, i := range techniques {
			knows[i] = hand.Knows[name]
		}
		s.knows = append(s.knows, knows)
		there := make([]float64, p.Slots+1)
		for slot := range p.Slots {
			there[slot+1] = there[slot] + p.capacity(h, slot)
		}
		s.there = append(s.there, there)
		s.skills = append(s.skills, h)
	}
	known := func(h int) (n int) {
		for _, ok := range p.Hands[h].Knows {
			if ok {
				n++
			}
		}
		return n
	}
	slices.SortStableFunc(s.skills, func(x, y int) int {
		return cmp.Or(known(x)-known(y), compare(p.Hands[y].Speed, p.Hands[x].Speed))
	})
	return s
}

// rule is a way of choosing the next kind.
type rule struct {
	name   string
	stay   bool   // go on with the lot and bundle at hand unless something presses
	scarce bool   // among equals, what few can do first
	chosen []bool // kinds that are to be in time; nil for all
	shift  []int  // half-days by which a kind is taken to be due later; nil for none
}

// due is when a kind is taken to be due.
func (r rule) due(g int, k kind) int {
	if r.shift == nil {
		return k.latest
	}
	return k.latest + r.shift[g]
}

// order puts kinds in the order in which a rule takes them, but for whether
// they are chosen and in time.
func (s *shop) order(r rule) []int {
	out := make([]int, len(s.kinds))
	for g := range out {
		out[g] = g
	}
	slices.SortFunc(out, func(a, b int) int {
		x, y := s.kinds[a], s.kinds[b]
		c := r.due(a, x) - r.due(b, y)
		if c == 0 && r.scarce {
			c = s.able[x.technique] - s.able[y.technique]
		}
		return cmp.Or(c, compare(y.weight, x.weight), x.keep-y.keep, a-b)
	})
	return out
}
