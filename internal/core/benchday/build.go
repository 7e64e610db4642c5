package benchday

import (
	"cmp"
	"slices"
)

// builder fills half-days one after another.
type builder struct {
	p       *Problem
	r       rule
	rem     []int                  // grafts of each job still to place
	free    [][]float64            // standard hours left, by hand and half-day
	there   [][]float64            // hours from the start up to a half-day, by hand
	lotN    map[string]int         // grafts of each lot, in all
	has     map[string]map[int]int // grafts of a lot that a hand has
	able    map[string]int         // hands who know a technique
	seated  []map[int]bool         // hands at the bench in a half-day
	station []map[string]map[int]bool
	alone   bool // lots need not be shared any more
	out     []Piece
}

func (p *Problem) build(r rule) Plan {
	b := builder{p: p, r: r, rem: make([]int, len(p.Jobs)), lotN: map[string]int{}, has: map[string]map[int]int{}, able: map[string]int{},
		seated: make([]map[int]bool, p.Slots), station: make([]map[string]map[int]bool, p.Slots)}
	for i, j := range p.Jobs {
		b.rem[i] = j.Grafts
		b.lotN[j.Lot] += j.Grafts
		if b.has[j.Lot] == nil {
			b.has[j.Lot] = map[int]int{}
		}
		if _, ok := b.able[j.Technique]; !ok {
			b.able[j.Technique] = p.knowers(j.Technique)
		}
	}
	for h := range p.Hands {
		b.free, b.there = append(b.free, make([]float64, p.Slots)), append(b.there, make([]float64, p.Slots+1))
		for s := range p.Slots {
			b.free[h][s] = p.capacity(h, s)
			b.there[h][s+1] = b.there[h][s] + b.free[h][s]
		}
	}
	for s := range p.Slots {
		b.seated[s], b.station[s] = map[int]bool{}, map[string]map[int]bool{}
	}
	for i, j := range p.Jobs {
		if j.Fixed && j.Grafts > 0 {
			b.place(i, j.Hand, j.Slot, j.Grafts, b.lastOf(j.Hand, j.Slot))
		}
	}
	b.fill()
	// What was kept for a second hand who had no time goes to whoever has.
	b.alone = true
	b.fill()
	x := Plan{Pieces: b.even(), Rule: r.name}
	for i, n := range b.rem {
		if n > 0 {
			x.Unplaced = append(x.Unplaced, Left{i, n, b.why(i)})
		}
	}
	p.tally(&x)
	return x
}

// fill goes through the half-days; within one, those who know least choose
// first.
func (b *builder) fill() {
	order := make([]int, len(b.p.Hands))
	for h := range order {
		order[h] = h
	}
	skills := func(h int) (n int) {
		for _, knows := range b.p.Hands[h].Knows {
			if knows {
				n++
			}
		}
		return n
	}
	slices.SortStableFunc(order, func(x, y int) int {
		return cmp.Or(skills(x)-skills(y), compare(b.p.Hands[y].Speed, b.p.Hands[x].Speed))
	})
	for s := range b.p.Slots {
		for _, h := range order {
			last := b.lastOf(h, s)
			for {
				j := b.next(h, s, last)
				if j < 0 {
					break
				}
				b.place(j, h, s, b.fits(j, h, s, last), last)
				last = j
			}
		}
	}
}

// lastOf is the job a hand has in hand at the end of what is placed in a
// half-day, -1 for none.
func (b *builder) lastOf(h, s int) int {
	last := -1
	for _, c := range b.out {
		if c.Hand == h && c.Slot == s {
			last = c.Job
		}
	}
	return last
}

// next chooses a hand's next job in a half-day, or -1.
func (b *builder) next(h, s, last int) int {
	best := -1
	for j := range b.p.Jobs {
		if b.fits(j, h, s, last) > 0 && (best < 0 || b.before(j, best, s)) {
			best = j
		}
	}
	if best < 0 || !b.r.stay || last < 0 || b.p.alike(best, last) {
		return best
	}
	// Go on with what is at hand, unless something presses.
	if x := b.p.Jobs[best]; x.Latest-s < urgentHalves && x.Latest >= s && x.Latest < b.p.Jobs[last].Latest {
		return best
	}
	for j := range b.p.Jobs {
		if b.p.alike(j, last) && b.fits(j, h, s, last) > 0 && b.class(j, s) == b.class(best, s) {
			return j
		}
	}
	return best
}

// class is 0 for what is chosen to be in time, 1 for what else still can be,
// 2 for what is late already.
func (b *builder) class(j, s int) int {
	switch {
	case b.p.Jobs[j].Latest < s:
		return 2
	case b.r.chosen != nil && !b.r.chosen[j]:
		return 1
	}
	return 0
}

func (b *builder) before(i, j, s int) bool {
	x, y := b.p.Jobs[i], b.p.Jobs[j]
	c := cmp.Or(b.class(i, s)-b.class(j, s), x.Latest-y.Latest)
	if c == 0 && b.r.scarce {
		c = b.able[x.Technique] - b.able[y.Technique]
	}
	return cmp.Or(c, compare(y.Weight, x.Weight), x.Keep-y.Keep, i-j) < 0
}

// fits says how many grafts of a job a hand can take in what is left of a
// half-day; 0 for none.
func (b *builder) fits(j, h, s, last int) int {
	x := b.p.Jobs[j]
	if b.rem[j] == 0 || x.Fixed || s < x.Earliest || !b.p.Hands[h].Knows[x.Technique] || !b.room(x.Technique, h, s) {
		return 0
	}
	n := b.rem[j]
	if most := b.mayHave(x, h, s); most < n {
		n = most
	}
	spare := b.free[h][s] - tagHours
	if last >= 0 && !b.p.alike(j, last) {
		spare -= changeHours
	}
	if x.Whole {
		whole := b.free[h][s] >= b.p.capacity(h, s)-1e-9 && b.free[h][s] > 0 // an empty half-day takes any tag
		if n < x.Grafts || float64(n)/b.p.Rate[x.Technique] > spare+1e-9 && !whole {
			return 0
		}
		return n
	}
	n = min(n, b.p.TagSize, int(spare*b.p.Rate[x.Technique]+1e-9))
	if rest := b.rem[j] - n; rest > 0 && rest < fewestApiece && n > 2*fewestApiece {
		n -= fewestApiece - rest
	}
	if n < min(fewestApiece, b.rem[j]) {
		return 0
	}
	return n
}

// mayHave is how many more grafts of a job's lot a hand may have. A part is
// kept for a second hand who is there within the week, and in time.
func (b *builder) mayHave(x Job, h, s int) int {
	n := b.lotN[x.Lot]
	if b.alone || n <= b.p.ShareOver || b.able[x.Technique] < 2 {
		return n
	}
	for other, k := range b.has[x.Lot] {
		if other != h && k > 0 {
			return n // it is shared
		}
	}
	to := min(s+shareWithin, b.p.Slots)
	if x.Latest >= s {
		to = min(to, x.Latest+1)
	}
	for other, hand := range b.p.Hands {
		if other != h && hand.Knows[x.Technique] && b.there[other][to]-b.there[other][min(s, to)] > 0 {
			return max(0, int(mostOfALot*float64(n))-b.has[x.Lot][h])
		}
	}
	return n
}

// room says whether a hand finds a seat in a half-day.
func (b *builder) room(technique string, h, s int) bool {
	if b.p.Seats > 0 && !b.seated[s][h] && len(b.seated[s]) >= b.p.Seats {
		return false
	}
	n, own := b.p.Stations[technique]
	at := b.station[s][technique]
	return !own || at[h] || len(at) < n
}

func (b *builder) place(j, h, s, n, last int) {
	x := b.p.Jobs[j]
	hours := b.p.hours(x, n)
	b.out = append(b.out, Piece{Job: j, Hand: h, Slot: s, Grafts: n, Hours: hours})
	b.rem[j] -= n
	b.has[x.Lot][h] += n
	if s >= b.p.Slots {
		return
	}
	if last >= 0 && !b.p.alike(j, last) {
		hours += changeHours
	}
	b.free[h][s] = max(0, b.free[h][s]-hours)
	b.seated[s][h] = true
	if b.station[s][x.Technique] == nil {
		b.station[s][x.Technique] = map[int]bool{}
	}
	b.station[s][x.Technique][h] = true
}

// even makes a hand's tags of one job in one half-day of like size, and lays
// those of one lot and bundle next to each other.
func (b *builder) even() []Piece {
	type place struct{ job, hand, slot int }
	sum, order := map[place]int{}, []place{}
	for _, c := range b.out {
		k := place{c.Job, c.Hand, c.Slot}
		if sum[k] == 0 {
			order = append(order, k)
		}
		sum[k] += c.Grafts
	}
	var out []Piece
	for _, k := range order {
		j, n := b.p.Jobs[k.job], sum[k]
		for tags := (n + b.p.size(j) - 1) / b.p.size(j); tags > 0; tags-- {
			m := (n + tags - 1) / tags
			out = append(out, Piece{Job: k.job, Hand: k.hand, Slot: k.slot, Grafts: m, Hours: b.p.hours(j, m)})
			n -= m
		}
	}
	type run struct {
		lot, bundle, technique string
		hand, slot             int
	}
	at := map[run]int{} // where a lot and bundle first stand in a half-day
	first := make([]int, len(out))
	for i, c := range out {
		j := b.p.Jobs[c.Job]
		k := run{j.Lot, j.Bundle, j.Technique, c.Hand, c.Slot}
		if _, ok := at[k]; !ok {
			at[k] = i
		}
		first[i] = at[k]
	}
	index := make([]int, len(out))
	for i := range index {
		index[i] = i
	}
	slices.SortStableFunc(index, func(x, y int) int { return first[x] - first[y] })
	sorted := make([]Piece, len(out))
	for i, k := range index {
		sorted[i] = out[k]
	}
	return sorted
}

// why says why grafts of a job found no half-day.
func (b *builder) why(j int) string {
	x := b.p.Jobs[j]
	if b.able[x.Technique] == 0 {
		return "nobody at the bench knows it"
	}
	hours := false
	for h := range b.p.Hands {
		for s := max(0, x.Earliest); s < b.p.Slots; s++ {
			hours = hours || b.p.Hands[h].Knows[x.Technique] && b.p.capacity(h, s) > 0
		}
	}
	switch {
	case !hours:
		return "nobody who knows it is there on those days"
	case x.Whole:
		return "no half-day has room for the whole tag"
	}
	return "every half-day is full"
}
