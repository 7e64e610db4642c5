package nursery

import (
	"cmp"
	"context"
	"crypto/sha256"
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
	// The plan is solved with nothing locked, and kept if what it was made of
	// still stands; else it is made again.
	for range solveTries {
		var d *diary
		err := s.db.Look(ctx, func(q store.Q) (err error) {
			d, err = s.diary(ctx, q, false)
			return err
		})
		if err != nil {
			return out, err
		}
		if len(d.p.Jobs) == 0 {
			return out, Problem{"", "There is nothing to plan: no batch waits, and no tag is open. Make batches in Match."}
		}
		if !slices.ContainsFunc(d.hands, func(h Hand) bool { return h.WeekHours() > 0 }) {
			return out, Problem{"", "Nobody has hours at the bench. Set them under Hands and hours."}
		}
		plan, err := benchday.Solve(d.p)
		if err != nil {
			return out, fmt.Errorf("planning the days: %w", err)
		}
		if out, err = s.applyPlan(ctx, a, d, plan); !errors.Is(err, errMoved) {
			return out, err
		}
	}
	return out, Problem{"", "The bench changed each time while the days were planned. Plan them again in a moment."}
}

// solveTries is how often a plan is made anew when the bench moved meanwhile.
const solveTries = 3

// errMoved says that what a plan was made of no longer stands.
var errMoved = errors.New("the bench moved while it was planned")

// print is what a plan depends on: each open tag with where it is, and what is
// on no tag. The minute of the day is not in it; ties on a begun tag are.
func (d *diary) print() string {
	h := sha256.New()
	for j, x := range d.p.Jobs {
		fmt.Fprintln(h, x.ID, x.Batch, x.Technique, x.Lot, x.Bundle, x.Grafts, x.Fixed, x.Hand, x.Slot, x.Earliest, x.Latest, x.Weight)
		if i, ok := d.tagOf[j]; ok {
			t := d.tags[i]
			fmt.Fprintln(h, t.WorkerID, t.Day.Unix(), t.Half, t.Locked, t.StartedAt != nil)
		}
	}
	for _, x := range d.hands {
		fmt.Fprintln(h, x.Person.ID, x.Week, x.Away, x.Knows)
	}
	return string(h.Sum(nil))
}

// applyPlan keeps a plan, if what it was made of still stands: errMoved else.
func (s *Service) applyPlan(ctx context.Context, a Actor, was *diary, plan benchday.Plan) (Planned, error) {
	var out Planned
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
		if d.print() != was.print() {
			return errMoved
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
	var to []store.TagPlace
	from := map[string]store.TagPlace{}
	for _, c := range pieces {
		j := d.p.Jobs[c.Job]
		day, half := d.day(c.Slot)
		hand := d.hands[c.Hand].Person.ID
		if i, ok := d.tagOf[c.Job]; ok {
			t := d.tags[i]
			if t.StartedAt != nil || t.Locked || t.WorkerID == hand && t.Day.Equal(day) && t.Half == half {
				continue
			}
			to = append(to, store.TagPlace{Code: t.Code, WorkerID: hand, Day: day, Half: half})
			from[t.Code] = store.TagPlace{Code: t.Code, WorkerID: t.WorkerID, Day: t.Day, Half: t.Half}
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
	moved, err := q.PlaceTags(ctx, to)
	for _, code := range moved {
		done.Moved = append(done.Moved, from[code])
	}
	return err
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
