package wood

import (
	"bytes"
	"context"
	"fmt"
	"image"
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
		ps.Add("seen_true_by", "Seen true needs both who saw it and when; leave both empty if nobody has.")
	}
	if n.Gives != nil && (*n.Gives < 0 || *n.Gives > 100_000) {
		ps.Add("gives", "%s", words.GivesAsked)
	}
	if n.SeenTrueOn.After(s.Today()) {
		ps.Add("seen_true_on", "That day is still to come.")
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

// Bounds of a photo.
const (
	MaxPhoto  = 5 << 20
	maxPixels = 60_000_000
)

// AddPhoto keeps a picture of a mother plant: JPEG or PNG, by what it holds
// and not by what it is called.
func (s *Stage) AddPhoto(ctx context.Context, a nursery.Actor, code, says string, body []byte) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	if len(body) > MaxPhoto {
		return nursery.Problem{Field: "photo", Says: fmt.Sprintf("A photo may have %d MB; make it smaller.", MaxPhoto>>20)}
	}
	c, kind, err := image.DecodeConfig(bytes.NewReader(body))
	if err != nil || kind != "jpeg" && kind != "png" || c.Width*c.Height > maxPixels {
		return nursery.Problem{Field: "photo", Says: "That is no JPEG or PNG picture that can be shown. Save it as JPEG and send it again."}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.PlantByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if again, err := nursery.SentBefore(ctx, q, "a photo of "+p.Code); err != nil || again {
			return err
		}
		if _, err := q.AddPhoto(ctx, store.Photo{PlantID: p.ID, Kind: "image/" + kind, Says: strings.TrimSpace(says), Body: body,
			PersonID: a.ID, At: s.Now()}); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "plant", p.Code, "photo kept", nil, says)
	})
}

// Photo gives a picture.
func (s *Stage) Photo(ctx context.Context, id int64) (store.Photo, error) {
	return s.DB.Q().Photo(ctx, id)
}

// DropPhoto takes a picture out.
func (s *Stage) DropPhoto(ctx context.Context, a nursery.Actor, code string, id int64) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.PlantByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if err := q.DropPhoto(ctx, p.ID, id); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "plant", p.Code, "photo taken out", id, nil)
	})
}
