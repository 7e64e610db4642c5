package pairing

import (
	"cmp"
	"fmt"
	"slices"
)

// unravel gives each link's grafts to the lots and bundles its ends are made
// of, least risk first, in runs as long as can be.
func (m *mesh) unravel(w *Weave, d draft) {
	su, wu := make([]int, len(m.stock)), make([]int, len(m.wood)) // the unit in hand of each end
	for i, l := range m.links {
		n := d[i]
		for n > 0 {
			s, b := next(m.stock[l.s].units, &su[l.s]), next(m.wood[l.w].units, &wu[l.w])
			k := min(n, s.n, b.n)
			s.n, b.n, n = s.n-k, b.n-k, n-k
			o := m.orders[l.order]
			t := Thread{Order: o.ID, Lot: m.p.Stock[s.pile].ID, Stock: m.stock[l.s].class, Bundle: m.p.Wood[b.pile].ID,
				Scion: m.wood[l.w].class, Way: o.Ways[l.way].Key, N: k, Each: o.Ways[l.way].pieces(), Cost: l.cost + s.risk + b.risk}
			w.Threads = append(w.Threads, t)
			w.Cost += float64(k) * t.Cost
		}
	}
	slices.SortStableFunc(w.Threads, func(a, b Thread) int { return cmp.Or(int(b.Stock-a.Stock), int(b.Scion-a.Scion)) })
}

func next(us []unit, at *int) *unit {
	for us[*at].n == 0 {
		*at++
	}
	return &us[*at]
}

// count adds up what each order got, and adds to the cost what is short.
func (m *mesh) count(w *Weave) {
	got := map[string]int{}
	for _, t := range w.Threads {
		got[t.Order] += t.N
		w.Paired += t.N
	}
	for i := range m.orders {
		o := &m.orders[i]
		f := Filled{o.ID, got[o.ID], o.Grafts - got[o.ID]}
		o.left = f.Short
		w.Orders = append(w.Orders, f)
		w.shortage = append(w.shortage, o.Shortage)
		w.Short += f.Short
		w.Cost += float64(f.Short) * o.Shortage
	}
}

// left says what was not used, and the reason for each class.
func (m *mesh) left(w *Weave) {
	orders := func(e end, ps []Pile, name func(Order) string) (out []*want) {
		for i := range m.orders {
			if o := &m.orders[i]; name(o.Order) == ps[e.pile].Of {
				out = append(out, o)
			}
		}
		return out
	}
	for i, e := range m.stock {
		if e.empty() {
			continue
		}
		os := orders(e, m.p.Stock, func(o Order) string { return o.Stock })
		why := m.why(os, false, func(o *want) []int { return o.wood }, func(o *want, j int) (Reason, int) {
			return m.apart(o, i, j), m.wood[j].all
		})
		w.LeftStock = append(w.LeftStock, e.leaves(m.p.Stock, why)...)
	}
	for j, e := range m.wood {
		if e.empty() {
			continue
		}
		os := orders(e, m.p.Wood, func(o Order) string { return o.Variety })
		why := m.why(os, true, func(o *want) []int { return o.stock }, func(o *want, i int) (Reason, int) {
			return m.apart(o, i, j), m.stock[i].all
		})
		w.LeftWood = append(w.LeftWood, e.leaves(m.p.Wood, why)...)
	}
	byPile := func(ps []Pile) func(a, b Left) int {
		at := map[string]int{}
		for i, p := range ps {
			at[p.ID] = i
		}
		return func(a, b Left) int { return cmp.Or(at[a.Pile]-at[b.Pile], int(a.Class-b.Class)) }
	}
	slices.SortStableFunc(w.LeftStock, byPile(m.p.Stock))
	slices.SortStableFunc(w.LeftWood, byPile(m.p.Wood))
}

// empty says that nothing is left of an end, odd pieces included.
func (e end) empty() bool {
	return !slices.ContainsFunc(e.units, func(u unit) bool { return u.n > 0 || u.odd > 0 })
}

// leaves says what is left of each pile, in stems or pieces. Pieces too few for a
// stem are left for that, if they would fit something that is short.
func (e end) leaves(ps []Pile, why Reason) []Left {
	var out []Left
	for i := range e.units {
		u := &e.units[i]
		switch n := e.has(u); {
		case n == 0:
		case u.n == 0 && why.Cause == UsedUp:
			out = append(out, Left{ps[u.pile].ID, e.class, n, Reason{Cause: Odd, Wood: true}})
		default:
			out = append(out, Left{ps[u.pile].ID, e.class, n, why})
		}
	}
	return out
}

// apart says why an order cannot join two ends; the zero Reason when it can.
func (m *mesh) apart(o *want, s, w int) Reason {
	if m.banned(o, s, w) {
		return Reason{Cause: KeptApart}
	}
	if k, c := m.cheapest(o, s, w); k < 0 {
		return m.whyApart(o, s, w)
	} else if c >= o.Shortage {
		return Reason{Cause: TooCostly}
	}
	return Reason{}
}

// why gives the reason that an end is left over: what stands against most of
// what it could go with or, when it fits, who has that. wood is for an end of
// wood.
func (m *mesh) why(os []*want, wood bool, ends func(*want) []int, at func(*want, int) (Reason, int)) Reason {
	if len(os) == 0 {
		return Reason{Cause: NoneAsks, Wood: wood}
	}
	fits, unfilled, some := false, 0, false
	weight, best := map[Reason]int{}, Reason{}
	for _, o := range os {
		fitsThis := false
		for _, j := range ends(o) {
			some = true
			why, n := at(o, j)
			if why == (Reason{}) {
				fits, fitsThis = true, true
				break
			}
			weight[why] += n
			if best == (Reason{}) || weight[why] > weight[best] {
				best = why
			}
		}
		if fitsThis && o.left > 0 {
			unfilled++
		}
	}
	switch {
	case !some:
		return Reason{Cause: NoneAtHand, Wood: wood}
	case !fits:
		return best
	case unfilled == 0 && len(os) == 1:
		return Reason{Cause: OrderFilled}
	case unfilled == 0:
		return Reason{Cause: AllFilled}
	}
	return Reason{Cause: UsedUp, Wood: wood}
}

// WhyNot says why a stem class and a piece class are not joined for an order,
// as the weave stands: w must be the weave of p.
func WhyNot(p Programme, w Weave, ask Pair) (Answer, error) {
	a := Answer{Ask: ask}
	m, err := merge(p)
	if err != nil {
		return a, err
	}
	i := slices.IndexFunc(m.orders, func(o want) bool { return o.ID == ask.Order })
	if i < 0 {
		return a, fmt.Errorf("%w: there is no order %s", ErrNamed, ask.Order)
	}
	o := &m.orders[i]
	a.Stock, a.Variety = o.Stock, o.Variety
	s, su := find(m.stock, p.Stock, o.stock, ask.Lot, ask.Stock)
	b, bu := find(m.wood, p.Wood, o.wood, ask.Bundle, ask.Scion)
	switch {
	case su == nil:
		a.Cause = NoSuch
		return a, nil
	case bu == nil:
		a.Cause, a.Wood = NoSuch, true
		return a, nil
	}
	if why := m.apart(o, s, b); why != (Reason{}) {
		a.Reason = why
		return a, nil
	}
	short := 0
	for _, f := range w.Orders {
		if f.Order == o.ID {
			short = f.Short
		}
	}
	var has, stems, pieces []Thread
	usedS, usedW := 0, 0
	for _, t := range w.Threads {
		onS, onW := t.Lot == ask.Lot && t.Stock == ask.Stock, t.Bundle == ask.Bundle && t.Scion == ask.Scion
		switch {
		case onS && onW && t.Order == o.ID:
			has = append(has, t)
		case onS:
			stems = append(stems, t)
		case onW:
			pieces = append(pieces, t)
		}
		if onS {
			usedS += t.N
		}
		if onW {
			usedW += t.Pieces()
		}
	}
	switch {
	case len(has) > 0:
		a.Cause, a.Threads = Joined, has[:1]
	case short == 0 && usedS < su.n && usedW+o.each() <= m.wood[b].has(bu):
		a.Cause = Spared
	case usedS >= su.n && len(stems) > 0:
		a.Cause, a.Threads = SpokenFor, stems
	case usedW+o.each() > m.wood[b].has(bu) && len(pieces) > 0:
		a.Cause, a.Wood, a.Threads = SpokenFor, true, pieces
	default:
		a.Cause = Dearer
	}
	return a, nil
}
