package nursery

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"unionknot/internal/core/benchday"
	"unionknot/internal/store"
)

// Planned is what planning the days did.
type Planned struct {
	Made, Moved int // tags
	Late        int // grafts
	LeastLate   int
	Unplaced    []NotPlaced
}

// PlanDays puts all work that is not begun and not locked into the days: what
// is on no tag yet becomes tags. It starts from what was really made so far,
// so that it can be done anew each morning.
func (s *Service) PlanDays(ctx context.Context, a Actor) (Planned, error) {
	var out Planned
	if err := a.must(Propagator); err != nil {
		return out, err
	}
	err := s.db.Tx(ctx, func(q store.Q) error {
		out = Planned{}
		if err := q.LockDays(ctx); err != nil {
			return err
		}
		if again, err := sentBefore(ctx, q, "days planned"); err != nil || again {
			return err
		}
		if err := s.holdBatches(ctx, q); err != nil {
			return err
		}
		d, err := s.diary(ctx, q, false)
		if err != nil {
			return err
		}
		if len(d.p.Jobs) == 0 {
			return Problem{"", "There is nothing to plan: no batch waits, and no tag is open. Make batches in Match."}
		}
		if !slices.ContainsFunc(d.hands, func(h Hand) bool { return h.WeekHours() > 0 }) {
			return Problem{"", "Nobody has hours at the bench. Set them under Hands and hours."}
		}
		plan, err := benchday.Solve(d.p)
		if err != nil {
			return fmt.Errorf("planning the days: %w", err)
		}
		out.Late, out.LeastLate = plan.Late, plan.LeastLate
		done := store.DayPlan{PersonID: a.ID, At: s.Now()}
		if err := s.keepPlan(ctx, q, d, plan, &done); err != nil {
			return err
		}
		out.Made, out.Moved = len(done.Made), len(done.Moved)
		for _, l := range plan.Unplaced {
			j := d.p.Jobs[l.Job]
			out.Unplaced = append(out.Unplaced, NotPlaced{Batch: j.Batch, Technique: d.names[j.Technique], Lot: j.Lot, Bundle: j.Bundle, Grafts: l.Grafts, Why: l.Why})
		}
		if out.Made+out.Moved == 0 {
			return nil
		}
		if _, err := q.AddDayPlan(ctx, done); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "days", s.Today().Format(time.DateOnly), "planned", nil, map[string]int{"made": out.Made, "moved": out.Moved, "late": out.Late})
	})
	return out, err
}

// holdBatches locks every batch with work on no tag, in the order of their
// ids, so that nobody shares one out meanwhile.
func (s *Service) holdBatches(ctx context.Context, q store.Q) error {
	rest, err := q.RestThreads(ctx)
	if err != nil {
		return err
	}
	var ids []int64
	for _, r := range rest {
		ids = append(ids, r.BatchID)
	}
	slices.Sort(ids)
	for _, id := range slices.Compact(ids) {
		if err := q.LockBatch(ctx, id); err != nil {
			return err
		}
	}
	return nil
}

// keepPlan writes a plan: tags that nobody has begun are moved, and what is on
// no tag is put on new ones.
func (s *Service) keepPlan(ctx context.Context, q store.Q, d *diary, plan benchday.Plan, done *store.DayPlan) error {
	pieces := slices.Clone(plan.Pieces)
	slices.SortStableFunc(pieces, func(a, b benchday.Piece) int { return cmp.Or(a.Job-b.Job, a.Slot-b.Slot, a.Hand-b.Hand) })
	left := map[int][]store.RestThread{}
	for j, rs := range d.rest {
		left[j] = slices.Clone(rs)
	}
	r := random()
	for _, c := range pieces {
		j := d.p.Jobs[c.Job]
		day, half := d.day(c.Slot)
		hand := d.hands[c.Hand].Person.ID
		if i, ok := d.tagOf[c.Job]; ok {
			t := d.tags[i]
			if t.StartedAt != nil || t.Locked || t.WorkerID == hand && t.Day.Equal(day) && t.Half == half {
				continue
			}
			moved, err := q.PlaceTag(ctx, store.TagPlace{Code: t.Code, WorkerID: hand, Day: day, Half: half})
			if err != nil {
				return err
			}
			if moved {
				done.Moved = append(done.Moved, store.TagPlace{Code: t.Code, WorkerID: t.WorkerID, Day: t.Day, Half: t.Half})
			}
			continue
		}
		code, err := freshCode(ctx, q, r)
		if err != nil {
			return err
		}
		threads := takeThreads(left, c.Job, c.Grafts)
		if _, err := q.AddTag(ctx, store.Tag{Code: code, BatchID: threads[0].BatchID, LotID: threads[0].LotID, BundleID: threads[0].BundleID,
			Technique: j.Technique, WorkerID: hand, Day: day, Half: half, Planned: c.Grafts}, threads); err != nil {
			return fmt.Errorf("making tag %s: %w", code, err)
		}
		done.Made = append(done.Made, code)
	}
	return nil
}

// takeThreads takes n grafts off what a job has left, thickest stock first, so
// that neighbours in diameter stay together.
func takeThreads(left map[int][]store.RestThread, job, n int) []store.Thread {
	var out []store.Thread
	rs := left[job]
	for n > 0 && len(rs) > 0 {
		t := rs[0].Thread
		t.N = min(n, rs[0].N)
		out = append(out, t)
		n -= t.N
		if rs[0].N -= t.N; rs[0].N == 0 {
			rs = rs[1:]
		}
	}
	left[job] = rs
	return out
}

// UndoPlan takes the last plan back: tags it made go, unless they were begun,
// and tags it moved stand where they stood.
func (s *Service) UndoPlan(ctx context.Context, a Actor) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		if err := q.LockDays(ctx); err != nil {
			return err
		}
		p, err := q.LastDayPlan(ctx)
		if errors.Is(err, ErrNotFound) {
			return Problem{"", "There is no plan to take back."}
		} else if err != nil {
			return err
		}
		for _, code := range p.Made {
			if _, err := q.DropTag(ctx, code); err != nil {
				return err
			}
		}
		for _, m := range p.Moved {
			if _, err := q.PlaceTag(ctx, m); err != nil {
				return err
			}
		}
		if err := q.UndoDayPlan(ctx, p.ID, s.Now()); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "days", p.At.Format(time.DateOnly), "plan taken back", nil, map[string]int{"tags": len(p.Made), "moved": len(p.Moved)})
	})
}

// MoveTags is a run of tags that a planner puts somewhere else.
type MoveTags struct {
	Codes  []string
	Worker int64
	Day    time.Time
	Half   int
}

// MoveTags puts tags that nobody has begun with a hand in a half-day, where
// they stay until they are let go. What cannot be is refused: a hand who does
// not know the technique or is away, a day that is over, and one before the
// wood is cut or the season opens. What is only unwise, too many hours or past
// its last day, is done and shown.
func (s *Service) MoveTags(ctx context.Context, a Actor, m MoveTags) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	if m.Half != 1 && m.Half != 2 || len(m.Codes) == 0 || len(m.Codes) > 200 {
		return Problem{"", "Choose tags, a hand, a day and a half of it."}
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		if err := q.LockDays(ctx); err != nil {
			return err
		}
		d, err := s.diary(ctx, q, true)
		if err != nil {
			return err
		}
		h := d.handOf(m.Worker)
		if h < 0 {
			return Problem{"", "They do not work at the bench any more."}
		}
		slot := d.slot(m.Day, m.Half)
		for _, code := range m.Codes {
			if err := s.moveTag(ctx, q, d, code, h, slot, m); err != nil {
				return err
			}
		}
		return s.changed(ctx, q, a, "tags", m.Codes[0], "moved", len(m.Codes), fmt.Sprintf("%s, %s, half %d", d.hands[h].Person.Name, m.Day.Format(time.DateOnly), m.Half))
	})
}

func (s *Service) moveTag(ctx context.Context, q store.Q, d *diary, code string, h, slot int, m MoveTags) error {
	name := d.hands[h].Person.Name
	job := -1
	for j, i := range d.tagOf {
		if d.tags[i].Code == code {
			job = j
		}
	}
	if job < 0 {
		return Problem{"", "Tag " + code + " is finished, or gone. Look at the plan as it stands now."}
	}
	t, j := d.tags[d.tagOf[job]], d.p.Jobs[job]
	switch {
	case t.StartedAt != nil:
		return Problem{"", "Tag " + code + " is begun, so it stays with " + t.Worker + "."}
	case !d.hands[h].Knows[t.Technique]:
		return Problem{"", fmt.Sprintf("%s does not know %s. Note it under Hands and hours once it is learnt.", name, t.TechniqueName)}
	case slot < d.now:
		return Problem{"", "That half-day is over."}
	case slot >= d.p.Slots:
		return Problem{"", fmt.Sprintf("The plan reaches %d days ahead.", daysPlanned)}
	case slot < j.Earliest:
		return Problem{"", fmt.Sprintf("Its wood or its season is not there before %s.", d.opens[job].Format("2 January"))}
	case d.hands[h].HoursOn(m.Day, m.Half) == 0:
		return Problem{"", name + " is not at the bench then."}
	}
	ok, err := q.PlaceTag(ctx, store.TagPlace{Code: code, WorkerID: m.Worker, Day: m.Day, Half: m.Half, Locked: true})
	if err == nil && !ok {
		err = Problem{"", "Tag " + code + " was just begun, so it stays."}
	}
	return err
}

// LockTags holds tags where they stand when the days are planned again, or
// lets them go.
func (s *Service) LockTags(ctx context.Context, a Actor, codes []string, lock bool) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		for _, code := range codes {
			t, err := q.TagByCode(ctx, code)
			if err != nil {
				return err
			}
			if _, err := q.PlaceTag(ctx, store.TagPlace{Code: code, WorkerID: t.WorkerID, Day: t.Day, Half: t.Half, Locked: lock}); err != nil {
				return err
			}
		}
		if len(codes) == 0 {
			return nil
		}
		doing := map[bool]string{true: "held", false: "let go"}[lock]
		return s.changed(ctx, q, a, "tags", codes[0], doing, nil, len(codes))
	})
}

// PlanWay is a way out when tags are late, and what it does.
type PlanWay struct {
	Says  string
	Late  int // grafts that would still be late
	Saves int
	Cents int
}

// EachCents is what a graft brought in time costs.
func (w PlanWay) EachCents() float64 { return float64(w.Cents) / float64(max(1, w.Saves)) }

// House defaults of ways out of a late plan.
const (
	overtimeTimes  = 1.5 // wages of an hour over the week's
	learnHours     = 4.0 // practice before a technique is let near stock
	learnerSpeed   = 0.6
	helperMostDays = 30
	mostTaught     = 8 // lessons tried out
)

// PlanWays works out what would bring late grafts in time, each by planning
// anew with it, the cheapest a graft first.
func (s *Service) PlanWays(ctx context.Context) ([]PlanWay, int, error) {
	q := s.db.Q()
	d, err := s.diary(ctx, q, false)
	if err != nil {
		return nil, 0, err
	}
	h, err := q.House(ctx)
	if err != nil {
		return nil, 0, err
	}
	base, err := benchday.Solve(d.p)
	if err != nil || base.Late == 0 {
		return nil, 0, err
	}
	var out []PlanWay
	try := func(says string, cents func(plan benchday.Plan, p benchday.Problem) float64, change func(p *benchday.Problem)) error {
		p := d.p
		p.Hands = slices.Clone(d.p.Hands)
		change(&p)
		plan, err := benchday.Quick(p)
		if err != nil {
			return err
		}
		if saved := base.Late - plan.Late; saved > 0 {
			out = append(out, PlanWay{Says: says, Late: plan.Late, Saves: saved, Cents: int(cents(plan, p) + 0.5)})
		}
		return nil
	}
	wage := float64(h.WageCents)
	// Hours over the week's, for those who are there.
	for _, more := range []float64{1, 2} {
		extra := 0.0
		says := "Everybody stays an hour longer in the afternoon"
		if more > 1 {
			says = fmt.Sprintf("Everybody stays %.0f hours longer in the afternoon", more)
		}
		if err := try(says, func(benchday.Plan, benchday.Problem) float64 { return extra * wage * overtimeTimes }, func(p *benchday.Problem) {
			for i := range p.Hands {
				p.Hands[i].Hours = slices.Clone(p.Hands[i].Hours)
				for s := d.now; s < lastLate(d, base)+1 && s < p.Slots; s++ {
					if s%2 == 1 && p.Hands[i].Hours[s] > 0 {
						day, _ := d.day(s)
						p.Hands[i].Hours[s] = benchday.Usable(d.hands[i].HoursOn(day, 2) + more)
						extra += more
					}
				}
			}
		}); err != nil {
			return nil, 0, err
		}
	}
	// One more pair of hands who knows all of it.
	if err := try("Take on one more hand who knows the techniques, until the last late tag", func(plan benchday.Plan, p benchday.Problem) float64 {
		hours := 0.0
		for _, c := range plan.Pieces {
			if c.Hand == len(d.hands) {
				hours += c.Hours
			}
		}
		return hours * wage * 6 / 5 // breaks are paid
	}, func(p *benchday.Problem) {
		p.Hands = append(p.Hands, helper(d, base))
		p.Seats++
	}); err != nil {
		return nil, 0, err
	}
	// Teach what is late to those who do not know it, the most hours first.
	learners := make([]int, len(d.hands))
	for i := range learners {
		learners[i] = i
	}
	slices.SortStableFunc(learners, func(a, b int) int { return cmp.Compare(d.hands[b].WeekHours(), d.hands[a].WeekHours()) })
	taught := 0
	for _, k := range lateTechniques(d, base) {
		for _, i := range learners {
			x := d.hands[i]
			if x.Knows[k] || x.WeekHours() == 0 || taught == mostTaught {
				continue
			}
			taught++
			if err := try(fmt.Sprintf("Teach %s to %s", d.names[k], x.Person.Name), func(benchday.Plan, benchday.Problem) float64 { return learnHours * 2 * wage }, func(p *benchday.Problem) {
				knows := map[string]bool{k: true}
				for t, ok := range p.Hands[i].Knows {
					knows[t] = ok || t == k
				}
				p.Hands[i].Knows = knows
				p.Hands[i].Speed *= (1 + learnerSpeed) / 2
			}); err != nil {
				return nil, 0, err
			}
		}
	}
	slices.SortStableFunc(out, func(a, b PlanWay) int { return cmp.Compare(a.EachCents(), b.EachCents()) })
	// What is left to summer costs half a year's growth of each.
	out = append(out, PlanWay{Says: "Line those stocks out and bud them in summer", Late: 0, Saves: base.Late,
		Cents: int(float64(base.Late) * float64(h.TreeCents) * h.DelayShare * summerDelay)})
	slices.SortStableFunc(out, func(a, b PlanWay) int { return cmp.Compare(a.EachCents(), b.EachCents()) })
	return out, base.Late, nil
}

// lastLate is the last half-day in which something late is due.
func lastLate(d *diary, p benchday.Plan) int {
	last := d.now
	for _, c := range p.Pieces {
		if j := d.p.Jobs[c.Job]; c.Slot > j.Latest {
			last = max(last, j.Latest)
		}
	}
	for _, l := range p.Unplaced {
		last = max(last, d.p.Jobs[l.Job].Latest)
	}
	return min(last, d.p.Slots-1)
}

func lateTechniques(d *diary, p benchday.Plan) []string {
	var out []string
	for _, c := range p.Pieces {
		if j := d.p.Jobs[c.Job]; c.Slot > j.Latest {
			out = append(out, j.Technique)
		}
	}
	for _, l := range p.Unplaced {
		out = append(out, d.p.Jobs[l.Job].Technique)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// helper is a hand at the house's pace, Monday to Friday, until the last late
// tag is due.
func helper(d *diary, base benchday.Plan) benchday.Hand {
	x := benchday.Hand{ID: "one more", Speed: 1, Knows: map[string]bool{}, Hours: make([]float64, d.p.Slots)}
	for _, j := range d.p.Jobs {
		x.Knows[j.Technique] = true
	}
	for s := d.now; s <= min(lastLate(d, base), 2*helperMostDays); s++ {
		if day, half := d.day(s); day.Weekday() != time.Saturday && day.Weekday() != time.Sunday {
			x.Hours[s] = benchday.Usable([]float64{morningHours, afternoonHours}[half-1])
		}
	}
	return x
}
