// Package files loads lists from files and writes them, whatever stage they
// are of.
package files

import "unionknot/internal/nursery"

// Stage carries out what people do here. Make one with New.
type Stage struct {
	*nursery.Kernel
	lists map[string]nursery.List
}

// New makes the stage, with the lists that the others give.
func New(k *nursery.Kernel, lists ...nursery.List) *Stage {
	s := &Stage{Kernel: k, lists: map[string]nursery.List{}}
	for _, l := range lists {
		s.lists[l.Kind] = l
	}
	return s
}
