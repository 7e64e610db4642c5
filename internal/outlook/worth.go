package outlook

import (
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// Worth is what things are worth, in cents and hundredths.
type Worth struct {
	WageCents, TreeCents, StemCents, PieceCents int
	DelayPct, GradePct                          int
}

// WorthOf reads what things are worth in a house.
func WorthOf(h store.House) Worth {
	return Worth{h.WageCents, h.TreeCents, h.StemCents, h.PieceCents, int(h.DelayShare*100 + 0.5), int(h.GradeShare*100 + 0.5)}
}

// shippedWorth is what the house comes with.
var shippedWorth = Worth{WageCents: 1600, TreeCents: 900, StemCents: 130, PieceCents: 35, DelayPct: 25, GradePct: 96}

// Source says whether all the figures chosen are still those that the house
// came with.
func (w Worth) Source(of ...func(Worth) int) string {
	for _, f := range of {
		if f(w) != f(shippedWorth) {
			return working.Entered
		}
	}
	return working.HouseDefault
}

// WageOf is what the house says of an hour's wage.
func WageOf(w Worth) int { return w.WageCents }

// TreeOf is what the house says of a tree.
func TreeOf(w Worth) int { return w.TreeCents }

// StemOf is what the house says of a stem.
func StemOf(w Worth) int { return w.StemCents }

// PieceOf is what the house says of a piece of wood.
func PieceOf(w Worth) int { return w.PieceCents }

// DelayOf is what the house says of a year's delay, in a hundred of a tree.
func DelayOf(w Worth) int { return w.DelayPct }

// GradeOf is what the house says of how many live trees in a hundred make the grade.
func GradeOf(w Worth) int { return w.GradePct }
