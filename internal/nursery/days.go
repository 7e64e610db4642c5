package nursery

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"time"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
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
	clock := float64(s.Now().Hour()) + float64(s.Now().Minute())/60
	if clock >= morningEnds {
		d.now = 1
	}
	for _, x := range d.hands {
		bh := benchday.Hand{ID: x.Person.Name, Speed: x.Speed.Mean, Knows: x.Knows, Hours: make([]float64, d.p.Slots)}
		for i := d.now; i < d.p.Slots; i++ {
			day, half := d.day(i)
			bh.Hours[i] = benchday.Usable(x.HoursOn(day, half))
		}
		if d.now < d.p.Slots {
			bh.Hours[d.now] *= leftOfHalf(d.now, clock)
		}
		d.p.Hands = append(d.p.Hands, bh)
	}
	return d, s.work(ctx, q, d, ts, stay)
}

// leftOfHalf is the share of the running half-day that is still to come.
func leftOfHalf(half int, clock float64) float64 {
	from, to := morningFrom, morningEnds
	if half == 1 {
		from, to = noonTill, afternoonEnd
	}
	return math.Max(0, math.Min(1, (to-clock)/(to-from)))
}

// work lists the jobs: open tags, and what batches have on no tag.
func (s *Service) work(ctx context.Context, q store.Q, d *diary, ts []technique.Technique, stay bool) error {
	lim := limits{s: s, q: q, book: s.almanac(q), d: d, keep: s.keeper(q), cals: map[string]*season.Calendar{}, windows: map[string]technique.Standing{}, keeps: map[string]time.Time{}, genera: map[string]store.Genus{}}
	gs, err := q.Genera(ctx)
	if err != nil {
		return err
	}
	for _, g := range gs {
		lim.genera[g.Key] = g
	}
	lim.ts = ts
	if d.tags, err = q.Tags(ctx, store.Which{Open: true, Limit: 5000}); err != nil {
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
	keeps   map[string]time.Time
}

// set gives a job its first and last half-day and adds it.
func (l *limits) set(ctx context.Context, j *benchday.Job, stockGenus, bundle string, cutOn time.Time) error {
	group := l.genera[stockGenus].SeasonGroup
	key := group + "/" + j.Technique
	st, ok := l.windows[key]
	if !ok {
		cal := l.cals[group]
		if cal == nil {
			y, err := l.book.year(ctx, group)
			if err != nil {
				return err
			}
			cal = y.Around(l.s.Today())
			l.cals[group] = cal
		}
		if i := slices.IndexFunc(l.ts, func(t technique.Technique) bool { return t.Key == j.Technique }); i >= 0 {
			st = l.ts[i].Standing(cal, nil, l.s.Today())
			if st.Verdict == technique.Shut && !st.Opens.IsZero() {
				// It is planned for when it opens, and until that window shuts.
				next := l.ts[i].Standing(cal, nil, st.Opens)
				st.Until = next.Until
			}
		}
		l.windows[key] = st
	}
	by, ok := l.keeps[bundle]
	if !ok {
		b, err := l.q.BundleByCode(ctx, bundle)
		if err != nil {
			return err
		}
		k, err := l.keep.keep(ctx, b, nil)
		if err != nil {
			return err
		}
		by = season.DayOf(k.Keeping.KeepBy)
		l.keeps[bundle] = by
	}
	first := l.d.from
	if st.Opens.After(first) {
		first = st.Opens
	}
	if season.DayOf(cutOn).After(first) {
		first = season.DayOf(cutOn)
	}
	last, why := by, "its wood keeps no longer"
	if !st.Until.IsZero() && st.Until.Before(by) {
		last, why = st.Until, "its season shuts"
	}
	j.Earliest, j.Latest, j.Keep = max(l.d.now, l.d.slot(first, 1)), l.d.slot(last, 2), l.d.slot(by, 2)
	l.d.p.Jobs = append(l.d.p.Jobs, *j)
	l.d.last, l.d.shuts, l.d.opens = append(l.d.last, why), append(l.d.shuts, last), append(l.d.opens, first)
	return nil
}

// DayTag is a run of like tags of one hand in one half-day.
type DayTag struct {
	Codes     []string
	Grafts    int
	Left      int
	Batch     string
	Variety   string
	StockType string
	Technique string
	Lot       string
	Bundle    string
	Locked    bool
	Started   bool
	Late      bool
	LastDay   time.Time
	Why       string // what its last day is
	Knows     []int64
}

// DayCell is a hand's half-day.
type DayCell struct {
	Day    time.Time
	Half   int
	Hours  float64 // usable
	Used   float64
	Runs   []DayTag
	Says   []string // what is wrong with it
	Before bool     // over already
}

// DayRow is a hand's days.
type DayRow struct {
	Hand  Hand
	Cells []DayCell
	Work  float64 // hours planned over the days shown
}

// NotPlaced is work that is on no tag yet.
type NotPlaced struct {
	Batch, Variety, Technique, Lot, Bundle string
	Grafts                                 int
	LastDay                                time.Time
	Why                                    string
}

// DaysPage is the plan of the bench days.
type DaysPage struct {
	From, Next, Back time.Time
	Days             []time.Time
	Rows             []DayRow
	Rest             []NotPlaced // on no tag yet
	RestGrafts       int
	Open             int // grafts on open tags
	Score            benchday.Plan
	Working          working.Working
	Alone            []string
	Undo             bool // a plan can be taken back
	LateDays         float64
}

// BenchDays gathers the plan from a day on.
func (s *Service) BenchDays(ctx context.Context, from time.Time) (DaysPage, error) {
	q := s.db.Q()
	var p DaysPage
	d, err := s.diary(ctx, q, true)
	if err != nil {
		return p, err
	}
	if from.IsZero() || from.Before(d.from) || from.After(d.from.AddDate(0, 0, daysPlanned)) {
		from = d.from
	}
	p.From = from
	var pieces []benchday.Piece
	var left []benchday.Left
	for i, j := range d.p.Jobs {
		if j.Fixed {
			pieces = append(pieces, benchday.Piece{Job: i, Hand: j.Hand, Slot: j.Slot, Grafts: j.Grafts, Hours: float64(j.Grafts) / d.p.Rate[j.Technique]})
		} else {
			left = append(left, benchday.Left{Job: i, Grafts: j.Grafts, Why: "on no day yet"})
		}
	}
	p.Score = benchday.Score(d.p, pieces, nil)
	p.Alone = p.Score.Alone
	for _, l := range left {
		j := d.p.Jobs[l.Job]
		n := NotPlaced{Batch: j.Batch, Technique: d.names[j.Technique], Lot: j.Lot, Bundle: j.Bundle, Grafts: l.Grafts, LastDay: d.shuts[l.Job], Why: d.last[l.Job]}
		if r := d.rest[l.Job]; len(r) > 0 {
			n.Variety = r[0].Variety
		} else {
			n.Variety = d.tags[d.tagOf[l.Job]].Variety
		}
		p.Rest = append(p.Rest, n)
		p.RestGrafts += l.Grafts
	}
	p.lay(d, s.Today())
	_, err = q.LastDayPlan(ctx)
	p.Undo = err == nil
	if err != nil && !errors.Is(err, ErrNotFound) {
		return p, err
	}
	p.explain(d)
	return p, nil
}

// lay puts the tags into the days shown: those on which anybody is there.
func (p *DaysPage) lay(d *diary, today time.Time) {
	works := func(day time.Time) bool {
		for _, h := range d.hands {
			if h.HoursOn(day, 1)+h.HoursOn(day, 2) > 0 {
				return true
			}
		}
		return slices.ContainsFunc(d.tags, func(t store.Tag) bool { return t.Day.Equal(day) })
	}
	end := p.From
	for ; len(p.Days) < daysShown && end.Before(p.From.AddDate(0, 0, daysPlanned)); end = end.AddDate(0, 0, 1) {
		if works(end) {
			p.Days = append(p.Days, end)
		}
	}
	if len(p.Days) == 0 { // nobody has hours: show a week all the same
		for i := range 7 {
			p.Days = append(p.Days, p.From.AddDate(0, 0, i))
		}
		end = p.From.AddDate(0, 0, 7)
	}
	if end.Before(d.from.AddDate(0, 0, daysPlanned)) {
		p.Next = end
	}
	if p.From.After(d.from) {
		p.Back = p.From.AddDate(0, 0, -14)
	}
	trouble := map[int][]string{}
	for _, t := range benchday.Check(d.p, p.Score.Pieces) {
		if t.Piece >= 0 && t.Kind != benchday.Late {
			trouble[t.Piece] = append(trouble[t.Piece], t.Says)
		}
	}
	for h, hand := range d.hands {
		row := DayRow{Hand: hand}
		for _, day := range p.Days {
			for half := 1; half <= 2; half++ {
				slot := d.slot(day, half)
				c := DayCell{Day: day, Half: half, Before: slot < d.now}
				if slot < d.p.Slots {
					c.Hours = d.p.Hands[h].Hours[max(0, slot)]
				}
				for i, x := range p.Score.Pieces {
					if x.Hand == h && x.Slot == slot {
						c.add(d, x)
						c.Used += x.Hours / hand.Speed.Mean
						for _, says := range trouble[i] {
							if !slices.Contains(c.Says, says) {
								c.Says = append(c.Says, says)
							}
						}
					}
				}
				row.Work += c.Used
				row.Cells = append(row.Cells, c)
			}
		}
		if hand.WeekHours() > 0 || row.Work > 0 {
			p.Rows = append(p.Rows, row)
		}
	}
	for _, x := range p.Score.Pieces {
		p.Open += x.Grafts
	}
}

// add lays a tag next to its like.
func (c *DayCell) add(d *diary, x benchday.Piece) {
	t := d.tags[d.tagOf[x.Job]]
	late := x.Slot > d.p.Jobs[x.Job].Latest
	if n := len(c.Runs); n > 0 {
		r := &c.Runs[n-1]
		if r.Batch == t.Batch && r.Lot == t.Lot && r.Bundle == t.Bundle && r.Technique == t.TechniqueName && r.Locked == t.Locked && r.Started == (t.StartedAt != nil) {
			r.Codes, r.Grafts, r.Left, r.Late = append(r.Codes, t.Code), r.Grafts+t.Planned, r.Left+x.Grafts, r.Late || late
			return
		}
	}
	c.Runs = append(c.Runs, DayTag{Codes: []string{t.Code}, Grafts: t.Planned, Left: x.Grafts, Batch: t.Batch, Variety: t.Variety, StockType: t.StockType, Technique: t.TechniqueName,
		Lot: t.Lot, Bundle: t.Bundle, Locked: t.Locked, Started: t.StartedAt != nil, Late: late, LastDay: d.shuts[x.Job], Why: d.last[x.Job]})
}

func (p *DaysPage) explain(d *diary) {
	hours, hands := 0.0, 0
	for h := range d.hands {
		sum := 0.0
		for s := range d.p.Slots {
			sum += d.p.Hands[h].Hours[s] * d.p.Hands[h].Speed
		}
		if sum > 0 {
			hours, hands = hours+sum, hands+1
		}
	}
	perDay := 0.0
	if hands > 0 {
		perDay = hours / float64(hands) / (daysPlanned * 5.0 / 7)
	}
	if perDay > 0 {
		p.LateDays = p.Score.LateHours / perDay
	}
	p.Working = working.Working{Title: "The plan of the bench days", Answer: fmt.Sprintf("%d grafts on open tags, %d of them late", p.Open, p.Score.Late), Rule: "bench days",
		Range:  fmt.Sprintf("no plan of these tags has fewer than %d late", p.Score.LeastLate),
		Says:   "Each tag takes its grafts at the house's rate and the hand's own pace, with laying out, a change of lot or bundle, ten minutes in the hour off the cut, and tiring after two hours. A tag is late when it stands after the last day its season is open and its wood keeps.",
		Inputs: []working.Input{{Name: "Hours there are", Value: fmt.Sprintf("%.0f at the house's rates, %d hands, %d days", hours, hands, daysPlanned), Source: working.OwnRecords}, {Name: "Changes of lot or bundle", Value: fmt.Sprint(p.Score.Changeovers), Source: working.OwnRecords}, {Name: "Seats", Value: fmt.Sprint(d.p.Seats), Source: working.Entered}}}
}
