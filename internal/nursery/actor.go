package nursery

import (
	"fmt"

	"unionknot/internal/snapshot"
)

// Role is what somebody may do.
type Role = snapshot.Role

// The roles, from the least to the most.
const (
	Looker     = snapshot.Looker
	BenchHand  = snapshot.BenchHand
	Propagator = snapshot.Propagator
)

// Actor is who asks.
type Actor struct {
	ID   int64
	Name string
	Role Role
}

// Must gives ErrNotAllowed to whoever has none of the roles.
func (a Actor) Must(roles ...Role) error {
	for _, r := range roles {
		if a.Role == r {
			return nil
		}
	}
	return fmt.Errorf("%s is a %s: %w", a.Name, a.Role, ErrNotAllowed)
}
