package correct

import (
	"context"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
)

// Try says what putting a thing right would do, and keeps nothing.
func (s *Stage) Try(ctx context.Context, a nursery.Actor, of, ref string, c Correction) (nursery.Effect, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return nursery.Effect{}, err
	}
	k, ok := s.kinds[of]
	if !ok {
		return nursery.Effect{}, nursery.ErrNotFound
	}
	return nursery.Tried(ctx, s.Kernel, func(q store.Q) error {
		_, _, err := s.put(ctx, q, a, k, ref, c)
		return err
	})
}

// TryWay says what another answer to one of the house's ways would do, and keeps nothing.
func (s *Stage) TryWay(ctx context.Context, a nursery.Actor, key, chosen string) (nursery.Effect, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return nursery.Effect{}, err
	}
	return nursery.Tried(ctx, s.Kernel, func(q store.Q) error { return q.ChooseWay(ctx, key, chosen) })
}
