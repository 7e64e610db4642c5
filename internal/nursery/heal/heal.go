package heal

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// Looks are the counts made of a tag.
var Looks = []string{"first look", "end of season"}

// Heal lists tags to count, those due first.
func (s *Stage) Heal(ctx context.Context) (outlook.HealPage, error) {
	f, err := s.Facts(ctx, snapshot.Tags)
	if err != nil {
		return outlook.HealPage{}, err
	}
	return outlook.HealOf(f), nil
}

// CountedLately lists the tags counted last.
func (s *Stage) CountedLately(ctx context.Context) ([]store.Tag, error) {
	return s.DB.Q().CountedLately(ctx, 30)
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
func (s *Stage) Count(ctx context.Context, code, look string) (CountPage, error) {
	q := s.DB.Q()
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
	if slices.Contains(Looks, look) {
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
func (s *Stage) KeepCount(ctx context.Context, a nursery.Actor, code string, n NewCount) error {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return err
	}
	if !nursery.UUIDPattern.MatchString(n.ID) {
		return nursery.Problem{Field: "", Says: "Load the page anew, and count again."}
	}
	if !slices.Contains(Looks, n.Look) {
		return nursery.Problem{Field: "look", Says: "Choose first look or end of season."}
	}
	if n.Taken < 0 || n.Doubtful < 0 || n.Dead < 0 {
		return nursery.Problem{Field: "taken", Says: "A count is 0 or more."}
	}
	if n.Taken+n.Doubtful+n.Dead == 0 {
		return nursery.Problem{Field: "taken", Says: "Count at least one graft."}
	}
	err := s.DB.Tx(ctx, func(q store.Q) error {
		t, err := q.LockTag(ctx, code)
		if err != nil {
			return err
		}
		if t.FinishedAt == nil {
			return nursery.Problem{Field: "", Says: "This tag is still at the bench. Finish it there first."}
		}
		tied := t.Tied
		all := n.Taken + n.Doubtful + n.Dead
		if all > tied {
			return nursery.Problem{
				Field: "taken",
				Says:  fmt.Sprintf("You counted %d, but only %d were tied on this tag. Nothing was kept: look again.", all, tied),
			}
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
				return nursery.Problem{Field: "causes", Says: "A count is 0 or more."}
			case m > 0:
				causes = append(causes, store.CauseCount{CountID: n.ID, Cause: k, N: m})
				died += m
			}
		}
		if died > n.Dead {
			return nursery.Problem{Field: "causes", Says: fmt.Sprintf("The causes add up to %d, but %d are dead.", died, n.Dead)}
		}
		c := store.Count{
			ID:        n.ID,
			TagID:     t.ID,
			Look:      n.Look,
			CountedOn: s.Today(),
			Taken:     n.Taken,
			Doubtful:  n.Doubtful,
			Dead:      n.Dead,
			PersonID:  a.ID,
			At:        s.Now(),
		}
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
				return nursery.Problem{Field: "", Says: "The count to correct is not one of this tag and look. Load the page anew."}
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
		return s.Changed(ctx, q, a, "tag", code, doing, c.ReplacesID, c)
	})
	if errors.Is(err, store.ErrTaken) {
		return nursery.Problem{
			Field: "",
			Says:  "Somebody counted this tag while you did. Their count is shown now: correct it if yours is better.",
		}
	}
	return err
}

// SetHealPlace says where a tag's grafts stand to heal.
func (s *Stage) SetHealPlace(ctx context.Context, a nursery.Actor, code, place string) error {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		t, err := q.LockTag(ctx, code)
		if err != nil {
			return err
		}
		if err := q.SetHealPlace(ctx, t.ID, strings.TrimSpace(place)); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "tag", code, "stands to heal", nil, place)
	})
}
