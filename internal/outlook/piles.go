package outlook

import (
	"fmt"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/union"
	"unionknot/internal/core/wood"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// InRow is the form of stock that stands where it grows.
const InRow = supply.InRow

// Diameters is a lot or a bundle as classes: what there was, and what is
// free of each.
type Diameters struct {
	All    []caliper.Count
	Free   []caliper.Count
	Source string // measured, or house default for a spread over a grade
}

// LotDiameters works out a lot's classes from its readings, or its grade.
func LotDiameters(l store.LotPile) Diameters {
	var d Diameters
	switch {
	case len(l.Calipers) > 0:
		d.All, d.Source = caliper.FromSample(l.Received, LatestSample(l.Calipers)), working.Measured
	case l.GradeLow != nil:
		d.All, d.Source = caliper.FromGrade(l.Received, *l.GradeLow, *l.GradeHigh), working.HouseDefault
	}
	d.Free = freeOf(d.All, l.Use, l.Free)
	return d
}

// LatestSample is the readings of the newest day that has a fair sample of
// its own; stems grow, so an older day's readings say less. Days are pooled
// until 20 readings are reached.
func LatestSample(rs []store.Caliper) []float64 {
	var mm []float64
	for i := len(rs) - 1; i >= 0; i-- {
		if len(mm) >= 20 && !rs[i].On.Equal(rs[i+1].On.Time) {
			break
		}
		mm = append(mm, rs[i].MM)
	}
	return mm
}

// freeOf takes what was used of each class from what there was, and trims
// the rest to what the ledger says is free.
func freeOf(all []caliper.Count, use []store.ClassUse, free int) []caliper.Count {
	by := map[caliper.Class]int{}
	for _, c := range all {
		by[c.Class] += c.N
	}
	for _, u := range use {
		by[caliper.ClassOf(u.MM)] -= u.N
	}
	return caliper.AtMost(caliper.Sorted(by), free)
}

// LotLine is a lot with its diameters, for the list.
type LotLine struct {
	Lot       store.Lot
	Diameters Diameters
}

// Cut is what is measured of wood: its sticks' length, base, tip and the space
// between nodes, in mm; the share of blind buds, in a hundred; the buds of a
// piece; and whether the sticks are whole shoots.
type Cut struct {
	LengthMM, BaseMM, TipMM, InternodeMM, BlindPct float64
	BudsPerPiece                                   int
	Whole                                          bool
}

// Stick is the stick by the house's way of counting the usable part. A stick
// that was cut from the base of a shoot is all usable.
func (c Cut) Stick(usable string, faceBuds int) wood.Stick {
	z, ok := wood.ZoneOf(usable)
	if !ok {
		z = wood.Zone{To: 0.5}
	}
	if !c.Whole {
		z = wood.Whole
	}
	return wood.Stick{LengthMM: c.LengthMM, BaseMM: c.BaseMM, TipMM: c.TipMM, InternodeMM: c.InternodeMM,
		Usable: z, BlindShare: c.BlindPct / 100, BudsPerPiece: c.BudsPerPiece, FaceBuds: faceBuds}
}

// FaceBuds is how many buds of a piece its face eats, cut the house's way on
// wood of the stick's middle diameter.
func (c Cut) FaceBuds(f union.Face) int {
	return wood.FaceBuds(f.Times()*(c.BaseMM+c.TipMM)/2, c.InternodeMM, c.BudsPerPiece)
}

// YieldOf works out what one stick of a bundle gives.
func YieldOf(b store.Bundle) (wood.Stick, wood.Yield, error) {
	st := Cut{LengthMM: b.LengthMM, BaseMM: b.BaseMM, TipMM: b.TipMM, InternodeMM: b.InternodeMM,
		BlindPct: b.BlindShare * 100, BudsPerPiece: b.BudsPerPiece, Whole: b.WholeShoot}.Stick(b.Usable, b.FaceBuds)
	y, err := st.Of()
	return st, y, err
}

// BundleDiameters works out a bundle's pieces by class.
func BundleDiameters(b store.BundlePile) (Diameters, wood.Yield, error) {
	d := Diameters{Source: working.Measured}
	_, y, err := YieldOf(b.Bundle)
	if err != nil {
		return d, y, fmt.Errorf("bundle %s: %w", b.Code, err)
	}
	by := map[caliper.Class]int{}
	for _, mm := range y.PieceMM {
		by[caliper.ClassOf(mm)] += b.Sticks
	}
	d.All = caliper.Sorted(by)
	d.Free = freeOf(d.All, b.Use, b.Free)
	return d, y, nil
}

// BundleLine is a bundle with its diameters, for the list.
type BundleLine struct {
	Bundle    store.Bundle
	Diameters Diameters
	Days      int
	Kept      Kept
	Soon      bool // it keeps not much longer
	Past      bool // it is past its day
}
