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
				Scion: m.wood[l.w].class, Way: o.Ways[l.way].Key, N: k, Cost: l.cost + s.risk + b.risk}
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
		if e.n() == 0 {
			continue
		}
		os := orders(e, m.p.Stock, func(o Order) string { return o.Stock })
		why := m.why(os, "wood", "stock", func(o *want) []int { return o.wood }, func(o *want, j int) (string, int) {
			return m.apart(o, i, j), m.wood[j].all
		})
		w.LeftStock = append(w.LeftStock, e.leaves(m.p.Stock, why)...)
	}
	for j, e := range m.wood {
		if e.n() == 0 {
			continue
		}
		os := orders(e, m.p.Wood, func(o Order) string { return o.Variety })
		why := m.why(os, "stock", "wood", func(o *want) []int { return o.stock }, func(o *want, i int) (string, int) {
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

func (e end) leaves(ps []Pile, why string) []Left {
	var out []Left
	for _, u := range e.units {
		if u.n > 0 {
			out = append(out, Left{ps[u.pile].ID, e.class, u.n, why})
		}
	}
	return out
}

// apart says why an order cannot join two ends, or "".
func (m *mesh) apart(o *want, s, w int) string {
	if m.banned(o, s, w) {
		return "kept apart by hand"
	}
	if k, c := m.cheapest(o, s, w); k < 0 {
		return m.whyApart(o, s, w)
	} else if c >= o.Shortage {
		return "a graft of it would lose more than leaving it out"
	}
	return ""
}

// why gives the reason that an end is left over: what stands against most of
// what it could go with or, when it fits, who has that.
func (m *mesh) why(os []*want, others, self string, ends func(*want) []int, at func(*want, int) (string, int)) string {
	if len(os) == 0 {
		return "no order asks for this " + self
	}
	fits, unfilled, some := false, 0, false
	weight, best := map[string]int{}, ""
	for _, o := range os {
		fitsThis := false
		for _, j := range ends(o) {
			some = true
			why, n := at(o, j)
			if why == "" {
				fits, fitsThis = true, true
				break
			}
			weight[why] += n
			if best == "" || weight[why] > weight[best] {
				best = why
			}
		}
		if fitsThis && o.left > 0 {
			unfilled++
		}
	}
	switch {
	case !some:
		return "no " + others + " at hand"
	case !fits && best == "":
		return "no technique is open"
	case !fits:
		return best
	case unfilled == 0 && len(os) == 1:
		return "not needed: the order is filled"
	case unfilled == 0:
		return "not needed: the orders it fits are filled"
	}
	return "the " + others + " that fits it is used up"
}

// WhyNot says why a stem class and a piece class are not joined for an order,
// as the weave stands: w must be the weave of p.
func WhyNot(p Programme, w Weave, ask Pair) (string, error) {
	m, err := merge(p)
	if err != nil {
		return "", err
	}
	i := slices.IndexFunc(m.orders, func(o want) bool { return o.ID == ask.Order })
	if i < 0 {
		return "", fmt.Errorf("%w: there is no order %s", ErrNamed, ask.Order)
	}
	o := &m.orders[i]
	s, su := find(m.stock, p.Stock, o.stock, ask.Lot, ask.Stock)
	b, bu := find(m.wood, p.Wood, o.wood, ask.Bundle, ask.Scion)
	switch {
	case su == nil:
		return fmt.Sprintf("lot %s has no stems of %s mm for order %s, which wants %s", ask.Lot, ask.Stock, o.ID, o.Stock), nil
	case bu == nil:
		return fmt.Sprintf("bundle %s has no pieces of %s mm for order %s, which wants %s", ask.Bundle, ask.Scion, o.ID, o.Variety), nil
	}
	if why := m.apart(o, s, b); why != "" {
		return why, nil
	}
	var has, stems, pieces []string
	short := 0
	for _, f := range w.Orders {
		if f.Order == o.ID {
			short = f.Short
		}
	}
	usedS, usedW := 0, 0
	for _, t := range w.Threads {
		onS, onW := t.Lot == ask.Lot && t.Stock == ask.Stock, t.Bundle == ask.Bundle && t.Scion == ask.Scion
		switch {
		case onS && onW && t.Order == o.ID:
			has = append(has, fmt.Sprintf("%d are joined by %s", t.N, t.Way))
		case onS:
			stems = append(stems, fmt.Sprintf("%d with %s of %s for %s", t.N, t.Scion, t.Bundle, t.Order))
		case onW:
			pieces = append(pieces, fmt.Sprintf("%d with %s of %s for %s", t.N, t.Stock, t.Lot, t.Order))
		}
		if onS {
			usedS += t.N
		}
		if onW {
			usedW += t.N
		}
	}
	switch {
	case len(has) > 0:
		return has[0], nil
	case short == 0 && usedS < su.n && usedW < bu.n:
		return "not needed: the order is filled by closer or safer pairs", nil
	case usedS >= su.n && len(stems) > 0:
		return "spoken for: the stems go " + firstFew(stems), nil
	case usedW >= bu.n && len(pieces) > 0:
		return "spoken for: the pieces go " + firstFew(pieces), nil
	}
	return "it fits, but joining these would cost the programme more elsewhere", nil
}

func firstFew(s []string) string {
	out := s[0]
	for i := 1; i < min(3, len(s)); i++ {
		out += ", " + s[i]
	}
	if len(s) > 3 {
		out += fmt.Sprintf(" and %d more", len(s)-3)
	}
	return out
}
