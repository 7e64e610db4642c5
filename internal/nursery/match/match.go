package match

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math"
	"slices"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
	"unionknot/internal/core/season"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/take"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// shortageCost is what leaving a graft out costs, in grafts, by priority:
// always more than the worst pair, so that no graft is left out to save wood.
// House default.
var shortageCost = map[int]float64{1: 9, 2: 3, 3: 1.5}

// Asked is what a planner asks of the weave.
type Asked struct {
	Grafts int           // 0: what the order still needs
	Ways   []string      // technique keys to use; none: all that are in
	Why    *pairing.Pair // a stem and a piece to ask after
	// Against are techniques to use although the season shuts them.
	Against []string
}

// WayLine is a technique's part in the weave.
type WayLine struct {
	Technique technique.Technique
	Against   bool // the season shuts it
	Grafts    int
	RatioLow  float64 // scion ÷ stock over its threads
	RatioHigh float64
	Belief    outlook.Belief
}

// LeftLine is what is left over for one reason.
type LeftLine struct {
	N         int
	Low, High float64 // mm
	Why       pairing.Reason
}

// MatchPage is what Match shows of one order.
type MatchPage struct {
	Order         store.Order
	Genus         store.Genus
	Line          outlook.OrderLine
	Need          outlook.Need
	Outs          []outlook.Out // of its stock and wood, what was seen to be unfit
	Asked         Asked
	Compatibility string
	Lots          []outlook.LotLine
	Bundles       []outlook.BundleLine
	Stock, Wood   []caliper.Count // free, over all lots and bundles
	Weave         pairing.Weave
	Ways          []WayLine
	Verdicts      []technique.Verdict
	Chooser       []ChooserLine   // all techniques, the best first
	WhyNot        *pairing.Answer // about Asked.Why
	Chosen        map[string]bool
	LeftStock     []LeftLine
	LeftWood      []LeftLine
	Expect        sizing.Interval // trees
	ExpectWorking working.Working
	Print         string // changes when the weave does
	Measured, Of  int    // stems calipered, of how many
	NotSeenTrue   []string
	WayNames      map[string]string
	LayScion      store.HouseWay
	Ties          []store.Tie
	Higher        map[pairing.Thread]string // of threads, by how much their stems are cut higher
	Tie, Healing  string                    // offered by the house's ways, and by where the stems stand
	HealingWays   []store.HealingWay
}

// Overruled says that the weave uses a technique that the season shuts.
func (p MatchPage) Overruled() bool {
	return slices.ContainsFunc(p.Ways, func(w WayLine) bool { return w.Against })
}

// matchNeeds are the facts that a weave is made of.
var matchNeeds = []snapshot.Need{snapshot.Orders, snapshot.Piles, snapshot.Places}

// Match works out the weave for one order.
func (s *Stage) Match(ctx context.Context, code string, asked Asked) (MatchPage, error) {
	o, err := s.DB.Q().OrderByCode(ctx, nursery.CleanCode(code))
	if err != nil {
		return MatchPage{}, err
	}
	f, err := s.Facts(ctx, matchNeeds...)
	if err != nil {
		return MatchPage{}, err
	}
	return s.match(ctx, f, o, asked)
}

func (s *Stage) match(ctx context.Context, f *snapshot.Snapshot, o store.Order, asked Asked) (MatchPage, error) {
	p := MatchPage{Order: o, Asked: asked, Chosen: map[string]bool{}, WayNames: map[string]string{}}
	h := f.House
	r, err := s.Reckon.Sizer(ctx, f, o.Genus)
	if err != nil {
		return p, err
	}
	p.Genus = f.Genus(o.Genus)
	if p.Line, err = r.Line(o, h.Chance); err != nil {
		return p, err
	}
	p.Need, p.Outs = p.Line.Need, r.Beds.Outs(o)
	if p.Asked.Grafts <= 0 {
		p.Asked.Grafts = p.Line.ToGo
	}
	p.Compatibility = outlook.Compatibility(f, o)
	beliefs, cal := r.Know(o.Genus, o.StockGenus)
	piles, err := gather(r, &p)
	if err != nil {
		return p, err
	}
	p.Verdicts = judge(r, &p, piles, cal)
	order := pairing.Order{ID: o.Code, Variety: o.Variety, Stock: o.StockType, Grafts: p.Asked.Grafts, Shortage: shortageCost[o.Priority]}
	in := map[string]technique.Verdict{}
	for _, v := range p.Verdicts {
		p.WayNames[v.Technique.Key] = v.Technique.Name
		if v.In {
			p.Chosen[v.Technique.Key] = true
			in[v.Technique.Key] = v
		}
	}
	order.Ways = r.Ways(o, func(t technique.Technique) outlook.WayChoice {
		v, ok := in[t.Key]
		switch {
		case !ok:
			return outlook.LeftOut
		case v.Against:
			return outlook.AgainstSeason
		}
		return outlook.AsOpen
	})
	beds := programmeBed{piles: piles, beliefs: beliefs, learned: r.Learned[o.Genus], ways: order.Ways,
		stands: func(t technique.Technique) technique.Standing { return bestStanding(r, o, t, cal, piles.states) }}
	prog := pairing.Programme{Orders: []pairing.Order{order}, Stock: piles.stock, Wood: piles.wood}
	if p.Weave, err = nursery.Heavy(ctx, s.Kernel, func() (pairing.Weave, error) { return pairing.Solve(prog) }); err != nil {
		return p, err
	}
	if a := asked.Why; a != nil {
		a.Order = o.Code
		answer, err := pairing.WhyNot(prog, p.Weave, *a)
		if err != nil {
			return p, err
		}
		p.WhyNot = &answer
	}
	p.Chooser, err = nursery.Heavy(ctx, s.Kernel, func() ([]ChooserLine, error) { return beds.choose(p.Verdicts, prog, p.Genus, h) })
	if err != nil {
		return p, err
	}
	p.Higher = map[pairing.Thread]string{}
	for _, t := range p.Weave.Threads {
		p.Higher[t] = words.CutHigher(r.Higher(t))
	}
	p.summarise(beliefs, r.Learned[o.Genus], r.Knowers)
	p.Tie = outlook.TieFor(f, outlook.BudsOnly(f, p.Weave.Threads))
	p.Healing = outlook.HealingFor(f, o.Genus, outlook.FormsOf(f, p.Weave.Threads))
	p.LayScion, p.Ties, p.HealingWays = f.Way(outlook.WayLay), f.OfferedTies(p.Tie), f.OfferedHealing(p.Healing)
	return p, nil
}

// judge says which techniques are in for an order: where its stock stands on the
// bench and in the row, one that is in for either is in.
func judge(r *outlook.OrderSizer, p *MatchPage, piles piles, cal *season.Calendar) []technique.Verdict {
	job := technique.Job{On: r.F.Today, Calendar: cal, WoodMM: p.Wood, WoodStates: piles.states, BudsAPiece: piles.buds,
		Against: map[string]bool{}}
	for _, k := range p.Asked.Against {
		job.Against[k] = true
	}
	if ways := p.Asked.Ways; len(ways) > 0 {
		job.InUse = func(key string) bool { return slices.Contains(ways, key) }
	}
	var out []technique.Verdict
	for _, ground := range r.Beds.Grounds(p.Order.StockTypeID) {
		job.Ground = ground
		by := map[caliper.Class]int{}
		for _, l := range p.Lots {
			if outlook.GroundOf(l.Lot.Form) == ground {
				for _, c := range l.Diameters.Free {
					by[c.Class] += c.N
				}
			}
		}
		job.StockMM = caliper.Sorted(by)
		vs := technique.Judge(r.F.Techniques, job)
		if out == nil {
			out = vs
			continue
		}
		for i, v := range vs {
			if v.Better(out[i]) {
				out[i] = v
			}
		}
	}
	return out
}

// bestStanding says how a technique stands for an order's wood, the best of where
// its stock stands.
func bestStanding(r *outlook.OrderSizer, o store.Order, t technique.Technique, cal *season.Calendar,
	states []string) (best technique.Standing) {
	for i, ground := range r.Beds.Grounds(o.StockTypeID) {
		if s := t.Standing(cal, states, ground, r.F.Today); i == 0 || s.Better(best) {
			best = s
		}
	}
	return best
}

// piles are the stems and pieces that can be woven, as the weave takes them.
type piles struct {
	stock, wood []pairing.Pile
	states      []string // of the wood; nil where there is none
	buds        []int
	bundles     map[string]store.Bundle
}

func gather(r *outlook.OrderSizer, p *MatchPage) (piles, error) {
	out := piles{bundles: map[string]store.Bundle{}}
	o, price := p.Order, r.Pricing(p.Order.Genus)
	stock, scion := map[caliper.Class]int{}, map[caliper.Class]int{}
	for _, l := range r.Beds.Lots(o.StockTypeID) {
		d := outlook.LotDiameters(l)
		p.Lots = append(p.Lots, outlook.LotLine{Lot: l.Lot, Diameters: d})
		p.Measured, p.Of = p.Measured+l.Measured, p.Of+l.Received
		for _, c := range d.Free {
			stock[c.Class] += c.N
		}
	}
	out.stock = r.Beds.StockPiles(o.StockTypeID, o.StockType, price)
	var err error
	if out.wood, err = r.Beds.WoodPiles(o.VarietyID, o.Variety, price); err != nil {
		return out, err
	}
	for _, b := range r.Beds.Bundles(o.VarietyID) {
		d, _, err := outlook.BundleDiameters(b.BundlePile)
		if err != nil {
			return out, err
		}
		p.Bundles = append(p.Bundles, outlook.BundleLine{Bundle: b.Bundle, Diameters: d, Days: season.Days(b.CutOn, r.F.Today)})
		out.bundles[b.Code] = b.Bundle
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
func (p *MatchPage) summarise(beliefs map[string]outlook.Belief, l take.Learned, knowers map[string]int) {
	by := map[string]*WayLine{}
	h := sha256.New()
	var parts []take.Part
	workers := 0
	for _, t := range p.Weave.Threads {
		w := by[t.Way]
		if w == nil {
			w = &WayLine{Technique: beliefs[t.Way].Technique, Belief: beliefs[t.Way], RatioLow: math.Inf(1)}
			by[t.Way] = w
		}
		ratio := t.Scion.Middle() / t.Stock.Middle()
		w.Grafts += t.N
		w.RatioLow, w.RatioHigh = math.Min(w.RatioLow, ratio), math.Max(w.RatioHigh, ratio)
		lot, bundle := l.Effect(take.Lot, t.Lot), l.Effect(take.Bundle, t.Bundle)
		e := w.Belief.Expected
		parts = append(
			parts,
			take.Part{
				Grafts:    t.N,
				Buds:      t.Each,
				Take:      supply.TakingOf(w.Technique, e, l).At(t.Stock, t.Scion, lot.Mode+bundle.Mode),
				Variance:  e.Variance,
				Technique: t.Way,
				Lot:       t.Lot,
				LotSD:     lot.SD,
				Bundle:    t.Bundle,
				BundleSD:  bundle.SD,
			},
		)
		workers = max(workers, knowers[t.Way])
		fmt.Fprintln(h, t.Lot, t.Stock, t.Bundle, t.Scion, t.Way, t.N)
	}
	p.Print = hex.EncodeToString(h.Sum(nil)[:8])
	p.Expect = take.Outcome(parts, workers, beliefs[p.Need.By.Technique.Key].Expected.Spreads.Worker)
	p.ExpectWorking = working.Working{
		Title:  words.TreesToExpectFromThis,
		Rule:   words.TreesToExpect,
		Answer: fmt.Sprintf("%.0f", p.Expect.Mean),
		Range:  fmt.Sprintf("%.0f–%.0f", p.Expect.Low, p.Expect.High),
		Says:   words.EachThreadsExpectedTakeTimes,
	}
	for _, v := range p.Verdicts {
		w := by[v.Technique.Key]
		if w == nil {
			continue
		}
		w.Against = v.Against
		p.Ways = append(p.Ways, *w)
		i := w.Belief.Take.Interval90()
		p.ExpectWorking.Inputs = append(p.ExpectWorking.Inputs, working.Input{Name: w.Technique.Name,
			Value: fmt.Sprintf(
				words.NGraftsTakeOverMany,
				w.Grafts,
				words.Pct(i.Mean),
				words.PctRange(i),
			), Source: working.OwnRecords})
	}
	if len(p.Ways) > 0 {
		sp := p.Ways[0].Belief.Expected.Spreads
		p.ExpectWorking.Inputs = append(p.ExpectWorking.Inputs, working.Input{Name: words.WorkersLotsBundlesDifferBy,
			Value: fmt.Sprintf(
				words.SpreadsOfSharers,
				sp.Worker,
				sp.Lot,
				sp.Bundle,
				max(1, workers),
			), Source: working.OwnRecords})
	}
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
