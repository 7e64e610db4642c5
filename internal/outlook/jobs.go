package outlook

import (
	"fmt"
	"math"
	"slices"
	"time"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/season"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/technique"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// SharedOver is how many grafts of one lot must be shared by two people, so
// that Results can tell the worker from the lot. House default.
const SharedOver = 50

// House defaults of the plan of the days.
const (
	DaysPlanned  = 42   // six weeks
	daysShown    = 10   // columns of the plan, on which somebody is there
	morningEnds  = 12.5 // o'clock: after it the day's morning is over
	morningFrom  = 8.0
	noonTill     = 13.0
	afternoonEnd = 17.0
)

// lateWeight is how much a late graft of a priority weighs. House default.
var lateWeight = map[int]float64{1: 3, 2: 1.5, 3: 1}

// Diary is the bench's work as the core plans it, with what each job and hand
// is.
type Diary struct {
	F       *snapshot.Snapshot
	Work    benchday.Problem
	from    time.Time // the day of slot 0
	Now     int       // the half-day that is running
	clock   float64   // o'clock
	Hands   []Hand
	Tags    []store.Tag                // open tags
	Rest    map[int][]store.RestThread // by job, what is on no tag
	Woven   map[int]Woven              // by job, what is in no batch
	TagOf   map[int]int                // by job, its tag
	Names   map[string]string          // of techniques
	Spans   []technique.Span           // by job, the days in which it can be made
	tagSize int
	ties    map[[2]int]int64 // by hand and half-day, who ties for them
}

// Slot is the half-day of a day, below zero before the plan begins.
func (d *Diary) Slot(day time.Time, half int) int {
	return int(math.Round(day.Sub(d.from).Hours()/24))*2 + half - 1
}

// Day gives a slot's day and half.
func (d *Diary) Day(slot int) (time.Time, int) {
	return d.from.AddDate(0, 0, int(math.Floor(float64(slot)/2))), (slot%2+2)%2 + 1
}

// HandOf gives the place of a person among the hands; below zero for none.
func (d *Diary) HandOf(person int64) int {
	return slices.IndexFunc(d.Hands, func(h Hand) bool { return h.Person.ID == person })
}

// DayNeeds are the facts that the days are planned from.
var DayNeeds = []snapshot.Need{snapshot.Tags, snapshot.Rest, snapshot.Piles, snapshot.Places}

// DiaryOf gathers the work and the hands. Tags that nobody has begun stay where
// they are when they are locked, or all of them when stay is set.
func DiaryOf(f *snapshot.Snapshot, stay bool) *Diary {
	d := &Diary{
		F:       f,
		from:    f.Today,
		Rest:    map[int][]store.RestThread{},
		TagOf:   map[int]int{},
		Names:   map[string]string{},
		Hands:   HandsOf(f),
		ties:    map[[2]int]int64{},
		tagSize: f.House.TagSize,
		clock:   oClock(f.At),
	}
	d.Work = benchday.Problem{
		Slots:     2 * DaysPlanned,
		Rate:      map[string]float64{},
		TagSize:   f.House.TagSize,
		ShareOver: SharedOver,
		Stations:  map[string]int{},
	}
	// Of techniques that are no longer in use too: their tags may be open.
	for _, t := range f.AllWays {
		d.Work.Rate[t.Key], d.Names[t.Key] = float64(t.RatePerHour), t.Name
	}
	for _, st := range f.Stations {
		if st.Technique == nil {
			d.Work.Seats += st.Seats
		} else {
			d.Work.Stations[*st.Technique] += st.Seats
		}
	}
	if d.clock >= morningEnds {
		d.Now = 1
	}
	for _, x := range d.Hands {
		bh := benchday.Hand{ID: x.Person.Name, Speed: x.Speed.Mean, Knows: x.Knows, Hours: make([]float64, d.Work.Slots)}
		for i := d.Now; i < d.Work.Slots; i++ {
			day, half := d.Day(i)
			bh.Hours[i] = benchday.Usable(d.HoursLeft(i, x.HoursOn(day, half)))
		}
		d.Work.Hands = append(d.Work.Hands, bh)
	}
	d.fill(f, stay)
	if stay {
		d.grouped()
	}
	return d
}

// HoursLeft is what is still to come of somebody's hours in a half-day: of the
// one that is running, those after now. Hours over the usual ones are worked at
// its end, so they are the last to go.
func (d *Diary) HoursLeft(slot int, hours float64) float64 {
	if slot != d.Now {
		return hours
	}
	return leftOfHours(slot, d.clock, hours)
}

// fill lists the jobs: open tags, and what batches have on no tag.
func (d *Diary) fill(f *snapshot.Snapshot, stay bool) {
	lim := limits{
		f:       f,
		d:       d,
		keep:    KeeperOf(f),
		cals:    map[string]*season.Calendar{},
		windows: map[string]technique.Standing{},
		bundles: map[string]keptBundle{},
	}
	d.Tags = f.OpenTags()
	classes := f.Classes()
	for i, t := range d.Tags {
		left := t.Planned - t.Tied
		if left <= 0 {
			continue
		}
		j := benchday.Job{
			ID:        t.Code,
			Batch:     t.Batch,
			Technique: t.Technique,
			Lot:       t.Lot,
			Bundle:    t.Bundle,
			Grafts:    left,
			Whole:     true,
			Weight:    lateWeight[t.Priority],
		}
		hand := d.HandOf(t.WorkerID)
		if classes[t.WorkerID] && hand < 0 {
			hand = d.class(t)
		}
		slot := max(d.Now, d.Slot(t.Day, t.Half))
		switch {
		case classes[t.WorkerID]: // learners' tags stay with them, and take nobody's time
			j.Fixed, j.Hand, j.Slot = slot < d.Work.Slots, hand, slot
			if j.Fixed {
				d.Work.Hands[hand].Hours[slot] += d.Work.Takes(j, left)
			}
		case t.StartedAt != nil:
			j.Fixed, j.Hand, j.Slot = hand >= 0, hand, d.Now
		case hand >= 0 && (stay || t.Locked):
			j.Fixed, j.Hand, j.Slot = true, hand, slot
		}
		j.Prepare = d.beside(t.LotForm, t.Technique, t.Buds)
		lim.set(&j, t.StockGenus, t.LotForm, t.Bundle, t.BundleCutOn)
		d.TagOf[len(d.Work.Jobs)-1] = i
	}
	rest := f.Rest
	for i := 0; i < len(rest); {
		k := i
		n := 0
		alike := func(a, b store.RestThread) bool {
			return a.BatchID == b.BatchID && a.Technique == b.Technique && a.LotID == b.LotID && a.BundleID == b.BundleID
		}
		for k < len(rest) && alike(rest[k], rest[i]) {
			n += rest[k].N
			k++
		}
		r := rest[i]
		j := benchday.Job{
			ID:        r.Batch + " " + r.Bundle,
			Batch:     r.Batch,
			Technique: r.Technique,
			Lot:       r.Lot,
			Bundle:    r.Bundle,
			Grafts:    n,
			Weight:    lateWeight[r.Priority],
		}
		j.Prepare = d.beside(r.LotForm, r.Technique, r.Buds)
		lim.set(&j, r.StockGenus, r.LotForm, r.Bundle, r.CutOn)
		d.Rest[len(d.Work.Jobs)-1] = rest[i:k]
		i = k
	}
}

// class puts a class among the hands: it has the hours that its own tags take, and knows nothing
// else.
func (d *Diary) class(t store.Tag) int {
	p, _ := d.F.Person(t.WorkerID)
	knows := map[string]bool{t.Technique: true}
	d.Hands = append(d.Hands, Hand{Person: p, Knows: knows, Speed: sizing.Interval{Mean: 1, Low: 1, High: 1}})
	d.Work.Hands = append(d.Work.Hands, benchday.Hand{ID: p.Name, Speed: 1, Knows: knows, Hours: make([]float64, d.Work.Slots)})
	return len(d.Hands) - 1
}

// beside is what a stock takes beside its first graft or bud, in hours: making it
// ready, and each bud more.
func (d *Diary) beside(form, technique string, buds int) float64 {
	return supply.PrepareHours(form, 1) + float64(max(1, buds)-1)/d.Work.Rate[technique]
}

// limits finds between which days a job can be made.
type limits struct {
	f       *snapshot.Snapshot
	d       *Diary
	keep    *Keeper
	cals    map[string]*season.Calendar
	windows map[string]technique.Standing
	bundles map[string]keptBundle
}

// keptBundle is the wood of a bundle, and until when it keeps.
type keptBundle struct {
	state  string
	keepBy time.Time
}

// window is how a technique stands in a season group with wood of a state, where
// the stock stands. Where it is shut now but opens later, Until is the end of that
// window.
func (l *limits) window(group, key, wood string, ground technique.Ground) technique.Standing {
	at := fmt.Sprint(group, "/", key, "/", wood, ground)
	if st, ok := l.windows[at]; ok {
		return st
	}
	cal := l.cals[group]
	if cal == nil {
		cal = l.f.Around(group)
		l.cals[group] = cal
	}
	var st technique.Standing
	if t, ok := l.f.Technique(key); ok {
		st = t.Standing(cal, []string{wood}, ground, l.f.Today)
		if st.Verdict == technique.Shut && !st.Opens.IsZero() {
			st.Until = t.Standing(cal, []string{wood}, ground, st.Opens).Until
		}
	}
	l.windows[at] = st
	return st
}

// set gives a job its first and last half-day and adds it.
func (l *limits) set(j *benchday.Job, stockGenus, form, bundle string, cutOn time.Time) {
	b, ok := l.bundles[bundle]
	if !ok {
		w, _ := l.f.Bundle(bundle) // it is under an open tag, or aside
		b = keptBundle{w.State, season.DayOf(l.keep.Keep(w, nil).Keeping.KeepBy)}
		l.bundles[bundle] = b
	}
	st := l.window(l.f.Genus(stockGenus).SeasonGroup, j.Technique, b.state, GroundOf(form))
	x := technique.SpanOf(st, l.d.from, season.DayOf(cutOn), b.keepBy)
	j.Earliest, j.Latest, j.Keep = max(l.d.Now, l.d.Slot(x.First, 1)), l.d.Slot(x.Last, 2), l.d.Slot(b.keepBy, 2)
	l.d.Work.Jobs = append(l.d.Work.Jobs, *j)
	l.d.Spans = append(l.d.Spans, x)
}
