package match

import (
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
	"unionknot/internal/core/supply"
	"unionknot/internal/core/take"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
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
	Line          outlook.OrderLine
	Threads       []pairing.Thread
	Stock, Wood   []caliper.Count // what is free for it, whoever else wants it
	Paired, Short int
	Ways          int                // techniques open for it
	Shut          technique.Standing // when none is open, of the one with the best prior take
	Fits          bool               // one of them joins some of its stock with some of its wood
	Shortfall     supply.Shortfall   // why it is short
	Healing       string             // as its genus usually heals
	Weight        int                // the priority it is woven with
	Warnings      []string           // of the pair of genera, and of wood not seen true
}

// ProgrammePage is the weave of every open order at once.
type ProgrammePage struct {
	Lines   []ProgrammeLine
	Asked   ProgrammeAsked
	Weave   pairing.Weave
	Names   map[string]string // of techniques
	Print   string
	Refused *pairing.HeldError // what is held and cannot be
	Working working.Working
	Left    []LeftLine
	Ties    []store.Tie
	Late    []string            // bundles past their keep-by day
	Later   []outlook.OrderLine // budded in summer: not of this weave
	WhyNot  *pairing.Answer     // about Asked.Why
}

// Programme pairs every open order at once.
func (s *Stage) Programme(ctx context.Context, asked ProgrammeAsked) (ProgrammePage, error) {
	f, err := s.Facts(ctx, matchNeeds...)
	if err != nil {
		return ProgrammePage{}, err
	}
	return s.programme(ctx, f, asked)
}

func (s *Stage) programme(ctx context.Context, f *snapshot.Snapshot, asked ProgrammeAsked) (ProgrammePage, error) {
	p := ProgrammePage{Asked: asked, Names: map[string]string{}, Ties: f.Ties}
	if len(asked.Held)+len(asked.Banned) > mostAsked {
		return p, nursery.Problem{Field: "", Says: fmt.Sprintf("At most %d threads can be held or kept apart at once.", mostAsked)}
	}
	for _, t := range f.Techniques {
		p.Names[t.Key] = t.Name
	}
	r, err := s.Reckon.Sizer(ctx, f)
	if err != nil {
		return p, err
	}
	b := programmeBuilder{
		keep:    outlook.KeeperOf(f),
		r:       r,
		ways:    map[string][]pairing.Way{},
		shut:    map[string]technique.Standing{},
		bundles: map[string]store.Bundle{},
		lots:    map[int64][]pairing.Pile{},
		wood:    map[int64][]pairing.Pile{},
	}
	for _, o := range f.Orders {
		l, err := r.Line(o, f.House.Chance)
		if err != nil {
			return p, err
		}
		if l.ToGo == 0 {
			continue
		}
		if l.Later() {
			p.Later = append(p.Later, l)
			continue
		}
		line := ProgrammeLine{Line: l, Healing: UsualHealing(o.Genus), Weight: o.Priority}
		if w := asked.Weigh[o.Code]; shortageCost[w] > 0 {
			line.Weight = w
		}
		if err := b.add(&line); err != nil {
			return p, err
		}
		p.Lines = append(p.Lines, line)
	}
	b.p.Held, b.p.Banned = asked.Held, asked.Banned
	p.Weave, err = pairing.Solve(b.p)
	if errors.As(err, &p.Refused) {
		// What is free may have changed since it was held: say so, and go on without.
		b.p.Held = nil
		p.Weave, err = pairing.Solve(b.p)
	}
	if err != nil {
		return p, err
	}
	p.Late = b.late
	if a := asked.Why; a != nil {
		switch answer, err := pairing.WhyNot(b.p, p.Weave, *a); {
		case err == nil:
			p.WhyNot = &answer
		case errors.Is(err, pairing.ErrNamed):
			p.WhyNot = &pairing.Answer{Reason: pairing.Reason{Cause: pairing.NoOrder}, Ask: *a}
		default:
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
	r       *outlook.OrderSizer
	p       pairing.Programme
	ways    map[string][]pairing.Way
	shut    map[string]technique.Standing
	bundles map[string]store.Bundle
	lots    map[int64][]pairing.Pile
	wood    map[int64][]pairing.Pile
	keep    *outlook.Keeper
	late    []string
}

func (b *programmeBuilder) add(l *ProgrammeLine) error {
	o := l.Line.Order
	beliefs, cal := b.r.Know(o.Genus, o.StockGenus)
	price := pilingOf(b.r, o.Genus)
	if _, ok := b.lots[o.StockTypeID]; !ok {
		b.addStock(o.StockTypeID, price)
	}
	if _, ok := b.wood[o.VarietyID]; !ok {
		if err := b.addWood(o.VarietyID, price); err != nil {
			return err
		}
	}
	if says := outlook.Compatibility(b.r.F, o); says != "" {
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
	ground := b.r.Ground(o.StockTypeID)
	key := fmt.Sprint(o.Genus, " on ", o.StockGenus, ground)
	if _, ok := b.ways[key]; !ok {
		b.ways[key], b.shut[key] = b.open(beliefs, b.r.Learned[o.Genus], cal, ground)
	}
	l.Ways, l.Shut = len(b.ways[key]), b.shut[key]
	l.Fits = anyFits(b.ways[key], b.lots[o.StockTypeID], b.wood[o.VarietyID])
	l.Stock, l.Wood = free(b.lots[o.StockTypeID]), free(b.wood[o.VarietyID])
	b.p.Orders = append(
		b.p.Orders,
		pairing.Order{ID: o.Code, Variety: strconv.FormatInt(o.VarietyID, 10), Stock: strconv.FormatInt(o.StockTypeID, 10),
			Grafts: l.Line.ToGo, Shortage: shortageCost[l.Weight], Ways: b.ways[key], Shut: l.Shut},
	)
	return nil
}

// anyFits says whether one of the ways joins any of the stems with any of the
// pieces.
func anyFits(ways []pairing.Way, lots, bundles []pairing.Pile) bool {
	for _, w := range ways {
		for _, b := range bundles {
			if w.Unfit(b.ID).Limit != "" {
				continue
			}
			for _, c := range b.Classes {
				for _, l := range lots {
					if slices.ContainsFunc(l.Classes, func(s caliper.Count) bool { return w.Joins(s.Class, c.Class) }) {
						return true
					}
				}
			}
		}
	}
	return false
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
func (b *programmeBuilder) open(
	beliefs map[string]outlook.Belief,
	l take.Learned,
	cal *season.Calendar,
	ground technique.Ground,
) ([]pairing.Way, technique.Standing) {
	var out []pairing.Way
	var shut technique.Standing
	best := 0.0
	for _, t := range b.r.F.Techniques {
		if st := b.r.Standing(t, cal, ground); st.Verdict == technique.Shut {
			if t.PriorTake > best {
				shut, best = st, t.PriorTake
			}
			continue
		}
		out = append(out, wayOf(t, beliefs[t.Key], l, func(code string) technique.Misfit {
			return piles{bundles: b.bundles}.unfit(t)(code)
		}))
	}
	return out, shut
}

func (b *programmeBuilder) addStock(id int64, price piling) {
	b.lots[id] = nil
	for _, l := range b.r.F.LotsOf(id) {
		b.lots[id] = append(
			b.lots[id],
			pairing.Pile{ID: l.Code, Of: strconv.FormatInt(id, 10), Risk: price.lot(l.Code), Classes: outlook.LotDiameters(l).Free},
		)
	}
	b.p.Stock = append(b.p.Stock, b.lots[id]...)
}

func (b *programmeBuilder) addWood(id int64, price piling) error {
	bundles, keepBy, late := b.keep.FirstToUse(b.r.F.BundlesOf(id))
	b.late = append(b.late, late...)
	b.wood[id] = nil
	for i, w := range bundles {
		d, _, err := outlook.BundleDiameters(w)
		if err != nil {
			return err
		}
		b.bundles[w.Code] = w.Bundle
		b.wood[id] = append(b.wood[id], pairing.Pile{ID: w.Code, Of: strconv.FormatInt(id, 10), Classes: d.Free,
			Risk: price.bundle(w.Bundle, keepBy[w.ID]) + float64(i)*1e-5})
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
		l.Shortfall = supply.ShortfallOf(f.Short, l.Ways > 0, len(l.Stock), len(l.Wood), l.Fits)
	}
	p.Left = leftLines(append(slices.Clone(p.Weave.LeftStock), p.Weave.LeftWood...))
	over := "the cheapest there is"
	if p.Weave.Cost > p.Weave.Bound+1e-6 {
		over = fmt.Sprintf("at most %.3f %% above the cheapest there can be", (p.Weave.Cost/max(1e-9, p.Weave.Bound)-1)*100)
	}
	p.Working = working.Working{
		Title:  "The weave of all open orders",
		Rule:   "the weave",
		Answer: fmt.Sprintf("%d grafts paired, %d short", p.Weave.Paired, p.Weave.Short),
		Range:  over,
		Says: "Every open order is paired at once, so that orders that want the same stock or wood share it by what each leaves " +
			"lacking. A thread costs what is expected lost by it; a graft left out costs more, by priority.",
		Inputs: []working.Input{
			{Name: "Cost", Value: fmt.Sprintf("%.1f grafts", p.Weave.Cost), Source: working.OwnRecords},
			{Name: "No weave costs less than", Value: fmt.Sprintf("%.1f grafts", p.Weave.Bound), Source: "statistics"},
			{Name: "Held, kept apart", Value: fmt.Sprintf("%d, %d", len(p.Asked.Held), len(p.Asked.Banned)), Source: working.HouseWay}},
	}
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
func (s *Stage) MakeProgramme(ctx context.Context, a nursery.Actor, m MakeProgramme) (int, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return 0, err
	}
	if !nursery.UUIDPattern.MatchString(m.Once) {
		return 0, nursery.Problem{Field: "", Says: "Load the page anew, and make the batches again."}
	}
	made := 0
	err := s.AsSeen(ctx, matchNeeds, func(f *snapshot.Snapshot) (nursery.KeepSeen, error) {
		if was, again, err := s.DB.Q().DoneOnce(ctx, m.Once); err != nil || again {
			made, _ = strconv.Atoi(was)
			return nil, err
		}
		p, err := s.programme(ctx, f, m.Asked)
		if err != nil {
			return nil, err
		}
		if !slices.ContainsFunc(p.Ties, func(t store.Tie) bool { return t.Key == m.Tie }) {
			return nil, nursery.Problem{Field: "", Says: "Choose a tie from the list."}
		}
		if p.Weave.Paired == 0 {
			return nil, nursery.Problem{Field: "", Says: "There is nothing to make: no stem and piece here go together."}
		}
		if p.Print != m.Print {
			return nil, nursery.Problem{
				Field: "",
				Says: "Stock or wood was set aside, measured or returned since you looked. Here is the weave as it stands now: look, " +
					"then make the batches.",
			}
		}
		var bs []newBatch
		for _, l := range p.Lines {
			if l.Paired > 0 {
				bs = append(bs, newBatch{order: l.Line.Order, threads: l.Threads, tie: m.Tie, healing: l.Healing})
			}
		}
		return func(q store.Q, stands func() error) error {
			if was, again, err := q.Once(ctx, m.Once, strconv.Itoa(len(bs))); err != nil || again {
				made, _ = strconv.Atoi(was)
				return err
			}
			made = len(bs)
			return s.setAside(ctx, q, a, f, bs, stands)
		}, nil
	})
	if err != nil {
		return 0, err
	}
	return made, nil
}
