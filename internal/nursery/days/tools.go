package days

import (
	"context"
	"errors"
	"strings"
	"time"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// holdsShown is how many of the last notes of tools are shown. House default.
const holdsShown = 20

// ToolsPage is what is cut with, who with what, and what was noted last.
type ToolsPage struct {
	Tools []store.Tool
	Holds []store.ToolHold
}

// Tools gathers them.
func (s *Stage) Tools(ctx context.Context) (t ToolsPage, err error) {
	q := s.DB.Q()
	if t.Tools, err = q.Tools(ctx, 0); err != nil {
		return t, err
	}
	t.Holds, err = q.ToolHolds(ctx, holdsShown)
	return t, err
}

// AddTool takes a tool into use.
func (s *Stage) AddTool(ctx context.Context, a nursery.Actor, name string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	name = strings.Join(strings.Fields(name), " ")
	if n := len([]rune(name)); n == 0 || n > 60 {
		return nursery.Problem{Field: "tool", Says: words.ToolName}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if again, err := nursery.SentBefore(ctx, q, "tool "+name); err != nil || again {
			return err
		}
		ts, err := q.Tools(ctx, 0)
		if err != nil {
			return err
		}
		for _, t := range ts {
			if strings.EqualFold(t.Name, name) {
				return nursery.Problem{Field: "tool", Says: words.ToolThere(t.Name, t.GoneOn != nil)}
			}
		}
		if _, err := q.AddTool(ctx, name, s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "tool", name, "added", nil, nil)
	})
}

// SetToolGone takes a tool out of use, or brings it back.
func (s *Stage) SetToolGone(ctx context.Context, a nursery.Actor, id int64, gone bool) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		t, err := q.ToolByID(ctx, id)
		if err != nil {
			return err
		}
		var on *time.Time
		doing := "revived"
		if gone {
			today := s.Today()
			on, doing = &today, "retired"
		}
		if err := q.SetToolGone(ctx, id, on); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "tool", t.Name, doing, nursery.IsoDay(t.GoneOn), nursery.IsoDay(on))
	})
}

// HoldTool notes that somebody cuts with a tool from now on; 0 with none that is noted. A
// bench hand notes it of themselves.
func (s *Stage) HoldTool(ctx context.Context, a nursery.Actor, person, tool int64) error {
	if person == 0 {
		return nursery.Problem{Field: "person", Says: words.WhoCuts}
	}
	if a.Role == nursery.Looker || a.Role == nursery.BenchHand && a.ID != person {
		return nursery.ErrNotAllowed
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if again, err := nursery.SentBefore(ctx, q, "tool held"); err != nil || again {
			return err
		}
		p, err := q.Person(ctx, person)
		if err != nil {
			return err
		}
		name := ""
		if tool != 0 {
			t, err := q.ToolByID(ctx, tool)
			if errors.Is(err, nursery.ErrNotFound) || err == nil && t.GoneOn != nil {
				return nursery.Problem{Field: "tool", Says: words.NoSuchTool}
			} else if err != nil {
				return err
			}
			name = t.Name
		}
		if err := q.HoldTool(ctx, person, tool, a.ID, s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "person", p.Name, "tool noted", nil, name)
	})
}

// UndoToolHold takes back a note that was wrong: who cut with what is then as it was before.
func (s *Stage) UndoToolHold(ctx context.Context, a nursery.Actor, id int64) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		h, err := q.UndoToolHold(ctx, id, s.Now())
		if err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "person", h.Person, "tool unnoted", h.Tool, nil)
	})
}
