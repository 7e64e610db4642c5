package trace

import (
	"context"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
)

// Trace is a tag's or a bundle's way back and forward.
type Trace struct {
	Kind   string // tag, bundle, plant or lot
	Code   string
	Tag    *store.Tag
	Bundle *store.Bundle
	Plant  *store.Plant
	Lot    *store.Lot
	Tags   []store.Tag // forward
	Beside []store.Bundle
}

// Trace walks from a code: from a tag back to mother plant and lot; from a
// bundle, a mother plant or a lot forward to every tag.
func (s *Stage) Trace(ctx context.Context, kind, code string) (Trace, error) {
	q := s.DB.Q()
	tr := Trace{Kind: kind, Code: code}
	var err error
	bundle := func(code string) error {
		b, err := q.BundleByCode(ctx, code)
		if err != nil {
			return err
		}
		tr.Bundle = &b
		p, err := q.PlantByCode(ctx, b.Plant)
		tr.Plant = &p
		return err
	}
	lot := func(code string) error {
		l, err := q.LotByCode(ctx, code)
		tr.Lot = &l
		return err
	}
	which := store.Which{All: true}
	switch kind {
	case "tag":
		t, err := q.TagByCode(ctx, code)
		if err != nil {
			return tr, err
		}
		tr.Tag = &t
		if err := bundle(t.Bundle); err != nil {
			return tr, err
		}
		return tr, lot(t.Lot)
	case "bundle":
		if err := bundle(code); err != nil {
			return tr, err
		}
		which.BundleID = tr.Bundle.ID
	case "plant":
		p, err := q.PlantByCode(ctx, code)
		if err != nil {
			return tr, err
		}
		tr.Plant = &p
		if tr.Beside, err = q.BundlesOfPlant(ctx, p.ID); err != nil {
			return tr, err
		}
		which.PlantID = p.ID
	case "lot":
		if err := lot(code); err != nil {
			return tr, err
		}
		which.LotID = tr.Lot.ID
	default:
		return tr, nursery.ErrNotFound
	}
	tr.Tags, err = q.Tags(ctx, which)
	return tr, err
}

// Find looks for what was typed or scanned.
func (s *Stage) Find(ctx context.Context, typed string) ([]store.Found, error) {
	if typed == "" {
		return nil, nil
	}
	return s.DB.Q().Find(ctx, typed)
}
