package results

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"unionknot/internal/nursery"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// WorkerPage is somebody's own takes and pace.
type WorkerPage struct {
	Person     store.Person
	All        store.Took
	Raw        ResultLine
	Fair       *FairLine // beside everybody, on everybody's jobs; nil where it cannot be told
	House      float64   // what all took
	Techniques []ResultLine
	Causes     []store.CauseCount
	Pictures   Pictures
	Paces      []store.PaceRecord
	Knows      []string // techniques, by name
	Practice   Practice
	Weeks      []Week // the last counted ones, the last first
	ByHour     []HourPace
	Tongue     string // of whoever reads it
	Behind     bool   // counts that came in last are still being weighed
}

// ownResults adds up what one worker made, and keeps it until a count, a price or a grade moves.
func (s *Stage) ownResults(ctx context.Context, facts *snapshot.Snapshot, f store.TakeFilter, of string) (ResultsPage, bool, error) {
	return s.results.Get(fmt.Sprint("worker ", f.WorkerID, " ", of), resultsMark(facts),
		func() (ResultsPage, error) { return s.resultsOf(ctx, facts, f) },
		func() (ResultsPage, error) { return s.resultsOf(context.WithoutCancel(ctx), facts, f) })
}

// resultsMark is what added-up counts hang on.
func resultsMark(facts *snapshot.Snapshot) string {
	return fmt.Sprint(facts.Stamp.Takes, " ", facts.Stamp.Settings, " ", facts.Stamp.Grades)
}

// WorkerResults gathers somebody's own page: for themselves, and for those who plan. What
// others took is not on it.
func (s *Stage) WorkerResults(ctx context.Context, a nursery.Actor, id int64) (p WorkerPage, err error) {
	facts, err := s.Facts(ctx)
	if err != nil {
		return p, err
	}
	if seesOwn(a, facts) && a.ID != id {
		return p, nursery.ErrNotAllowed
	}
	var ok bool
	if p.Person, ok = facts.Person(id); !ok {
		return p, nursery.ErrNotFound
	}
	own, behind, err := s.ownResults(ctx, facts, store.TakeFilter{WorkerID: id}, "")
	if err != nil {
		return p, err
	}
	p.Behind = behind
	p.All, p.Techniques, p.Causes, p.Pictures = own.All, own.Groups["technique"], own.Causes, own.Pictures
	p.Weeks, p.ByHour = weeksOf(own.details), pacesByHour(own.details)
	me, err := s.DB.Q().Person(ctx, a.ID)
	if err != nil {
		return p, err
	}
	p.Tongue = me.Tongue
	work := func(ctx context.Context) (Practice, error) {
		rs, err := s.DB.Q().TakeRecords(ctx, store.TakeFilter{WorkerID: id})
		if err != nil {
			return Practice{}, err
		}
		rs = slices.DeleteFunc(rs, func(r store.TakeRecord) bool { return r.Worker != strconv.FormatInt(id, 10) }) // what they cut
		return nursery.Heavy(ctx, s.Kernel, func() (Practice, error) { return practiceOf(rs) })
	}
	p.Practice, behind, err = s.practices.Get(strconv.FormatInt(id, 10), fmt.Sprint(facts.Stamp.Takes),
		func() (Practice, error) { return work(ctx) }, func() (Practice, error) { return work(context.WithoutCancel(ctx)) })
	if err != nil {
		return p, err
	}
	p.Behind = p.Behind || behind
	if t, ok := facts.Technique(p.Practice.Technique); ok {
		p.Practice.Technique = t.Name
	}
	key := strconv.FormatInt(id, 10)
	for _, l := range own.Groups["worker"] {
		if l.Key == key {
			p.Raw = l
		}
	}
	fair, err := s.fair(ctx, facts, ResultsFilter{})
	if err != nil {
		return p, err
	}
	p.House, p.Behind = fair.All, p.Behind || fair.Behind
	if x, ok := fair.Lines["worker"][key]; ok {
		p.Fair = &x
	}
	for _, x := range facts.Paces {
		if x.WorkerID == id {
			if t, ok := facts.Technique(x.Technique); ok {
				x.Technique = t.Name
			}
			p.Paces = append(p.Paces, x)
		}
	}
	for _, k := range facts.Skills {
		if k.PersonID == id {
			if t, ok := facts.Technique(k.Technique); ok {
				p.Knows = append(p.Knows, t.Name)
			}
		}
	}
	return p, nil
}
