package benchday

import (
	"cmp"
	"fmt"
	"slices"
)

// Trouble is something wrong with a plan.
type Trouble struct {
	Kind  string // one of the kinds below
	Piece int    // which piece, or -1

	Worker    string  // Unknown, Full, Away: the hand's name
	Technique string  // Unknown; NoSeat, where its station is full
	Lot       string  // Alone
	Over      float64 // Full: by how many hours of the worker's own
	Most      int     // NoSeat: how many seats there are
}

// Kinds of trouble, the worst first.
const (
	Unknown = "does not know it"
	Early   = "too early"
	Late    = "late"
	Full    = "over the hours"
	Away    = "away"
	NoSeat  = "no seat"
	Alone   = "not shared"
)

// Check looks a plan over, whoever made it. Pieces must be in the order of
// half-days and hands. A piece alone in its half-day may run over, since a tag
// is not divided.
func Check(p Problem, ps []Piece) []Trouble {
	var out []Trouble
	type place struct{ hand, slot int }
	hours, n, last := map[place]float64{}, map[place]int{}, map[place]int{}
	seated, station := map[int]map[int]bool{}, map[string]map[int]bool{}
	for i, c := range ps {
		j, h := p.Jobs[c.Job], p.Hands[c.Hand]
		if !h.Knows[j.Technique] {
			out = append(out, Trouble{Kind: Unknown, Piece: i, Worker: h.ID, Technique: j.Technique})
		}
		if c.Slot < j.Earliest {
			out = append(out, Trouble{Kind: Early, Piece: i})
		}
		if c.Slot > j.Latest {
			out = append(out, Trouble{Kind: Late, Piece: i})
		}
		k := place{c.Hand, c.Slot}
		if was, ok := last[k]; ok && !p.alike(was, c.Job) {
			hours[k] += changeHours
		}
		last[k] = c.Job
		hours[k] += p.hours(j, c.Grafts)
		n[k]++
		if over := hours[k] - p.capacity(c.Hand, c.Slot); over > 1e-6 && (n[k] > 1 || p.capacity(c.Hand, c.Slot) == 0) {
			t := Trouble{Kind: Full, Piece: i, Worker: h.ID, Over: over / h.Speed}
			if p.capacity(c.Hand, c.Slot) == 0 {
				t.Kind = Away
			}
			out = append(out, t)
		}
		if seated[c.Slot] == nil {
			seated[c.Slot] = map[int]bool{}
		}
		seated[c.Slot][c.Hand] = true
		if p.Seats > 0 && len(seated[c.Slot]) > p.Seats {
			out = append(out, Trouble{Kind: NoSeat, Piece: i, Most: p.Seats})
		}
		if places, own := p.Stations[j.Technique]; own {
			key := fmt.Sprint(j.Technique, c.Slot)
			if station[key] == nil {
				station[key] = map[int]bool{}
			}
			if station[key][c.Hand] = true; len(station[key]) > places {
				out = append(out, Trouble{Kind: NoSeat, Piece: i, Most: places, Technique: j.Technique})
			}
		}
	}
	for _, lot := range p.alone(ps) {
		out = append(out, Trouble{Kind: Alone, Piece: -1, Lot: lot})
	}
	return out
}

// Score adds up a plan's figures, whoever made it.
func Score(p Problem, ps []Piece, unplaced []Left) Plan {
	x := Plan{Pieces: slices.Clone(ps), Unplaced: unplaced}
	slices.SortStableFunc(x.Pieces, func(a, b Piece) int { return cmp.Or(a.Slot-b.Slot, a.Hand-b.Hand) })
	p.tally(&x)
	b := p.shop().bound(1)
	x.Bound, x.LeastLate = b.cost, b.late
	return x
}
