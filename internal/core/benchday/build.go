package benchday

import "slices"

// builder fills half-days one after another.
type builder struct {
	*shop
	r       rule
	order   []int       // kinds as the rule takes them, those that are left
	left    [][]int     // of a whole kind, the jobs still to place
	rem     []int       // grafts of each kind still to place
	free    [][]float64 // standard hours left, by hand and half-day
	last    [][]int     // the job in hand at the end of a half-day, −1 for none
	has     [][]int     // grafts of a lot that a hand has, by lot
	seated  [][]bool    // by half-day and hand
	sitting []int       // by half-day
	station [][][]bool  // by half-day and technique: which hands; nil for none
	alone   bool        // lots need not be shared any more
	out     []Piece
}

func (s *shop) build(r rule) Plan {
	b := builder{shop: s, r: r, order: s.order(r), left: make([][]int, len(s.kinds)), rem: make([]int, len(s.kinds)),
		has: make([][]int, len(s.lotN)), seated: make([][]bool, s.Slots), sitting: make([]int, s.Slots), station: make([][][]bool, s.Slots)}
	for g, k := range s.kinds {
		b.rem[g] = k.grafts
		if k.whole {
			b.left[g] = slices.Clone(k.jobs)
		}
	}
	for lot := range b.has {
		b.has[lot] = make([]int, len(s.Hands))
	}
	for h := range s.Hands {
		free, last := make([]float64, s.Slots), make([]int, s.Slots)
		for slot := range s.Slots {
			free[slot], last[slot] = s.capacity(h, slot), -1
		}
		b.free, b.last = append(b.free, free), append(b.last, last)
	}
	for slot := range s.Slots {
		b.seated[slot], b.station[slot] = make([]bool, len(s.Hands)), make([][]bool, len(s.rate))
	}
	for _, i := range s.fixed {
		if j := s.Jobs[i]; j.Grafts > 0 {
			b.place(i, s.byWay[i], j.Hand, j.Slot, j.Grafts)
		}
	}
	b.fill()
	// What was kept for a second hand who had no time goes to whoever has.
	b.alone = true
	b.fill()
	x := Plan{Pieces: b.even(), Rule: r.name}
	for g, k := range s.kinds {
		switch {
		case k.whole:
			for _, i := range b.left[g] {
				x.Unplaced = append(x.Unplaced, Left{i, s.Jobs[i].Grafts, b.lack(k)})
			}
		case b.rem[g] > 0:
			x.Unplaced = append(x.Unplaced, Left{k.jobs[0], b.rem[g], b.lack(k)})
		}
	}
	s.tally(&x)
	return x
}

// fill goes through the half-days; within one, those who know least choose
// first.
func (b *builder) fill() {
	var turn []int
	for slot := range b.Slots {
		b.order = slices.DeleteFunc(b.order, func(g int) bool { return b.rem[g] == 0 })
		// What is chosen to be in time, what else still can be, what is late.
		turn = turn[:0]
		for class := range 3 {
			for _, g := range b.order {
				if b.kinds[g].earliest <= slot && b.class(g, slot) == class {
					turn = append(turn, g)
				}
			}
		}
		if len(turn) == 0 {
			continue
		}
		for _, h := range b.skills {
			if b.free[h][slot] <= 0 {
				continue
			}
			for {
				g, job, n := b.next(turn, h, slot)
				if n == 0 {
					break
				}
				b.place(job, b.kinds[g].technique, h, slot, n)
				b.take(g, job, n)
			}
		}
	}
}

// next chooses a hand's next job in a half-day: the first that fits, or what is
// at hand where nothing presses.
func (b *builder) next(turn []int, h, slot int) (g, job, n int) {
	for _, g := range turn {
		if b.rem[g] == 0 {
			continue
		}
		job, n := b.fits(g, h, slot)
		if n == 0 {
			continue
		}
		last := b.last[h][slot]
		if !b.r.stay || last < 0 || b.alike[last] == b.kinds[g].alike {
			return g, job, n
		}
		if x := b.kinds[g]; x.latest-slot < urgentHalves && x.latest >= slot && x.latest < b.Jobs[last].Latest {
			return g, job, n
		}
		for _, other := range b.of[b.alike[last]] {
			if b.rem[other] > 0 && b.kinds[other].earliest <= slot && b.class(other, slot) == b.class(g, slot) {
				if j, m := b.fits(other, h, slot); m > 0 {
					return other, j, m
				}
			}
		}
		return g, job, n
	}
	return 0, 0, 0
}

// class is 0 for what is chosen to be in time, 1 for what else still can be,
// 2 for what is late already.
func (b *builder) class(g, slot int) int {
	switch {
	case b.kinds[g].latest < slot:
		return 2
	case b.r.chosen != nil && !b.r.chosen[g]:
		return 1
	}
	return 0
}

// fits says which job of a kind, and how many grafts of it, a hand can take in
// what is left of a half-day; 0 for none.
func (b *builder) fits(g, h, slot int) (job, n int) {
	k := b.kinds[g]
	if !b.knows[h][k.technique] || !b.room(k.technique, h, slot) {
		return 0, 0
	}
	most := b.mayHave(k, h, slot)
	spare := b.free[h][slot] - tagHours
	if last := b.last[h][slot]; last >= 0 && b.alike[last] != k.alike {
		spare -= changeHours
	}
	if k.whole {
		empty := b.free[h][slot] > 0 && b.free[h][slot] >= b.capacity(h, slot)-1e-9 // it takes any tag
		for _, i := range b.left[g] {
			if m := b.Jobs[i].Grafts; m <= most && (empty || float64(m)*b.each(i) <= spare+1e-9) {
				return i, m
			}
		}
		return 0, 0
	}
	rem := b.rem[g]
	n = min(rem, most, b.TagSize, int(spare/b.each(k.jobs[0])+1e-9))
	if rest := rem - n; rest > 0 && rest < fewestApiece && n > 2*fewestApiece {
		n -= fewestApiece - rest
	}
	if n < min(fewestApiece, rem) {
		return 0, 0
	}
	return k.jobs[0], n
}

// each is what a graft of a job takes, in standard hours: making its stem ready, and the graft.
func (b *builder) each(job int) float64 { return 1/b.rate[b.byWay[job]] + b.Jobs[job].Prepare }

// mayHave is how many more grafts of a kind's lot a hand may have. A part is
// kept for a second hand who is there within the week, and in time.
func (b *builder) mayHave(k kind, h, slot int) int {
	n := b.lotN[k.lot]
	if b.alone || n <= b.ShareOver || b.able[k.technique] < 2 {
		return n
	}
	for other, has := range b.has[k.lot] {
		if other != h && has > 0 {
			return n // it is shared
		}
	}
	to := min(slot+shareWithin, b.Slots)
	if k.latest >= slot {
		to = min(to, k.latest+1)
	}
	for other := range b.Hands {
		if other != h && b.knows[other][k.technique] && b.there[other][to]-b.there[other][min(slot, to)] > 0 {
			return max(0, int(mostOfALot*float64(n))-b.has[k.lot][h])
		}
	}
	return n
}

// room says whether a hand finds a seat in a half-day.
func (b *builder) room(technique, h, slot int) bool {
	if b.seats > 0 && !b.seated[slot][h] && b.sitting[slot] >= b.seats {
		return false
	}
	places := b.places[technique]
	if places < 0 {
		return true
	}
	at, n := b.station[slot][technique], 0
	for other, is := range at {
		if is && other == h {
			return true
		} else if is {
			n++
		}
	}
	return n < places
}

func (b *builder) place(job, technique, h, slot, n int) {
	hours := b.hours(b.Jobs[job], n)
	b.out = append(b.out, Piece{Job: job, Hand: h, Slot: slot, Grafts: n, Hours: hours})
	b.has[b.lotOf[job]][h] += n
	if slot >= b.Slots {
		return
	}
	if last := b.last[h][slot]; last >= 0 && b.alike[last] != b.alike[job] {
		hours += changeHours
	}
	b.last[h][slot] = job
	b.free[h][slot] = max(0, b.free[h][slot]-hours)
	if !b.seated[slot][h] {
		b.seated[slot][h] = true
		b.sitting[slot]++
	}
	if b.places[technique] >= 0 {
		if b.station[slot][technique] == nil {
			b.station[slot][technique] = make([]bool, len(b.Hands))
		}
		b.station[slot][technique][h] = true
	}
}

// take takes what was placed off its kind.
func (b *builder) take(g, job, n int) {
	b.rem[g] -= n
	if b.kinds[g].whole {
		i := slices.Index(b.left[g], job)
		b.left[g] = slices.Delete(b.left[g], i, i+1)
	}
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
	out := make([]Piece, 0, len(b.out))
	for _, k := range order {
		j, n := b.Jobs[k.job], sum[k]
		for tags := (n + b.size(j) - 1) / b.size(j); tags > 0; tags-- {
			m := (n + tags - 1) / tags
			out = append(out, Piece{Job: k.job, Hand: k.hand, Slot: k.slot, Grafts: m, Hours: b.hours(j, m)})
			n -= m
		}
	}
	type run struct{ alike, hand, slot int }
	at := map[run]int{} // where a lot and bundle first stand in a half-day
	first := make([]int, len(out))
	index := make([]int, len(out))
	for i, c := range out {
		k := run{b.alike[c.Job], c.Hand, c.Slot}
		if _, ok := at[k]; !ok {
			at[k] = i
		}
		first[i], index[i] = at[k], i
	}
	slices.SortStableFunc(index, func(x, y int) int { return first[x] - first[y] })
	sorted := make([]Piece, len(out))
	for i, k := range index {
		sorted[i] = out[k]
	}
	return sorted
}

// why says why grafts of a kind found no half-day.
func (b *builder) lack(k kind) Lack {
	if b.able[k.technique] == 0 {
		return NobodyKnows
	}
	hours := false
	for h := range b.Hands {
		for slot := max(0, k.earliest); slot < b.Slots; slot++ {
			hours = hours || b.knows[h][k.technique] && b.capacity(h, slot) > 0
		}
	}
	switch {
	case !hours:
		return NobodyThere
	case k.whole:
		return NoWholeRoom
	}
	return NoRoom
}
