package places

import (
	"context"
	"strings"

	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
)

// Cold gathers a store.
func (s *Stage) Cold(ctx context.Context, name string) (outlook.ColdPage, error) {
	f, err := s.Facts(ctx, snapshot.Piles, snapshot.Places, snapshot.Looks)
	if err != nil {
		return outlook.ColdPage{}, err
	}
	p, ok := f.Place(strings.TrimSpace(name))
	if !ok {
		return outlook.ColdPage{}, nursery.ErrNotFound
	}
	return outlook.ColdOf(f, outlook.KeeperOf(f), p), nil
}

// Colds gathers every store.
func (s *Stage) Colds(ctx context.Context) ([]outlook.ColdPage, error) {
	f, err := s.Facts(ctx, snapshot.Piles, snapshot.Places, snapshot.Looks)
	if err != nil {
		return nil, err
	}
	return outlook.ColdsOf(f), nil
}

// ColdNames lists the stores' names, to help typing.
func (s *Stage) ColdNames(ctx context.Context) ([]string, error) {
	ps, err := s.DB.Q().ColdPlaces(ctx)
	out := make([]string, len(ps))
	for i, p := range ps {
		out[i] = p.Name
	}
	return out, err
}
