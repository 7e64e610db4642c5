package nursery

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/store"
)

// Looks are the counts made of a tag.
var Looks = []string{"first look", "end of season"}

// firstLook is when a tag is first looked at, by what was made and where it
// heals; group is its genus' season group.
func firstLook(t store.Tag, group string) aftercare.Window {
	return aftercare.Made{Technique: t.Technique, Healing: t.Healing, Group: group, Finished: dayOf(*t.FinishedAt)}.FirstLook()
}

// HealLine is a finished tag waiting for a look.
type HealLine struct {
	Tag     store.Tag
	Days    int // since it was finished
	DueFrom time.Time
	DueTo   time.Time
	Due     bool
	Overdue bool
}

// HealPage is what the Heal stage shows.
type HealPage struct {
	Due, Waiting []HealLine
}

// Heal lists tags to count, those due first.
func (s *Service) Heal(ctx context.Context, after int64) (HealPage, error) {
	q := s.db.Q()
	var p HealPage
	gs, err := q.Genera(ctx)
	if err != nil {
		return p, err
	}
	groups := map[string]string{}
	for _, g := range gs {
		groups[g.Key] = g.SeasonGroup
	}
	ts, err := q.Tags(ctx, store.Which{Uncounted: true, AfterID: after, All: true})
	if err != nil {
		return p, err
	}
	today := s.Today()
	for _, t := range ts {
		l := HealLine{Tag: t, Days: days(dayOf(*t.FinishedAt), today)}
		w := firstLook(t, groups[t.Genus])
		l.DueFrom, l.DueTo = w.From, w.By
		l.Due, l.Overdue = !today.Before(l.DueFrom), today.After(l.DueTo)
		if l.Due {
			p.Due = append(p.Due, l)
		} else {
			p.Waiting = append(p.Waiting, l)
		}
	}
	return p, nil
}

// CountedLately lists the tags counted last.
func (s *Service) CountedLately(ctx context.Context) ([]store.Tag, error) {
	return s.db.Q().CountedLately(ctx, 30)
}

func dayOf(t time.Time) time.Time {
	y, m, d := t.Local().Date()
	return time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
}

// CountPage is what the count of a tag shows.
type CountPage struct {
	Tag     store.Tag
	Look    string       // to count now
	Now     *store.Count // the count that stands for that look
	Earlier []store.Count
	Causes  []string
	Of      map[string][]store.CauseCount // by count
	Next    string                        // the next tag due
}

// Count gathers the count of a tag for a look; "" chooses the first look not
// yet made.
func (s *Service) Count(ctx context.Context, code, look string) (CountPage, error) {
	q := s.db.Q()
	p := CountPage{Of: map[string][]store.CauseCount{}}
	var err error
	if p.Tag, err = q.TagByCode(ctx, code); err != nil {
		return p, err
	}
	if p.Earlier, err = q.Counts(ctx, p.Tag.ID); err != nil {
		return p, err
	}
	made := map[string]*store.Count{}
	for i, c := range p.Earlier {
		if !c.Replaced {
			made[c.Look] = &p.Earlier[i]
		}
	}
	p.Look = Looks[0]
	if contains(Looks, look) {
		p.Look = look
	} else if made[Looks[0]] != nil && made[Looks[1]] != nil {
		p.Look = Looks[1]
	}
	p.Now = made[p.Look]
	causes, err := q.CountCauses(ctx, p.Tag.ID)
	if err != nil {
		return p, err
	}
	for _, c := range causes {
		p.Of[c.CountID] = append(p.Of[c.CountID], c)
	}
	if p.Causes, err = q.Causes(ctx); err != nil {
		return p, err
	}
	next, err := q.Tags(ctx, store.Which{Uncounted: true, Limit: 2})
	for _, t := range next {
		if t.Code != code {
			p.Next = t.Code
			break
		}
	}
	return p, err
}

// NewCount is one look at a tag as it was keyed in.
type NewCount struct {
	ID                    string // made by the form; sent twice it counts once
	Look                  string
	Taken, Doubtful, Dead int
	Causes                map[string]int
	Replaces              string // the count it corrects, or ""
}

// KeepCount keeps a look: never more than were tied, and never more causes
// than dead. A correction keeps the earlier count beside it.
func (s *Service) KeepCount(ctx context.Context, a Actor, code string, n NewCount) error {
	if err := a.must(Propagator, BenchHand); err != nil {
		return err
	}
	if !uuidPattern.MatchString(n.ID) {
		return Problem{"", "Load the page anew, and count again."}
	}
	if !contains(Looks, n.Look) {
		return Problem{"look", "Choose first look or end of season."}
	}
	if n.Taken < 0 || n.Doubtful < 0 || n.Dead < 0 {
		return Problem{"taken", "A count is 0 or more."}
	}
	if n.Taken+n.Doubtful+n.Dead == 0 {
		return Problem{"taken", "Count at least one graft."}
	}
	err := s.db.Tx(ctx, func(q store.Q) error {
		t, err := q.LockTag(ctx, code)
		if err != nil {
			return err
		}
		if t.FinishedAt == nil {
			return Problem{"", "This tag is still at the bench. Finish it there first."}
		}
		tied, err := q.TiedOn(ctx, t.ID)
		if err != nil {
			return err
		}
		all := n.Taken + n.Doubtful + n.Dead
		if all > tied {
			return Problem{"taken", fmt.Sprintf("You counted %d, but only %d were tied on this tag. Nothing was kept: look again.", all, tied)}
		}
		known, err := q.Causes(ctx)
		if err != nil {
			return err
		}
		var causes []store.CauseCount
		died := 0
		for _, k := range known {
			switch m := n.Causes[k]; {
			case m < 0:
				return Problem{"causes", "A count is 0 or more."}
			case m > 0:
				causes = append(causes, store.CauseCount{CountID: n.ID, Cause: k, N: m})
				died += m
			}
		}
		if died > n.Dead {
			return Problem{"causes", fmt.Sprintf("The causes add up to %d, but %d are dead.", died, n.Dead)}
		}
		c := store.Count{ID: n.ID, TagID: t.ID, Look: n.Look, CountedOn: s.Today(), Taken: n.Taken, Doubtful: n.Doubtful, Dead: n.Dead, PersonID: a.ID, At: s.Now()}
		if n.Replaces != "" {
			c.ReplacesID = &n.Replaces
			was, err := q.Counts(ctx, t.ID)
			if err != nil {
				return err
			}
			ok := false
			for _, w := range was {
				ok = ok || w.ID == n.Replaces && w.Look == n.Look
			}
			if !ok {
				return Problem{"", "The count to correct is not one of this tag and look. Load the page anew."}
			}
		}
		kept, err := q.AddCount(ctx, c, causes)
		if err != nil || !kept {
			return err
		}
		doing := "counted"
		if c.ReplacesID != nil {
			doing = "count corrected"
		}
		return s.changed(ctx, q, a, "tag", code, doing, c.ReplacesID, c)
	})
	if errors.Is(err, store.ErrTaken) {
		return Problem{"", "Somebody counted this tag while you did. Their count is shown now: correct it if yours is better."}
	}
	return err
}

// SetHealPlace says where a batch's finished tags stand to heal.
func (s *Service) SetHealPlace(ctx context.Context, a Actor, code, place string) error {
	if err := a.must(Propagator, BenchHand); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		t, err := q.LockTag(ctx, code)
		if err != nil {
			return err
		}
		if err := q.SetHealPlace(ctx, t.ID, strings.TrimSpace(place)); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "tag", code, "stands to heal", nil, place)
	})
}
