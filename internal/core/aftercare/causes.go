package aftercare

import (
	"slices"

	"unionknot/internal/core/season"
)

// Causes of loss, as the nursery lists them.
const (
	driedOut  = "dried out"
	missed    = "cambium missed"
	unripe    = "wood not ripe"
	weakWood  = "wood weak or old in store"
	rot       = "water got in, rot or black at the union"
	drowned   = "drowned by sap"
	girdled   = "tie girdled"
	loose     = "tie came loose"
	stockDied = "stock died"
	knocked   = "knocked or broken"
	suckered  = "suckers took over"
	frosted   = "frosted after starting too early"
	animals   = "animals"
	notKnown  = "not known"
)

// CanDieOf reports whether a graft made so can be lost to a cause by the time of a count ("": at any time). A
// shield lies on wood all over, so a T-bud does not miss the cambium; only ties that girdle girdle; green wood
// was in no store; in a closed box nothing is frosted, overgrown or drowned. Causes of the nursery's own are
// always possible.
func (m *Made) CanDieOf(cause, look string) bool {
	first := m.Boxed() && look == Looks[0]
	switch cause {
	case missed:
		return m.Technique != TBud
	case unripe:
		return m.Wood != string(season.Resting)
	case weakWood:
		return m.Wood == string(season.Resting)
	case girdled:
		return m.weeks() > 0 && look != Looks[0]
	case drowned:
		return !m.Boxed()
	case suckered, frosted:
		return !first
	}
	return true
}

// Causes are those of a list that a graft made so can be lost to by a count, in the list's order.
func (m *Made) Causes(all []string, look string) []string {
	return slices.DeleteFunc(slices.Clone(all), func(c string) bool { return !m.CanDieOf(c, look) })
}

// CommonCauses are the causes most often met at a count, the likeliest first: those of the union at the first,
// those of the growing tree later. House default.
func CommonCauses(look string) []string {
	if look == Looks[0] {
		return []string{driedOut, missed, rot, unripe, weakWood, loose, stockDied, notKnown}
	}
	return []string{driedOut, knocked, girdled, suckered, animals, frosted, stockDied, notKnown}
}
