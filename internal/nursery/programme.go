package nursery

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
	"unionknot/internal/core/season"
	"unionknot/internal/core/take"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// ProgrammeAsked is what a planner holds and keeps apart.
type ProgrammeAsked struct {
	Held   []pairing.Thread
	Banned []pairing.Pair
	Weigh  map[string]int // another priority for an order, to weigh it against the rest
	Why    *pairing.Pair  // a stem and a piece to ask after, for an order
}

// mostAsked bounds how much can be held and kept apart at once.
const mostAsked = 200

// ProgrammeLine is one order in the weave of all.
type ProgrammeLine struct {
	Line          OrderLine
	Threads       []pairing.Thread
	Stock, Wood   []caliper.Count // what is free for it, whoever else wants it
	Paired, Short int
	Shut          string   // why nothing can be done now
	Why           string   // why it is short, in words
	Healing       string   // as its genus usually heals
	Weight        int      // the priority it is woven with
	Warnings      []string // of the pair of genera, and of wood not seen true
}

// ProgrammePage is the weave of every open order at once.
type ProgrammePage struct {
	Lines   []ProgrammeLine
	Asked   ProgrammeAsked
	Weave   pairing.Weave
	Names   map[string]string // of techniques
	Print   string
	Refused string // why what is held cannot be, or ""
	Working working.Working
	Left    []LeftLine
	Ties    []store.Tie
	Late    []string    // bundles past their keep-by day
	Later   []OrderLine // budded in summer: not of this weave
	WhyNot  string      // the answer about Asked.Why
}

// Programme pairs every open order at once.
func (s *Service) Programme(ctx context.Context, asked ProgrammeAsked) (ProgrammePage, error) {
	return s.programme(ctx, s.db.Q(), asked)
}

func (s *Service) programme(ctx context.Context, q store.Q, asked ProgrammeAsked) (ProgrammePage, error) {
	p := ProgrammePage{Asked: asked, Names: map[string]string{}}
	if len(asked.Held)+len(asked.Banned) > mostAsked {
		return p, Problem{"", fmt.Sprintf("At most %d threads can be held or kept apart at once.", mostAsked)}
	}
	h, err := q.House(ctx)
	if err != nil {
		return p, err
	}
	if p.Ties, err = q.Ties(ctx); err != nil {
		return p, err
	}
	r, err := s.reckon(ctx, q)
	if err != nil {
		return p, err
	}
	for _, t := range r.ts {
		p.Names[t.Key] = t.Name
	}
	os, err := q.OpenOrders(ctx, s.Today().AddDate(0, -1, 0))
	if err != nil {
		return p, err
	}
	b := programmeBuilder{keep: s.keeper(q), s: s, q: q, r: r, ways: map[string][]pairing.Way{}, shut: map[string]string{}, bundles: map[string]store.Bundle{}, lots: map[int64][]pairing.Pile{}, wood: map[int64][]pairing.Pile{}}
	for _, o := range os {
		l, err := r.line(ctx, o, h.Chance)
		if err != nil {
			return p, err
		}
		if l.ToGo == 0 {
			continue
		}
		if l.Later {
			p.Later = append(p.Later, l)
			continue
		}
		line := ProgrammeLine{Line: l, Healing: UsualHealing(o.Genus), Weight: o.Priority}
		if w := asked.Weigh[o.Code]; shortageCost[w] > 0 {
			line.Weight = w
		}
		if err := b.add(ctx, &line); err != nil {
			return p, err
		}
		p.Lines = append(p.Lines, line)
	}
	b.p.Held, b.p.Banned = asked.Held, asked.Banned
	p.Weave, err = pairing.Solve(b.p)
	if errors.Is(err, pairing.ErrHeld) {
		// What is free may have changed since it was held: say so, and go on without.
		p.Refused = capital(err.Error()) + "."
		b.p.Held = nil
		p.Weave, err = pairing.Solve(b.p)
	}
	if err != nil {
		return p, err
	}
	p.Late = b.late
	if a := asked.Why; a != nil {
		if p.WhyNot, err = pairing.WhyNot(b.p, p.Weave, *a); errors.Is(err, pairing.ErrNamed) {
			p.WhyNot = "no order " + a.Order + " waits to be woven"
		} else if err != nil {
			return p, err
		}
	}
	p.sortOut()
	return p, nil
}

// UsualHealing is how a genus' bench grafts usually heal. House default.
func UsualHealing(genus string) string {
	switch genus {
	case "walnut", "chestnut", "hazel", "grape", "persimmon":
		return "warm union"
	case "plum", "cherry", "apricot", "peach":
		return "cool room"
	case "maple", "wisteria", "rose", "citrus":
		return "pot at once"
	}
	return "cold callus"
}

// programmeBuilder gathers piles and ways, each once however many orders
// share it.
type programmeBuilder struct {
	s       *Service
	q       store.Q
	r       *reckoner
	p       pairing.Programme
	ways    map[string][]pairing.Way
	shut    map[string]string
	bundles map[string]store.Bundle
	lots    map[int64][]pairing.Pile
	wood    map[int64][]pairing.Pile
	keep    *keeper
	late    []string
}

func (b *programmeBuilder) add(ctx context.Context, l *ProgrammeLine) error {
	o := l.Line.Order
	beliefs, cal, err := b.r.know(ctx, o.Genus, o.StockGenus)
	if err != nil {
		return err
	}
	price := b.r.piling(o.Genus)
	if _, ok := b.lots[o.StockTypeID]; !ok {
		if err := b.addStock(ctx, o.StockTypeID, price); err != nil {
			return err
		}
	}
	if _, ok := b.wood[o.VarietyID]; !ok {
		if err := b.addWood(ctx, o.VarietyID, price); err != nil {
			return err
		}
	}
	says, err := b.s.compatibility(ctx, b.q, o)
	if err != nil {
		return err
	}
	if says != "" {
		l.Warnings = append(l.Warnings, says)
	}
	var unseen []string
	for _, p := range b.wood[o.VarietyID] {
		if w := b.bundles[p.ID]; w.SeenTrueOn == nil && !slices.Contains(unseen, w.Plant) {
			unseen = append(unseen, w.Plant)
		}
	}
	if len(unseen) > 0 {
		l.Warnings = append(l.Warnings, "Not noted as seen true: "+strings.Join(unseen, ", ")+".")
	}
	ground := b.r.ground(o.StockTypeID)
	key := fmt.Sprint(o.Genus, " on ", o.StockGenus, ground)
	if _, ok := b.ways[key]; !ok {
		b.ways[key], b.shut[key] = b.open(beliefs, b.r.learned[o.Genus], cal, ground)
	}
	l.Shut = b.shut[key]
	l.Stock, l.Wood = free(b.lots[o.StockTypeID]), free(b.wood[o.VarietyID])
	b.p.Orders = append(b.p.Orders, pairing.Order{ID: o.Code, Variety: strconv.FormatInt(o.VarietyID, 10), Stock: strconv.FormatInt(o.StockTypeID, 10),
		Grafts: l.Line.ToGo, Shortage: shortageCost[l.Weight], Ways: b.ways[key], Shut: b.shut[key]})
	return nil
}

func free(ps []pairing.Pile) []caliper.Count {
	by := map[caliper.Class]int{}
	for _, p := range ps {
		for _, c := range p.Classes {
			by[c.Class] += c.N
		}
	}
	return caliper.Sorted(by)
}

// open lists the techniques whose window is open for a genus on a stock
// genus; where none is, it says why of the one with the best prior take.
func (b *programmeBuilder) open(beliefs map[string]Belief, l take.Learned, cal *season.Calendar, ground technique.Ground) ([]pairing.Way, string) {
	var out []pairing.Way
	shut, best := "", 0.0
	for _, t := range b.r.ts {
		if st := b.r.standing(t, cal, ground); st.Verdict == technique.Shut {
			if t.PriorTake > best {
				shut, best = ShutSays(st), t.PriorTake
			}
			continue
		}
		out = append(out, wayOf(t, beliefs[t.Key], l, func(code string) (bool, string) {
			return piles{bundles: b.bundles}.takes(t)(code)
		}))
	}
	if len(out) > 0 {
		shut = ""
	}
	return out, shut
}

func (b *programmeBuilder) addStock(ctx context.Context, id int64, price piling) error {
	lots, err := b.q.LotsOfType(ctx, id)
	if err != nil {
		return err
	}
	b.lots[id] = nil
	for _, l := range lots {
		d, _, err := b.s.lotDiameters(ctx, b.q, l)
		if err != nil {
			return err
		}
		b.lots[id] = append(b.lots[id], pairing.Pile{ID: l.Code, Of: strconv.FormatInt(id, 10), Risk: price.lot(l.Code), Classes: d.Free})
	}
	b.p.Stock = append(b.p.Stock, b.lots[id]...)
	return nil
}

func (b *programmeBuilder) addWood(ctx context.Context, id int64, price piling) error {
	bundles, err := b.q.BundlesOfVariety(ctx, id)
	if err != nil {
		return err
	}
	bundles, keepBy, late, err := b.keep.firstToUse(ctx, bundles)
	if err != nil {
		return err
	}
	b.late = append(b.late, late...)
	b.wood[id] = nil
	for i, w := range bundles {
		d, _, err := b.s.bundleDiameters(ctx, b.q, w)
		if err != nil {
			return err
		}
		b.bundles[w.Code] = w
		b.wood[id] = append(b.wood[id], pairing.Pile{ID: w.Code, Of: strconv.FormatInt(id, 10), Classes: d.Free,
			Risk: price.bundle(w, keepBy[w.ID]) + float64(i)*1e-5})
	}
	b.p.Wood = append(b.p.Wood, b.wood[id]...)
	return nil
}

// sortOut gives each order its threads and says why it is short.
func (p *ProgrammePage) sortOut() {
	at := map[string]int{}
	for i, l := range p.Lines {
		at[l.Line.Order.Code] = i
	}
	sum := sha256.New()
	for _, t := range p.Weave.Threads {
		l := &p.Lines[at[t.Order]]
		l.Threads = append(l.Threads, t)
		fmt.Fprintln(sum, t.Order, t.Lot, t.Stock, t.Bundle, t.Scion, t.Way, t.N)
	}
	p.Print = hex.EncodeToString(sum.Sum(nil)[:8])
	for _, f := range p.Weave.Orders {
		l := &p.Lines[at[f.Order]]
		l.Paired, l.Short = f.Paired, f.Short
		switch {
		case f.Short == 0:
		case l.Shut != "":
			l.Why = l.Shut
		case len(l.Stock) == 0:
			l.Why = "no stock of its type is free"
		case len(l.Wood) == 0:
			l.Why = "no wood of the variety is free"
		default:
			l.Why = "what fits is used up, by it or by orders that come first"
		}
	}
	p.Left = leftLines(append(slices.Clone(p.Weave.LeftStock), p.Weave.LeftWood...))
	over := "the cheapest there is"
	if p.Weave.Cost > p.Weave.Bound+1e-6 {
		over = fmt.Sprintf("at most %.3f %% above the cheapest there can be", (p.Weave.Cost/max(1e-9, p.Weave.Bound)-1)*100)
	}
	p.Working = working.Working{Title: "The weave of all open orders", Rule: "the weave", Answer: fmt.Sprintf("%d grafts paired, %d short", p.Weave.Paired, p.Weave.Short), Range: over,
		Says: "Every open order is paired at once, so that orders that want the same stock or wood share it by what each leaves lacking. A thread costs what is expected lost by it; a graft left out costs more, by priority.",
		Inputs: []working.Input{
			{Name: "Cost", Value: fmt.Sprintf("%.1f grafts", p.Weave.Cost), Source: working.OwnRecords},
			{Name: "No weave costs less than", Value: fmt.Sprintf("%.1f grafts", p.Weave.Bound), Source: "statistics"},
			{Name: "Held, kept apart", Value: fmt.Sprintf("%d, %d", len(p.Asked.Held), len(p.Asked.Banned)), Source: working.HouseWay}}}
}

// MakeProgramme is what is asked to make the whole weave batches.
type MakeProgramme struct {
	Asked ProgrammeAsked
	Print string
	Once  string
	Tie   string
}

// MakeProgramme makes a batch of every order that the weave pairs, all or
// none, and gives how many. If what is free has changed since the planner
// looked, it makes nothing and says so.
func (s *Service) MakeProgramme(ctx context.Context, a Actor, m MakeProgramme) (int, error) {
	if err := a.must(Propagator); err != nil {
		return 0, err
	}
	if !uuidPattern.MatchString(m.Once) {
		return 0, Problem{"", "Load the page anew, and make the batches again."}
	}
	made := 0
	err := s.db.Tx(ctx, func(q store.Q) error {
		made = 0
		if was, again, err := q.Once(ctx, m.Once, "a programme"); err != nil || again {
			made, _ = strconv.Atoi(was)
			return err
		}
		p, err := s.held(ctx, q, m.Asked)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(p.Ties, func(t store.Tie) bool { return t.Key == m.Tie }) {
			return Problem{"", "Choose a tie from the list."}
		}
		if p.Weave.Paired == 0 {
			return Problem{"", "There is nothing to make: no stem and piece here go together."}
		}
		if p.Print != m.Print {
			return Problem{"", "Stock or wood was set aside, measured or returned since you looked. Here is the weave as it stands now: look, then make the batches."}
		}
		r := random()
		for _, l := range p.Lines {
			if l.Paired == 0 {
				continue
			}
			code, err := freshCode(ctx, q, r)
			if err != nil {
				return err
			}
			lots, bundles, err := s.idsOf(ctx, q, l.Line.Order)
			if err != nil {
				return err
			}
			one := MatchPage{Weave: pairing.Weave{Threads: l.Threads, Paired: l.Paired}}
			if err := s.setAside(ctx, q, a, l.Line.Order, one, code, MakeBatch{Tie: m.Tie, Healing: l.Healing}, lots, bundles); err != nil {
				return err
			}
			made++
		}
		return nil
	})
	return made, err
}

// held locks every order, lot and bundle that the programme draws on, each
// kind in the order of ids, and then works it out anew.
func (s *Service) held(ctx context.Context, q store.Q, asked ProgrammeAsked) (ProgrammePage, error) {
	p, err := s.programme(ctx, q, asked)
	if err != nil {
		return p, err
	}
	var orders []int64
	lots, bundles := map[string]int64{}, map[string]int64{}
	for _, l := range p.Lines {
		orders = append(orders, l.Line.Order.ID)
		ls, bs, err := s.idsOf(ctx, q, l.Line.Order)
		if err != nil {
			return p, err
		}
		for k, v := range ls {
			lots[k] = v
		}
		for k, v := range bs {
			bundles[k] = v
		}
	}
	slices.SortFunc(orders, cmp.Compare[int64])
	for _, id := range orders {
		if err := q.LockOrder(ctx, id); err != nil {
			return p, err
		}
	}
	if err := q.LockLots(ctx, values(lots)); err != nil {
		return p, err
	}
	if err := q.LockBundles(ctx, values(bundles)); err != nil {
		return p, err
	}
	return s.programme(ctx, q, asked)
}

func (s *Service) idsOf(ctx context.Context, q store.Q, o store.Order) (lots, bundles map[string]int64, err error) {
	lots, bundles = map[string]int64{}, map[string]int64{}
	ls, err := q.LotsOfType(ctx, o.StockTypeID)
	if err != nil {
		return nil, nil, err
	}
	for _, l := range ls {
		lots[l.Code] = l.ID
	}
	bs, err := q.BundlesOfVariety(ctx, o.VarietyID)
	for _, b := range bs {
		bundles[b.Code] = b.ID
	}
	return lots, bundles, err
}
