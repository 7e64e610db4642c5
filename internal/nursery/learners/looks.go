package learners

import (
	"context"
	"errors"
	"slices"
	"time"

	"unionknot/internal/core/learning"
	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// What a device sends beside the looks of core's learning.
const (
	waits = "waits" // a graft is held up to be looked at
	off   = "off"   // it is not any more
	undo  = "undo"  // the look named is taken back
	bound = "bound" // a graft was bound that did not have to be passed
)

// Look is one tap on a class's board as the phone sends it: with an id of its own, so that sent
// twice it counts once, and how long before sending it was made.
type Look struct {
	ID     string `json:"id"`
	Class  string `json:"class"`
	Place  int    `json:"place"`
	Says   string `json:"says"`
	Seen   string `json:"seen,omitempty"` // the newest look at this learner that the phone knew
	Undoes string `json:"undoes,omitempty"`
	AgoMS  int64  `json:"ago_ms"`
}

// Why a look does not hold.
const (
	HeldJudged = "judged"  // another judged the same graft just before
	HeldLeft   = "left"    // the learner had left
	HeldShut   = "shut"    // the class was not open
	HeldNoCans = "no cans" // none was left
)

// sameGraft is how far apart two looks at one learner may lie, made by two who did not know of each
// other, to be at the same graft. House default.
const sameGraft = 90 * time.Second

// Judged is what became of looks: every id in Safe is on disk, and those in Held do not count.
type Judged struct {
	Safe []string `json:"safe"`
	Held []struct {
		ID  string `json:"id"`
		Why string `json:"why"`
	} `json:"held"`
	Bad []struct {
		ID  string `json:"id"`
		Why string `json:"why"`
	} `json:"bad"`
}

func (j *Judged) bad(id, why string) {
	j.Bad = append(j.Bad, struct {
		ID  string `json:"id"`
		Why string `json:"why"`
	}{id, why})
}

func (j *Judged) hold(id, why string) {
	j.Held = append(j.Held, struct {
		ID  string `json:"id"`
		Why string `json:"why"`
	}{id, why})
}

const mostLooks = 500

func (l Look) known() bool {
	return nursery.UUIDPattern.MatchString(l.ID) && l.AgoMS >= 0 && (l.Seen == "" || nursery.UUIDPattern.MatchString(l.Seen)) &&
		(learning.Says(l.Says).Known() || slices.Contains([]string{waits, off, bound}, l.Says) ||
			l.Says == undo && nursery.UUIDPattern.MatchString(l.Undoes))
}

// Judge keeps looks that were made on a phone, of any class, in any order: each in a transaction of
// its own. One that cannot be kept is given back and holds up none of the others.
func (s *Stage) Judge(ctx context.Context, a nursery.Actor, device string, looks []Look) (Judged, error) {
	j := Judged{Safe: []string{}}
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return j, err
	}
	if len(looks) > mostLooks || len(device) > 64 {
		return j, nursery.Problem{Field: "", Says: words.TooManyAtOnce(mostLooks)}
	}
	for _, l := range looks {
		if !l.known() {
			j.bad(l.ID, words.NotALook)
			continue
		}
		held, err := s.judge(ctx, a, device, l)
		var p nursery.Problem
		switch {
		case errors.Is(err, nursery.ErrNotFound):
			j.bad(l.ID, words.NoSuchPlace(l.Class, l.Place))
			continue
		case errors.As(err, &p):
			j.bad(l.ID, p.Says)
			continue
		case err != nil:
			return j, err
		}
		j.Safe = append(j.Safe, l.ID)
		if held != "" {
			j.hold(l.ID, words.LookHeld(l.Place, held))
		}
	}
	return j, nil
}

// judge keeps one look, and says why it does not hold.
func (s *Stage) judge(ctx context.Context, a nursery.Actor, device string, l Look) (held string, err error) {
	err = s.DB.Tx(ctx, func(q store.Q) error {
		held = ""
		c, err := q.ClassByCode(ctx, nursery.CleanCode(l.Class))
		if err != nil {
			return err
		}
		x, err := q.LearnerAt(ctx, c.ID, l.Place, true)
		if err != nil {
			return err
		}
		if known, err := q.VerdictKnown(ctx, l.ID); err != nil || known {
			return err
		}
		ago := min(time.Duration(l.AgoMS)*time.Millisecond, 7*24*time.Hour)
		at := s.Now().Add(-ago)
		switch l.Says {
		case waits, off:
			return s.wait(ctx, q, x, l.Says == waits, at)
		case undo:
			i := slices.IndexFunc(x.Looks, func(v store.Verdict) bool { return v.ID == l.Undoes })
			if i < 0 {
				return nil // it was taken back already
			}
			return s.takeBack(ctx, q, a, c, x, x.Looks[i])
		}
		v := store.Verdict{ID: l.ID, Says: l.Says, At: at, Received: s.Now(), Device: device, By: a.Name,
			Warm: c.BegunAt == nil || at.Before(*c.BegunAt)}
		held = holds(c, x, v, l.Seen)
		if held == "" && !v.Warm {
			if held, err = s.count(ctx, q, a, c, &x, &v); err != nil {
				return err
			}
		}
		if held != "" {
			v.Held = &held
		}
		if err := q.AddVerdict(ctx, x.ID, a.ID, v, l.Seen); err != nil {
			return err
		}
		if x.WaitsSince != nil && !x.WaitsSince.After(at) {
			x.WaitsSince = nil
		}
		x.Looks = append(x.Looks, v)
		slices.SortStableFunc(x.Looks, func(a, b store.Verdict) int { return a.At.Compare(b.At) })
		return s.clear(ctx, q, a, c, x)
	})
	return held, err
}

// wait notes that a learner's graft is to be looked at, or is not any more. What was looked at
// since it was held up waits no longer.
func (s *Stage) wait(ctx context.Context, q store.Q, x store.Learner, now bool, at time.Time) error {
	switch n := len(x.Looks); {
	case !now:
		x.WaitsSince = nil
	case n > 0 && x.Looks[n-1].At.After(at) || x.LeftAt != nil:
		return nil
	case x.WaitsSince == nil:
		x.WaitsSince = &at
	}
	return q.KeepLearner(ctx, x)
}

// holds says why a look does not hold; "" for one that does.
func holds(c store.Class, x store.Learner, v store.Verdict, seen string) string {
	switch {
	case c.OpenedAt == nil || v.At.Before(*c.OpenedAt) || c.ClosedAt != nil:
		return HeldShut
	case x.LeftAt != nil:
		return HeldLeft
	case v.Says == bound:
		return ""
	}
	for _, o := range x.Looks {
		if clash(x.Looks, v, seen, o) {
			return HeldJudged
		}
	}
	return ""
}

// clash says whether two looks are at one graft: made shortly after one another on two devices, of
// which the later did not know of the earlier. One device knows its own, whether they came in or
// not.
func clash(looks []store.Verdict, v store.Verdict, seen string, o store.Verdict) bool {
	return o.Held == nil && o.ID != v.ID && o.ID != seen && o.Device != v.Device && o.Says != bound && v.At.Sub(o.At).Abs() < sameGraft &&
		!knew(looks, seen, o)
}

// knew says whether a phone that had seen a look knew of another one: those that were made before
// it.
func knew(looks []store.Verdict, seen string, o store.Verdict) bool {
	for _, v := range looks {
		if v.ID == seen {
			return !o.At.After(v.At)
		}
	}
	return false
}

// count lets a look count on the learner's tags: one that is right is bound, and a spoiled stock or
// scion is replaced.
func (s *Stage) count(ctx context.Context, q store.Q, a nursery.Actor, c store.Class, x *store.Learner, v *store.Verdict) (held string,
	err error) {
	kind, ok := map[string]tally.Kind{string(learning.Right): tally.Tied, bound: tally.Tied,
		string(learning.StockSpoilt): tally.SpoiledStock,
		string(learning.WoodSpoilt):  tally.SpoiledWood}[v.Says]
	if !ok || v.Says == string(learning.Right) && !mustPass(c, *x) {
		return "", nil
	}
	if v.Says == bound && mustPass(c, *x) {
		return "", nursery.Problem{Field: "", Says: words.PassFirst}
	}
	var codes []string
	for _, t := range x.Tags {
		if t.Open {
			codes = append(codes, t.Code)
		}
	}
	tags, err := q.LockAnyTags(ctx, codes)
	if err != nil {
		return "", err
	}
	for _, t := range tags {
		if t.Planned-t.StockBack <= t.Tied {
			continue
		}
		if kind == tally.Tied && t.Passed != nil {
			n := *t.Passed + 1
			if err := q.SetPassed(ctx, []int64{t.ID}, []int{n}); err != nil {
				return "", err
			}
			t.Passed = &n
		}
		id := nursery.NewID()
		w, err := s.WeighTaps(ctx, q, a, t, []store.Tally{s.tapOn(a, t.ID, kind, id, v.At)})
		if err != nil {
			return "", err
		}
		if w.Kept[0].Held != nil {
			return HeldNoCans, nil
		}
		v.TagID, v.TapID = &t.ID, &id
		return "", nil
	}
	return HeldNoCans, nil
}

// takeBack takes a look back, with what it counted.
func (s *Stage) takeBack(ctx context.Context, q store.Q, a nursery.Actor, c store.Class, x store.Learner, v store.Verdict) error {
	now := s.Now()
	v.Undone = &now
	if err := q.SettleVerdict(ctx, v); err != nil {
		return err
	}
	x.Looks = slices.DeleteFunc(slices.Clone(x.Looks), func(o store.Verdict) bool { return o.ID == v.ID })
	if v.TapID != nil && v.TagID != nil {
		i := slices.IndexFunc(x.Tags, func(t store.LearnerTag) bool { return t.ID == *v.TagID })
		if i < 0 {
			return nil
		}
		tags, err := q.LockAnyTags(ctx, []string{x.Tags[i].Code})
		if err != nil {
			return err
		}
		y := s.tapOn(a, *v.TagID, tally.Undo, nursery.NewID(), now)
		y.Undoes = v.TapID
		w, err := s.WeighTaps(ctx, q, a, tags[0], []store.Tally{y})
		if err != nil {
			return err
		}
		if h := w.Kept[0].Held; h != nil {
			return nursery.Problem{Field: "", Says: words.CannotCount(x.Tags[i].Code, tally.Refusal(*h))}
		}
		ids, passed := passedOn(c, x)
		if err := q.SetPassed(ctx, ids, passed); err != nil {
			return err
		}
	}
	return s.clear(ctx, q, a, c, x)
}

// clear notes whether a learner is over the bar, and keeps them. A hand of the house who is, is
// taken to know the technique, and one who is not any more is not.
func (s *Stage) clear(ctx context.Context, q store.Q, a nursery.Actor, c store.Class, x store.Learner) error {
	over := Bar(c).Cleared(CourseOf(x, false).First) > 0
	was := x.ClearedAt != nil
	now := s.Now()
	switch {
	case over && !was:
		x.ClearedAt = &now
	case !over && was:
		x.ClearedAt = nil
	}
	if err := q.KeepLearner(ctx, x); err != nil {
		return err
	}
	if over == was {
		return nil
	}
	ids, passed := passedOn(c, x)
	if err := q.SetPassed(ctx, ids, passed); err != nil {
		return err
	}
	if x.PersonID == nil {
		return nil
	}
	learn := q.NotLearntSkill
	if over {
		learn = q.LearntSkill
	}
	if err := learn(ctx, *x.PersonID, c.Technique); err != nil {
		return err
	}
	return s.Changed(ctx, q, a, "person", x.Person, map[bool]string{true: "cleared", false: "uncleared"}[over], nil, c.Technique)
}

// LetHold lets a look hold that was held because another had judged the same graft: the other is
// taken back.
func (s *Stage) LetHold(ctx context.Context, a nursery.Actor, code string, place int, id string) error {
	return s.at(ctx, a, code, place, func(q store.Q, c store.Class, x store.Learner) error {
		i := slices.IndexFunc(x.Looks, func(v store.Verdict) bool { return v.ID == id })
		if i < 0 || x.Looks[i].Held == nil || *x.Looks[i].Held != HeldJudged {
			return nil
		}
		v := x.Looks[i]
		seen := ""
		if v.Seen != nil {
			seen = *v.Seen
		}
		for {
			i := slices.IndexFunc(x.Looks, func(o store.Verdict) bool { return clash(x.Looks, v, seen, o) })
			if i < 0 {
				break
			}
			if err := s.takeBack(ctx, q, a, c, x, x.Looks[i]); err != nil {
				return err
			}
			var err error
			if x, err = q.LearnerAt(ctx, c.ID, place, false); err != nil {
				return err
			}
		}
		v.Held = nil
		if !v.Warm {
			held, err := s.count(ctx, q, a, c, &x, &v)
			if err != nil {
				return err
			}
			if held != "" {
				return nursery.Problem{Field: "", Says: words.LookHeld(place, held)}
			}
		}
		if err := q.SettleVerdict(ctx, v); err != nil {
			return err
		}
		x, err := q.LearnerAt(ctx, c.ID, place, false)
		if err != nil {
			return err
		}
		return s.clear(ctx, q, a, c, x)
	})
}
