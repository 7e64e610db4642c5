// Package access is who may come in: the first account, passwords, PINs and
// the people of the house.
package access

import "unionknot/internal/nursery"

// Stage carries out what people do here. Make one with New.
type Stage struct {
	*nursery.Kernel
	known   actors
	refused refusals
}

// New makes the stage.
func New(k *nursery.Kernel) *Stage { return &Stage{Kernel: k} }
