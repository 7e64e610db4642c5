// Package supply weighs what there is to graft with: what a thread between a
// stem and a piece costs, and what taking from a lot or a bundle does.
//
// Costs are in grafts: a cost of 0.1 is a tenth of a graft expected lost.
package supply

import (
	"math"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/take"
	"unionknot/internal/core/technique"
)

// Taking is a technique with what is expected of it.
type Taking struct {
	Technique technique.Technique
	Expected  take.Expected
	slope     float64 // of mismatch, on the logit scale
}

// TakingOf gives what is expected of a technique where records have been
// weighed: its slope of mismatch is the technique's own, outweighed by them.
func TakingOf(t technique.Technique, e take.Expected, l take.Learned) Taking {
	return Taking{t, e, l.Slope(take.Mismatch, -t.Slope/(e.Mean*(1-e.Mean)))}
}

// At is the expected take of one scion or bud of a class on a stock class, 0 to 1; own is
// what is known of its lot and its bundle on the logit scale.
func (t Taking) At(stock, scion caliper.Class, own float64) float64 {
	p := math.Max(1e-4, math.Min(1-1e-4, t.Expected.Mean))
	eta := math.Log(p/(1-p)) + t.Shift(stock, scion) + own
	return 1 / (1 + math.Exp(-eta))
}

// Shift is what the mismatch of a scion or bud of a class on a stock class does to its take
// beside the mean, on the logit scale.
func (t Taking) Shift(stock, scion caliper.Class) float64 {
	return t.slope * (math.Abs(1-scion.Middle()/stock.Middle()) - t.Expected.Mismatch)
}

// Cost is what a stock costs: the expected loss of all that is set on it, and its
// work.
func (t Taking) Cost(stock, scion caliper.Class) float64 {
	p := t.At(stock, scion, 0)
	if t.Technique.Pieces() > 1 {
		p, _ = sizing.OneOfTwo(p)
	}
	return 1 - p + t.Technique.Effort()
}

// House defaults of what taking from a pile costs.
const (
	// store10Logit is what ten days in store do to the take, on the logit scale.
	store10Logit = -0.03
	// keepShare is the part of wood's life for which it must still keep to be
	// worth its whole price later: a month of resting wood, a day of green.
	keepShare = 0.25
	// pastCost is what using wood past its day costs a graft.
	pastCost = 0.25
)

// tilt is by how much a take moves for a unit on the logit scale.
func tilt(take float64) float64 { return take * (1 - take) }

// LotCost is what a graft from a lot costs beside one from a lot like any
// other: less than nothing where its records are better. mean is the take
// about which it is weighed.
func LotCost(mean float64, known take.Effect) float64 { return -known.Mode * tilt(mean) }

// Kept is a bundle as its use is weighed.
type Kept struct {
	DaysKept float64 // since it was cut
	LeftDays float64 // until it must be used, as it is kept now; below 0 past it
	LifeDays float64 // of wood of its state, at 1 °C
	Known    take.Effect
	Part     string // of the shoot; "" not known
}

// partLogit is what wood from further out on the shoot does to the take beside that
// from its base, on the logit scale. House default.
var partLogit = map[string]float64{"middle": -0.1, "outer": -0.35}

// BundleCost is what a graft from a bundle costs beside one from fresh wood of
// no worth: what its age and its records lose or gain, and what the piece would
// be worth kept for later. piece is its price in grafts: over what another
// graft costs, stem, piece and work, since that is what a loss is made good by.
// Wood near its end will be worth nothing, and so costs nothing to use.
func BundleCost(mean float64, w Kept, l take.Learned, piece float64) float64 {
	cost := -(w.Known.Mode + l.Slope(take.Store10, store10Logit)*w.DaysKept/10) * tilt(mean)
	if house, ok := partLogit[w.Part]; ok {
		cost -= l.Slope(take.PartColumn(w.Part), house) * tilt(mean)
	}
	if w.LeftDays < 0 {
		return cost + pastCost
	}
	return cost + piece*math.Min(1, w.LeftDays/(keepShare*w.LifeDays))
}
