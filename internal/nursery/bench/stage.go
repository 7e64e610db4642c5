// Package bench is the bench: batches and their tags, the card, taps, and the
// sheet of a day.
package bench

import "unionknot/internal/nursery"

// Stage carries out what people do here. Make one with New.
type Stage struct {
	*nursery.Kernel
	taps tapGate
}

// New makes the stage.
func New(k *nursery.Kernel) *Stage { return &Stage{Kernel: k} }
