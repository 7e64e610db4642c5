// Package technique holds the ways to join wood to stock, and judges which of
// them serve a stock and a scion by their diameters and states.
package technique

import (
	"math"
	"slices"
	"time"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/season"
	"unionknot/internal/core/sizing"
)

// Technique is one way to join, with the house's numbers for it.
type Technique struct {
	Key, Name    string
	StockStates  []string
	WoodStates   []string
	StockMinMM   float64 // thinnest stock at the cut
	StockMaxMM   float64
	RatioMin     float64 // scion ÷ stock
	RatioMax     float64
	WiderAllowed bool // near-equal sizes either way, as a punched profile needs
	Cut          string
	BudsMin      int
	BudsMax      int
	GoodFor      string
	RatePerHour  float64 // grafts, or buds, cut and tied by one head
	BudsAStock   int     // set on a stock by the house's way; 0 is 1
	PriorTake    float64 // easy pome fruit, practised hands
	PriorWeight  float64 // grafts that the prior is worth
	Slope        float64 // loss of take per 1 of mismatch
	HandNote     string
}

// effortHours weighs an hour's work as a share of a graft: 0.8 ÷ rate, so 40
// an hour costs 0.02 of a graft. House default.
const effortHours = 0.8

// SetsBud says that it sets a bud, not a scion.
func (t Technique) SetsBud() bool { return t.BudsMax == 1 }

// Pieces is how many pieces a stock takes.
func (t Technique) Pieces() int { return max(1, t.BudsAStock) }

// PerHour is how many stocks one head works in an hour: a second bud takes as long
// as the first. House default.
func (t Technique) PerHour() float64 { return t.RatePerHour / float64(t.Pieces()) }

// Effort is what one stock's work costs, in grafts.
func (t Technique) Effort() float64 { return effortHours / t.PerHour() }

// Joins says whether a stock class takes a scion class by this technique.
// Sizes are judged by the classes' middles. A scion class above the stock's
// is refused unless the technique is made for near-equals.
func (t Technique) Joins(stock, scion caliper.Class) bool { return t.limit(stock, scion) == "" }

// Cost is the expected loss of a graft with its effort: loss + slope × |1 −
// ratio| + effort, in grafts. loss is 1 less the expected take of even sizes.
func (t Technique) Cost(loss float64, stock, scion caliper.Class) float64 {
	return loss + t.Slope*math.Abs(1-scion.Middle()/stock.Middle()) + t.Effort()
}

// Prior is the house's belief of this technique's take in a genus whose
// logit shift is given.
func (t Technique) Prior(logitShift float64) sizing.Beta {
	return sizing.Prior(sizing.Shift(t.PriorTake, logitShift), t.PriorWeight)
}

// Job is what a technique is judged for.
type Job struct {
	On         time.Time
	Stock      season.Year      // of the stock's genus group
	Calendar   *season.Calendar // of Stock around On; nil to make it
	WoodStates []string         // states of the wood at hand; nil to take them from the season
	BudsAPiece []int            // as the wood at hand was counted; nil for any
	StockMM    []caliper.Count
	WoodMM     []caliper.Count
	InUse      func(key string) bool
	Ground     Ground // where the stock stands
	// Against are the techniques that somebody uses although the season shuts
	// them.
	Against map[string]bool
}

// Bar is what stands against a technique; "" is nothing.
type Bar string

// What stands against a technique, the first that holds.
const (
	BySeason  Bar = "season"   // its Standing
	ByChoice  Bar = "choice"   // it is left out
	ByBuds    Bar = "buds"     // no wood is cut to as many buds as it needs
	ByNoStock Bar = "no-stock" // none is at hand
	ByNoWood  Bar = "no-wood"  // none is at hand
	BySizes   Bar = "sizes"    // no pair of classes fits: its Misfit
)

// Verdict is a technique with what stands against it.
type Verdict struct {
	Technique Technique
	Bar       Bar
	In        bool     // nothing does
	Against   bool     // in against the season
	Standing  Standing // with BySeason
	Misfit    Misfit   // with BySizes, what keeps most pairs apart
	Pairs     int      // pairs of classes it can join
}

// bars says how far a technique got before something stood against it.
var bars = map[Bar]int{BySeason: 0, ByBuds: 1, ByNoStock: 2, ByNoWood: 3, BySizes: 4, ByChoice: 5, "": 6}

// Better says that less stands against it than against another verdict on the
// same technique, for other stock.
func (v Verdict) Better(than Verdict) bool {
	if d := bars[v.Bar] - bars[than.Bar]; d != 0 {
		return d > 0
	}
	return v.Bar == BySeason && v.Standing.Better(than.Standing) || v.Against != than.Against && !v.Against
}

// Judge goes through the techniques in their order and says which are in.
func Judge(ts []Technique, j Job) []Verdict {
	out := make([]Verdict, 0, len(ts))
	for _, t := range ts {
		v := Verdict{Technique: t}
		v.against(j)
		if v.Bar == "" {
			v.size(j)
		}
		v.In = v.Bar == ""
		out = append(out, v)
	}
	return out
}

// size counts the pairs of classes that the technique joins.
func (v *Verdict) size(j Job) {
	t := v.Technique
	for _, s := range j.StockMM {
		for _, w := range j.WoodMM {
			if t.Joins(s.Class, w.Class) {
				v.Pairs++
			}
		}
	}
	switch {
	case v.Pairs > 0:
	case len(j.StockMM) == 0:
		v.Bar = ByNoStock
	case len(j.WoodMM) == 0:
		v.Bar = ByNoWood
	default:
		v.Bar, v.Misfit = BySizes, t.nearest(j)
	}
}

// against finds the first thing that stands against a technique, sizes aside.
func (v *Verdict) against(j Job) {
	t, cal := v.Technique, j.Calendar
	if cal == nil {
		cal = j.Stock.Around(j.On)
	}
	if s := t.Standing(cal, j.WoodStates, j.Ground, j.On); s.Verdict == Shut {
		if v.Against = s.Season && j.Against[t.Key]; !v.Against {
			v.Bar, v.Standing = BySeason, s
			return
		}
	}
	switch {
	case j.InUse != nil && !j.InUse(t.Key):
		v.Bar = ByChoice
	case j.BudsAPiece != nil && !slices.ContainsFunc(j.BudsAPiece, t.TakesBuds):
		v.Bar = ByBuds
	}
}

// TakesBuds says whether a piece with so many buds suits the technique.
func (t Technique) TakesBuds(n int) bool { return n >= t.BudsMin && n <= t.BudsMax }
