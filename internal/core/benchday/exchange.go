package benchday

import (
	"cmp"
	"slices"
)

// Exchange is a plan whose tags change hands within their half-days at no loss of time: nobody
// has more hours than there are, none is at more techniques than they know, no more changes of
// lot or bundle than before, and nothing is made on another half-day.
type Exchange struct {
	p      *Problem
	was    Plan
	pieces []Piece
	slots  [][]int // pieces by half-day
	kind   []int   // of each job: those of one lot, bundle and technique are of one
}

// Exchange readies a plan for it.
func (p *Problem) Exchange(x Plan) *Exchange {
	e := &Exchange{p: p, was: x, pieces: slices.Clone(x.Pieces), slots: make([][]int, p.Slots)}
	kinds := map[[3]string]int{}
	for _, j := range p.Jobs {
		k := [3]string{j.Lot, j.Bundle, j.Technique}
		if _, ok := kinds[k]; !ok {
			kinds[k] = len(kinds)
		}
		e.kind = append(e.kind, kinds[k])
	}
	for i, c := range e.pieces {
		if c.Slot >= 0 && c.Slot < p.Slots {
			e.slots[c.Slot] = append(e.slots[c.Slot], i)
		}
	}
	return e
}

// Pieces are the plan's tags as they stand now. Lots name them by their places in it.
func (e *Exchange) Pieces() []Piece { return e.pieces }

// Places is how many half-days there are.
func (e *Exchange) Places() int { return len(e.slots) }

// Lots are what may change hands in a half-day: of each hand what is alike, all of it, and one
// tag of it.
func (e *Exchange) Lots(slot int) (out [][]int) {
	here := e.slots[slot]
	done := make([]bool, len(here))
	for i, a := range here {
		if done[i] || e.p.Jobs[e.pieces[a].Job].Fixed {
			continue
		}
		var all []int
		for j, b := range here[i:] {
			if e.pieces[b].Hand == e.pieces[a].Hand && e.kindOf(b) == e.kindOf(a) && !e.p.Jobs[e.pieces[b].Job].Fixed {
				all, done[i+j] = append(all, b), true
			}
		}
		out = append(out, all)
		if len(all) > 1 {
			out = append(out, all[:1])
		}
	}
	return out
}

func (e *Exchange) kindOf(piece int) int { return e.kind[e.pieces[piece].Job] }

// load is a hand's standard hours in a half-day with some pieces taken off and others put on,
// and its changes of lot or bundle.
func (e *Exchange) load(hand, slot int, off, on []int) (hours float64, tags, changes int) {
	var kinds []int
	add := func(i int) {
		c := e.pieces[i]
		hours += c.Hours
		tags++
		if !slices.Contains(kinds, e.kindOf(i)) {
			kinds = append(kinds, e.kindOf(i))
		}
	}
	for _, i := range e.slots[slot] {
		if e.pieces[i].Hand == hand && !slices.Contains(off, i) {
			add(i)
		}
	}
	for _, i := range on {
		add(i)
	}
	changes = max(0, len(kinds)-1)
	return hours + float64(changes)*changeHours, tags, changes
}

// May says whether two lots of one half-day may change hands with each other.
func (e *Exchange) May(a, b []int) bool {
	x, y := e.pieces[a[0]], e.pieces[b[0]]
	if x.Hand == y.Hand || x.Slot != y.Slot {
		return false
	}
	tx, ty := e.p.Jobs[x.Job].Technique, e.p.Jobs[y.Job].Technique
	if !e.p.Hands[y.Hand].Knows[tx] || !e.p.Hands[x.Hand].Knows[ty] {
		return false
	}
	if tx != ty { // the places of a technique are taken by whoever is at it
		if _, own := e.p.Stations[tx]; own {
			return false
		}
		if _, own := e.p.Stations[ty]; own {
			return false
		}
	}
	before, after := 0, 0
	for _, side := range []struct {
		hand    int
		off, on []int
	}{{x.Hand, a, b}, {y.Hand, b, a}} {
		had, _, were := e.load(side.hand, x.Slot, nil, nil)
		hours, tags, changes := e.load(side.hand, x.Slot, side.off, side.on)
		before, after = before+were, after+changes
		room := max(had, e.p.capacity(side.hand, x.Slot))
		if hours > room+1e-9 && tags > 1 || e.p.capacity(side.hand, x.Slot) == 0 {
			return false
		}
	}
	return after <= before
}

// Exchange lets two lots change hands.
func (e *Exchange) Exchange(a, b []int) {
	x, y := e.pieces[a[0]].Hand, e.pieces[b[0]].Hand
	for _, i := range a {
		e.pieces[i].Hand = y
	}
	for _, i := range b {
		e.pieces[i].Hand = x
	}
}

// Plan is the plan as it stands now, those of one lot and bundle next to each other; the plan
// as it was, should it be worse in any way that counts.
func (e *Exchange) Plan() Plan {
	out := e.was
	out.Pieces = slices.Clone(e.pieces)
	first := map[[3]int]int{} // where what is alike first stands with a hand in a half-day
	at := func(c Piece) [3]int { return [3]int{c.Slot, c.Hand, e.kind[c.Job]} }
	for i, c := range out.Pieces {
		if _, ok := first[at(c)]; !ok {
			first[at(c)] = i
		}
	}
	slices.SortStableFunc(out.Pieces, func(a, b Piece) int {
		return cmp.Or(a.Slot-b.Slot, a.Hand-b.Hand, first[at(a)]-first[at(b)])
	})
	e.p.tally(&out)
	if better(e.was, out) {
		return e.was
	}
	return out
}
