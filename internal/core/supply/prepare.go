package supply

// Forms in which stock stands.
const (
	BareRoot = "bare-root"
	Potted   = "potted"
	InRow    = "in the row"
	Seedbed  = "seedbed" // sown here, and not lifted or lined out yet
	Roots    = "root pieces"
	Cuttings = "cuttings" // not rooted
	Limb     = "limb"     // of a tree: its stems are places for grafts
)

// Forms are those in which stock comes.
var Forms = []string{BareRoot, Potted, InRow, Seedbed, Roots, Cuttings}

// InGround reports whether stock of a form is worked where it stands.
func InGround(form string) bool { return form == InRow || form == Seedbed || form == Limb }

// prepareMinutes is what making a stem ready takes, by its form: bare roots are
// washed, trimmed, stripped below the cut and sorted by size; pots are stripped,
// watered and set out; stems in the row are stripped, what would drip on the union
// is taken off, and the soil is wetted; root pieces and
// cuttings are washed and cut to length. House default.
var prepareMinutes = map[string]float64{BareRoot: 0.25, Potted: 0.4, InRow: 0.5, Seedbed: 0.5, Roots: 0.3, Cuttings: 0.2, Limb: 1.5}

// PrepareHours is what making n stems of a form ready takes, in hours. A form that
// is not known takes as long as bare roots.
func PrepareHours(form string, n int) float64 {
	m, ok := prepareMinutes[form]
	if !ok {
		m = prepareMinutes[BareRoot]
	}
	return m * float64(n) / 60
}
