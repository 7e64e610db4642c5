package benchday

import (
	"cmp"
	"slices"
)

// mender moves single tags of a plan: what is late or on no half-day is put
// where it is in time, if need be in the place of a tag that can go elsewhere in
// time or that weighs less.
type mender struct {
	*shop
	ps    []Piece     // Slot is −1 for what is on no half-day
	cells [][][]int   // pieces by hand and half-day
	room  [][]float64 // hours left in a cell, its changeovers taken off
}

// mend gives a plan that is no worse.
func (s *shop) mend(x Plan) Plan {
	m := mender{shop: s, ps: slices.Clone(x.Pieces), cells: make([][][]int, len(s.Hands))}
	for _, l := range x.Unplaced {
		size := s.size(s.Jobs[l.Job])
		for n := l.Grafts; n > 0; n -= size {
			k := min(n, size)
			m.ps = append(m.ps, Piece{Job: l.Job, Slot: -1, Grafts: k, Hours: s.hours(s.Jobs[l.Job], k)})
		}
	}
	for h := range m.cells {
		m.cells[h] = make([][]int, s.Slots)
	}
	for i, c := range m.ps {
		if c.Slot >= 0 && c.Slot < s.Slots {
			m.cells[c.Hand][c.Slot] = append(m.cells[c.Hand][c.Slot], i)
		}
	}
	for h := range m.cells {
		m.room = append(m.room, make([]float64, s.Slots))
		for slot := range s.Slots {
			m.reckon(h, slot)
		}
	}
	moved := false
	for range 3 {
		better := false
		for _, i := range m.late() {
			better = m.bring(i) || better
		}
		if moved = moved || better; !better {
			break
		}
	}
	if !moved {
		return x
	}
	return m.plan(x)
}

// reckon works out what a cell has left.
func (m *mender) reckon(h, slot int) {
	load, n := 0.0, 0
	cell := m.cells[h][slot]
	for a, i := range cell {
		load += m.ps[i].Hours
		if !slices.ContainsFunc(cell[:a], func(k int) bool { return m.alike[m.ps[k].Job] == m.alike[m.ps[i].Job] }) {
			n++
		}
	}
	m.room[h][slot] = m.capacity(h, slot) - load - changeHours*float64(max(0, n-1))
}

// isLate says whether a piece counts as late.
func (m *mender) isLate(i int) bool {
	c := m.ps[i]
	return c.Slot < 0 || c.Slot > m.Jobs[c.Job].Latest
}

// late lists what is late and may be moved, the weightiest first.
func (m *mender) late() []int {
	var out []int
	for i, c := range m.ps {
		if m.isLate(i) && !m.Jobs[c.Job].Fixed {
			out = append(out, i)
		}
	}
	slices.SortStableFunc(out, func(a, b int) int { return compare(m.worth(b), m.worth(a)) })
	return out
}

// worth is what a piece costs when it is late.
func (m *mender) worth(i int) float64 { return m.Jobs[m.ps[i].Job].Weight * float64(m.ps[i].Grafts) }

// fits says whether a piece can stand in a cell from which others are taken.
func (m *mender) fits(i, h, slot, without int) bool {
	c := m.ps[i]
	capacity, t := m.capacity(h, slot), m.byWay[c.Job]
	if capacity <= 0 || !m.knows[h][t] || slot < m.Jobs[c.Job].Earliest {
		return false
	}
	cell := m.cells[h][slot]
	alone := len(cell) == 0 || len(cell) == 1 && cell[0] == without
	if alone {
		if c.Hours > capacity+1e-9 && !m.Jobs[c.Job].Whole {
			return false
		}
		return m.seatFor(i, h, slot, without, false)
	}
	// At best it brings no changeover, and what goes takes one with it.
	room := m.room[h][slot]
	if without >= 0 {
		room += m.ps[without].Hours + changeHours
	}
	if room < c.Hours-1e-9 {
		return false
	}
	load, runs := c.Hours, 1
	for a, k := range cell {
		if k == without {
			continue
		}
		load += m.ps[k].Hours
		run := m.alike[m.ps[k].Job]
		if run != m.alike[c.Job] &&
			!slices.ContainsFunc(cell[:a], func(o int) bool { return o != without && m.alike[m.ps[o].Job] == run }) {
			runs++
		}
	}
	if load+changeHours*float64(runs-1) > capacity+1e-9 {
		return false
	}
	others := 1
	return m.seatFor(i, h, slot, without, others > 0)
}

// seatFor says whether a hand finds a seat, and a place of the technique's own.
func (m *mender) seatFor(i, h, slot, without int, sits bool) bool {
	if m.seats > 0 && !sits {
		n := 0
		for other := range m.cells {
			if other != h && len(m.cells[other][slot]) > 0 {
				n++
			}
		}
		if n >= m.seats {
			return false
		}
	}
	t := m.byWay[m.ps[i].Job]
	places := m.places[t]
	if places < 0 {
		return true
	}
	n := 0
	for other := range m.cells {
		if other != h && slices.ContainsFunc(m.cells[other][slot], func(k int) bool { return k != without && m.byWay[m.ps[k].Job] == t }) {
			n++
		}
	}
	return n < places
}

// put moves a piece to a cell; slot −1 takes it off.
func (m *mender) put(i, h, slot int) {
	c := &m.ps[i]
	if c.Slot >= 0 && c.Slot < m.Slots {
		cell := m.cells[c.Hand][c.Slot]
		k := slices.Index(cell, i)
		m.cells[c.Hand][c.Slot] = slices.Delete(cell, k, k+1)
		m.reckon(c.Hand, c.Slot)
	}
	c.Hand, c.Slot = h, slot
	if slot >= 0 {
		m.cells[h][slot] = append(m.cells[h][slot], i)
		m.reckon(h, slot)
	}
}

// window is the half-days in which a piece is in time.
func (m *mender) window(i int) (from, to int) {
	j := m.Jobs[m.ps[i].Job]
	return max(0, j.Earliest), min(j.Latest, m.Slots-1)
}

// inTime puts a piece into a cell in which it is in time, the latest there is,
// but for one cell.
func (m *mender) inTime(i, notHand, notSlot int) bool {
	from, to := m.window(i)
	hours := m.ps[i].Hours
	for slot := to; slot >= from; slot-- {
		for h := range m.cells {
			if m.room[h][slot] < hours-1e-9 && len(m.cells[h][slot]) > 0 {
				continue
			}
			if (h != notHand || slot != notSlot) && m.fits(i, h, slot, -1) {
				m.put(i, h, slot)
				return true
			}
		}
	}
	return false
}

// bring puts a late piece in time, alone or in the place of another.
func (m *mender) bring(i int) bool {
	if m.inTime(i, -1, -1) {
		return true
	}
	from, to := m.window(i)
	best, least := -1, m.worth(i)-1e-9 // the cheapest to leave out for it
	for slot := to; slot >= from; slot-- {
		for h := range m.cells {
			if !m.knows[h][m.byWay[m.ps[i].Job]] {
				continue
			}
			for _, k := range slices.Clone(m.cells[h][slot]) {
				if m.room[h][slot]+m.ps[k].Hours+changeHours < m.ps[i].Hours {
					continue
				}
				if m.Jobs[m.ps[k].Job].Fixed || !m.fits(i, h, slot, k) {
					continue
				}
				if m.isLate(k) || m.inTime(k, h, slot) {
					if m.isLate(k) { // it was late there: it gives way to what is not
						m.put(k, 0, -1)
					}
					m.put(i, h, slot)
					return true
				}
				if w := m.worth(k); w < least {
					best, least = k, w
				}
			}
		}
	}
	if best < 0 {
		return false
	}
	h, slot := m.ps[best].Hand, m.ps[best].Slot
	m.put(best, 0, -1)
	m.put(i, h, slot)
	return true
}

// plan writes the moved pieces as a plan: what is on no half-day stands late
// where there is room, and alike tags stand next to each other.
func (m *mender) plan(was Plan) Plan {
	var off []int
	for i, c := range m.ps {
		if c.Slot < 0 {
			off = append(off, i)
		}
	}
	slices.SortStableFunc(off, func(a, b int) int { return compare(m.worth(b), m.worth(a)) })
	for _, i := range off {
		m.anywhere(i)
	}
	x := Plan{Rule: was.Rule}
	left := map[int]int{}
	var order []int
	for i, c := range m.ps {
		if c.Slot < 0 {
			if left[c.Job] == 0 {
				order = append(order, c.Job)
			}
			left[c.Job] += c.Grafts
			continue
		}
		x.Pieces = append(x.Pieces, m.ps[i])
	}
	lack := map[int]Lack{}
	for _, l := range was.Unplaced {
		lack[l.Job] = l.Lack
	}
	for _, job := range order {
		if lack[job] == "" {
			lack[job] = NoRoom
			if m.Jobs[job].Whole {
				lack[job] = NoWholeRoom
			}
		}
		x.Unplaced = append(x.Unplaced, Left{job, left[job], lack[job]})
	}
	first := map[[3]int]int{}
	for i, c := range x.Pieces {
		k := [3]int{c.Hand, c.Slot, m.alike[c.Job]}
		if _, ok := first[k]; !ok {
			first[k] = i
		}
	}
	at := func(c Piece) int { return first[[3]int{c.Hand, c.Slot, m.alike[c.Job]}] }
	slices.SortStableFunc(x.Pieces, func(a, b Piece) int { return cmp.Or(a.Slot-b.Slot, a.Hand-b.Hand, at(a)-at(b)) })
	m.tally(&x)
	return x
}

// anywhere puts a piece into the first cell after its time that has room.
func (m *mender) anywhere(i int) {
	j := m.Jobs[m.ps[i].Job]
	for slot := max(0, j.Earliest, j.Latest+1); slot < m.Slots; slot++ {
		for h := range m.cells {
			if m.fits(i, h, slot, -1) {
				m.put(i, h, slot)
				return
			}
		}
	}
}
