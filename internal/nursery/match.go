package nursery

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/tagcode"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// shortageCost is what leaving a graft out costs, in grafts, by priority:
// always more than the worst pair, so that no graft is left out to save wood.
// House default.
var shortageCost = map[int]float64{1: 9, 2: 3, 3: 1.5}

// Asked is what a planner asks of the weave.
type Asked struct {
	Grafts int      // 0: what the order still needs
	Ways   []string // technique keys to use; none: all that are in
}

// WayLine is a technique's part in the weave.
type WayLine struct {
	Technique technique.Technique
	Grafts    int
	RatioLow  float64 // scion ÷ stock over its threads
	RatioHigh float64
	Belief    Belief
}

// LeftLine is what is left over for one reason.
type LeftLine struct {
	N         int
	Low, High float64 // mm
	Why       string
}

// MatchPage is what Match shows of one order.
type MatchPage struct {
	Order         store.Order
	Genus         store.Genus
	Need          Need
	Asked         Asked
	Compatibility string
	Lots          []LotLine
	Bundles       []BundleLine
	Stock, Wood   []caliper.Count // free, over all lots and bundles
	Weave         pairing.Weave
	Ways          []WayLine
	Verdicts      []technique.Verdict
	Chosen        map[string]bool
	LeftStock     []LeftLine
	LeftWood      []LeftLine
	Expect        sizing.Interval // trees
	ExpectWorking working.Working
	Print         string // changes when the weave does
	Measured, Of  int    // stems calipered, of how many
	NotSeenTrue   []string
	Late          []string // bundles past their keep-by day
	WayNames      map[string]string
	LayScion      store.HouseWay
	Ties          []store.Tie
	HealingWays   []store.HealingWay
}

// Match works out the weave for one order.
func (s *Service) Match(ctx context.Context, code string, asked Asked) (MatchPage, error) {
	q := s.db.Q()
	o, err := q.OrderByCode(ctx, cleanCode(code))
	if err != nil {
		return MatchPage{}, err
	}
	return s.match(ctx, q, o, asked)
}

func (s *Service) match(ctx context.Context, q store.Q, o store.Order, asked Asked) (MatchPage, error) {
	p := MatchPage{Order: o, Asked: asked, Chosen: map[string]bool{}, WayNames: map[string]string{}}
	h, err := q.House(ctx)
	if err != nil {
		return p, err
	}
	r, err := s.reckon(ctx, q)
	if err != nil {
		return p, err
	}
	p.Genus = r.genera[o.Genus]
	if p.Need, err = r.need(ctx, o, h.Chance); err != nil {
		return p, err
	}
	if p.Asked.Grafts <= 0 {
		p.Asked.Grafts = max(0, p.Need.Grafts-o.Batched)
	}
	if p.Compatibility, err = s.compatibility(ctx, q, o.Genus, o.StockGenus); err != nil {
		return p, err
	}
	piles, err := s.gather(ctx, q, &p)
	if err != nil {
		return p, err
	}
	beliefs, cal, err := r.know(ctx, o.Genus, o.StockGenus)
	if err != nil {
		return p, err
	}
	job := technique.Job{On: s.Today(), Calendar: cal, StockMM: p.Stock, WoodMM: p.Wood, WoodStates: piles.states, BudsAPiece: piles.buds}
	if len(p.Bundles) == 0 {
		job.WoodStates, job.BudsAPiece = nil, nil
	}
	if len(asked.Ways) > 0 {
		job.InUse = func(key string) bool { return slices.Contains(asked.Ways, key) }
	}
	p.Verdicts = technique.Judge(r.ts, job)
	order := pairing.Order{ID: o.Code, Variety: o.Variety, Stock: o.StockType, Grafts: p.Asked.Grafts, Shortage: shortageCost[o.Priority]}
	for _, v := range p.Verdicts {
		p.WayNames[v.Technique.Key] = v.Technique.Name
		if !v.In {
			continue
		}
		p.Chosen[v.Technique.Key] = true
		t, b := v.Technique, beliefs[v.Technique.Key]
		order.Ways = append(order.Ways, pairing.Way{Key: t.Key, Joins: t.Joins, WhyNot: t.WhyNot,
			Cost:  func(s, w caliper.Class) float64 { return t.Cost(1-b.Take.Mean(), s, w) },
			Takes: piles.takes(t)})
	}
	if p.Weave, err = pairing.Solve(pairing.Programme{Orders: []pairing.Order{order}, Stock: piles.stock, Wood: piles.wood}); err != nil {
		return p, err
	}
	p.summarise(beliefs)
	if p.LayScion, err = q.HouseWay(ctx, "laying a thinner scion"); err != nil {
		return p, err
	}
	if p.Ties, err = q.Ties(ctx); err != nil {
		return p, err
	}
	p.HealingWays, err = q.HealingWays(ctx)
	return p, err
}

// piles are the free stems and pieces as the weave takes them.
type piles struct {
	stock, wood []pairing.Pile
	states      []string
	buds        []int
	bundles     map[string]store.Bundle
	lotIDs      map[string]int64
}

// takes says which bundles suit a technique, by their state and their buds.
func (p piles) takes(t technique.Technique) func(string) (bool, string) {
	return func(code string) (bool, string) {
		b := p.bundles[code]
		if !slices.Contains(t.WoodStates, b.State) {
			return false, "the wood is " + b.State
		}
		if !t.TakesBuds(b.BudsPerPiece) {
			return false, fmt.Sprintf("pieces of %d buds", b.BudsPerPiece)
		}
		return true, ""
	}
}

func (s *Service) gather(ctx context.Context, q store.Q, p *MatchPage) (piles, error) {
	out := piles{bundles: map[string]store.Bundle{}, lotIDs: map[string]int64{}}
	lots, err := q.LotsOfType(ctx, p.Order.StockTypeID)
	if err != nil {
		return out, err
	}
	stock, scion := map[caliper.Class]int{}, map[caliper.Class]int{}
	for _, l := range lots {
		d, _, err := s.lotDiameters(ctx, q, l)
		if err != nil {
			return out, err
		}
		p.Lots = append(p.Lots, LotLine{l, d})
		p.Measured, p.Of = p.Measured+l.Measured, p.Of+l.Received
		out.stock = append(out.stock, pairing.Pile{ID: l.Code, Of: p.Order.StockType, Classes: d.Free})
		out.lotIDs[l.Code] = l.ID
		for _, c := range d.Free {
			stock[c.Class] += c.N
		}
	}
	bundles, err := q.BundlesOfVariety(ctx, p.Order.VarietyID)
	if err != nil {
		return out, err
	}
	if bundles, p.Late, err = s.keeper(q).firstToUse(ctx, bundles); err != nil {
		return out, err
	}
	for i, b := range bundles {
		d, _, err := s.bundleDiameters(ctx, q, b)
		if err != nil {
			return out, err
		}
		p.Bundles = append(p.Bundles, BundleLine{Bundle: b, Diameters: d, Days: days(b.CutOn, s.Today())})
		// What keeps shortest first, where nothing else speaks: a hair of risk a bundle.
		out.wood = append(out.wood, pairing.Pile{ID: b.Code, Of: p.Order.Variety, Classes: d.Free, Risk: float64(i) * 1e-4})
		out.bundles[b.Code] = b
		if !slices.Contains(out.states, b.State) {
			out.states = append(out.states, b.State)
		}
		if !slices.Contains(out.buds, b.BudsPerPiece) {
			out.buds = append(out.buds, b.BudsPerPiece)
		}
		if b.SeenTrueOn == nil && !slices.Contains(p.NotSeenTrue, b.Plant) {
			p.NotSeenTrue = append(p.NotSeenTrue, b.Plant)
		}
		for _, c := range d.Free {
			scion[c.Class] += c.N
		}
	}
	p.Stock, p.Wood = caliper.Sorted(stock), caliper.Sorted(scion)
	return out, nil
}

// summarise adds the weave up for people to read.
func (p *MatchPage) summarise(beliefs map[string]Belief) {
	by := map[string]*WayLine{}
	h := sha256.New()
	for _, t := range p.Weave.Threads {
		w := by[t.Way]
		if w == nil {
			w = &WayLine{Technique: beliefs[t.Way].Technique, Belief: beliefs[t.Way], RatioLow: math.Inf(1)}
			by[t.Way] = w
		}
		ratio := t.Scion.Middle() / t.Stock.Middle()
		w.Grafts += t.N
		w.RatioLow, w.RatioHigh = math.Min(w.RatioLow, ratio), math.Max(w.RatioHigh, ratio)
		fmt.Fprintln(h, t.Lot, t.Stock, t.Bundle, t.Scion, t.Way, t.N)
	}
	p.Print = hex.EncodeToString(h.Sum(nil)[:8])
	mean, variance := 0.0, 0.0
	p.ExpectWorking = working.Working{Title: "Trees to expect from this weave", Rule: "trees to expect",
		Says: "Each technique's expected take times its grafts, added up. The range holds 90 years in 100; it reckons with both the luck of each graft and how well each take is known, as a normal spread."}
	for _, v := range p.Verdicts {
		w := by[v.Technique.Key]
		if w == nil {
			continue
		}
		p.Ways = append(p.Ways, *w)
		b, n := w.Belief.Take, float64(w.Grafts)
		m := b.Mean()
		mean += n * m
		variance += n * m * (1 - m) * (b.Alpha + b.Beta + n) / (b.Alpha + b.Beta + 1)
		i := b.Interval90()
		p.ExpectWorking.Inputs = append(p.ExpectWorking.Inputs, working.Input{Name: w.Technique.Name,
			Value: fmt.Sprintf("%d grafts at %s (%s)", w.Grafts, Pct(m), PctRange(i)), Source: working.OwnRecords})
	}
	const z90 = 1.6449 // half-width of the middle 90 % of a normal spread
	half := z90 * math.Sqrt(variance)
	p.Expect = sizing.Interval{Mean: mean, Low: math.Max(0, mean-half), High: math.Min(float64(p.Weave.Paired), mean+half)}
	p.ExpectWorking.Answer = fmt.Sprintf("%.0f", mean)
	p.ExpectWorking.Range = fmt.Sprintf("%.0f–%.0f", p.Expect.Low, p.Expect.High)
	p.LeftStock, p.LeftWood = leftLines(p.Weave.LeftStock), leftLines(p.Weave.LeftWood)
}

func leftLines(ls []pairing.Left) []LeftLine {
	var out []LeftLine
	for _, l := range ls {
		i := slices.IndexFunc(out, func(x LeftLine) bool { return x.Why == l.Why })
		if i < 0 {
			out = append(out, LeftLine{Low: l.Class.Low(), High: l.Class.High(), Why: l.Why})
			i = len(out) - 1
		}
		out[i].N += l.N
		out[i].Low, out[i].High = math.Min(out[i].Low, l.Class.Low()), math.Max(out[i].High, l.Class.High())
	}
	slices.SortStableFunc(out, func(a, b LeftLine) int { return b.N - a.N })
	return out
}

// MakeBatch is what is asked to make the weave a batch.
type MakeBatch struct {
	Asked   Asked
	Print   string // of the weave the planner saw
	Once    string // the form's own key
	Tie     string
	Healing string
}

// MakeBatch sets the weave's stems and pieces aside and gives the batch's
// code. When what is free has changed since the planner looked, so that the
// weave would be another, it makes nothing and says so.
func (s *Service) MakeBatch(ctx context.Context, a Actor, code string, m MakeBatch) (string, error) {
	if err := a.must(Propagator); err != nil {
		return "", err
	}
	if !uuidPattern.MatchString(m.Once) {
		return "", Problem{"", "Load the page anew, and make the batch again."}
	}
	batch := ""
	err := s.db.Tx(ctx, func(q store.Q) error {
		var err error
		if batch, err = freshCode(ctx, q, random()); err != nil {
			return err
		}
		if was, again, err := q.Once(ctx, m.Once, batch); err != nil || again {
			batch = was
			return err
		}
		o, err := q.OrderByCode(ctx, cleanCode(code))
		if err != nil {
			return err
		}
		if err := q.LockOrder(ctx, o.ID); err != nil {
			return err
		}
		// Hold the lots and bundles first, then look at what is free of them.
		lots, err := q.LotsOfType(ctx, o.StockTypeID)
		if err != nil {
			return err
		}
		lotIDs := map[string]int64{}
		for _, l := range lots {
			lotIDs[l.Code] = l.ID
		}
		if err := q.LockLots(ctx, values(lotIDs)); err != nil {
			return err
		}
		bundles, err := q.BundlesOfVariety(ctx, o.VarietyID)
		if err != nil {
			return err
		}
		bundleIDs := map[string]int64{}
		for _, b := range bundles {
			bundleIDs[b.Code] = b.ID
		}
		if err := q.LockBundles(ctx, values(bundleIDs)); err != nil {
			return err
		}
		// Read the order again: another planner may have just served it.
		if o, err = q.OrderByCode(ctx, o.Code); err != nil {
			return err
		}
		p, err := s.match(ctx, q, o, m.Asked)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(p.Ties, func(t store.Tie) bool { return t.Key == m.Tie }) || !slices.ContainsFunc(p.HealingWays, func(h store.HealingWay) bool { return h.Key == m.Healing }) {
			return Problem{"", "Choose a tie and a way to heal from the lists."}
		}
		if p.Weave.Paired == 0 {
			return Problem{"", "There is nothing to make: no stem and piece here go together, or the order has all its grafts."}
		}
		if p.Print != m.Print {
			return Problem{"", "Stock or wood was set aside, measured or returned since you looked. Here is the weave as it stands now: look, then make the batch."}
		}
		return s.setAside(ctx, q, a, o, p, batch, m, lotIDs, bundleIDs)
	})
	return batch, err
}

// freshCode makes a code that no tag and no batch bears. There are some two
// million codes, so in a house of many years the first throw may be taken.
func freshCode(ctx context.Context, q store.Q, r *rand.Rand) (string, error) {
	for {
		code := tagcode.New(r)
		if used, err := q.CodeUsed(ctx, code); err != nil || !used {
			return code, err
		}
	}
}

func values(m map[string]int64) []int64 {
	out := make([]int64, 0, len(m))
	for _, v := range m {
		out = append(out, v)
	}
	return out
}

func (s *Service) setAside(ctx context.Context, q store.Q, a Actor, o store.Order, p MatchPage, code string, m MakeBatch, lots, bundles map[string]int64) error {
	id, err := q.AddBatch(ctx, store.Batch{Code: code, OrderID: o.ID, Tie: m.Tie, Healing: m.Healing, Grafts: p.Weave.Paired, PersonID: a.ID, MadeAt: s.Now()})
	if err != nil {
		return fmt.Errorf("making the batch: %w", err)
	}
	const why = "set aside for a batch"
	for _, t := range p.Weave.Threads {
		sm, wm := t.Stock.Middle(), t.Scion.Middle()
		if err := q.AddThread(ctx, store.Thread{BatchID: id, LotID: lots[t.Lot], StockMM: sm, BundleID: bundles[t.Bundle], WoodMM: wm, Technique: t.Way, N: t.N}); err != nil {
			return err
		}
		mv := store.Move{Of: lots[t.Lot], N: t.N, From: store.Free, To: store.Aside, MM: &sm, Reason: why, BatchID: &id, PersonID: a.ID, At: s.Now()}
		if err := q.MoveStock(ctx, mv); err != nil {
			return short(err, "", "Lot "+t.Lot+" no longer has the stems. Look at the weave again.")
		}
		mv.Of, mv.MM = bundles[t.Bundle], &wm
		if err := q.MoveWood(ctx, mv); err != nil {
			return short(err, "", "Bundle "+t.Bundle+" no longer has the pieces. Look at the weave again.")
		}
	}
	return s.changed(ctx, q, a, "batch", code, "made", nil, map[string]any{"order": o.Code, "grafts": p.Weave.Paired})
}

// UndoBatch gives a batch's stems and pieces back, as long as nobody has
// begun it at the bench.
func (s *Service) UndoBatch(ctx context.Context, a Actor, code string) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		b, err := q.BatchByCode(ctx, code)
		if err != nil {
			return err
		}
		if err := q.LockBatch(ctx, b.ID); err != nil {
			return err
		}
		if b, err = q.BatchByCode(ctx, code); err != nil {
			return err
		}
		if b.UndoneAt != nil {
			return nil
		}
		if b.Started > 0 {
			return Problem{"", "Grafting has begun on this batch. Finish its tags instead: what is not grafted goes back by itself."}
		}
		ts, err := q.Threads(ctx, b.ID)
		if err != nil {
			return err
		}
		if err := q.DropTags(ctx, b.ID); err != nil {
			return err
		}
		for _, t := range ts {
			mv := store.Move{Of: t.LotID, N: t.N, From: store.Aside, To: store.Free, MM: &t.StockMM, Reason: "batch taken back", BatchID: &b.ID, PersonID: a.ID, At: s.Now()}
			if err := q.MoveStock(ctx, mv); err != nil {
				return err
			}
			mv.Of, mv.MM = t.BundleID, &t.WoodMM
			if err := q.MoveWood(ctx, mv); err != nil {
				return err
			}
		}
		if err := q.UndoBatch(ctx, b.ID, s.Now()); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "batch", code, "taken back", nil, nil)
	})
}
