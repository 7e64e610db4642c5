// Package house is the nursery's own settings, its record of changes, and the
// labels it prints.
package house

import "unionknot/internal/nursery"

// Stage carries out what people do here. Make one with New.
type Stage struct {
	*nursery.Kernel
}

// New makes the stage.
func New(k *nursery.Kernel) *Stage { return &Stage{Kernel: k} }
