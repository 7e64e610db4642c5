package days

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"unionknot/internal/core/benchday"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Planned is what planning the days did.
type Planned struct {
	Made, Moved int // tags
	Late        int // grafts
	LeastLate   int
	Unplaced    []outlook.NotPlaced
}

// PlanDays puts all work that is not begun and not locked into the days: what
// is on no tag yet becomes tags. It starts from what was really made so far,
// so that it can be done anew each morning.
func (s *Stage) PlanDays(ctx context.Context, a nursery.Actor) (Planned, error) {
	var out Planned
	if err := a.Must(nursery.Propagator); err != nil {
		return out, err
	}
	err := s.AsSeen(ctx, outlook.DayNeeds, func(f *snapshot.Snapshot) (nursery.KeepSeen, error) {
		d := outlook.DiaryOf(f, false)
		if len(d.Work.Jobs) == 0 {
			return nil, nursery.Problem{
				Field: "",
				Says:  words.ThereIsNothingToPlan,
			}
		}
		if !slices.ContainsFunc(d.Hands, func(h outlook.Hand) bool { return h.WeekHours() > 0 }) {
			return nil, nursery.Problem{Field: "", Says: words.NobodyHasHoursAtThe}
		}
		if f.Answers().Pairs() {
			if err := s.groupUp(ctx, f, d); err != nil {
				return nil, err
			}
		}
		l, err := s.Reckon.Weighed(ctx, f)
		if err != nil {
			return nil, err
		}
		plan, err := nursery.Heavy(ctx, s.Kernel, func() (benchday.Plan, error) { return planOf(d, l) })
		if err != nil {
			return nil, fmt.Errorf("planning the days: %w", err)
		}
		return func(q store.Q, stands func() error) (err error) {
			out, err = s.applyPlan(ctx, q, a, d, plan, stands)
			return err
		}, nil
	})
	return out, err
}

// applyPlan keeps a plan, if what it was made of still stands.
func (s *Stage) applyPlan(
	ctx context.Context,
	q store.Q,
	a nursery.Actor,
	d *outlook.Diary,
	plan benchday.Plan,
	stands func() error,
) (Planned, error) {
	var out Planned
	if again, err := nursery.SentBefore(ctx, q, "days planned"); err != nil || again {
		return out, err
	}
	h := nursery.Hold{Days: true}
	for _, t := range d.Tags {
		h.Batches = append(h.Batches, t.BatchID)
	}
	for _, rs := range d.Rest {
		h.Batches = append(h.Batches, rs[0].BatchID)
	}
	if err := h.In(ctx, q); err != nil {
		return out, err
	}
	if err := stands(); err != nil {
		return out, err
	}
	out.Late, out.LeastLate = plan.Late, plan.LeastLate
	done := store.DayPlan{PersonID: a.ID, At: s.Now()}
	if err := s.keepPlan(ctx, q, a, d, plan, &done); err != nil {
		return out, err
	}
	out.Made, out.Moved = len(done.Made), len(done.Moved)
	for _, l := range plan.Unplaced {
		j := d.Work.Jobs[l.Job]
		out.Unplaced = append(
			out.Unplaced,
			outlook.NotPlaced{Batch: j.Batch, Technique: d.Names[j.Technique], Lot: j.Lot, Bundle: j.Bundle, Grafts: l.Grafts,
				Lack: l.Lack},
		)
	}
	if out.Made+out.Moved == 0 {
		return out, nil
	}
	if _, err := q.AddDayPlan(ctx, done); err != nil {
		return out, err
	}
	return out, s.Changed(
		ctx,
		q,
		a,
		"days",
		s.Today().Format(time.DateOnly),
		"planned",
		nil,
		map[string]int{"made": out.Made, "moved": out.Moved, "late": out.Late},
	)
}

// keepPlan writes a plan: tags that nobody has begun are moved, and what is on
// no tag is put on new ones.
func (s *Stage) keepPlan(ctx context.Context, q store.Q, a nursery.Actor, d *outlook.Diary, plan benchday.Plan, done *store.DayPlan) error {
	pieces := slices.Clone(plan.Pieces)
	slices.SortStableFunc(pieces, func(a, b benchday.Piece) int { return cmp.Or(a.Job-b.Job, a.Slot-b.Slot, a.Hand-b.Hand) })
	left := map[int][]store.RestThread{}
	for j, rs := range d.Rest {
		left[j] = slices.Clone(rs)
	}
	var to []store.TagPlace
	var tags []store.NewTag
	from := map[string]store.TagPlace{}
	pairs := d.F.Answers().Pairs()
	for _, c := range pieces {
		day, half := d.Day(c.Slot)
		hand := d.Hands[c.Hand].Person.ID
		if i, ok := d.TagOf[c.Job]; ok {
			t := d.Tags[i]
			tier := d.TierOn(c.Hand, c.Slot)
			if t.StartedAt != nil || t.Locked || t.WorkerID == hand && t.Day.Equal(day) && t.Half == half && (!pairs || same(t.TierID,
				tier)) {
				continue
			}
			to = append(to, store.TagPlace{Code: t.Code, WorkerID: hand, Day: day, Half: half, TierID: tier, Ties: pairs})
			from[t.Code] = store.TagPlace{Code: t.Code, WorkerID: t.WorkerID, Day: t.Day, Half: t.Half, TierID: t.TierID, Ties: true}
			continue
		}
		tag := outlook.NewTag(d.F, "", hand, day, half, outlook.TakeThreads(left, c.Job, c.Grafts))
		if pairs {
			tag.TierID = d.TierOn(c.Hand, c.Slot)
		}
		tags = append(tags, tag)
	}
	codes, err := s.FreshCodes(ctx, q, len(tags))
	if err != nil {
		return err
	}
	for i := range tags {
		tags[i].Code = codes[i]
	}
	done.Made = codes
	if err := q.AddTags(ctx, tags); err != nil {
		return fmt.Errorf("making tags: %w", err)
	}
	moved, err := q.PlaceTags(ctx, to)
	if err != nil {
		return err
	}
	for _, code := range moved {
		done.Moved = append(done.Moved, from[code])
	}
	return s.WeighAgain(ctx, q, a, moved)
}

// pairsSince is for how long a pair counts as having worked together lately. House default.
const pairsSince = 60 * 24 * time.Hour

// groupUp forms the pairs of the days to come, from how fast their people were and who met whom.
func (s *Stage) groupUp(ctx context.Context, f *snapshot.Snapshot, d *outlook.Diary) error {
	q := s.DB.Q()
	ps, err := q.PairPaces(ctx)
	if err != nil {
		return err
	}
	ms, err := q.PairsMet(ctx, s.Today().Add(-pairsSince))
	if err != nil {
		return err
	}
	met := map[[2]int64]int{}
	for _, m := range ms {
		met[[2]int64{m.WorkerID, m.TierID}] = m.Tags
	}
	_, tie := outlook.PairPartsOf(f, ps)
	d.GroupUp(tie, met)
	return nil
}

func same(a, b *int64) bool { return a == nil && b == nil || a != nil && b != nil && *a == *b }

// UndoPlan takes the last plan back: tags it made go, unless they were begun,
// and tags it moved stand where they stood.
func (s *Stage) UndoPlan(ctx context.Context, a nursery.Actor) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if err := (nursery.Hold{Days: true}).In(ctx, q); err != nil {
			return err
		}
		p, err := q.LastDayPlan(ctx)
		if errors.Is(err, nursery.ErrNotFound) {
			return nursery.Problem{Field: "", Says: words.ThereIsNoPlanTo}
		} else if err != nil {
			return err
		}
		codes := slices.Clone(p.Made)
		for _, m := range p.Moved {
			codes = append(codes, m.Code)
		}
		batches, err := q.BatchesOfTags(ctx, codes)
		if err != nil {
			return err
		}
		if err := (nursery.Hold{Batches: batches}).In(ctx, q); err != nil {
			return err
		}
		if err := q.DropTagsByCode(ctx, p.Made, a.ID, s.Now()); err != nil {
			return err
		}
		if _, err := q.PlaceTags(ctx, p.Moved); err != nil {
			return err
		}
		if err := s.WeighAgain(ctx, q, a, codes); err != nil {
			return err
		}
		if err := q.UndoDayPlan(ctx, p.ID, s.Now()); err != nil {
			return err
		}
		return s.Changed(
			ctx,
			q,
			a,
			"days",
			p.At.Format(time.DateOnly),
			words.PlanTakenBack,
			nil,
			map[string]int{"tags": len(p.Made), "moved": len(p.Moved)},
		)
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
func (s *Stage) MoveTags(ctx context.Context, a nursery.Actor, m MoveTags) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	if m.Half != 1 && m.Half != 2 || len(m.Codes) == 0 || len(m.Codes) > 200 {
		return nursery.Problem{Field: "", Says: words.ChooseTagsAWorkerA}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if err := (nursery.Hold{Days: true}).In(ctx, q); err != nil {
			return err
		}
		if err := q.LockTags(ctx, m.Codes); err != nil {
			return err
		}
		f, err := s.FactsIn(ctx, q, outlook.DayNeeds...)
		if err != nil {
			return err
		}
		d := outlook.DiaryOf(f, true)
		h := d.HandOf(m.Worker)
		if h < 0 {
			return nursery.Problem{Field: "", Says: words.TheyDoNotWorkAt}
		}
		slot := d.Slot(m.Day, m.Half)
		var to []store.TagPlace
		for _, code := range m.Codes {
			if err := mayMove(d, code, h, slot, m); err != nil {
				return err
			}
			to = append(to, store.TagPlace{Code: code, WorkerID: m.Worker, Day: m.Day, Half: m.Half, Locked: true})
		}
		was, err := q.TagPlaces(ctx, m.Codes)
		if err != nil {
			return err
		}
		if _, err := q.PlaceTags(ctx, to); err != nil {
			return err
		}
		if err := s.WeighAgain(ctx, q, a, m.Codes); err != nil {
			return err
		}
		done := make([]nursery.Change, len(to))
		for i, p := range to {
			done[i] = nursery.Change{What: "tag", Ref: p.Code, Doing: "moved", Before: was[p.Code], After: p}
		}
		return s.ChangedAll(ctx, q, a, done...)
	})
}

// mayMove says why a tag cannot stand with a hand in a half-day.
func mayMove(d *outlook.Diary, code string, h, slot int, m MoveTags) error {
	name := d.Hands[h].Person.Name
	job := -1
	for j, i := range d.TagOf {
		if d.Tags[i].Code == code {
			job = j
		}
	}
	if job < 0 {
		return nursery.Problem{Field: "", Says: "Tag " + code + words.IsFinishedOrGoneLook}
	}
	t, j := d.Tags[d.TagOf[job]], d.Work.Jobs[job]
	switch {
	case t.StartedAt != nil:
		return nursery.Problem{Field: "", Says: "Tag " + code + words.IsBegunSoItStays + t.Worker + "."}
	case d.F.Classes()[t.WorkerID]:
		return nursery.Problem{Field: "", Says: words.LearnersTag(code, t.Worker)}
	case !d.Hands[h].Knows[t.Technique]:
		return nursery.Problem{
			Field: "",
			Says:  fmt.Sprintf(words.WorkerDoesNotKnow, name, t.TechniqueName),
		}
	case slot < d.Now:
		return nursery.Problem{Field: "", Says: words.ThatHalfDayIsOver}
	case slot >= d.Work.Slots:
		return nursery.Problem{Field: "", Says: fmt.Sprintf(words.ThePlanReachesNDays, outlook.DaysPlanned)}
	case slot < j.Earliest:
		return nursery.Problem{
			Field: "",
			Says:  fmt.Sprintf(words.ItsWoodOrItsSeason, d.Spans[job].First.Format("2 January")),
		}
	case d.Hands[h].HoursOn(m.Day, m.Half) == 0:
		return nursery.Problem{Field: "", Says: name + words.IsNotAtTheBench}
	}
	return nil
}

// LockTags holds tags where they stand when the days are planned again, or
// lets them go.
func (s *Stage) LockTags(ctx context.Context, a nursery.Actor, codes []string, lock bool) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if err := q.PinTags(ctx, codes, lock); err != nil {
			return err
		}
		if len(codes) == 0 {
			return nil
		}
		doing := map[bool]string{true: "held", false: "let go"}[lock]
		done := make([]nursery.Change, len(codes))
		for i, c := range codes {
			done[i] = nursery.Change{What: "tag", Ref: c, Doing: doing, Before: !lock, After: lock}
		}
		return s.ChangedAll(ctx, q, a, done...)
	})
}
