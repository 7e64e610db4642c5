// Package results says what took, by whom, how and of what, and what moved
// it.
package results

import (
	"unionknot/internal/nursery"
	"unionknot/internal/snapshot"
)

// Stage carries out what people do here. Make one with New.
type Stage struct {
	*nursery.Kernel
	fairs     snapshot.Fits[Fair]
	results   snapshot.Fits[ResultsPage]
	advices   snapshot.Fits[[]Advice]
	practices snapshot.Fits[Practice]
	aheads    snapshot.Fits[Ahead]
}

// New makes the stage.
func New(k *nursery.Kernel) *Stage { return &Stage{Kernel: k} }
