package outlook

import (
	"context"
	"math"

	"unionknot/internal/core/sizing"
	"unionknot/internal/core/working"
	"unionknot/internal/snapshot"
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

// Grade is what is known of how many live trees make the grade when they are lifted.
type Grade struct {
	Share sizing.Beta
	From  string // its source
}

// Weight is how many trees it is worth.
func (g Grade) Weight() float64 { return math.Round(g.Share.Alpha + g.Share.Beta) }

// House defaults of the grade.
const (
	gradeWeight = 60  // trees that the house's share is worth
	gradeMost   = 200 // trees that own records count as at most: years differ beyond their counts
)

// Grade is the house's share, and what was lifted and sold here since trees below the grade are
// noted.
func (k *Reckoner) Grade(ctx context.Context, f *snapshot.Snapshot) (Grade, error) {
	own, err := k.graded.get(f.Stamp.Grades, func() (store.Graded, error) { return k.db.Q().Graded(ctx) })
	return gradeOf(f.House, own), err
}

func gradeOf(h store.House, own store.Graded) Grade {
	g := Grade{sizing.Prior(h.GradeShare, gradeWeight), WorthOf(h).Source(GradeOf)}
	fit, below := float64(own.Fit), float64(own.Below)
	if fit+below == 0 {
		return g
	}
	by := math.Min(1, gradeMost/(fit+below))
	g.Share.Alpha, g.Share.Beta, g.From = g.Share.Alpha+by*fit, g.Share.Beta+by*below, working.OwnRecords
	return g
}
