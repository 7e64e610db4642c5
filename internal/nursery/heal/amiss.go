package heal

import (
	"context"
	"slices"
	"strings"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Checks are what a look can find amiss in a place, beside what took.
var Checks = []string{"roots dry", "wax open", "labels gone", "mould"}

// KeepAmiss notes what a look found amiss in a place; what is noted already and not put
// right stays as it is.
func (s *Stage) KeepAmiss(ctx context.Context, a nursery.Actor, place string, what []string) error {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return err
	}
	place = strings.Join(strings.Fields(place), " ")
	if place == "" || len([]rune(place)) > 80 {
		return nursery.Problem{Field: "amiss", Says: words.AmissWhere}
	}
	for _, w := range what {
		if !slices.Contains(Checks, w) {
			return nursery.Problem{Field: "amiss", Says: words.AmissUnknown}
		}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		for _, w := range what {
			noted, err := q.AddAmiss(ctx, place, w, a.ID, s.Now())
			if err != nil {
				return err
			}
			if noted {
				if err := s.Changed(ctx, q, a, "place", place, "found amiss", nil, w); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// WrongAgain takes back that something was put right.
func (s *Stage) WrongAgain(ctx context.Context, a nursery.Actor, id int64) (was store.Amiss, err error) {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return was, err
	}
	err = s.DB.Tx(ctx, func(q store.Q) error {
		if was, err = q.WrongAgain(ctx, id, s.Now().Add(-nursery.BackWithin)); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "place", was.Place, "amiss again", nil, was.What)
	})
	return was, err
}

// PutRight notes that what was found amiss is put right, and gives what it was.
// ErrNotFound: it was before.
func (s *Stage) PutRight(ctx context.Context, a nursery.Actor, id int64) (was store.Amiss, err error) {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return was, err
	}
	err = s.DB.Tx(ctx, func(q store.Q) error {
		if was, err = q.RightAmiss(ctx, id, a.ID, s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "place", was.Place, "put right", was.What, nil)
	})
	return was, err
}
