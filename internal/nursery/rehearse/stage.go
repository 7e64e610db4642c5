// Package rehearse plays the season through before it is played: the chance that each order is
// met, what holds it back, and which change would raise it most.
package rehearse

import (
	"context"
	"sync/atomic"

	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
)

// Weave gives what the weave of all orders would make of what is in no batch yet.
type Weave func(ctx context.Context, f *snapshot.Snapshot) ([]outlook.Woven, error)

// Stage carries out what people do here. Make one with New.
type Stage struct {
	*nursery.Kernel
	weave Weave
	plays snapshot.Fits[Rehearsed]
	past  snapshot.Fits[Promises]
	sets  snapshot.Fits[Set] // by the sum
	last  atomic.Pointer[Rehearsed]
}

// New makes the stage; what is in no batch yet is woven by weave.
func New(k *nursery.Kernel, weave Weave) *Stage { return &Stage{Kernel: k, weave: weave} }
