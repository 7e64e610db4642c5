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
	// Tongue is in which pages are for them that are in it; "" is English.
	Tongue string
	// Sent is who was signed in when another's work was handed in, kept on a shared
	// tablet while the line was down; 0: they did it themselves.
	Sent int64
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
