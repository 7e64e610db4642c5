package nursery

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// NewOrder is what is asked of an order.
type NewOrder struct {
	Code, Genus, Variety, StockGenus, StockType, Buyer string
	Trees, Priority                                    int
	DueOn                                              time.Time
}

func (n *NewOrder) check(genera map[string]bool) Problems {
	var ps Problems
	n.Code, n.Variety, n.StockType = cleanCode(n.Code), strings.TrimSpace(n.Variety), strings.TrimSpace(n.StockType)
	n.Buyer = strings.TrimSpace(n.Buyer)
	if n.StockGenus == "" {
		n.StockGenus = n.Genus
	}
	if n.Priority == 0 {
		n.Priority = 2
	}
	checkCode(&ps, "code", n.Code)
	if !genera[n.Genus] {
		ps.add("genus", "Choose the variety's genus from the list; %q is not in it.", n.Genus)
	}
	if !genera[n.StockGenus] {
		ps.add("stock_genus", "Choose the stock's genus from the list; %q is not in it.", n.StockGenus)
	}
	if n.Variety == "" || len(n.Variety) > 60 {
		ps.add("variety", "Name the variety, in up to 60 letters.")
	}
	if n.StockType == "" || len(n.StockType) > 60 {
		ps.add("stock_type", "Name the stock, in up to 60 letters.")
	}
	if n.Trees < 1 || n.Trees > 1_000_000 {
		ps.add("trees", "Count the trees: a whole number from 1 to 1,000,000.")
	}
	if n.Priority < 1 || n.Priority > 3 {
		ps.add("priority", "Priority is 1 (first), 2 or 3.")
	}
	if n.DueOn.IsZero() {
		ps.add("due_on", "Give the day it is wanted, such as 2028-03-01.")
	}
	return ps
}

// AddOrder keeps an order.
func (s *Service) AddOrder(ctx context.Context, a Actor, n NewOrder) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	genera, err := s.genera(ctx, s.db.Q())
	if err != nil {
		return err
	}
	if ps := n.check(genera); len(ps) > 0 {
		return ps
	}
	err = s.db.Tx(ctx, func(q store.Q) error { return s.addOrder(ctx, q, a, n) })
	return taken(err, "code", "Order", n.Code)
}

func (s *Service) addOrder(ctx context.Context, q store.Q, a Actor, n NewOrder) error {
	v, err := q.VarietyFor(ctx, n.Variety, n.Genus)
	if err != nil {
		return err
	}
	t, err := q.StockTypeFor(ctx, n.StockType, n.StockGenus)
	if err != nil {
		return err
	}
	if _, err := q.AddOrder(ctx, store.Order{Code: n.Code, VarietyID: v, StockTypeID: t, Trees: n.Trees, DueOn: n.DueOn,
		Priority: n.Priority, Buyer: n.Buyer, MadeAt: s.Now()}); err != nil {
		return err
	}
	return s.changed(ctx, q, a, "order", n.Code, "taken", nil, n)
}

// Belief is what is expected of a technique on a genus, and from what.
type Belief struct {
	Technique technique.Technique
	Take      sizing.Beta
	Prior     sizing.Beta
	Taken, Of int // own counts
}

func (b Belief) mean() float64 {
	if b.Technique.Key == "" {
		return 0
	}
	return b.Take.Mean()
}

// Working shows how the expected take was come by.
func (b Belief) Working(genus store.Genus) working.Working {
	i := b.Take.Interval90()
	return working.Working{
		Title: "Expected take, " + b.Technique.Name + " on " + genus.Name, Answer: Pct(i.Mean), Range: PctRange(i), Rule: "take from prior and own records",
		Says: "The house default counts as if so many grafts had shown it; every graft counted here is added to that. The range is the middle 90 % of the belief.",
		Inputs: []working.Input{
			{Name: "House default", Value: Pct(b.Technique.PriorTake) + ", easy pome fruit", Source: working.HouseDefault},
			{Name: "Shift for " + genus.Name, Value: fmt.Sprintf("%+.1f on the logit scale, giving %s", genus.LogitShift, Pct(b.Prior.Mean())), Source: working.HouseDefault},
			{Name: "Weight of the default", Value: fmt.Sprintf("%g grafts", b.Technique.PriorWeight), Source: working.HouseDefault},
			{Name: "Counted here", Value: fmt.Sprintf("%d took of %d", b.Taken, b.Of), Source: working.OwnRecords},
		}}
}

// Pct writes a share as a percentage.
func Pct(x float64) string { return fmt.Sprintf("%.0f %%", x*100) }

// PctRange writes an interval as percentages.
func PctRange(i sizing.Interval) string { return fmt.Sprintf("%.0f–%.0f %%", i.Low*100, i.High*100) }

// believe gives the expected take of every technique on a genus.
func believe(ts []technique.Technique, own []store.Took, g store.Genus) map[string]Belief {
	out := map[string]Belief{}
	for _, t := range ts {
		b := Belief{Technique: t, Prior: t.Prior(g.LogitShift)}
		for _, o := range own {
			if o.Technique == t.Key && o.Genus == g.Key {
				b.Taken, b.Of = o.Taken, o.Counted
			}
		}
		b.Take = b.Prior.And(b.Taken, b.Of)
		out[t.Key] = b
	}
	return out
}

// Need is how many grafts an order wants, and why.
type Need struct {
	Grafts  int
	Chance  float64
	By      Belief // the technique it is reckoned by
	Missing string // why there is no number
	Working working.Working
}

// reckoner works out many orders at a time, asking the store once for what
// they share.
type reckoner struct {
	s       *Service
	q       store.Q
	genera  map[string]store.Genus
	beliefs map[string]map[string]Belief
	ts      []technique.Technique
	own     []store.Took
	years   map[string]*season.Calendar // by season group
	stands  map[string]technique.Standing
}

func (s *Service) reckon(ctx context.Context, q store.Q) (*reckoner, error) {
	r := &reckoner{s: s, q: q, genera: map[string]store.Genus{}, beliefs: map[string]map[string]Belief{}, years: map[string]*season.Calendar{}, stands: map[string]technique.Standing{}}
	gs, err := q.Genera(ctx)
	for _, g := range gs {
		r.genera[g.Key] = g
	}
	if err != nil {
		return r, err
	}
	if r.ts, err = s.techniques(ctx, q); err != nil {
		return r, err
	}
	r.own, err = q.OwnTakes(ctx)
	return r, err
}

// know gives the beliefs of a genus and the calendar of a stock's.
func (r *reckoner) know(ctx context.Context, genus, stockGenus string) (map[string]Belief, *season.Calendar, error) {
	if r.beliefs[genus] == nil {
		r.beliefs[genus] = believe(r.ts, r.own, r.genera[genus])
	}
	group := r.genera[stockGenus].SeasonGroup
	c, ok := r.years[group]
	if !ok {
		y, err := r.s.yearOf(ctx, r.q, group)
		if err != nil {
			return nil, nil, err
		}
		c = y.Around(r.s.Today())
		r.years[group] = c
	}
	return r.beliefs[genus], c, nil
}

// standing says how a technique stands today with whatever wood is in season.
func (r *reckoner) standing(t technique.Technique, c *season.Calendar) technique.Standing {
	key := c.Year().Group + "/" + t.Key
	s, ok := r.stands[key]
	if !ok {
		s = t.Standing(c, nil, r.s.Today())
		r.stands[key] = s
	}
	return s
}

// need works out an order's grafts at a chance, by the technique with the
// best expected take among those whose window is open; outside every window,
// by the best of all.
func (r *reckoner) need(ctx context.Context, o store.Order, chance float64) (Need, error) {
	n := Need{Chance: chance}
	bs, cal, err := r.know(ctx, o.Genus, o.StockGenus)
	if err != nil {
		return n, err
	}
	g := r.genera[o.Genus]
	for _, onlyOpen := range []bool{true, false} {
		for _, t := range r.ts {
			open := r.standing(t, cal).Verdict != technique.Shut
			if b := bs[t.Key]; (open || !onlyOpen) && b.Take.Mean() > n.By.mean() {
				n.By = b
			}
		}
		if n.By.Technique.Key != "" {
			break
		}
	}
	if n.By.Technique.Key == "" {
		n.Missing = "no technique is in use in this house"
		return n, nil
	}
	n.Grafts, err = sizing.Grafts(o.Trees, chance, n.By.Take)
	if errors.Is(err, sizing.ErrNever) {
		n.Missing = "no number of grafts gives that chance"
		return n, nil
	}
	w := n.By.Working(g)
	n.Working = working.Working{Title: "Grafts to make for order " + o.Code, Answer: fmt.Sprintf("%d", n.Grafts), Rule: "how many to graft",
		Range: fmt.Sprintf("chance of %d trees or more: %.1f %% with %d, %.1f %% with one fewer", o.Trees, n.By.Take.ChanceOf(o.Trees, n.Grafts)*100, n.Grafts, n.By.Take.ChanceOf(o.Trees, n.Grafts-1)*100),
		Says:  "The least number of grafts of which at least the trees wanted take, with the chance chosen, when the take itself is not known for sure (beta-binomial).",
		Inputs: append([]working.Input{
			{Name: "Trees wanted", Value: fmt.Sprint(o.Trees), Source: working.Entered, Ref: o.Code},
			{Name: "Chance", Value: Pct(chance), Source: working.HouseWay},
			{Name: "Reckoned by", Value: n.By.Technique.Name + ", the best expected take whose window is open", Source: working.HouseDefault},
			{Name: "Expected take", Value: w.Answer + " (" + w.Range + ")", Source: working.OwnRecords},
		}, w.Inputs...)}
	return n, nil
}

// OrderLine is an order with what it needs and has.
type OrderLine struct {
	Order       store.Order
	Need        Need
	ToGo        int    // grafts still to be put in a batch
	State       string // in words
	OtherOrders int    // that draw on the same wood or stock
}

// Orders lists the open orders with what each needs and has.
func (s *Service) Orders(ctx context.Context) ([]OrderLine, error) {
	q := s.db.Q()
	h, err := q.House(ctx)
	if err != nil {
		return nil, err
	}
	os, err := q.OpenOrders(ctx, s.Today().AddDate(0, -1, 0))
	if err != nil {
		return nil, err
	}
	r, err := s.reckon(ctx, q)
	if err != nil {
		return nil, err
	}
	out := make([]OrderLine, 0, len(os))
	for _, o := range os {
		l, err := r.line(ctx, o, h.Chance)
		if err != nil {
			return nil, err
		}
		for _, x := range os {
			if x.ID != o.ID && (x.VarietyID == o.VarietyID || x.StockTypeID == o.StockTypeID) && x.Batched == 0 {
				l.OtherOrders++
			}
		}
		out = append(out, l)
	}
	return out, nil
}

func (r *reckoner) line(ctx context.Context, o store.Order, chance float64) (OrderLine, error) {
	l := OrderLine{Order: o}
	var err error
	if l.Need, err = r.need(ctx, o, chance); err != nil {
		return l, fmt.Errorf("order %s: %w", o.Code, err)
	}
	l.ToGo = max(0, l.Need.Grafts-o.Batched)
	switch {
	case l.Need.Missing != "":
		l.State = l.Need.Missing
	case l.ToGo == 0 && o.Unfinished == 0:
		l.State = "all grafted"
	case l.ToGo == 0:
		l.State = "at the bench"
	case o.StockFree == 0 && o.WoodFree == 0:
		l.State = "no stock and no wood"
	case o.StockFree == 0:
		l.State = "no stock"
	case o.WoodFree == 0:
		l.State = "no wood"
	case min(o.StockFree, o.WoodFree) < l.ToGo:
		l.State = fmt.Sprintf("short by %d", l.ToGo-min(o.StockFree, o.WoodFree))
	default:
		l.State = "ready to match"
	}
	return l, nil
}

// OrderPage is what an order's page shows.
type OrderPage struct {
	Line          OrderLine
	Compatibility string // a warning, or ""
	Batches       []store.Batch
	Lots          []store.Lot
	Bundles       []store.Bundle
}

// Order gathers an order's page. chance 0 takes the house's.
func (s *Service) Order(ctx context.Context, code string, chance float64) (OrderPage, error) {
	q := s.db.Q()
	var p OrderPage
	o, err := q.OrderByCode(ctx, cleanCode(code))
	if err != nil {
		return p, err
	}
	if chance <= 0 || chance >= 1 {
		h, err := q.House(ctx)
		if err != nil {
			return p, err
		}
		chance = h.Chance
	}
	r, err := s.reckon(ctx, q)
	if err != nil {
		return p, err
	}
	if p.Line, err = r.line(ctx, o, chance); err != nil {
		return p, err
	}
	if p.Compatibility, err = s.compatibility(ctx, q, o.Genus, o.StockGenus); err != nil {
		return p, err
	}
	if p.Batches, err = q.BatchesOfOrder(ctx, o.ID); err != nil {
		return p, err
	}
	if p.Lots, err = q.LotsOfType(ctx, o.StockTypeID); err != nil {
		return p, err
	}
	p.Bundles, err = q.BundlesOfVariety(ctx, o.VarietyID)
	return p, err
}

// compatibility gives a warning for a pair of genera, or "".
func (s *Service) compatibility(ctx context.Context, q store.Q, scion, stock string) (string, error) {
	verdict, note, err := q.Compatibility(ctx, scion, stock)
	if note != "" {
		note = ": " + note
	}
	switch {
	case errors.Is(err, ErrNotFound):
		return fmt.Sprintf("Nothing is known here of %s on %s. Try a few before many.", scion, stock), nil
	case err != nil:
		return "", err
	case verdict == "known bad":
		return fmt.Sprintf("%s on %s is a known bad pair%s.", capital(scion), stock, note), nil
	case verdict == "with care":
		return fmt.Sprintf("%s on %s goes with care%s.", capital(scion), stock, note), nil
	case note != "":
		return fmt.Sprintf("%s on %s is usual%s.", capital(scion), stock, note), nil
	}
	return "", nil
}

func capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// Names are varieties and stock types known, to help typing.
func (s *Service) Names(ctx context.Context) (varieties, stocks []string, err error) {
	vs, err := s.db.Q().Varieties(ctx)
	if err != nil {
		return nil, nil, err
	}
	for _, v := range vs {
		varieties = append(varieties, v.Name)
	}
	ts, err := s.db.Q().StockTypes(ctx)
	for _, t := range ts {
		stocks = append(stocks, t.Name)
	}
	return slices.Compact(varieties), slices.Compact(stocks), err
}
