package wood

import (
	"context"
	_ "image/jpeg" // photos come as these two
	_ "image/png"
	"strings"
	"time"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// SeePlant is what somebody saw of a mother plant.
type SeePlant struct {
	SeenTrueBy             string
	SeenTrueOn             time.Time
	Place, Health, Licence string
	Gives                  *int // sticks in a season; nil: not judged
}

// SeeTrue notes who saw a mother plant true and when, and how it stands now.
func (s *Stage) SeeTrue(ctx context.Context, a nursery.Actor, code string, n SeePlant) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	n.SeenTrueBy = strings.TrimSpace(n.SeenTrueBy)
	var ps nursery.Problems
	if (n.SeenTrueBy == "") != n.SeenTrueOn.IsZero() {
		ps.Add("seen_true_by", words.SeenNeedsBoth)
	}
	if n.Gives != nil && (*n.Gives < 0 || *n.Gives > 100_000) {
		ps.Add("gives", "%s", words.GivesAsked)
	}
	if n.SeenTrueOn.After(s.Today()) {
		ps.Add("seen_true_on", words.DayToCome)
	}
	if err := ps.Err(); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.PlantByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		before := SeePlant{
			SeenTrueBy: p.SeenTrueBy,
			SeenTrueOn: nursery.Deref(p.SeenTrueOn),
			Place:      p.Place,
			Health:     p.Health,
			Licence:    p.Licence,
			Gives:      p.Gives,
		}
		p.SeenTrueBy, p.SeenTrueOn = n.SeenTrueBy, nil
		if !n.SeenTrueOn.IsZero() {
			p.SeenTrueOn = &n.SeenTrueOn
		}
		p.Gives = n.Gives
		p.Place, p.Health, p.Licence = strings.TrimSpace(n.Place), strings.TrimSpace(n.Health), strings.TrimSpace(n.Licence)
		if err := q.SeePlant(ctx, p); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "plant", p.Code, "seen", before, n)
	})
}
