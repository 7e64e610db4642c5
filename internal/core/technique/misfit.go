package technique

import (
	"cmp"
	"slices"

	"unionknot/internal/core/caliper"
)

// Limit is a technique's limit that keeps a stem and a piece apart; "" is none.
type Limit string

// The limits that keep a stem and a piece apart.
const (
	StockThin  Limit = "stock-thin"
	StockThick Limit = "stock-thick"
	WoodWider  Limit = "wood-wider"
	RatioHigh  Limit = "ratio-high"
	RatioLow   Limit = "ratio-low"
	WoodState  Limit = "wood-state"
	WoodBuds   Limit = "wood-buds"
	// WoodOutOfSeason says that the technique is shut for wood of that state,
	// though it is open for another.
	WoodOutOfSeason Limit = "wood-season"
	StockStands     Limit = "stock-stands" // the stems stand where the technique is not used
)

// Misfit is the limit that keeps a stem and a piece apart, with what it is.
type Misfit struct {
	Limit Limit
	MM    float64 // with StockThin and StockThick
	Ratio float64 // with RatioHigh and RatioLow, scion ÷ stock
	State string  // with WoodState and WoodOutOfSeason, the wood's
	Buds  int     // with WoodBuds, on a piece
}

func (t Technique) limit(stock, scion caliper.Class) Limit {
	s, d := stock.Middle(), scion.Middle()
	r := d / s
	switch {
	case s < t.StockMinMM:
		return StockThin
	case s > t.StockMaxMM:
		return StockThick
	case scion > stock && !t.WiderAllowed:
		return WoodWider
	case r > t.RatioMax+1e-9:
		return RatioHigh
	case r < t.RatioMin-1e-9:
		return RatioLow
	}
	return ""
}

// heights are how much higher a stem may be cut, in cm. House default.
var heights = []int{3, 6, 9, 12}

// Higher gives by how many cm a stem must be cut higher so that a stock class takes
// a scion class that it does not take at the usual cut; perCM is how much thinner
// it is for each cm, in mm. False: no height does.
func (t Technique) Higher(stock, scion caliper.Class, perCM float64) (cm int, ok bool) {
	if perCM <= 0 || t.Joins(stock, scion) {
		return 0, false
	}
	for _, cm := range heights {
		if t.Joins(stock.Higher(perCM, float64(cm)), scion) {
			return cm, true
		}
	}
	return 0, false
}

// Misfit gives what keeps a stock class and a scion class apart; none has a
// Limit of "".
func (t Technique) Misfit(stock, scion caliper.Class) Misfit {
	m := Misfit{Limit: t.limit(stock, scion)}
	switch m.Limit {
	case StockThin:
		m.MM = t.StockMinMM
	case StockThick:
		m.MM = t.StockMaxMM
	case RatioHigh:
		m.Ratio = t.RatioMax
	case RatioLow:
		m.Ratio = t.RatioMin
	}
	return m
}

// nearest gives what keeps most pairs of stems and pieces apart.
func (t Technique) nearest(j Job) Misfit {
	count, best := map[Misfit]int{}, Misfit{}
	for _, s := range j.StockMM {
		for _, w := range j.WoodMM {
			count[t.Misfit(s.Class, w.Class)] += s.N * w.N
		}
	}
	for m, n := range count {
		if best.Limit == "" || cmp.Or(n-count[best], cmp.Compare(best.Limit, m.Limit)) > 0 {
			best = m
		}
	}
	return best
}

// MisfitOfWood gives what keeps wood of a state, cut to pieces of so many
// buds, from the technique on any stem; none has a Limit of "".
func (t Technique) MisfitOfWood(state string, buds int) Misfit {
	switch {
	case !slices.Contains(t.WoodStates, state):
		return Misfit{Limit: WoodState, State: state}
	case !t.TakesBuds(buds):
		return Misfit{Limit: WoodBuds, Buds: buds}
	}
	return Misfit{}
}
