// Package trees keeps trees of several unions: standing trees that are grafted over, trees of
// several varieties, and interstems; and who of their varieties pollinates whom.
package trees

import "unionknot/internal/nursery"

// Stage carries out what people do here. Make one with New.
type Stage struct {
	*nursery.Kernel
}

// New makes the stage.
func New(k *nursery.Kernel) *Stage { return &Stage{k} }

// Kinds of trees.
const (
	Standing  = "standing"
	Family    = "family"
	Interstem = "interstem"
)
