package learners

import (
	"context"
	"slices"
	"strings"

	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// at changes a learner under the class's and their own lock.
func (s *Stage) at(ctx context.Context, a nursery.Actor, code string, place int, do func(q store.Q, c store.Class,
	x store.Learner) error) error {
	return s.in(ctx, a, code, func(q store.Q, c store.Class) error {
		x, err := q.LearnerAt(ctx, c.ID, place, true)
		if err != nil {
			return err
		}
		return do(q, c, x)
	})
}

// Who is who sits at a place.
type Who struct {
	Name    string
	OnLabel bool  // their name is on their labels
	Hand    int64 // of the house; 0: a guest
}

// NameLearner notes who sits at a place. A hand of the house who learns the technique here is not
// planned for it until they are cleared.
func (s *Stage) NameLearner(ctx context.Context, a nursery.Actor, code string, place int, w Who) error {
	return s.at(ctx, a, code, place, func(q store.Q, c store.Class, x store.Learner) error {
		w.Name = strings.Join(strings.Fields(w.Name), " ")
		switch {
		case len([]rune(w.Name)) > 60:
			return nursery.Problem{Field: "name", Says: words.NameShort}
		case c.ErasedAt != nil && w.Name != "":
			return nursery.Problem{Field: "name", Says: words.NamesErased}
		}
		x.Name, x.OnLabel = w.Name, w.OnLabel && w.Name != ""
		was := x.PersonID
		x.PersonID, x.Person = nil, ""
		if w.Hand != 0 {
			f, err := s.FactsIn(ctx, q)
			if err != nil {
				return err
			}
			ws := f.Workers()
			i := slices.IndexFunc(ws, func(p store.Person) bool { return p.ID == w.Hand })
			if i < 0 {
				return nursery.Problem{Field: "hand", Says: words.NotAtTheBench("They")}
			}
			x.PersonID, x.Person = &w.Hand, ws[i].Name
			if (was == nil || *was != w.Hand) && x.ClearedAt == nil {
				if err := q.NotLearntSkill(ctx, w.Hand, c.Technique); err != nil {
					return err
				}
			}
			if x.ClearedAt != nil {
				if err := q.LearntSkill(ctx, w.Hand, c.Technique); err != nil {
					return err
				}
			}
		}
		if err := q.KeepLearner(ctx, x); err != nil {
			return err
		}
		// The record of changes outlives the names, so it holds none.
		return s.Changed(ctx, q, a, "class", c.Code, "place named", nil, map[string]any{"place": place, "hand": x.Person})
	})
}

// LearnerLeft notes that a learner has left, or is back: what they bound stays theirs, and the rest of
// their cans are free again.
func (s *Stage) LearnerLeft(ctx context.Context, a nursery.Actor, code string, place int, back bool) error {
	return s.at(ctx, a, code, place, func(q store.Q, c store.Class, x store.Learner) error {
		now := s.Now()
		if back == (x.LeftAt == nil) {
			return nil
		}
		x.WaitsSince = nil
		if back {
			x.LeftAt = nil
			if c.ClosedAt == nil {
				if err := s.tapAll(ctx, q, a, x, func(t store.LearnerTag) bool { return !t.Open && !t.Counted }, tally.Undo); err != nil {
					return err
				}
			}
		} else {
			x.LeftAt = &now
			if err := s.finish(ctx, q, a, x); err != nil {
				return err
			}
		}
		if err := q.KeepLearner(ctx, x); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "class", c.Code, "place left", back, map[string]any{"place": place, "left": !back})
	})
}

// TakeHome notes that a learner took home what lives of theirs; back takes that back.
func (s *Stage) TakeHome(ctx context.Context, a nursery.Actor, code string, place int, act string, back bool) error {
	return s.at(ctx, a, code, place, func(q store.Q, c store.Class, x store.Learner) error {
		if back {
			if x.HomeAt == nil {
				return nil
			}
			x.HomeAt = nil
			if err := q.KeepLearner(ctx, x); err != nil {
				return err
			}
			var ids []int64
			for _, t := range x.Tags {
				ids = append(ids, t.ID)
			}
			return q.UndoHome(ctx, ids, s.Now())
		}
		if x.HomeAt != nil {
			return nil
		}
		if c.ClosedAt == nil {
			return nursery.Problem{Field: "", Says: words.CloseFirst}
		}
		var ids []int64
		of := map[int64]int{}
		for _, t := range x.Tags {
			if t.Standing > 0 {
				ids, of[t.ID] = append(ids, t.ID), t.Standing
			}
		}
		if len(ids) == 0 {
			return nursery.Problem{Field: "", Says: words.NothingLives(place)}
		}
		if !nursery.UUIDPattern.MatchString(act) {
			return nursery.Problem{Field: "", Says: words.ReloadTree}
		}
		looks, err := q.StandingLook(ctx, ids)
		if err != nil {
			return err
		}
		var ms []store.TreeMove
		for _, id := range ids {
			ms = append(ms, store.TreeMove{Act: act, TagID: id, What: "planted", N: of[id], Look: looks[id], Place: words.AtHome,
				On:       s.Today(),
				PersonID: a.ID, At: s.Now()})
		}
		if err := q.AddTreeMoves(ctx, ms); err != nil {
			return err
		}
		now := s.Now()
		x.HomeAt = &now
		if err := q.KeepLearner(ctx, x); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "class", c.Code, "taken home", nil, map[string]any{"place": place, "trees": of})
	})
}
