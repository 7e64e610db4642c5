package outlook

import (
	"cmp"
	"math"
	"slices"
	"strconv"
	"time"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/caliper"
	"unionknot/internal/core/rehearsal"
	"unionknot/internal/core/season"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/take"
	"unionknot/internal/core/technique"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// Woven is grafts of an order that the weave of all would make, in no batch yet.
type Woven struct {
	Order, Lot, Bundle, Technique string
	Stock, Scion                  caliper.Class
	N, Buds                       int
}

// AddWoven adds what is woven to the bench's work, to be planned after what is there.
func (d *Diary) AddWoven(ws []Woven) {
	lim := limits{f: d.F, d: d, keep: KeeperOf(d.F), cals: map[string]*season.Calendar{}, windows: map[string]technique.Standing{},
		bundles: map[string]keptBundle{}}
	d.Woven = map[int]Woven{}
	lots := map[string]store.LotPile{}
	for _, l := range d.F.Lots {
		lots[l.Code] = l
	}
	for _, w := range ws {
		l := lots[w.Lot]
		b, _ := d.F.Bundle(w.Bundle)
		o, _ := d.F.Order(w.Order)
		j := benchday.Job{ID: w.Order + " " + w.Lot + " " + w.Bundle, Batch: w.Order, Technique: w.Technique, Lot: w.Lot,
			Bundle: w.Bundle, Grafts: w.N,
			Weight: lateWeight[o.Priority], Prepare: d.beside(l.Form, w.Technique, w.Buds)}
		lim.set(&j, o.StockGenus, l.Form, w.Bundle, b.CutOn)
		d.Woven[len(d.Work.Jobs)-1] = w
	}
}

// Shutting is a window of a season that is played: when what a technique, or wood, can still be
// used.
type Shutting struct {
	Last      time.Time
	By        technique.Bound
	Technique string // its key
	Wood      string // a bundle, where its keeping is what ends it
	SD        float64
}

// Played is the house's season as it is rehearsed, with what each of its parts is.
type Played struct {
	Season  rehearsal.Season
	Orders  []store.Order
	Effects []take.Named
	Windows []Shutting
	Hands   []Hand
	Jobs    []PlayedJob
	// Of each order: grafts that it lacks stock, wood or a season for, so that nothing is woven
	// of them; grafts that found no half-day; and grafts budded in summer, whose days are not
	// played.
	Unwoven, Unplaced, Summer []int
	Woven                     []Woven
	Work                      benchday.Problem
	Plan                      benchday.Plan
	From                      time.Time // the day of the first half-day
	Counted                   int       // tags that what is known of takes is from
	Diary                     *Diary
	by                        *playing
}

// PlayedJob says what a job of the season is.
type PlayedJob struct {
	Lot, Bundle, Technique string
	Piece                  int // of the plan; below 0 it is made, or not planned
	State                  JobState
}

// JobState is where grafts of a job stand.
type JobState string

// Where grafts of a job stand.
const (
	JobAlive    JobState = "alive"
	JobDoubtful JobState = "doubtful"
	JobHealing  JobState = "healing"
	JobBench    JobState = "bench" // to be made
	JobSummer   JobState = "summer"
)

// House defaults of what is drawn.
const (
	absentShare = 0.03 // of working days
	absentDays  = 60.0 // that the default counts as
	absentYears = 2    // of own records
	spreadDays  = 5.0  // of a date of the year of which nothing is known
	keepZ       = 2 * 1.6449
)

// PlayedOf readies the house's season: what is made and counted, what is planned, what nothing is
// planned for. d has the weave of what is in no batch, plan is of its work.
func PlayedOf(r *OrderSizer, lines []OrderLine, d *Diary, plan benchday.Plan, l take.Learned, kept []store.DayKept) Played {
	b := &playing{r: r, d: d, l: l, kept: kept, lines: lines, order: map[string]int{}, effect: map[take.Named]int{},
		window: map[Shutting]int{},
		merged: map[mergedJob]int{}}
	p := &b.p
	p.Work, p.Plan, p.From, p.Counted, p.Diary = d.Work, plan, d.from, l.Tags, d
	for i, x := range lines {
		b.order[x.Order.Code] = i
		p.Orders = append(p.Orders, x.Order)
		p.Season.Orders = append(p.Season.Orders, max(0, x.Order.Trees-x.Order.Gone)) // those that went made the grade
	}
	n := len(lines)
	p.Unwoven, p.Unplaced, p.Summer = make([]int, n), make([]int, n), make([]int, n)
	p.Season.Later = []rehearsal.Stage{stageOf(r.Fate.Later), stageOf(r.Fate.Grade)}
	b.hands()
	b.made()
	b.planned()
	b.together()
	b.p.by = b
	return b.p
}

func stageOf(b sizing.Beta) rehearsal.Stage { return rehearsal.Stage{A: b.Alpha, B: b.Beta} }

// LaterUsual is the stage in which live grafts are lost before they are lifted, where nothing is
// known of it here.
func LaterUsual() rehearsal.Stage { return stageOf(sizing.Prior(laterShare, laterWeight)) }

// mergedJob is what jobs that need not be told apart have in common.
type mergedJob struct {
	order, hand, day, window, from, buds int
	sure                                 bool
	part                                 float64
	eta, sd                              float64
	effects                              [5]int
}

type playing struct {
	p      Played
	r      *OrderSizer
	d      *Diary
	l      take.Learned
	kept   []store.DayKept
	lines  []OrderLine
	order  map[string]int
	effect map[take.Named]int
	window map[Shutting]int
	merged map[mergedJob]int
}

// hands are the days on which each is there, and how often they are away beside what is noted.
func (b *playing) hands() {
	b.p.Hands = b.d.Hands
	for i, h := range b.d.Hands {
		missed, days := absentShare*absentDays, absentDays
		for _, k := range b.kept {
			if k.WorkerID == h.Person.ID {
				missed, days = missed+float64(k.Missed), days+float64(k.Days)
			}
		}
		x := rehearsal.Hand{Absent: missed / days}
		class := snapshot.Role(h.Person.Role) == snapshot.Class
		if class { // one who stays away leaves the others
			x.Absent = 0
		}
		if m := h.Speed.Mean; m > 0 && h.Speed.High > h.Speed.Low {
			x.PaceSD = (h.Speed.High - h.Speed.Low) / keepZ / m
		}
		for slot := b.d.Now; slot < b.d.Work.Slots; slot++ {
			day, half := b.d.Day(slot)
			there := h.HoursOn(day, half)
			if h.Person.ID == helperID || class { // only on the days for which they are taken on, or on which the class is
				there = b.d.Work.Hands[i].Hours[slot]
			}
			if n := slot / 2; there > 0 && (len(x.Days) == 0 || x.Days[len(x.Days)-1] != n) {
				x.Days = append(x.Days, n)
			}
		}
		b.p.Season.Hands = append(b.p.Season.Hands, x)
	}
}

// of is the place of an effect among those that are drawn.
func (b *playing) of(n take.Named) int {
	i, ok := b.effect[n]
	if !ok {
		i = len(b.p.Effects)
		b.effect[n] = i
		b.p.Effects = append(b.p.Effects, n)
		b.p.Season.Effects = append(b.p.Season.Effects, rehearsal.Belief{})
	}
	return i
}

// ofTechnique is the effect of what is not known of a technique's mean on a genus.
const ofTechnique = "mean of "

// graft is a job of grafts that take, or took, by chance.
func (b *playing) graft(order int, tech, lot, bundle string, worker int64, stock, scion caliper.Class) (rehearsal.Job, bool) {
	o := b.p.Orders[order]
	bs, _ := b.r.Know(o.Genus, o.StockGenus)
	e, ok := bs[tech]
	if !ok || e.Expected.Mean == 0 {
		return rehearsal.Job{}, false
	}
	t := supply.TakingOf(e.Technique, e.Expected, b.r.Learned[o.Genus])
	j := rehearsal.Job{Order: order, Eta: e.Expected.Middle(), Hand: rehearsal.Made, Window: -1}
	if stock.Middle() > 0 && scion.Middle() > 0 {
		j.Eta += t.Shift(stock, scion)
	}
	mean := b.of(take.Named{Factor: ofTechnique + o.Genus, Level: tech})
	b.p.Season.Effects[mean] = rehearsal.Belief{SD: math.Sqrt(e.Expected.Variance)}
	j.Effects = []int{mean}
	if worker != 0 {
		j.Effects = append(j.Effects, b.of(take.Named{Factor: take.Worker, Level: strconv.FormatInt(worker, 10)}))
	}
	if lot != "" {
		j.Effects = append(j.Effects, b.of(take.Named{Factor: take.Lot, Level: lot}))
	}
	if bundle != "" {
		j.Effects = append(j.Effects, b.of(take.Named{Factor: take.Bundle, Level: bundle}))
	}
	return j, true
}

// add adds grafts, to a job that is as theirs where there is one.
func (b *playing) add(j rehearsal.Job, n int, what PlayedJob) {
	if n <= 0 {
		return
	}
	if b.p.Orders[j.Order].Tree != "" {
		j.From = len(b.p.Season.Later) // a limb is neither lifted nor graded
	}
	k := mergedJob{order: j.Order, hand: j.Hand, day: j.Day, window: j.Window, from: j.From, buds: j.Buds, sure: j.Sure, part: j.Part,
		eta: j.Eta, sd: j.EtaSD}
	for i := range k.effects {
		k.effects[i] = -1
		if i < len(j.Effects) {
			k.effects[i] = j.Effects[i]
		}
	}
	if i, ok := b.merged[k]; ok {
		b.p.Season.Jobs[i].Grafts += n
		return
	}
	j.Grafts = n
	b.merged[k] = len(b.p.Season.Jobs)
	b.p.Season.Jobs = append(b.p.Season.Jobs, j)
	b.p.Jobs = append(b.p.Jobs, what)
}

// made adds what is counted, what heals, and what is tied of tags at the bench.
func (b *playing) made() {
	for i, o := range b.p.Orders {
		live := rehearsal.Job{Order: i, Sure: true, Hand: rehearsal.Made, Window: -1}
		b.add(live, o.Alive-o.Gone, PlayedJob{Piece: -1, State: JobAlive})
		eta, v := take.FromBeta(supply.Doubtful)
		b.add(rehearsal.Job{Order: i, Eta: eta, EtaSD: math.Sqrt(v), Hand: rehearsal.Made, Window: -1}, o.Doubtful,
			PlayedJob{Piece: -1, State: JobDoubtful})
	}
	healing := func(t store.Tag, n int) {
		i, ok := b.order[t.Order]
		if !ok {
			return
		}
		j, ok := b.graft(i, t.Technique, t.Lot, t.Bundle, t.WorkerID, caliper.ClassOf((t.StockLow+t.StockHigh)/2),
			caliper.ClassOf((t.WoodLow+t.WoodHigh)/2))
		if !ok {
			return
		}
		j.Buds = t.Buds
		b.add(j, n, PlayedJob{t.Lot, t.Bundle, t.Technique, -1, JobHealing})
	}
	for _, t := range b.d.F.Uncounted() {
		healing(t, t.Tied-t.LostSince-t.Gone)
	}
	for _, t := range b.d.F.OpenTags() {
		healing(t, min(t.Tied, t.Planned))
	}
}

// planned adds what is to be made, by the plan.
func (b *playing) planned() {
	d, p, lines := b.d, &b.p, b.lines
	given := make([]int, len(lines))
	job := func(i int) (order int, w Woven, ok bool) {
		j := d.Work.Jobs[i]
		if x, is := d.Woven[i]; is {
			order, ok = b.order[x.Order]
			return order, x, ok
		}
		w = Woven{Lot: j.Lot, Bundle: j.Bundle, Technique: j.Technique}
		if k, is := d.TagOf[i]; is {
			t := d.Tags[k]
			w.Stock, w.Scion, w.Buds = caliper.ClassOf((t.StockLow+t.StockHigh)/2), caliper.ClassOf((t.WoodLow+t.WoodHigh)/2), t.Buds
			order, ok = b.order[t.Order]
			return order, w, ok
		}
		if rs := d.Rest[i]; len(rs) > 0 {
			w.Stock, w.Scion, w.Buds = caliper.ClassOf(rs[0].StockMM), caliper.ClassOf(rs[0].WoodMM), rs[0].Buds
			order, ok = b.order[rs[0].Order]
		}
		return order, w, ok
	}
	ends := b.ends()
	for k, c := range p.Plan.Pieces {
		order, w, ok := job(c.Job)
		if !ok {
			continue
		}
		given[order] += c.Grafts
		j, ok := b.graft(order, w.Technique, w.Lot, w.Bundle, d.Hands[c.Hand].Person.ID, w.Stock, w.Scion)
		if !ok {
			continue
		}
		j.Buds, j.Hand, j.Window = w.Buds, c.Hand, b.shuts(c.Job, p.Orders[order].StockGenus)
		j.Day, j.Part = ends[k].day, ends[k].part
		b.add(j, c.Grafts, PlayedJob{w.Lot, w.Bundle, w.Technique, k, JobBench})
	}
	for _, l := range p.Plan.Unplaced {
		if order, _, ok := job(l.Job); ok {
			p.Unplaced[order] += l.Grafts
			given[order] += l.Grafts
		}
	}
	woven := make([]int, len(lines))
	for _, w := range d.Woven {
		p.Woven = append(p.Woven, w)
		if i, ok := b.order[w.Order]; ok {
			woven[i] += w.N
		}
	}
	for i, x := range lines {
		switch {
		case x.Later(): // budded in summer, with wood that is still to be cut
			if j, ok := b.graft(i, x.Need.By.Technique.Key, "", "", 0, 0, 0); ok {
				s := x.Need.By.Expected.Spreads
				j.EtaSD = math.Sqrt(s.Worker*s.Worker + s.Lot*s.Lot + s.Bundle*s.Bundle)
				j.Buds = x.Need.By.Technique.Pieces()
				p.Summer[i] = x.ToGo
				b.add(j, x.ToGo, PlayedJob{Technique: x.Need.By.Technique.Key, Piece: -1, State: JobSummer})
			}
		case x.Waits(): // on a limb, once its season opens
			if j, ok := b.graft(i, x.Need.By.Technique.Key, "", "", 0, 0, 0); ok {
				s := x.Need.By.Expected.Spreads
				j.EtaSD = math.Sqrt(s.Worker*s.Worker + s.Lot*s.Lot + s.Bundle*s.Bundle)
				j.Buds = x.Need.By.Technique.Pieces()
				b.add(j, x.ToGo, PlayedJob{Technique: x.Need.By.Technique.Key, Piece: -1, State: JobSummer})
			}
		default:
			p.Unwoven[i] = max(0, x.ToGo-woven[i])
		}
	}
}

// ended is the working day of a hand, from 0, and the part of it, by whose end a piece is made.
type ended struct {
	day  int
	part float64
}

// ends says when each piece of the plan is made.
func (b *playing) ends() []ended {
	d, p := b.d, &b.p
	out := make([]ended, len(p.Plan.Pieces))
	type place struct{ hand, day int }
	hours, sum := map[place]float64{}, map[place]float64{}
	for _, c := range p.Plan.Pieces {
		sum[place{c.Hand, c.Slot / 2}] += c.Hours
	}
	index := make([]int, len(p.Plan.Pieces))
	for i := range index {
		index[i] = i
	}
	slices.SortStableFunc(index, func(x, y int) int {
		a, c := p.Plan.Pieces[x], p.Plan.Pieces[y]
		return cmp.Or(a.Hand-c.Hand, a.Slot-c.Slot)
	})
	for _, i := range index {
		c := p.Plan.Pieces[i]
		at := place{c.Hand, c.Slot / 2}
		room := 0.0
		for half := range 2 {
			if slot := c.Slot/2*2 + half; slot < d.Work.Slots {
				room += d.Work.Hands[c.Hand].Hours[slot] * d.Work.Hands[c.Hand].Speed
			}
		}
		hours[at] += c.Hours
		days := p.Season.Hands[c.Hand].Days
		k, there := slices.BinarySearch(days, c.Slot/2)
		out[i] = ended{day: k}
		if there {
			// In quarters of a day: what is made in one need not be told apart.
			out[i].part = math.Ceil(4*min(1, hours[at]/max(room, sum[at], 1e-9))) / 4
		}
	}
	return out
}

// shuts is the window of a job: its last day, as it may turn out.
func (b *playing) shuts(job int, stockGenus string) int {
	d := b.d
	x, j := d.Spans[job], d.Work.Jobs[job]
	w := Shutting{Last: x.Last, By: x.By, Technique: j.Technique}
	switch x.By {
	case technique.WoodKeeps:
		w.Wood, w.Technique = j.Bundle, ""
		if bp, ok := d.F.Bundle(j.Bundle); ok {
			k := KeeperOf(d.F).Keep(bp, nil).Keeping
			if k.KeepLate.After(k.Earliest) {
				w.SD = k.KeepLate.Sub(k.Earliest).Hours() / 24 / keepZ
			}
		}
	case technique.SeasonShuts:
		w.SD = b.spreadOf(job, stockGenus)
	}
	i, ok := b.window[w]
	if !ok {
		i = len(b.p.Windows)
		b.window[w] = i
		b.p.Windows = append(b.p.Windows, w)
		b.p.Season.Windows = append(b.p.Season.Windows, rehearsal.Window{Day: d.Slot(w.Last, 1) / 2, SD: w.SD})
	}
	return i
}

// anchorOf are the dates of the year that close windows.
var anchorOf = map[technique.Turn]string{
	technique.RestBegins: season.RestBegins, technique.BudsSwell: season.BudSwell, technique.BarkSlips: season.SlipBegins,
	technique.SlipEnds: season.SlipEnds, technique.SlipEndsIn2Weeks: season.SlipEnds, technique.SlipEndsIn3Weeks: season.SlipEnds,
	technique.FrostIn4Weeks: season.FirstHardFrost, technique.FrostTooSoon: season.FirstHardFrost,
}

// spreadOf is how far the day on which a job's window shuts may lie from the one that is
// reckoned with, as a standard deviation in days: this year's belief where there is one.
func (b *playing) spreadOf(job int, stockGenus string) float64 {
	x := b.d.Spans[job]
	kind, ok := anchorOf[x.Standing.Closes]
	if !ok {
		return spreadDays
	}
	year := b.d.F.Around(b.d.F.Genus(stockGenus).SeasonGroup).Year()
	for _, y := range year.Dated {
		if y.Kind == kind && math.Abs(y.On.Sub(x.Last).Hours()) < 60*24 {
			return y.High.Sub(y.Low).Hours() / 24 / keepZ
		}
	}
	for _, a := range year.Anchors {
		if a.Kind == kind && a.SpreadDays > 0 {
			return float64(a.SpreadDays)
		}
	}
	return spreadDays
}

// together draws workers, lots and bundles as the records know them: those that were counted by
// their joint covariance, all others by how far such differ.
func (b *playing) together() {
	p := &b.p
	var known, rest []int
	for i, n := range p.Effects {
		switch {
		case n.Factor != take.Worker && n.Factor != take.Lot && n.Factor != take.Bundle:
			rest = append(rest, i)
		case b.l.Knows(n):
			known = append(known, i)
		default:
			b.alone(i)
			rest = append(rest, i)
		}
	}
	order := slices.Concat(known, rest)
	at := make([]int, len(order))
	names, effects := make([]take.Named, len(order)), make([]rehearsal.Belief, len(order))
	for to, from := range order {
		at[from], names[to], effects[to] = to, p.Effects[from], p.Season.Effects[from]
	}
	p.Effects, p.Season.Effects = names, effects
	for i := range p.Season.Jobs {
		for k, e := range p.Season.Jobs[i].Effects {
			p.Season.Jobs[i].Effects[k] = at[e]
		}
	}
	if len(known) == 0 {
		return
	}
	p.Season.Joint = b.l.Given(names[:len(known)])
	for i, n := range names[:len(known)] {
		p.Season.Effects[i] = rehearsal.Belief{Mean: b.l.Effect(n.Factor, n.Level).Mode, SD: math.Sqrt(p.Season.Joint.At(i, i))}
	}
}

// alone gives an effect the belief that the records, or else how far such differ, say of it.
func (b *playing) alone(i int) {
	n := b.p.Effects[i]
	if n.Factor != take.Worker && n.Factor != take.Lot && n.Factor != take.Bundle {
		return // of a technique: said where its jobs are
	}
	e := b.l.Effect(n.Factor, n.Level)
	if e.SD == 0 {
		e.SD = map[string]float64{take.Worker: take.UsualSpreads.Worker, take.Lot: take.UsualSpreads.Lot,
			take.Bundle: take.UsualSpreads.Bundle}[n.Factor]
	}
	b.p.Season.Effects[i] = rehearsal.Belief{Mean: e.Mode, SD: e.SD}
}

// AbsentSince is the day from which own records of days kept are counted.
func AbsentSince(f *snapshot.Snapshot) time.Time { return f.Today.AddDate(-absentYears, 0, 0) }
