package rehearse

import (
	"fmt"
	"math"
	"net/url"
	"slices"
	"strconv"

	"gonum.org/v1/gonum/stat/distuv"

	"unionknot/internal/core/rehearsal"
	"unionknot/internal/core/take"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/ways"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// candidates are the changes that could be made for an order.
func candidates(f *snapshot.Snapshot, r *outlook.OrderSizer, p outlook.Played, line outlook.OrderLine, order int,
	goes rehearsal.Outcome) (out []Lever) {
	o, w := line.Order, outlook.WorthOf(f.House)
	t := line.Need.By.Technique
	graft := float64(w.StemCents) + float64(max(1, t.Pieces())*w.PieceCents)
	if t.RatePerHour > 0 {
		graft += float64(max(1, t.Pieces())*w.WageCents) / float64(t.RatePerHour)
	}
	cents := func(n int) int { return int(math.Round(float64(n) * graft)) }
	at := largest(&p.Season, order)
	// More grafts of what is free beside what is woven already.
	free := spare(p, line)
	if at >= 0 {
		for _, n := range steps {
			if n > free {
				break
			}
			out = append(out, Lever{Kind: More, N: n, Cents: cents(n), Path: "/match/" + url.PathEscape(o.Code) + "?grafts=" +
				strconv.Itoa(line.ToGo+n),
				change: func(s *rehearsal.Season) { s.Jobs[largest(s, order)].Grafts += n }})
		}
	}
	if n := p.Unwoven[order]; n > 0 {
		out = append(out, Lever{Kind: Buy, N: n, Cents: cents(n), Path: "/orders/" + url.PathEscape(o.Code),
			change: func(s *rehearsal.Season) {
				if k := largest(s, order); k >= 0 {
					j := s.Jobs[k]
					j.Grafts = n
					s.Jobs = append(s.Jobs, j)
					return
				}
				// Nothing of it is made or planned: as its usual technique does it, of a lot, bundle and
				// worker like any other.
				e := line.Need.By.Expected
				between := e.Spreads.Worker*e.Spreads.Worker + e.Spreads.Lot*e.Spreads.Lot + e.Spreads.Bundle*e.Spreads.Bundle
				s.Jobs = append(s.Jobs, rehearsal.Job{Order: order, Grafts: n, Eta: e.Middle(), EtaSD: math.Sqrt(e.Variance + between),
					Hand:   rehearsal.Made,
					Window: -1, Buds: t.Pieces()})
			}})
	}
	if l, ok := again(r, p, line, order, goes, w); ok {
		out = append(out, l)
	}
	jobs := mine(&p.Season, order, toMake)
	if len(jobs) == 0 {
		return out
	}
	// Its work to the best hand who knows it.
	if h, e := bestHand(p, p.Jobs[jobs[0]].Technique); h >= 0 && hasHours(p, h, jobs) {
		out = append(out, Lever{Kind: Hand, Name: p.Hands[h].Person.Name, Path: "/bench/days", change: func(s *rehearsal.Season) {
			for _, i := range mine(s, order, toMake) {
				j := s.Jobs[i]
				j.Effects = slices.Clone(j.Effects)
				for k, x := range j.Effects {
					if x < len(p.Effects) && p.Effects[x].Factor == take.Worker {
						j.Effects[k] = e
					}
				}
				s.Jobs[i] = j
			}
		}})
	}
	if lot, e := secondLot(f, p, o, jobs); lot != "" {
		out = append(out, Lever{Kind: Second, Name: lot, Path: "/match/" + url.PathEscape(o.Code), change: func(s *rehearsal.Season) {
			at := len(s.Effects)
			s.Effects = append(s.Effects, e)
			for _, i := range mine(s, order, toMake) {
				j := s.Jobs[i]
				half := int(float64(j.Grafts) * secondShare)
				s.Jobs[i].Grafts -= half
				j.Grafts, j.Effects = half, slices.Clone(j.Effects)
				for k, x := range j.Effects {
					if x < len(p.Effects) && p.Effects[x].Factor == take.Lot {
						j.Effects[k] = at
					}
				}
				s.Jobs = append(s.Jobs, j)
			}
		}})
	}
	return out
}

// measure is what it is worth to know beforehand how the lot or wood that an order hangs on most
// will take: more is then grafted only where it is poor. The middles of five strips of equal
// chance stand for what may be found; the chance is their mean, the cost what is spent in them.
func measure(p outlook.Played, line outlook.OrderLine, order int, o *Going, from, want float64, found []Lever) (Lever, bool, error) {
	more := slices.IndexFunc(found, func(l Lever) bool { return l.Kind == More && l.N == measureMore })
	effect := -1
	for e, by := range o.of {
		n := p.Effects[e]
		if (n.Factor == take.Lot || n.Factor == take.Bundle) && (effect < 0 || by > o.of[effect] || by == o.of[effect] && e < effect) {
			effect = e
		}
	}
	if more < 0 || effect < 0 {
		return Lever{}, false, nil
	}
	b := p.Season.Effects[effect]
	sum, spent := 0.0, 0.0
	for k := range measureNodes {
		z := distuv.UnitNormal.Quantile((float64(k) + 0.5) / measureNodes)
		chance := func(change func(s *rehearsal.Season)) (float64, error) {
			s := only(p.Season, order)
			if s.Joint != nil && effect < s.Joint.SymmetricDim() {
				s.Joint = nil // each by itself: the one that is known is not drawn
			}
			s.Effects[effect] = rehearsal.Belief{Mean: b.Mean + z*b.SD}
			if change != nil {
				change(&s)
			}
			a, err := rehearsal.Play(s, leverSeasons/2, rehearsal.Seed, rehearsal.Nothing)
			if err != nil {
				return 0, fmt.Errorf("trying what a look would tell: %w", err)
			}
			return a.Orders[order].Met, nil
		}
		as, err := chance(nil)
		if err != nil {
			return Lever{}, false, err
		}
		if as < want {
			with, err := chance(found[more].change)
			if err != nil {
				return Lever{}, false, err
			}
			if with > as {
				as, spent = with, spent+1
			}
		}
		sum += as / measureNodes
	}
	path := "/stock/lots/"
	if p.Effects[effect].Factor == take.Bundle {
		path = "/wood/bundles/"
	}
	l := Lever{Kind: Measure, N: measureMore, Name: p.Effects[effect].Level, From: from, To: sum, Order: line.Order.Code, at: order,
		Cents: int(math.Round(float64(found[more].Cents) * spent / measureNodes)), Path: path + url.PathEscape(p.Effects[effect].Level)}
	return l, l.Gain() >= leastGain, nil
}

// spare is how many more grafts an order could be given of what is free once all that is woven
// is set aside.
func spare(p outlook.Played, line outlook.OrderLine) int {
	stems, pieces := line.Weavable.Stems, line.Weavable.Pieces
	for _, w := range p.Woven {
		i := slices.IndexFunc(p.Orders, func(o store.Order) bool { return o.Code == w.Order })
		if i < 0 {
			continue
		}
		if p.Orders[i].StockTypeID == line.Order.StockTypeID {
			stems -= w.N
		}
		if p.Orders[i].VarietyID == line.Order.VarietyID {
			pieces -= w.N * max(1, w.Buds)
		}
	}
	if line.Later() { // its wood is still to be cut
		return stems - line.ToGo
	}
	return min(stems, pieces/max(1, line.Need.By.Technique.Pieces()))
}

// again is a second throw: the stocks whose graft is expected to fail are budded in summer, where
// the house gives them another chance and there is time before the order is due.
func again(r *outlook.OrderSizer, p outlook.Played, line outlook.OrderLine, order int, goes rehearsal.Outcome, w outlook.Worth) (Lever,
	bool) {
	o := line.Order
	if line.Later() || r.F.Answers().SecondChance() == ways.Discard {
		return Lever{}, false
	}
	bs, _ := r.Know(o.Genus, o.StockGenus)
	best := outlook.Belief{}
	for _, b := range bs {
		if b.Technique.SetsBud() && (best.Technique.Key == "" || b.Expected.Mean > best.Expected.Mean ||
			b.Expected.Mean == best.Expected.Mean && b.Technique.Key < best.Technique.Key) {
			best = b
		}
	}
	made := 0
	for _, j := range p.Season.Jobs {
		if j.Order == order && !j.Sure {
			made += j.Grafts
		}
	}
	n := int(againAlive * (float64(made) - goes.Mean - goes.Late + float64(o.Alive)))
	st := r.StandingFor(best.Technique, o)
	from := r.F.Today
	if st.Verdict == technique.Shut {
		from = st.Opens
	}
	// A bud sleeps until spring, and makes a tree in the season after.
	if from.IsZero() || o.DueOn.Before(from.AddDate(0, againMonths, 0)) {
		return Lever{}, false
	}
	if best.Technique.Key == "" || best.Technique.RatePerHour <= 0 || n < leastAgain {
		return Lever{}, false
	}
	s := best.Expected.Spreads
	between := s.Worker*s.Worker + s.Lot*s.Lot + s.Bundle*s.Bundle
	each := float64(w.PieceCents) + float64(w.WageCents)/float64(best.Technique.RatePerHour)
	return Lever{Kind: Again, N: n, Name: best.Technique.Name, Cents: int(math.Round(float64(n) * each)), Path: "/heal",
		change: func(x *rehearsal.Season) {
			x.Jobs = append(x.Jobs, rehearsal.Job{Order: order, Grafts: n, Eta: best.Expected.Middle(),
				EtaSD: math.Sqrt(best.Expected.Variance + between),
				Hand:  rehearsal.Made, Window: -1})
		}}, true
}

// House defaults of a second throw: how many stocks must be there for it, how many of those whose
// graft failed still live, and the months from a summer bud to a tree.
const (
	leastAgain  = 3
	againAlive  = 0.7
	againMonths = 14
)

// bestHand is the hand with the best known takes of those who know a technique and are at the
// bench, and their effect; below 0 where nobody's is known.
func bestHand(p outlook.Played, technique string) (hand, effect int) {
	hand, effect = -1, -1
	for h, x := range p.Hands {
		if !x.Knows[technique] || x.WeekHours() == 0 {
			continue
		}
		e := slices.IndexFunc(p.Effects, func(n take.Named) bool {
			return n.Factor == take.Worker && n.Level == strconv.FormatInt(x.Person.ID, 10)
		})
		if e >= 0 && (hand < 0 || p.Season.Effects[e].Mean > p.Season.Effects[effect].Mean) {
			hand, effect = h, e
		}
	}
	return hand, effect
}

// hasHours says whether a hand has the hours for jobs of others beside what they have to do
// until the last day on which those can be made.
func hasHours(p outlook.Played, hand int, jobs []int) bool {
	need, last := 0.0, 0
	for _, i := range jobs {
		j := p.Season.Jobs[i]
		if j.Hand != hand {
			need += float64(j.Grafts*max(1, j.Buds)) / math.Max(1, p.Work.Rate[p.Jobs[i].Technique])
		}
		if j.Window >= 0 {
			last = max(last, p.Season.Windows[j.Window].Day)
		}
	}
	free := 0.0
	for slot, hours := range p.Work.Hands[hand].Hours {
		if slot/2 <= last {
			free += hours * p.Work.Hands[hand].Speed
		}
	}
	for _, c := range p.Plan.Pieces {
		if c.Hand == hand && c.Slot/2 <= last {
			free -= c.Hours
		}
	}
	return free >= need
}

// secondLot is another lot of an order's stock with room for half of its work, where that lies
// on one lot, and what is known of it.
func secondLot(f *snapshot.Snapshot, p outlook.Played, o store.Order, jobs []int) (code string, known rehearsal.Belief) {
	n, lots := 0, map[string]bool{}
	for _, i := range jobs {
		n += p.Season.Jobs[i].Grafts
		lots[p.Jobs[i].Lot] = true
	}
	if len(lots) != 1 {
		return "", known
	}
	for _, l := range f.LotsOf(o.StockTypeID) {
		if lots[l.Code] || float64(l.Free) < secondShare*float64(n) {
			continue
		}
		known = rehearsal.Belief{SD: take.UsualSpreads.Lot}
		if e := slices.IndexFunc(p.Effects, func(x take.Named) bool { return x.Factor == take.Lot && x.Level == l.Code }); e >= 0 {
			known = p.Season.Effects[e]
		}
		return l.Code, known
	}
	return "", known
}
