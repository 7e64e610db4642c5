package match

import (
	"cmp"
	"fmt"
	"slices"

	"unionknot/internal/core/pairing"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/take"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// ChooserLine is a technique as the chooser ranks it for an order.
type ChooserLine struct {
	Technique technique.Technique
	In        bool
	ByChoice  bool   // out by the planner's choice alone
	Against   bool   // in although the season shuts it
	Why       string // why it is out, or what speaks for it
	Standing  technique.Standing
	Belief    outlook.Belief
	Take      sizing.Interval
	Alone     int     // grafts that it could pair if it were used alone
	Mismatch  float64 // how much thinner the wood would be, on average
	Pieces    int     // of wood for that
	Buds      int     // that those pieces carry
	Cents     float64 // of a live union
	CentsLow  float64
	CentsHigh float64
	Working   working.Working
}

// programmeBed is what an order's techniques are weighed on.
type programmeBed struct {
	piles   piles
	beliefs map[string]outlook.Belief
	learned take.Learned
	ways    []pairing.Way // those that are in
	stands  func(t technique.Technique) technique.Standing
}

// choose ranks all techniques: those that are in by whether they can pair all
// that is asked, then by expected take, then by cost; those that are out by
// when they open.
func (b programmeBed) choose(
	vs []technique.Verdict,
	prog pairing.Programme,
	g store.Genus,
	h store.House,
) ([]ChooserLine, error) {
	out := make([]ChooserLine, 0, len(vs))
	for _, v := range vs {
		t := v.Technique
		l := ChooserLine{
			Technique: t,
			In:        v.In,
			ByChoice:  v.Bar == technique.ByChoice,
			Against:   v.Against,
			Why:       words.Verdict(v),
			Belief:    b.beliefs[t.Key],
			Standing:  b.stands(t),
		}
		l.Take = l.Belief.Take.Interval90()
		if v.In {
			one := prog
			one.Orders = slices.Clone(prog.Orders)
			one.Orders[0].Ways = slices.DeleteFunc(slices.Clone(b.ways), func(w pairing.Way) bool { return w.Key != t.Key })
			w, err := pairing.Solve(one)
			if err != nil {
				return nil, fmt.Errorf("weighing %s: %w", t.Name, err)
			}
			l.Alone, l.Pieces = w.Paired, w.Paired
			for _, x := range w.Threads {
				l.Mismatch += float64(x.N) * (1 - x.Scion.Middle()/x.Stock.Middle()) / float64(max(1, w.Paired))
				l.Buds += x.N * b.piles.bundles[x.Bundle].BudsPerPiece
			}
		}
		l.price(h, g)
		out = append(out, l)
	}
	want := prog.Orders[0].Grafts
	slices.SortStableFunc(out, func(x, y ChooserLine) int {
		rank := func(l ChooserLine) int {
			switch {
			case l.In && l.Alone >= want:
				return 0
			case l.In:
				return 1
			case l.ByChoice:
				return 2
			}
			return 3
		}
		c := cmp.Or(rank(x)-rank(y), cmp.Compare(y.Take.Mean, x.Take.Mean), cmp.Compare(x.Cents, y.Cents))
		if rank(x) == 3 && rank(y) == 3 && x.Standing.Opens != y.Standing.Opens {
			switch { // what is open, but for the sizes, and then what opens first
			case x.Standing.Opens.IsZero():
				return -1
			case y.Standing.Opens.IsZero():
				return 1
			}
			return x.Standing.Opens.Compare(y.Standing.Opens)
		}
		return c
	})
	return out, nil
}

// price works out what a live union costs: stem, piece and work, over the
// take.
func (l *ChooserLine) price(h store.House, g store.Genus) {
	graft := float64(h.StemCents) + float64(h.PieceCents*l.Technique.Pieces()) + float64(h.WageCents)/l.Technique.PerHour()
	l.Cents, l.CentsLow, l.CentsHigh = graft/l.Take.Mean, graft/l.Take.High, graft/l.Take.Low
	l.Working = working.Working{
		Title:  words.ALiveUnionBy + l.Technique.Name,
		Answer: words.Money(int(l.Cents + 0.5)),
		Rule:   words.CostRule,
		Range:  fmt.Sprintf(words.RangeOfACost, words.Money(int(l.CentsLow+0.5)), words.Money(int(l.CentsHigh+0.5))),
		Says:   words.WhatAGraftUsesOver,
		Inputs: []working.Input{
			{Name: "A stem", Value: words.Money(h.StemCents), Source: outlook.WorthOf(h).Source(outlook.StemOf)},
			{Name: words.APieceOfWood, Value: words.Money(h.PieceCents), Source: outlook.WorthOf(h).Source(outlook.PieceOf)},
			{
				Name:   "Work",
				Value:  fmt.Sprintf(words.XAnHourAtN, words.Money(h.WageCents), l.Technique.PerHour()),
				Source: outlook.WorthOf(h).Source(outlook.WageOf),
			},
			{
				Name:   words.ExpectedTakeOn + g.Name,
				Value:  fmt.Sprintf("%s (%s)", words.Pct(l.Take.Mean), words.PctRange(l.Take)),
				Source: working.OwnRecords,
			},
		},
	}
}
