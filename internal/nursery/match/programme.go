package match

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
	"unionknot/internal/core/supply"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
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
	Healing       string             // by the house's way, and where its stems stand
	Tie           string             // by the house's way
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
	Refused []*pairing.HeldError // what was held and cannot be any more: let go of
	Working working.Working
	Left    []LeftLine
	Ties    []store.Tie
	Higher  map[pairing.Thread]string // of threads, by how much their stems are cut higher
	Outs    []outlook.Out             // what was seen to be unfit of the orders' stock and wood
	Later   []outlook.OrderLine       // budded in summer: not of this weave
	WhyNot  *pairing.Answer           // about Asked.Why
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
	p := ProgrammePage{Asked: asked, Names: map[string]string{}, Ties: f.OfferedTies()}
	if len(asked.Held)+len(asked.Banned) > mostAsked {
		return p, nursery.Problem{Field: "", Says: fmt.Sprintf(words.AtMostNThreadsCan, mostAsked)}
	}
	for _, t := range f.Techniques {
		p.Names[t.Key] = t.Name
	}
	r, err := s.Reckon.Sizer(ctx, f)
	if err != nil {
		return p, err
	}
	b := programmeBuilder{
		r:    r,
		lots: map[int64][]pairing.Pile{},
		wood: map[int64][]pairing.Pile{},
	}
	for _, o := range f.Orders {
		l, err := r.Line(o, f.House.Chance)
		if err != nil {
			return p, err
		}
		if l.ToGo == 0 {
			continue
		}
		if l.Later() || l.Waits() {
			p.Later = append(p.Later, l)
			continue
		}
		line := ProgrammeLine{Line: l, Healing: f.Answers().Healing(o.Genus), Weight: o.Priority}
		if w := asked.Weigh[o.Code]; shortageCost[w] > 0 {
			line.Weight = w
		}
		if err := b.add(&line); err != nil {
			return p, err
		}
		p.Lines = append(p.Lines, line)
	}
	b.p.Held, b.p.Banned = asked.Held, asked.Banned
	if p.Weave, err = nursery.Heavy(ctx, s.Kernel, func() (pairing.Weave, error) { return b.solve(&p) }); err != nil {
		return p, err
	}
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
	p.Outs, p.Higher = b.outs, map[pairing.Thread]string{}
	for _, t := range p.Weave.Threads {
		p.Higher[t] = words.CutHigher(r.Higher(t))
	}
	p.sortOut()
	for i := range p.Lines {
		l := &p.Lines[i]
		l.Healing = outlook.HealingFor(f, l.Line.Order.Genus, outlook.FormsOf(f, l.Threads))
		l.Tie = outlook.TieFor(f, outlook.BudsOnly(f, l.Threads))
	}
	return p, nil
}

// solve weaves. What is free may have changed since a thread was held: one that
// cannot be any more is let go of and noted, the others stay held.
func (b *programmeBuilder) solve(p *ProgrammePage) (pairing.Weave, error) {
	for {
		w, err := pairing.Solve(b.p)
		var no *pairing.HeldError
		if !errors.As(err, &no) {
			return w, err
		}
		i := slices.Index(b.p.Held, no.Thread)
		if i < 0 {
			return w, err
		}
		p.Refused = append(p.Refused, no)
		b.p.Held = slices.Delete(slices.Clone(b.p.Held), i, i+1)
	}
}

// programmeBuilder gathers piles, each once however many orders share it.
type programmeBuilder struct {
	r    *outlook.OrderSizer
	p    pairing.Programme
	lots map[int64][]pairing.Pile
	wood map[int64][]pairing.Pile
	outs []outlook.Out
}

func (b *programmeBuilder) add(l *ProgrammeLine) error {
	o := l.Line.Order
	price := b.r.Pricing(o.Genus)
	if _, ok := b.lots[o.StockTypeID]; !ok {
		b.lots[o.StockTypeID] = b.r.Beds.StockPiles(o.StockTypeID, strconv.FormatInt(o.StockTypeID, 10), price)
		b.p.Stock = append(b.p.Stock, b.lots[o.StockTypeID]...)
	}
	if _, ok := b.wood[o.VarietyID]; !ok {
		ps, err := b.r.Beds.WoodPiles(o.VarietyID, strconv.FormatInt(o.VarietyID, 10), price)
		if err != nil {
			return err
		}
		b.wood[o.VarietyID] = ps
		b.p.Wood = append(b.p.Wood, ps...)
	}
	for _, x := range b.r.Beds.Outs(o) {
		if !slices.ContainsFunc(b.outs, func(y outlook.Out) bool { return y.Code == x.Code && y.Wood == x.Wood }) {
			b.outs = append(b.outs, x)
		}
	}
	if says := outlook.Compatibility(b.r.F, o); says != "" {
		l.Warnings = append(l.Warnings, says)
	}
	var unseen []string
	for _, w := range b.r.Beds.Bundles(o.VarietyID) {
		if w.SeenTrueOn == nil && !slices.Contains(unseen, w.Plant) {
			unseen = append(unseen, w.Plant)
		}
	}
	if len(unseen) > 0 {
		l.Warnings = append(l.Warnings, words.NotNotedAsSeenTrue+strings.Join(unseen, ", ")+".")
	}
	ways := b.r.Ways(o, nil)
	if l.Ways = len(ways); l.Ways == 0 {
		l.Shut = b.shut(o)
	}
	l.Fits = anyFits(ways, b.lots[o.StockTypeID], b.wood[o.VarietyID])
	l.Stock, l.Wood = free(b.lots[o.StockTypeID]), free(b.wood[o.VarietyID])
	b.p.Orders = append(
		b.p.Orders,
		pairing.Order{ID: o.Code, Variety: strconv.FormatInt(o.VarietyID, 10), Stock: strconv.FormatInt(o.StockTypeID, 10),
			Grafts: l.Line.ToGo, Shortage: shortageCost[l.Weight], Ways: ways, Shut: l.Shut},
	)
	return nil
}

// shut says how the technique with the best prior take stands, where none is
// open.
func (b *programmeBuilder) shut(o store.Order) (shut technique.Standing) {
	best := 0.0
	for _, t := range b.r.F.Techniques {
		if t.PriorTake > best {
			shut, best = b.r.StandingFor(t, o), t.PriorTake
		}
	}
	return shut
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
					if w.UnfitLot(l.ID).Limit == "" && slices.ContainsFunc(l.Classes, func(s caliper.Count) bool {
						return w.Joins(s.Class,
							c.Class)
					}) {
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
	over := words.TheCheapestThereIs
	if p.Weave.Cost > p.Weave.Bound+1e-6 {
		over = fmt.Sprintf(words.AtMostNAboveThe, (p.Weave.Cost/max(1e-9, p.Weave.Bound)-1)*100)
	}
	p.Working = working.Working{
		Title:  words.TheWeaveOfAllOpen,
		Rule:   "the weave",
		Answer: fmt.Sprintf(words.NGraftsPairedNShort, p.Weave.Paired, p.Weave.Short),
		Range:  over,
		Says:   words.EveryOpenOrderIsPaired,
		Inputs: []working.Input{
			{Name: "Cost", Value: fmt.Sprintf("%.1f grafts", p.Weave.Cost), Source: working.OwnRecords},
			{Name: words.NoWeaveCostsLessThan, Value: fmt.Sprintf("%.1f grafts", p.Weave.Bound), Source: "statistics"},
			{Name: words.HeldKeptApart, Value: fmt.Sprintf("%d, %d", len(p.Asked.Held), len(p.Asked.Banned)), Source: working.HouseWay}},
	}
}

// MakeProgramme is what is asked to make the whole weave batches.
type MakeProgramme struct {
	Asked ProgrammeAsked
	Print string
	Once  string
	Tie   string // "": of each what the house's way offers
}

// MakeProgramme makes a batch of every order that the weave pairs, all or
// none, and gives how many. If what is free has changed since the planner
// looked, it makes nothing and says so.
func (s *Stage) MakeProgramme(ctx context.Context, a nursery.Actor, m MakeProgramme) (int, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return 0, err
	}
	if !nursery.UUIDPattern.MatchString(m.Once) {
		return 0, nursery.Problem{Field: "", Says: words.LoadThePageAnewAndMakeThe}
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
		if m.Tie != "" && !slices.ContainsFunc(p.Ties, func(t store.Tie) bool { return t.Key == m.Tie }) {
			return nil, nursery.Problem{Field: "", Says: words.ChooseATieFromThe}
		}
		if p.Weave.Paired == 0 {
			return nil, nursery.Problem{Field: "", Says: words.ThereIsNothingToMakeNo}
		}
		if p.Print != m.Print {
			return nil, nursery.Problem{
				Field: "",
				Says:  words.StockOrWoodWasSetAside,
			}
		}
		var bs []newBatch
		for _, l := range p.Lines {
			if l.Paired > 0 {
				bs = append(bs, newBatch{order: l.Line.Order, threads: l.Threads, tie: cmp.Or(m.Tie, l.Tie), healing: l.Healing,
					letIn: letInOf(f, l.Line.Order)})
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

// Woven gives what the weave of all orders would make of what is in no batch yet.
func (s *Stage) Woven(ctx context.Context, f *snapshot.Snapshot) (out []outlook.Woven, err error) {
	p, err := s.programme(ctx, f, ProgrammeAsked{})
	for _, t := range p.Weave.Threads {
		out = append(out, outlook.Woven{Order: t.Order, Lot: t.Lot, Bundle: t.Bundle, Technique: t.Way, Stock: t.Stock, Scion: t.Scion,
			N:    t.N,
			Buds: t.Each})
	}
	return out, err
}
