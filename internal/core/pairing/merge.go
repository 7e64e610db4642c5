package pairing

import (
	"fmt"
	"math"
	"slices"
	"sort"
	"strings"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/technique"
)

// mesh is a programme with what is alike laid together: the stems of a class
// of all lots of a type are one end of threads, whatever lot they are from,
// since a lot adds its risk to a thread whatever is at the other end.
type mesh struct {
	p           Programme
	stock, wood []end
	orders      []want
	links       []link
	classes     int // above every class there is
	tables      map[ways][]joined
}

// end is one end of threads: the stems, or pieces, of one class that go with
// the same things at the same cost but for their own risk.
type end struct {
	class caliper.Class
	units []unit // least risk first
	pile  int    // one of its piles; all answer alike
	all   int    // how many there were at first
	each  int    // pieces that a stem takes of it; 1 of stems
}

// unit is what one pile gives to an end: for n stems, and odd pieces beside that
// are too few for one.
type unit struct {
	pile, n, odd int
	risk         float64
}

// put sets what a unit has, in stems or pieces, of which each make one.
func (u *unit) put(n, each int) { u.n, u.odd = n/each, n%each }

// has is what a unit has, in stems or pieces.
func (e end) has(u *unit) int {
	if u == nil {
		return 0
	}
	return u.n*e.each + u.odd
}

func (e end) n() int {
	t := 0
	for _, u := range e.units {
		t += u.n
	}
	return t
}

// want is an order as the mesh sees it.
type want struct {
	Order
	left        int            // grafts not yet held
	stock, wood []int          // ends of its type and of its variety
	takes       map[int]uint64 // ways, by an end of wood
	takesLot    map[int]uint64 // ways, by an end of stock
	table       []joined       // of the ways for tableTakes
	tableTakes  uint64
}

// link says that an order can join two ends, and at what cost but for risk.
type link struct {
	order, s, w int
	way         int
	cost        float64
}

func merge(p Programme) (*mesh, error) {
	if err := p.check(); err != nil {
		return nil, err
	}
	m := &mesh{p: p, tables: map[ways][]joined{}}
	for _, o := range p.Orders {
		m.orders = append(m.orders, want{Order: o, left: o.Grafts, takes: map[int]uint64{}, takesLot: map[int]uint64{}})
	}
	one := func(string) int { return 1 }
	m.stock = ends(p.Stock, one, func(i int) string {
		var sign strings.Builder
		if slices.ContainsFunc(p.Banned, func(b Pair) bool { return b.Lot == p.Stock[i].ID }) {
			sign.WriteString(p.Stock[i].ID)
		}
		for _, o := range m.orders {
			if o.Stock == p.Stock[i].Of {
				fmt.Fprint(&sign, "/", o.Order.takesLot(p.Stock[i].ID))
			}
		}
		return sign.String()
	})
	m.wood = ends(p.Wood, p.eachOf, func(i int) string {
		var sign strings.Builder
		if slices.ContainsFunc(p.Banned, func(b Pair) bool { return b.Bundle == p.Wood[i].ID }) {
			sign.WriteString(p.Wood[i].ID)
		}
		for _, o := range m.orders {
			if o.Variety == p.Wood[i].Of {
				fmt.Fprint(&sign, "/", o.Order.takes(p.Wood[i].ID))
			}
		}
		return sign.String()
	})
	for _, es := range [][]end{m.stock, m.wood} {
		for _, e := range es {
			m.classes = max(m.classes, int(e.class)+1)
		}
	}
	of := map[string][]int{}
	for i, e := range m.stock {
		k := "s" + p.Stock[e.pile].Of
		of[k] = append(of[k], i)
	}
	for i, e := range m.wood {
		k := "w" + p.Wood[e.pile].Of
		of[k] = append(of[k], i)
	}
	for i := range m.orders {
		o := &m.orders[i]
		o.stock, o.wood = of["s"+o.Stock], of["w"+o.Variety]
		for _, j := range o.wood {
			o.takes[j] = o.Order.takes(p.Wood[m.wood[j].pile].ID)
		}
		for _, j := range o.stock {
			o.takesLot[j] = o.Order.takesLot(p.Stock[m.stock[j].pile].ID)
		}
	}
	return m, nil
}

// takes gives the ways a bundle suits, as bits.
func (o Order) takes(bundle string) uint64 {
	bits := uint64(0)
	for k, t := range o.Ways {
		ok := true
		if t.Unfit != nil {
			ok = t.Unfit(bundle).Limit == ""
		}
		if ok {
			bits |= 1 << k
		}
	}
	return bits
}

// takesLot gives the ways a lot suits, as bits.
func (o Order) takesLot(lot string) uint64 {
	bits := uint64(0)
	for k, t := range o.Ways {
		if t.UnfitLot == nil || t.UnfitLot(lot).Limit == "" {
			bits |= 1 << k
		}
	}
	return bits
}

// ends lays the piles' classes together, apart by what sign says of the pile; each
// says how many of a pile's pieces a stem takes.
func ends(ps []Pile, each func(of string) int, sign func(pile int) string) []end {
	type key struct {
		of, sign string
		class    caliper.Class
	}
	var out []end
	at := map[key]int{}
	for i, p := range ps {
		by := map[caliper.Class]int{}
		for _, c := range p.Classes {
			by[c.Class] += c.N
		}
		s, by1 := sign(i), each(p.Of)
		for _, c := range caliper.Sorted(by) {
			k := key{p.Of, s, c.Class}
			e, ok := at[k]
			if !ok {
				e = len(out)
				at[k], out = e, append(out, end{class: c.Class, pile: i, each: by1})
			}
			u := unit{pile: i, risk: p.Risk}
			u.put(c.N, by1)
			out[e].units = append(out[e].units, u)
			out[e].all += c.N
		}
	}
	for _, e := range out {
		sort.SliceStable(e.units, func(a, b int) bool { return e.units[a].risk < e.units[b].risk })
	}
	return out
}

// join finds the links: for each order every two ends that some way joins
// more cheaply than leaving the graft out.
func (m *mesh) join() {
	for i := range m.orders {
		o := &m.orders[i]
		if o.left == 0 {
			continue
		}
		for _, s := range o.stock {
			for _, w := range o.wood {
				if m.banned(o, s, w) {
					continue
				}
				if k, c := m.cheapest(o, s, w); k >= 0 && c < o.Shortage {
					m.links = append(m.links, link{i, s, w, k, c})
				}
			}
		}
	}
}

// cheapest gives the order's cheapest way to join two ends, or -1.
func (m *mesh) cheapest(o *want, s, w int) (way int, cost float64) {
	sc, wc, takes := m.stock[s].class, m.wood[w].class, o.takes[w]&o.takesLot[s]
	j := &m.table(o, takes)[int(sc)*m.classes+int(wc)]
	if !j.known {
		*j = joined{known: true, way: -1, cost: math.Inf(1)}
		for k := range o.Ways {
			if takes>>k&1 == 0 || !o.Ways[k].Joins(sc, wc) {
				continue
			}
			if c := o.Ways[k].Cost(sc, wc); c < j.cost {
				j.way, j.cost = k, c
			}
		}
	}
	return j.way, j.cost
}

// joined is the cheapest way to join a pair of classes.
type joined struct {
	known bool
	way   int
	cost  float64
}

// ways names a set of ways that join alike: orders that share a slice of Way
// share what is worked out of it.
type ways struct {
	first *Way
	n     int
	takes uint64
}

// table gives what is known of an order's ways, by stem and piece class.
func (m *mesh) table(o *want, takes uint64) []joined {
	if o.table != nil && o.tableTakes == takes {
		return o.table
	}
	k := ways{n: len(o.Ways), takes: takes}
	if k.n > 0 {
		k.first = &o.Ways[0]
	}
	t := m.tables[k]
	if t == nil {
		t = make([]joined, m.classes*m.classes)
		m.tables[k] = t
	}
	o.table, o.tableTakes = t, takes
	return t
}

func (m *mesh) banned(o *want, s, w int) bool {
	for _, b := range m.p.Banned {
		if b.covers(o.ID, m.p.Stock[m.stock[s].pile].ID, m.p.Wood[m.wood[w].pile].ID, m.stock[s].class, m.wood[w].class) {
			return true
		}
	}
	return false
}

// hold takes the held threads out of the mesh and puts them in the weave.
func (m *mesh) hold(w *Weave) error {
	for _, h := range m.p.Held {
		if h.N <= 0 {
			continue
		}
		t, err := m.held(h)
		if err != nil {
			return err
		}
		w.Threads = append(w.Threads, t)
		w.Cost += float64(t.N) * t.Cost
		w.Bound += float64(t.N) * t.Cost
	}
	return nil
}

func (m *mesh) held(h Thread) (Thread, error) {
	no := func(c Cause, n int) (Thread, error) { return h, &HeldError{h, Reason{Cause: c}, n} }
	i := slices.IndexFunc(m.orders, func(o want) bool { return o.ID == h.Order })
	if i < 0 {
		return no(NoOrder, 0)
	}
	o := &m.orders[i]
	if o.left < h.N {
		return no(OrderHas, o.left)
	}
	s, su := find(m.stock, m.p.Stock, o.stock, h.Lot, h.Stock)
	w, wu := find(m.wood, m.p.Wood, o.wood, h.Bundle, h.Scion)
	switch {
	case su == nil || su.n < h.N:
		return no(LotHas, count(su))
	case wu == nil:
		return no(BundleHas, 0)
	}
	k, cost := m.cheapest(o, s, w)
	if h.Way != "" {
		k = -1
		for i, y := range o.Ways { // a technique may stand more than once, each for other lots
			if y.Key == h.Way && (o.takes[w]&o.takesLot[s])>>i&1 == 1 && y.Joins(h.Stock, h.Scion) {
				k = i
				break
			}
		}
		if k >= 0 {
			cost = o.Ways[k].Cost(h.Stock, h.Scion)
		}
	}
	if k < 0 {
		why := m.whyApart(o, s, w)
		if why == (Reason{Cause: Unfit}) {
			return no(NotByIt, 0)
		}
		return h, &HeldError{h, why, 0}
	}
	each := o.Ways[k].pieces()
	has := m.wood[w].has(wu)
	if has < h.N*each {
		return no(BundleHas, has/each)
	}
	o.left -= h.N
	su.n -= h.N
	wu.put(has-h.N*each, m.wood[w].each)
	h.Way, h.Each, h.Cost, h.Held = o.Ways[k].Key, each, cost+su.risk+wu.risk, true
	return h, nil
}

func count(u *unit) int {
	if u == nil {
		return 0
	}
	return u.n
}

func find(es []end, ps []Pile, among []int, pile string, c caliper.Class) (int, *unit) {
	for _, i := range among {
		if es[i].class != c {
			continue
		}
		for j := range es[i].units {
			if ps[es[i].units[j].pile].ID == pile {
				return i, &es[i].units[j]
			}
		}
	}
	return -1, nil
}

// whyApart says why an order's ways do not join two ends. Wood too wide is
// said by the first technique: only the tool cut has more to say of it.
// Limits are said by the last, which stretches furthest.
func (m *mesh) whyApart(o *want, s, w int) Reason {
	if len(o.Ways) == 0 {
		return o.closed()
	}
	var why technique.Misfit
	said := false
	sc, wc := m.stock[s].class, m.wood[w].class
	for k, t := range o.Ways {
		switch {
		case o.takesLot[s]>>k&1 == 0:
			if why.Limit == "" {
				why = t.UnfitLot(m.p.Stock[m.stock[s].pile].ID)
			}
			continue
		case o.takes[w]>>k&1 == 0:
			if why.Limit == "" || why.Limit == technique.StockStands {
				why = t.Unfit(m.p.Wood[m.wood[w].pile].ID)
			}
			continue
		}
		if !t.Joins(sc, wc) && (!said || wc <= sc) {
			why, said = t.Misfit(sc, wc), true
		}
	}
	return Reason{Cause: Unfit, Misfit: why}
}
