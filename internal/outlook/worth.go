package outlook

import (
	"context"
	"fmt"
	"math"
	"time"

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

// Fate is what is known of how many grafts alive at the first look become trees that are sold as
// what was ordered: they live on until they are lifted, and make the grade.
type Fate struct {
	Later, Grade sizing.Beta
	Both         sizing.Beta // of the two together
	From         string      // the grade's source
	LaterFrom    string
}

// House defaults of what becomes of live grafts.
const (
	laterShare  = 0.97 // of live grafts that still live when they are lifted
	laterWeight = 60   // trees that it is worth
	gradeWeight = 60   // trees that the house's share that makes the grade is worth
	ownMost     = 200  // trees that own records count as at most: years differ beyond their counts
)

// fates is what of the past what becomes of live grafts is learned from.
type fates struct {
	flow   store.Flow
	graded store.Graded
}

// Fate is the house's share, what lived on here, and what was lifted and sold since trees below
// the grade are noted.
func (k *Reckoner) Fate(ctx context.Context, f *snapshot.Snapshot) (Fate, error) {
	year := f.Today.Year()
	if f.Today.Month() < time.August {
		year--
	}
	// What was grafted in this season has its losses to come.
	past := store.TakeFilter{To: time.Date(year, time.July, 31, 0, 0, 0, 0, time.UTC)}
	own, err := k.fate.get(fmt.Sprint(f.Stamp.Takes, " ", f.Stamp.Grades, " ", year), func() (x fates, err error) {
		q := k.db.Q()
		if x.flow, err = q.FlowSums(ctx, past); err == nil {
			x.graded, err = q.Graded(ctx)
		}
		return x, err
	})
	return fateOf(f.House, own), err
}

func fateOf(h store.House, own fates) Fate {
	x := Fate{Later: sizing.Prior(laterShare, laterWeight), Grade: sizing.Prior(h.GradeShare, gradeWeight),
		From: WorthOf(h).Source(GradeOf), LaterFrom: working.HouseDefault}
	learn := func(b *sizing.Beta, from *string, good, bad float64) {
		if good+bad <= 0 {
			return
		}
		by := math.Min(1, ownMost/(good+bad))
		b.Alpha, b.Beta, *from = b.Alpha+by*good, b.Beta+by*bad, working.OwnRecords
	}
	alive := float64(own.flow.Tied - own.flow.DeadFirst)
	lost := math.Max(0, math.Min(alive, float64(own.flow.Later+own.flow.Since)))
	learn(&x.Later, &x.LaterFrom, alive-lost, lost)
	learn(&x.Grade, &x.From, float64(own.graded.Fit), float64(own.graded.Below))
	x.Both = x.Later.Times(x.Grade)
	return x
}
