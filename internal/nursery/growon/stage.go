// Package growon is what is done to grafts after the first look: steps, losses,
// moves and sales, rounds of places, and the calendar of what is due.
package growon

import "unionknot/internal/nursery"

// Stage carries out what people do here. Make one with New.
type Stage struct {
	*nursery.Kernel
}

// New makes the stage.
func New(k *nursery.Kernel) *Stage { return &Stage{Kernel: k} }
