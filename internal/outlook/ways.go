package outlook

import (
	"slices"
	"strings"

	"unionknot/internal/core/pairing"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/union"
	"unionknot/internal/core/ways"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// FaceWay reads the house's way to cut a slant face.
func FaceWay(w store.HouseWay) union.Face {
	if strings.HasPrefix(w.Chosen, "short") {
		return union.Short
	}
	return union.Long
}

// The questions on which growers differ that are asked here, by their keys.
const (
	WayFace   = string(ways.Face)
	WayLay    = string(ways.Lay)
	WayUsable = string(ways.Usable)
	waySeal   = string(ways.Tip)
)

// LayWay reads the house's way to lay a thinner scion.
func LayWay(w store.HouseWay) union.Lay {
	switch {
	case strings.HasPrefix(w.Chosen, "tilted"):
		return union.Tilted
	case strings.HasPrefix(w.Chosen, "centred"):
		return union.Centred
	}
	return union.Flush
}

// HealingFor is how a batch heals of which stems of some lots are grafted: in the
// row where all of them stand there, else by the house's way for the genus.
func HealingFor(f *snapshot.Snapshot, genus string, forms []string) string {
	if len(forms) > 0 && !slices.ContainsFunc(forms, func(form string) bool { return !supply.InGround(form) }) {
		return ways.InTheRow
	}
	return f.Answers().Healing(genus)
}

// TieFor is the tie offered for a batch by the house's ways: of buds whether the
// bud is covered, of others how they are sealed. House default.
func TieFor(f *snapshot.Snapshot, buds bool) string {
	h := f.Answers()
	switch {
	case buds && h.BudCovered():
		return "film"
	case buds:
		return "rubber"
	}
	switch h.Seal() {
	case ways.BrushedWax:
		return "rubber"
	case ways.TapeAndHood:
		return "pvc"
	}
	return "film"
}

// FormsOf are the forms of the lots of threads.
func FormsOf(f *snapshot.Snapshot, ts []pairing.Thread) (forms []string) {
	for _, t := range ts {
		for _, l := range f.Lots {
			if l.Code == t.Lot && !slices.Contains(forms, l.Form) {
				forms = append(forms, l.Form)
			}
		}
	}
	return forms
}

// BudsOnly says whether threads are all of techniques that set a bud.
func BudsOnly(f *snapshot.Snapshot, ts []pairing.Thread) bool {
	return len(ts) > 0 && !slices.ContainsFunc(ts, func(t pairing.Thread) bool {
		x, ok := f.Technique(t.Way)
		return !ok || x.BudsMax > 1
	})
}

// MannerOf is how the house cuts where growers differ, beside its faces.
func MannerOf(f *snapshot.Snapshot) union.Manner {
	h := f.Answers()
	return union.Manner{TongueHalf: h.TongueHalf(), WoodOut: h.Flipped()}
}
