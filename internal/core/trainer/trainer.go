// Package trainer is a made-up season to be played week by week: who grafts what of which lot,
// and how nature answers. What a player can know is what is counted; the rehearsal is the coach.
//
// A game is its seed and the moves that were made: the same ones give the same season on any
// machine.
package trainer

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"unionknot/internal/core/rehearsal"
	"unionknot/internal/core/take"
)

// Order is what is promised.
type Order struct{ Trees int }

// Hand is somebody at the bench, and the grafts they make in a week.
type Hand struct{ Grafts int }

// Lot is a stock lot with its stems.
type Lot struct{ Stems int }

// Rest is the order of a hand who does not graft in a week.
const Rest = -1

// Move is what a hand grafts in a week: for which order, of which lot, both from 0.
type Move struct{ Order, Lot int }

// Batch is grafts that were made, and, once they are counted, how many live.
type Batch struct {
	Week, Hand, Order, Lot int
	Grafts                 int
	Live                   int
	Counted                bool
	live                   int
}

// Event is something that happened in a week.
type Event struct {
	Kind  string // away, shut, counted, out (of stems), late
	Hand  int
	Order int
	N, Of int
}

// Game is a season as it stands.
type Game struct {
	Orders  []Order
	Hands   []Hand
	Lots    []Lot
	Weeks   int // planned at most
	Week    int // the one to be played, from 0
	Over    bool
	Batches []Batch
	Left    []int   // stems of each lot
	Events  []Event // of the week before
	// What nature has: it is told once the season is over.
	HandEffect, LotEffect, WoodEffect []float64
	Shut                              int // the first week in which the wood is over
	away                              [][]bool
	luck                              [][]float64 // by week and hand
	base                              float64
}

// The game's own measures.
const (
	weeks      = 8
	countAfter = 3 // weeks
	absent     = 0.08
	usualShut  = 6.2 // the week in which the wood is over, on the mean
	shutSpread = 0.9
	baseTake   = 1.3 // on the logit scale
)

// Tries is how often the coach plays a season.
const Tries = 2000

// ErrMove is given for a move that cannot be made.
var ErrMove = errors.New("not a move")

// New begins a season.
func New(seed uint64) *Game {
	r := rand.New(rand.NewPCG(seed, 0x6b6e6f74))
	g := &Game{Weeks: weeks, base: baseTake}
	total := 0
	for range 3 {
		h := Hand{Grafts: 34 + r.IntN(16)}
		total += h.Grafts
		g.Hands = append(g.Hands, h)
		g.HandEffect = append(g.HandEffect, take.UsualSpreads.Worker*r.NormFloat64())
	}
	shares, sum := make([]float64, 4), 0.0
	for i := range shares {
		shares[i] = 0.7 + r.Float64()
		sum += shares[i]
	}
	// Asked for: what five and a half weeks give at the usual take.
	all := 5.5 * float64(total) / (1 + math.Exp(-baseTake))
	for _, s := range shares {
		g.Orders = append(g.Orders, Order{Trees: int(all * s / sum * 0.97)})
		g.WoodEffect = append(g.WoodEffect, take.UsualSpreads.Bundle*r.NormFloat64())
	}
	for range 4 {
		g.Lots = append(g.Lots, Lot{Stems: int(float64(total) * (1.6 + 1.2*r.Float64()))})
		g.LotEffect = append(g.LotEffect, take.UsualSpreads.Lot*r.NormFloat64())
	}
	for _, l := range g.Lots {
		g.Left = append(g.Left, l.Stems)
	}
	g.Shut = max(3, int(math.Round(usualShut+shutSpread*r.NormFloat64())))
	for range weeks {
		away, luck := make([]bool, len(g.Hands)), make([]float64, len(g.Hands))
		for h := range g.Hands {
			away[h], luck[h] = r.Float64() < absent, r.Float64()
		}
		g.away, g.luck = append(g.away, away), append(g.luck, luck)
	}
	return g
}

// Play plays a week: a move of each hand.
func (g *Game) Play(moves []Move) error {
	if g.Over || len(moves) != len(g.Hands) {
		return fmt.Errorf("%d moves in week %d: %w", len(moves), g.Week+1, ErrMove)
	}
	for h, m := range moves {
		if m.Order != Rest && (m.Order < 0 || m.Order >= len(g.Orders) || m.Lot < 0 || m.Lot >= len(g.Lots)) {
			return fmt.Errorf("hand %d, order %d of lot %d: %w", h+1, m.Order+1, m.Lot+1, ErrMove)
		}
	}
	g.Events = nil
	for h, m := range moves {
		switch {
		case g.Week >= g.Shut:
			continue
		case g.away[g.Week][h]:
			g.Events = append(g.Events, Event{Kind: "away", Hand: h})
			continue
		case m.Order == Rest:
			continue
		}
		n := min(g.Hands[h].Grafts, g.Left[m.Lot])
		if n < g.Hands[h].Grafts {
			g.Events = append(g.Events, Event{Kind: "out", Hand: h, N: n, Of: g.Hands[h].Grafts})
		}
		if n == 0 {
			continue
		}
		g.Left[m.Lot] -= n
		p := 1 / (1 + math.Exp(-(g.base + g.HandEffect[h] + g.LotEffect[m.Lot] + g.WoodEffect[m.Order])))
		g.Batches = append(g.Batches, Batch{Week: g.Week, Hand: h, Order: m.Order, Lot: m.Lot, Grafts: n,
			live: rehearsal.Draw(n, p, g.luck[g.Week][h])})
	}
	g.Week++
	if g.Week >= g.Shut && g.Week < g.Weeks {
		g.Events = append(g.Events, Event{Kind: "shut"})
	}
	g.Over = g.Week >= g.Weeks || g.Week >= g.Shut
	for i := range g.Batches {
		if b := &g.Batches[i]; !b.Counted && (g.Over || g.Week-b.Week >= countAfter) {
			b.Counted, b.Live = true, b.live
			g.Events = append(g.Events, Event{Kind: "counted", Hand: b.Hand, Order: b.Order, N: b.live, Of: b.Grafts})
		}
	}
	return nil
}

// Standing is how an order stands by what a player knows.
type Standing struct{ Made, Counted, Live, Healing int }

// Standing gives it for each order.
func (g *Game) Standing() []Standing {
	out := make([]Standing, len(g.Orders))
	for _, b := range g.Batches {
		s := &out[b.Order]
		s.Made += b.Grafts
		if b.Counted {
			s.Counted, s.Live = s.Counted+b.Grafts, s.Live+b.Live
		} else {
			s.Healing += b.Grafts
		}
	}
	return out
}

// Met is how many orders have their trees, by what is counted.
func (g *Game) Met() (n int) {
	for i, s := range g.Standing() {
		if s.Live >= g.Orders[i].Trees {
			n++
		}
	}
	return n
}

// learn weighs what is counted, as the house weighs its own.
func (g *Game) learn() (take.Learned, error) {
	var rs []take.Record
	for _, b := range g.Batches {
		if b.Counted {
			rs = append(rs, take.Record{Worker: fmt.Sprint(b.Hand), Lot: fmt.Sprint(b.Lot), Bundle: fmt.Sprint(b.Order),
				Technique: "whip", Grafts: b.Grafts,
				Took: b.Live})
		}
	}
	if len(rs) == 0 {
		return take.Learned{}, nil
	}
	return take.Learn(rs)
}

// season is what is left of the season with a plan for it: a move of each hand for each week.
func (g *Game) season(l take.Learned, plan [][]Move) rehearsal.Season {
	var s rehearsal.Season
	add := func(factor string, n int) {
		for i := range n {
			e := l.Effect(factor, fmt.Sprint(i))
			if e.SD == 0 {
				e.SD = map[string]float64{take.Worker: take.UsualSpreads.Worker, take.Lot: take.UsualSpreads.Lot,
					take.Bundle: take.UsualSpreads.Bundle}[factor]
			}
			s.Effects = append(s.Effects, rehearsal.Belief{Mean: e.Mode, SD: e.SD})
		}
	}
	add(take.Worker, len(g.Hands))
	add(take.Lot, len(g.Lots))
	add(take.Bundle, len(g.Orders))
	lot, wood := len(g.Hands), len(g.Hands)+len(g.Lots)
	for _, o := range g.Orders {
		s.Orders = append(s.Orders, o.Trees)
	}
	// The last week in which the wood is good, as it is believed.
	s.Windows = []rehearsal.Window{{Day: int(math.Round(usualShut)) - 1, SD: shutSpread}}
	for range g.Hands {
		h := rehearsal.Hand{Absent: absent}
		for w := g.Week; w < g.Weeks; w++ {
			h.Days = append(h.Days, w)
		}
		s.Hands = append(s.Hands, h)
	}
	for _, b := range g.Batches {
		j := rehearsal.Job{Order: b.Order, Hand: rehearsal.Made, Window: -1}
		if b.Counted {
			j.Sure, j.Grafts = true, b.Live
		} else {
			j.Grafts, j.Eta, j.Effects = b.Grafts, g.base, []int{b.Hand, lot + b.Lot, wood + b.Order}
		}
		s.Jobs = append(s.Jobs, j)
	}
	left := slices.Clone(g.Left)
	for k, moves := range plan {
		for h, m := range moves {
			if m.Order == Rest {
				continue
			}
			n := min(g.Hands[h].Grafts, left[m.Lot])
			left[m.Lot] -= n
			// A week that is missed is lost, not made up: so each is a working day of its own.
			s.Jobs = append(s.Jobs, rehearsal.Job{Order: m.Order, Grafts: n, Eta: g.base, Effects: []int{h, lot + m.Lot, wood + m.Order},
				Hand: h, Day: k,
				Window: 0})
		}
	}
	return s
}

// plan lays out the weeks to come, from this one on: each hand in turn to the order that lacks
// most by what is known, with the lot that is known best and has stems.
func (g *Game) plan(l take.Learned, first []Move) (out [][]Move) {
	lack := make([]float64, len(g.Orders))
	chance := func(h, o, lot int) float64 {
		e := func(f string, i int) float64 { return l.Effect(f, fmt.Sprint(i)).Mode }
		return 1 / (1 + math.Exp(-(g.base + e(take.Worker, h) + e(take.Lot, lot) + e(take.Bundle, o))))
	}
	for o := range lack {
		lack[o] = 1.06 * float64(g.Orders[o].Trees)
	}
	for _, b := range g.Batches {
		if b.Counted {
			lack[b.Order] -= float64(b.Live)
		} else {
			lack[b.Order] -= float64(b.Grafts) * chance(b.Hand, b.Order, b.Lot)
		}
	}
	left := slices.Clone(g.Left)
	last := min(g.Weeks, int(math.Round(usualShut+shutSpread)))
	for w := g.Week; w < max(last, g.Week+1) && w < g.Weeks; w++ {
		var moves []Move
		for h := range g.Hands {
			m := Move{Order: Rest}
			if w == g.Week && h < len(first) {
				m = first[h]
			} else {
				o := 0
				for i := range lack {
					if lack[i] > lack[o] {
						o = i
					}
				}
				best := -1
				for i, n := range left {
					if n > 0 && (best < 0 || chance(h, o, i) > chance(h, o, best)+1e-12) {
						best = i
					}
				}
				if best >= 0 && lack[o] > 0 {
					m = Move{o, best}
				}
			}
			if m.Order != Rest {
				n := min(g.Hands[h].Grafts, left[m.Lot])
				left[m.Lot] -= n
				lack[m.Order] -= float64(n) * chance(h, m.Order, m.Lot)
			}
			moves = append(moves, m)
		}
		out = append(out, moves)
	}
	return out
}

// Coach is what the rehearsal says of a season as it stands.
type Coach struct {
	Chance []rehearsal.Outcome // of each order, where the rest is planned by what lacks most
	All    float64
	Moves  []Move  // the best it found for this week
	With   float64 // orders met on the mean with them
	Plain  float64 // and with what lacks most alone
}

// Coach rehearses the season from here.
func (g *Game) Coach() (Coach, error) {
	l, err := g.learn()
	if err != nil {
		return Coach{}, err
	}
	if g.Over {
		return Coach{}, nil
	}
	play := func(first []Move) (rehearsal.Answer, error) {
		return rehearsal.Play(g.season(l, g.plan(l, first)), Tries, rehearsal.Seed, rehearsal.Nothing)
	}
	a, err := play(nil)
	if err != nil {
		return Coach{}, err
	}
	best := g.plan(l, nil)[0]
	c := Coach{Chance: a.Orders, All: a.AllMet, Moves: slices.Clone(best), With: a.Met(), Plain: a.Met()}
	// Hand by hand: another order, another lot.
	for h := range g.Hands {
		for o := range g.Orders {
			for lot, n := range g.Left {
				if n == 0 || (Move{o, lot}) == c.Moves[h] {
					continue
				}
				tried := slices.Clone(c.Moves)
				tried[h] = Move{o, lot}
				x, err := play(tried)
				if err != nil {
					return c, err
				}
				if x.Met() > c.With+0.01 {
					c.With, c.Moves = x.Met(), tried
				}
			}
		}
	}
	return c, nil
}

// ByCoach plays a whole season by what lacks most and what is known, and gives the orders met:
// what a player is set beside.
func ByCoach(seed uint64) (met int, err error) {
	g := New(seed)
	for !g.Over {
		l, err := g.learn()
		if err != nil {
			return 0, err
		}
		if err := g.Play(g.plan(l, nil)[0]); err != nil {
			return 0, err
		}
	}
	return g.Met(), nil
}

// Ranked lists places by their values, the best first.
func Ranked(xs []float64) []int {
	out := make([]int, len(xs))
	for i := range out {
		out[i] = i
	}
	slices.SortStableFunc(out, func(a, b int) int { return cmp.Compare(xs[b], xs[a]) })
	return out
}
