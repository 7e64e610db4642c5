package wood

import (
	"context"
	"errors"
	"fmt"

	"unionknot/internal/core/season"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// question asks about green wood that is not ripe on the day it was cut, and about
// dormant wood of plants in leaf.
func (s *Stage) question(ctx context.Context, n NewBundle) error {
	if n.Sure {
		return nil
	}
	p, err := s.DB.Q().PlantByCode(ctx, n.Plant)
	if errors.Is(err, nursery.ErrNotFound) {
		return nil // said where the bundle is added
	} else if err != nil {
		return err
	}
	f, err := s.Facts(ctx)
	if err != nil {
		return err
	}
	y := f.Year(f.Genus(p.Genus).SeasonGroup)
	can, stand := y.WoodOn(n.State, n.CutOn)
	if n.State == season.Resting {
		span, ok := y.StockOn(n.CutOn)
		if can = !ok || span.State != season.Running; !can {
			stand = season.WoodStand{Rule: season.WoodBetween, State: span.State}
		}
	}
	if !can && stand.Rule != season.WoodNoSeason && stand.Rule != season.WoodNoDates {
		return nursery.Problem{Field: "sure", Says: words.CutOutOfSeason(n.State, n.CutOn, stand)}
	}
	return nil
}

// source is the plant that wood was cut from or, of bought wood, what stands for it:
// one for each seller and variety.
func (s *Stage) source(ctx context.Context, q store.Q, a nursery.Actor, n *NewBundle) (store.Plant, error) {
	if n.Plant != "" {
		return q.PlantByCode(ctx, n.Plant)
	}
	v, err := q.VarietyFor(ctx, n.Variety, n.Genus)
	if err != nil {
		return store.Plant{}, err
	}
	p, err := q.BoughtPlant(ctx, v, words.BoughtFrom(n.BoughtFrom))
	if err == nil || !errors.Is(err, nursery.ErrNotFound) {
		n.Plant = p.Code
		return p, err
	}
	if err := q.LockLabels(ctx); err != nil {
		return p, err
	}
	i, err := q.HighestBought(ctx)
	if err != nil {
		return p, err
	}
	n.Plant = fmt.Sprintf("B-%d", i+1)
	if _, err := q.AddPlant(ctx, store.Plant{Code: n.Plant, VarietyID: v, Place: words.BoughtFrom(n.BoughtFrom), MadeAt: s.Now(),
		Bought: true}); err != nil {
		return p, err
	}
	if err := s.Changed(ctx, q, a, "plant", n.Plant, "bought", nil, n.BoughtFrom); err != nil {
		return p, err
	}
	return q.PlantByCode(ctx, n.Plant)
}

// LetBundleIn lets a bundle in that was seen to be unfit or is past its day, with who
// and why: it stays on the tags made of it, and stands until the next look.
func (s *Stage) LetBundleIn(ctx context.Context, a nursery.Actor, code, why string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	why, err := nursery.CheckWhy(why)
	if err != nil {
		return err
	}
	p, err := s.Bundle(ctx, code)
	if err != nil {
		return err
	}
	if len(p.Out.Gates) == 0 || p.Out.LetIn != nil {
		return nil
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if err := q.LetIn(ctx, 0, p.Bundle.ID, store.LetIn{Gates: p.Out.GatesText(), Why: why, At: s.Now()}, a.ID); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "bundle", p.Bundle.Code, "let in", p.Out.Gates, why)
	})
}
