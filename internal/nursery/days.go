package nursery

import (
	"context"
	"math"
	"slices"
	"time"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
	"unionknot/internal/store"
)

// House defaults of the plan of the days.
const (
	daysPlanned  = 42   // six weeks
	daysShown    = 10   // columns of the plan, on which somebody is there
	morningEnds  = 12.5 // o'clock: after it the day's morning is over
	morningFrom  = 8.0
	noonTill     = 13.0
	afternoonEnd = 17.0
)

// lateWeight is how much a late graft of a priority weighs. House default.
var lateWeight = map[int]float64{1: 3, 2: 1.5, 3: 1}

// diary is the bench's work as the core plans it, with what each job and hand
// is.
type diary struct {
	p       benchday.Problem
	from    time.Time // the day of slot 0
	now     int       // the half-day that is running
	clock   float64   // o'clock
	hands   []Hand
	tags    []store.Tag                // open tags
	rest    map[int][]store.RestThread // by job, what is on no tag
	tagOf   map[int]int                // by job, its tag
	names   map[string]string          // of techniques
	last    []string                   // by job, what its last day is: the season or the wood
	shuts   []time.Time                // by job, its last day
	opens   []time.Time
	tagSize int
}

// slot is the half-day of a day, below zero before the plan begins.
func (d *diary) slot(day time.Time, half int) int {
	return int(math.Round(day.Sub(d.from).Hours()/24))*2 + half - 1
}

// day gives a slot's day and half.
func (d *diary) day(slot int) (time.Time, int) {
	return d.from.AddDate(0, 0, int(math.Floor(float64(slot)/2))), (slot%2+2)%2 + 1
}

func (d *diary) handOf(person int64) int {
	return slices.IndexFunc(d.hands, func(h Hand) bool { return h.Person.ID == person })
}

// diary gathers the work and the hands. Tags that nobody has begun stay where
// they are when they are locked, or all of them when stay is set.
func (s *Service) diary(ctx context.Context, q store.Q, stay bool) (*diary, error) {
	d := &diary{from: s.Today(), rest: map[int][]store.RestThread{}, tagOf: map[int]int{}, names: map[string]string{}}
	h, err := q.House(ctx)
	if err != nil {
		return nil, err
	}
	if d.hands, err = s.hands(ctx, q); err != nil {
		return nil, err
	}
	ts, err := s.techniques(ctx, q)
	if err != nil {
		return nil, err
	}
	d.tagSize = h.TagSize
	d.clock = s.clockNow()
	d.p = benchday.Problem{Slots: 2 * daysPlanned, Rate: map[string]float64{}, TagSize: h.TagSize, ShareOver: sharedOver, Stations: map[string]int{}}
	// Of techniques that are no longer in use too: their tags may be open.
	all, err := q.Techniques(ctx)
	if err != nil {
		return nil, err
	}
	for _, t := range all {
		d.p.Rate[t.Key], d.names[t.Key] = float64(t.RatePerHour), t.Name
	}
	stations, err := q.Stations(ctx)
	if err != nil {
		return nil, err
	}
	for _, st := range stations {
		if st.Technique == nil {
			d.p.Seats += st.Seats
		} else {
			d.p.Stations[*st.Technique] += st.Seats
		}
	}
	if d.clock >= morningEnds {
		d.now = 1
	}
	for _, x := range d.hands {
		bh := benchday.Hand{ID: x.Person.Name, Speed: x.Speed.Mean, Knows: x.Knows, Hours: make([]float64, d.p.Slots)}
		for i := d.now; i < d.p.Slots; i++ {
			day, half := d.day(i)
			bh.Hours[i] = benchday.Usable(d.hoursLeft(i, x.HoursOn(day, half)))
		}
		d.p.Hands = append(d.p.Hands, bh)
	}
	return d, s.work(ctx, q, d, ts, stay)
}

// clockNow is the nursery's time of day, in hours.
func (s *Service) clockNow() float64 { return float64(s.Now().Hour()) + float64(s.Now().Minute())/60 }

// hoursLeft is what is still to come of somebody's hours in a half-day: of the
// one that is running, those after now. Hours over the usual ones are worked at
// its end, so they are the last to go.
func (d *diary) hoursLeft(slot int, hours float64) float64 {
	if slot != d.now {
		return hours
	}
	return leftOfHours(slot, d.clock, hours)
}

// leftOfHours is what is left of hours in a half-day of today (0 or 1) that ends
// when it usually does or later, for those who stay over.
func leftOfHours(half int, clock, hours float64) float64 {
	from, usual := morningFrom, morningEnds-morningFrom
	if half == 1 {
		from, usual = noonTill, afternoonEnd-noonTill
	}
	end := from + math.Max(usual, hours)
	return math.Max(0, math.Min(hours, end-clock))
}

// work lists the jobs: open tags, and what batches have on no tag.
func (s *Service) work(ctx context.Context, q store.Q, d *diary, ts []technique.Technique, stay bool) error {
	lim := limits{s: s, q: q, book: s.almanac(q), d: d, keep: s.keeper(q), cals: map[string]*season.Calendar{}, windows: map[string]technique.Standing{}, bundles: map[string]keptBundle{}, genera: map[string]store.Genus{}}
	gs, err := q.Genera(ctx)
	if err != nil {
		return err
	}
	for _, g := range gs {
		lim.genera[g.Key] = g
	}
	lim.ts = ts
	if d.tags, err = q.Tags(ctx, store.Which{Open: true, All: true}); err != nil {
		return err
	}
	for i, t := range d.tags {
		left := t.Planned - t.Tied
		if left <= 0 {
			continue
		}
		j := benchday.Job{ID: t.Code, Batch: t.Batch, Technique: t.Technique, Lot: t.Lot, Bundle: t.Bundle, Grafts: left, Whole: true, Weight: lateWeight[t.Priority]}
		hand := d.handOf(t.WorkerID)
		slot := max(d.now, d.slot(t.Day, t.Half))
		switch {
		case t.StartedAt != nil:
			j.Fixed, j.Hand, j.Slot = hand >= 0, hand, d.now
		case hand >= 0 && (stay || t.Locked):
			j.Fixed, j.Hand, j.Slot = true, hand, slot
		}
		if err := lim.set(ctx, &j, t.StockGenus, t.Bundle, t.BundleCutOn); err != nil {
			return err
		}
		d.tagOf[len(d.p.Jobs)-1] = i
	}
	rest, err := q.RestThreads(ctx)
	if err != nil {
		return err
	}
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
		j := benchday.Job{ID: r.Batch + " " + r.Bundle, Batch: r.Batch, Technique: r.Technique, Lot: r.Lot, Bundle: r.Bundle, Grafts: n, Weight: lateWeight[r.Priority]}
		if err := lim.set(ctx, &j, r.StockGenus, r.Bundle, r.CutOn); err != nil {
			return err
		}
		d.rest[len(d.p.Jobs)-1] = rest[i:k]
		i = k
	}
	return nil
}

// limits finds between which days a job can be made.
type limits struct {
	s       *Service
	q       store.Q
	d       *diary
	ts      []technique.Technique
	keep    *keeper
	genera  map[string]store.Genus
	book    *almanac
	cals    map[string]*season.Calendar
	windows map[string]technique.Standing
	bundles map[string]keptBundle
}

// keptBundle is the wood of a bundle, and until when it keeps.
type keptBundle struct {
	state  string
	keepBy time.Time
}

// window is how a technique stands in a season group with wood of a state.
// Where it is shut now but opens later, Until is the end of that window.
func (l *limits) window(ctx context.Context, group, key, wood string) (technique.Standing, error) {
	at := group + "/" + key + "/" + wood
	if st, ok := l.windows[at]; ok {
		return st, nil
	}
	cal := l.cals[group]
	if cal == nil {
		y, err := l.book.year(ctx, group)
		if err != nil {
			return technique.Standing{}, err
		}
		cal = y.Around(l.s.Today())
		l.cals[group] = cal
	}
	var st technique.Standing
	if i := slices.IndexFunc(l.ts, func(t technique.Technique) bool { return t.Key == key }); i >= 0 {
		st = l.ts[i].Standing(cal, []string{wood}, technique.OnBench, l.s.Today())
		if st.Verdict == technique.Shut && !st.Opens.IsZero() {
			st.Until = l.ts[i].Standing(cal, []string{wood}, technique.OnBench, st.Opens).Until
		}
	}
	l.windows[at] = st
	return st, nil
}

// set gives a job its first and last half-day and adds it.
func (l *limits) set(ctx context.Context, j *benchday.Job, stockGenus, bundle string, cutOn time.Time) error {
	b, ok := l.bundles[bundle]
	if !ok {
		w, err := l.q.BundleByCode(ctx, bundle)
		if err != nil {
			return err
		}
		k, err := l.keep.keep(ctx, w, nil)
		if err != nil {
			return err
		}
		b = keptBundle{w.State, season.DayOf(k.Keeping.KeepBy)}
		l.bundles[bundle] = b
	}
	st, err := l.window(ctx, l.genera[stockGenus].SeasonGroup, j.Technique, b.state)
	if err != nil {
		return err
	}
	first := l.d.from
	if st.Opens.After(first) {
		first = st.Opens
	}
	if season.DayOf(cutOn).After(first) {
		first = season.DayOf(cutOn)
	}
	last, why := b.keepBy, "its wood keeps no longer"
	switch {
	case st.Verdict == technique.Shut && st.Opens.IsZero():
		last, why = l.d.from.AddDate(0, 0, -1), "its season is over: "+st.Why
	case !st.Until.IsZero() && st.Until.Before(b.keepBy):
		last, why = st.Until, "its season shuts"
	}
	if first.After(last) && !last.Before(l.d.from) {
		last, why = l.d.from.AddDate(0, 0, -1), "its season opens "+season.Say(first)+", when the wood keeps no longer"
	}
	j.Earliest, j.Latest, j.Keep = max(l.d.now, l.d.slot(first, 1)), l.d.slot(last, 2), l.d.slot(b.keepBy, 2)
	l.d.p.Jobs = append(l.d.p.Jobs, *j)
	l.d.last, l.d.shuts, l.d.opens = append(l.d.last, why), append(l.d.shuts, last), append(l.d.opens, first)
	return nil
}
