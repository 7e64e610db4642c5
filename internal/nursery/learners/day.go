package learners

import (
	"context"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// in changes a class under its lock.
func (s *Stage) in(ctx context.Context, a nursery.Actor, code string, do func(q store.Q, c store.Class) error) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		c, err := q.ClassByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if err := q.LockClass(ctx, c.ID); err != nil {
			return err
		}
		if c, err = q.ClassByCode(ctx, c.Code); err != nil {
			return err
		}
		return do(q, c)
	})
}

// Tools are tools that are counted out or in, by what they are.
type Tools map[string]int

// Usual tools of a class: knives and blades by the learner, the rest by the room. House default.
func UsualTools(c store.Class) []store.ClassTool {
	return []store.ClassTool{{Tool: words.Knives, Out: c.Learners}, {Tool: words.LooseBlades, Out: 2 * c.Learners}, {Tool: words.Secateurs,
		Out: (c.Learners + 3) / 4}}
}

// OpenClass opens a class: its cautions were read out, and its tools are counted out.
func (s *Stage) OpenClass(ctx context.Context, a nursery.Actor, code string, read bool, out Tools) error {
	return s.in(ctx, a, code, func(q store.Q, c store.Class) error {
		var ps nursery.Problems
		if !read {
			ps.Add("read", "%s", words.ReadCautions)
		}
		var ts []store.ClassTool
		for _, t := range UsualTools(c) {
			n, ok := out[t.Tool]
			if !ok || n < 0 || n > 10000 {
				ps.Add("tools", "%s", words.CountTools)
				break
			}
			ts = append(ts, store.ClassTool{Tool: t.Tool, Out: n})
		}
		if len(ps) > 0 {
			return ps
		}
		if c.ClosedAt != nil || c.OffAt != nil {
			return nursery.Problem{Field: "", Says: words.ClassOver}
		}
		if err := q.KeepClassTools(ctx, c.ID, ts); err != nil {
			return err
		}
		now := s.Now()
		if c.OpenedAt == nil {
			c.OpenedAt = &now
		}
		if c.Warmups == 0 && c.BegunAt == nil {
			c.BegunAt = &now
		}
		if err := q.ChangeClass(ctx, c); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "class", c.Code, "opened", nil, ts)
	})
}

// CallClassOff calls a class off that was not opened yet: its tags are dropped, and its batch is free for
// another class, or for the bench.
func (s *Stage) CallClassOff(ctx context.Context, a nursery.Actor, code string) error {
	return s.in(ctx, a, code, func(q store.Q, c store.Class) error {
		if c.OffAt != nil {
			return nil
		}
		if c.OpenedAt != nil {
			return nursery.Problem{Field: "", Says: words.ClassOpened}
		}
		ls, err := q.Learners(ctx, c.ID)
		if err != nil {
			return err
		}
		var codes []string
		for _, l := range ls {
			for _, t := range l.Tags {
				codes = append(codes, t.Code)
			}
		}
		if err := q.DropTagsByCode(ctx, codes, a.ID, s.Now()); err != nil {
			return err
		}
		now := s.Now()
		c.OffAt = &now
		if err := q.ChangeClass(ctx, c); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "class", c.Code, "called off", nil, nil)
	})
}

// BeginGrafts begins the grafts that count; back puts the class back to practice wood, while nothing that
// counts was looked at.
func (s *Stage) BeginGrafts(ctx context.Context, a nursery.Actor, code string, back bool) error {
	return s.in(ctx, a, code, func(q store.Q, c store.Class) error {
		now := s.Now()
		switch {
		case c.ClosedAt != nil:
			return nursery.Problem{Field: "", Says: words.ClassOver}
		case c.OpenedAt == nil:
			return nursery.Problem{Field: "", Says: words.OpenFirst}
		case back:
			if c.Bound > 0 {
				return nursery.Problem{Field: "", Says: words.BoundAlready(c.Bound)}
			}
			c.BegunAt = nil
		case c.BegunAt == nil:
			c.BegunAt = &now
		}
		if err := q.ChangeClass(ctx, c); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "class", c.Code, "begun", nil, !back)
	})
}

// CloseClass closes a class: its tools are counted in, and what was not bound goes back. Where tools are
// missing, why has to say what was done about it.
func (s *Stage) CloseClass(ctx context.Context, a nursery.Actor, code string, in Tools, why string) error {
	return s.in(ctx, a, code, func(q store.Q, c store.Class) error {
		if c.ClosedAt != nil {
			return nil
		}
		if c.OpenedAt == nil {
			return nursery.Problem{Field: "", Says: words.OpenFirst}
		}
		ts, err := q.ClassTools(ctx, c.ID)
		if err != nil {
			return err
		}
		missing := 0
		for i := range ts {
			n, ok := in[ts[i].Tool]
			if !ok || n < 0 || n > 10000 {
				return nursery.Problem{Field: "tools", Says: words.CountTools}
			}
			ts[i].In = &n
			missing += max(0, ts[i].Out-n)
		}
		why = strings.Join(strings.Fields(why), " ")
		switch {
		case missing > 0 && why == "":
			return nursery.Problem{Field: "why", Says: words.ToolsMissing(missing)}
		case len([]rune(why)) > 300:
			return nursery.Problem{Field: "why", Says: words.WhyGone}
		}
		ls, err := q.Learners(ctx, c.ID)
		if err != nil {
			return err
		}
		for _, l := range ls {
			if err := s.finish(ctx, q, a, l); err != nil {
				return err
			}
		}
		if err := q.NobodyWaits(ctx, c.ID); err != nil {
			return err
		}
		if err := q.KeepClassTools(ctx, c.ID, ts); err != nil {
			return err
		}
		now := s.Now()
		c.ClosedAt, c.ClosedWhy = &now, why
		if err := q.ChangeClass(ctx, c); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "class", c.Code, "closed", nil, map[string]any{"tools": ts, "missing": missing, "why": why})
	})
}

// finish finishes what is open of a learner's tags: what was not bound goes back to its lot and its
// bundle.
func (s *Stage) finish(ctx context.Context, q store.Q, a nursery.Actor, l store.Learner) error {
	return s.tapAll(ctx, q, a, l, func(t store.LearnerTag) bool { return t.Open }, tally.Finish)
}

// tapAll makes one tap on each of a learner's tags that are wanted.
func (s *Stage) tapAll(ctx context.Context, q store.Q, a nursery.Actor, l store.Learner, want func(store.LearnerTag) bool,
	kind tally.Kind) error {
	var codes []string
	for _, t := range l.Tags {
		if want(t) {
			codes = append(codes, t.Code)
		}
	}
	tags, err := q.LockAnyTags(ctx, codes)
	if err != nil {
		return err
	}
	for _, t := range tags {
		y := s.tapOn(a, t.ID, kind, nursery.NewID(), s.Now())
		if kind == tally.Undo {
			taps, err := q.Tallies(ctx, t.ID)
			if err != nil {
				return err
			}
			i := lastFinish(taps)
			if i < 0 {
				continue
			}
			y.Undoes = &taps[i].ID
		}
		w, err := s.WeighTaps(ctx, q, a, t, []store.Tally{y})
		if err != nil {
			return err
		}
		if held := w.Kept[0].Held; held != nil {
			return nursery.Problem{Field: "", Says: words.CannotCount(t.Code, tally.Refusal(*held))}
		}
	}
	return nil
}

func lastFinish(ts []store.Tally) int {
	for i := len(ts) - 1; i >= 0; i-- {
		if tally.Kind(ts[i].Kind) == tally.Finish && ts[i].Held == nil && !ts[i].Undone {
			return i
		}
	}
	return -1
}

func (s *Stage) tapOn(a nursery.Actor, tag int64, kind tally.Kind, id string, at time.Time) store.Tally {
	y := store.Tally{ID: id, TagID: tag, PersonID: a.ID, Kind: string(kind), N: 1, At: at, ReceivedAt: s.Now(), Theirs: true}
	if a.Sent != 0 {
		y.SentBy = &a.Sent
	}
	return y
}

// ReopenClass opens a closed class again, so that what was forgotten can be noted: its tags' finishes are
// taken back, while their takes are not counted.
func (s *Stage) ReopenClass(ctx context.Context, a nursery.Actor, code string) error {
	return s.in(ctx, a, code, func(q store.Q, c store.Class) error {
		if c.ClosedAt == nil {
			return nil
		}
		ls, err := q.Learners(ctx, c.ID)
		if err != nil {
			return err
		}
		for _, l := range ls {
			if l.LeftAt != nil {
				continue
			}
			if err := s.tapAll(ctx, q, a, l, func(t store.LearnerTag) bool { return !t.Open && !t.Counted }, tally.Undo); err != nil {
				return err
			}
		}
		c.ClosedAt, c.ClosedWhy = nil, ""
		if err := q.ChangeClass(ctx, c); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "class", c.Code, "opened again", nil, nil)
	})
}

// Rules are what can be changed of a class while it goes on.
type Rules struct {
	Place                   string
	CheckTape               string
	BarPct, BarRun, Warmups int
}

// ChangeRules changes them: what may be bound, and who is cleared, follows.
func (s *Stage) ChangeRules(ctx context.Context, a nursery.Actor, code string, r Rules) error {
	return s.in(ctx, a, code, func(q store.Q, c store.Class) error {
		n := NewClass{Code: c.Code, Name: c.Name, Place: r.Place, Day: c.Day, Learners: max(1, c.Learners), Cans: c.Cans,
			Warmups: r.Warmups,
			BarPct:  r.BarPct, BarRun: r.BarRun}
		n.clean()
		if ps := n.problems(); len(ps) > 0 {
			return ps
		}
		if !slices.Contains([]string{"every", "cleared", "none"}, r.CheckTape) {
			return nursery.Problem{Field: "check_tape", Says: words.ChooseCheck}
		}
		was := Rules{c.Place, c.CheckTape, c.BarPct, c.BarRun, c.Warmups}
		c.Place, c.CheckTape, c.BarPct, c.BarRun, c.Warmups = n.Place, r.CheckTape, r.BarPct, r.BarRun, r.Warmups
		if err := q.ChangeClass(ctx, c); err != nil {
			return err
		}
		ls, err := q.Learners(ctx, c.ID)
		if err != nil {
			return err
		}
		for _, l := range ls {
			if l, err = q.LearnerAt(ctx, c.ID, l.Place, true); err != nil { // as it is under its lock
				return err
			}
			if err := s.clear(ctx, q, a, c, l); err != nil {
				return err
			}
		}
		if err := s.setPassed(ctx, q, c); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "class", c.Code, "changed", was, r)
	})
}

// NamesKept is how long a closed class keeps its learners' names.
const NamesKept = 30 * 24 * time.Hour

// EraseNames takes the learners' names out of a closed class, for good.
func (s *Stage) EraseNames(ctx context.Context, a nursery.Actor, code string) error {
	return s.in(ctx, a, code, func(q store.Q, c store.Class) error {
		if c.ClosedAt == nil {
			return nursery.Problem{Field: "", Says: words.CloseFirst}
		}
		if _, err := q.EraseLearners(ctx, time.Time{}, s.Now(), c.ID); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "class", c.Code, "names erased", nil, nil)
	})
}

// EraseNamesDue takes the names out of every class that closed long enough ago.
func (s *Stage) EraseNamesDue(ctx context.Context) (n int64, err error) {
	err = s.DB.Tx(ctx, func(q store.Q) error {
		n, err = q.EraseLearners(ctx, s.Now().Add(-NamesKept), s.Now(), 0)
		return err
	})
	return n, err
}
