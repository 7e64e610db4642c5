package outlook

import (
	"cmp"
	"math"
	"slices"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/store"
)

// Cord is a batch with all that follows it, as its cord is drawn: its tags alike in
// what follows are one.
type Cord struct {
	Batch, Order, Variety, StockType, Technique string
	Places                                      []string
	Tied, Standing, Lost, Gone                  int
	From                                        aftercare.Day // the first of it was finished
	Done                                        []aftercare.Done
	Knots                                       []CordKnot
	Causes                                      []store.CauseSum // of what was lost, most first
	Sleeps                                      bool
	Callused                                    float64 // of boxed grafts, the least of its tags; below 0: not by a clock
	CallusedOn                                  aftercare.Day
	Fit                                         aftercare.Day // to sell
}

// CordKnot is a knot of a cord, with how much of it it is for and what moved it.
type CordKnot struct {
	aftercare.Knot
	Trees int
	Moves []aftercare.Move
	Late  bool
}

// Cords draws batches together, those whose next step is due first.
func (n *Nursing) Cords(gs []Growing) []Cord {
	var out []Cord
	at := map[string]int{}
	for _, g := range gs {
		key := g.Batch + "/" + g.Technique
		i, ok := at[key]
		if !ok {
			i, out = len(out), append(out, Cord{Batch: g.Batch, Order: g.Order, Variety: g.Variety, StockType: g.StockType,
				Technique: g.TechniqueName, From: g.Made.Finished, Sleeps: g.Plan.Sleeps, Callused: -1, Fit: -1})
			at[key] = i
		}
		c := &out[i]
		c.Tied, c.Standing, c.Gone = c.Tied+g.Tied, c.Standing+g.Standing, c.Gone+g.Gone
		c.Lost += g.Tied - g.Standing - g.Gone
		c.From = min(c.From, g.Made.Finished)
		if !slices.Contains(c.Places, g.Stands()) {
			c.Places = append(c.Places, g.Stands())
		}
		for _, x := range g.Causes {
			k := slices.IndexFunc(c.Causes, func(y store.CauseSum) bool { return y.Cause == x.Cause })
			if k < 0 {
				k, c.Causes = len(c.Causes), append(c.Causes, store.CauseSum{Cause: x.Cause})
			}
			c.Causes[k].N += x.N
		}
		for _, d := range g.Made.Done {
			if !slices.ContainsFunc(c.Done, func(x aftercare.Done) bool { return x.Knot == d.Knot && x.N == d.N }) {
				c.Done = append(c.Done, d)
			}
		}
		if share, ok := n.Callused(g); ok && (c.Callused < 0 || share < c.Callused) {
			c.Callused, c.CallusedOn = share, g.Plan.Callused.From
		}
		n.cordKnots(c, g)
	}
	for i := range out {
		slices.SortStableFunc(out[i].Causes, func(a, b store.CauseSum) int { return b.N - a.N })
		slices.SortStableFunc(out[i].Knots, func(a, b CordKnot) int {
			return cmp.Or(cmp.Compare(a.Best, b.Best), cmp.Compare(a.Name,
				b.Name))
		})
	}
	next := func(c Cord) aftercare.Day {
		if len(c.Knots) == 0 {
			return math.MaxInt32
		}
		return c.Knots[0].By
	}
	slices.SortStableFunc(out, func(a, b Cord) int { return cmp.Compare(next(a), next(b)) })
	return out
}

func (n *Nursing) cordKnots(c *Cord, g Growing) {
	var moves map[aftercare.Step][]aftercare.Move
	for _, k := range n.Asked(g) {
		if k.Name == aftercare.FitToSell && (c.Fit < 0 || k.From < c.Fit) {
			c.Fit = k.From
		}
		i := slices.IndexFunc(c.Knots, func(x CordKnot) bool { return x.Name == k.Name && x.N == k.N })
		if i < 0 {
			if moves == nil {
				moves = n.Moves(g)
			}
			i = len(c.Knots)
			c.Knots = append(c.Knots, CordKnot{Knot: k, Moves: moves[aftercare.Step{Name: k.Name, N: k.N}]})
		}
		x := &c.Knots[i]
		x.Trees += g.Standing
		x.From, x.By = min(x.From, k.From), min(x.By, k.By)
		x.Late = x.Late || n.Today > k.By
	}
}
