package files

import (
	"context"
	"time"

	"unionknot/internal/store"
)

const day = 24 * time.Hour

// Kept is how long this house keeps what serves no record: docs/operations.md and House
// say the same.
var Kept = store.Kept{LookedAt: 30 * day, Loaded: 90 * day, Printed: 365 * day, Keys: 30 * day}

// Tidy lets go of what is older than it is kept.
func (s *Stage) Tidy(ctx context.Context) (n int64, err error) {
	err = s.DB.Tx(ctx, func(q store.Q) error {
		n, err = q.Tidy(ctx, s.Now(), Kept)
		return err
	})
	return n, err
}
