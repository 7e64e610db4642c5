package learners

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// NewClass is a class to be made of a batch.
type NewClass struct {
	Code, Name, Place, Batch string
	Day                      time.Time
	Learners                 int
	Names                    []string // by place; those that are not given stay numbers
	Cans, Warmups            int
	BarPct, BarRun           int
}

func (n *NewClass) clean() {
	n.Code, n.Batch = nursery.CleanCode(n.Code), nursery.CleanCode(n.Batch)
	for _, s := range []*string{&n.Name, &n.Place} {
		*s = strings.Join(strings.Fields(*s), " ")
	}
	for i := range n.Names {
		n.Names[i] = strings.Join(strings.Fields(n.Names[i]), " ")
	}
	for len(n.Names) > 0 && n.Names[len(n.Names)-1] == "" {
		n.Names = n.Names[:len(n.Names)-1]
	}
	if n.Learners == 0 {
		n.Learners = len(n.Names)
	}
}

func (n *NewClass) problems() (ps nursery.Problems) {
	nursery.CheckCode(&ps, "code", n.Code)
	if n.Name == "" || len([]rune(n.Name)) > 80 {
		ps.Add("name", "%s", words.NameTheClass)
	}
	if len([]rune(n.Place)) > 80 {
		ps.Add("place", "%s", words.NameShort)
	}
	if n.Day.IsZero() {
		ps.Add("day", "%s", words.ClassDay)
	}
	if n.Learners < 1 || n.Learners > mostLearners {
		ps.Add("learners", "%s", words.SoManyLearners(mostLearners))
	}
	if len(n.Names) > n.Learners {
		ps.Add("names", "%s", words.MoreNames(len(n.Names), n.Learners))
	}
	for _, x := range n.Names {
		if len([]rune(x)) > 60 {
			ps.Add("names", "%s", words.NameShort)
		}
	}
	if n.Cans < 1 || n.Cans > mostCans {
		ps.Add("cans", "%s", words.SoManyCans(mostCans))
	}
	if n.Warmups < 0 || n.Warmups > 50 {
		ps.Add("warmups", "%s", words.SoManyWarmups)
	}
	if n.BarPct < 1 || n.BarPct > 100 {
		ps.Add("bar_pct", "%s", words.BarShare)
	}
	if n.BarRun < 3 || n.BarRun > 14 {
		ps.Add("bar_run", "%s", words.BarRun)
	}
	return ps
}

// AddClass makes a class of a batch that nobody has begun: each learner gets tags of their own, of
// as many cans, of the technique that most of the batch is for. What is left of the batch stays on
// no tag.
func (s *Stage) AddClass(ctx context.Context, a nursery.Actor, n NewClass) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	n.clean()
	if ps := n.problems(); len(ps) > 0 {
		return ps
	}
	err := s.DB.Tx(ctx, func(q store.Q) error {
		if again, err := nursery.SentBefore(ctx, q, "class "+n.Code); err != nil || again {
			return err
		}
		b, err := q.BatchByCode(ctx, n.Batch)
		if err != nil {
			return nursery.Problem{Field: "batch", Says: words.NoSuchBatch(n.Batch)}
		}
		if err := (nursery.Hold{Days: true, Batches: []int64{b.ID}}).In(ctx, q); err != nil {
			return err
		}
		if b, err = q.BatchByCode(ctx, b.Code); err != nil {
			return err
		}
		switch {
		case b.UndoneAt != nil:
			return nursery.Problem{Field: "batch", Says: words.BatchGone(b.Code)}
		case b.Started > 0:
			return nursery.Problem{Field: "batch", Says: words.BatchBegun(b.Code)}
		}
		f, err := s.FactsIn(ctx, q)
		if err != nil {
			return err
		}
		classes := f.Classes()
		before, err := q.Tags(ctx, store.Which{BatchID: b.ID, All: true})
		if err != nil {
			return err
		}
		if i := slices.IndexFunc(before, func(t store.Tag) bool { return classes[t.WorkerID] }); i >= 0 {
			return nursery.Problem{Field: "batch", Says: words.ClassHasBatch(b.Code, before[i].Worker)}
		}
		ts, err := q.Threads(ctx, b.ID)
		if err != nil {
			return err
		}
		technique, ts := mostOf(ts)
		there := 0
		for _, t := range ts {
			there += t.N
		}
		if need := n.Learners * n.Cans; there < need {
			return nursery.Problem{Field: "cans", Says: words.TooFewCans(b.Code, there, need, there/n.Learners)}
		}
		gone, err := q.DropTags(ctx, []int64{b.ID}, a.ID, s.Now())
		if err != nil {
			return err
		}
		if err := s.WeighAgain(ctx, q, a, gone); err != nil {
			return err
		}
		names := make([]string, n.Learners)
		copy(names, n.Names)
		c := store.Class{Code: n.Code, Name: n.Name, Day: n.Day, Place: n.Place, Technique: technique, Cans: n.Cans, Warmups: n.Warmups,
			CheckTape: string(f.Answers().CheckTape()), BarPct: n.BarPct, BarRun: n.BarRun, MadeBy: a.ID, MadeAt: s.Now()}
		if _, err := q.AddClass(ctx, c, words.ClassNamed(c.Code), names); err != nil {
			return err
		}
		if c, err = q.ClassByCode(ctx, n.Code); err != nil {
			return err
		}
		ls, err := q.Learners(ctx, c.ID)
		if err != nil {
			return err
		}
		parts := make([][]store.Thread, len(ls))
		for i := range parts {
			parts[i], ts = takeOff(ts, n.Cans)
		}
		if err := s.giveTags(ctx, q, c, ls, parts); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "class", n.Code, "made", nil, map[string]any{"batch": b.Code, "learners": n.Learners, "cans": n.Cans})
	})
	return nursery.Taken(err, "code", "Class", n.Code)
}

// mostOf gives the threads of the technique that most of a batch is for, thickest stock last, so
// that each learner's stems are alike.
func mostOf(ts []store.Thread) (technique string, out []store.Thread) {
	by := map[string]int{}
	for _, t := range ts {
		by[t.Technique] += t.N
		if by[t.Technique] > by[technique] {
			technique = t.Technique
		}
	}
	out = slices.DeleteFunc(slices.Clone(ts), func(t store.Thread) bool { return t.Technique != technique })
	slices.SortStableFunc(out, func(a, b store.Thread) int {
		switch {
		case a.LotID != b.LotID:
			return int(a.LotID - b.LotID)
		case a.BundleID != b.BundleID:
			return int(a.BundleID - b.BundleID)
		case a.StockMM < b.StockMM:
			return -1
		case a.StockMM > b.StockMM:
			return 1
		}
		return 0
	})
	return technique, out
}

// takeOff takes n grafts off the front of threads.
func takeOff(ts []store.Thread, n int) (taken, left []store.Thread) {
	ts = slices.Clone(ts)
	for n > 0 && len(ts) > 0 {
		t := ts[0]
		t.N = min(n, t.N)
		taken, n = append(taken, t), n-t.N
		if ts[0].N -= t.N; ts[0].N == 0 {
			ts = ts[1:]
		}
	}
	return taken, ts
}

// giveTags makes tags of each learner's threads, one of each lot and bundle.
func (s *Stage) giveTags(ctx context.Context, q store.Q, c store.Class, ls []store.Learner, parts [][]store.Thread) error {
	f, err := s.FactsIn(ctx, q)
	if err != nil {
		return err
	}
	var tags []store.NewTag
	var of []int64
	for i, l := range ls {
		for _, run := range outlook.SplitThreads(parts[i], mostCans) {
			tags, of = append(tags, outlook.NewTag(f, "", c.PersonID, c.Day, 1, run)), append(of, l.ID)
		}
	}
	codes, err := s.FreshCodes(ctx, q, len(tags))
	if err != nil {
		return err
	}
	for i := range tags {
		tags[i].Code = codes[i]
	}
	if err := q.AddTags(ctx, tags); err != nil {
		return fmt.Errorf("making learners' tags: %w", err)
	}
	if err := q.GiveLearnerTags(ctx, codes, of); err != nil {
		return err
	}
	return s.setPassed(ctx, q, c)
}

// setPassed brings what may be bound on the tags of a class in line with what was passed.
func (s *Stage) setPassed(ctx context.Context, q store.Q, c store.Class) error {
	ls, err := q.Learners(ctx, c.ID)
	if err != nil {
		return err
	}
	var ids []int64
	var passed []int
	for _, l := range ls {
		i, p := passedOn(c, l)
		ids, passed = append(ids, i...), append(passed, p...)
	}
	return q.SetPassed(ctx, ids, passed)
}

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
