package learners

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

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
