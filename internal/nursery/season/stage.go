// Package season is the year of each season group: its usual dates, what was
// seen, and the weather.
package season

import "unionknot/internal/nursery"

// Stage carries out what people do here. Make one with New.
type Stage struct {
	*nursery.Kernel
}

// New makes the stage.
func New(k *nursery.Kernel) *Stage { return &Stage{Kernel: k} }
