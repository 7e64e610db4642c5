// Package technique holds the ways to join wood to stock, and judges which of
// them serve a stock and a scion by their diameters and states.
package technique

import (
	"fmt"
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
	RatePerHour  float64 // grafts cut and tied by one head
	PriorTake    float64 // easy pome fruit, practised hands
	PriorWeight  float64 // grafts that the prior is worth
	Slope        float64 // loss of take per 1 of mismatch
	HandNote     string
}

// effortHours weighs an hour's work as a share of a graft: 0.8 ÷ rate, so 40
// an hour costs 0.02 of a graft. House default.
const effortHours = 0.8

// Effort is what one graft's work costs, in grafts.
func (t Technique) Effort() float64 { return effortHours / t.RatePerHour }

// limit is what keeps a stock class and a scion class apart.
type limit int

const (
	fits limit = iota
	stockThin
	stockThick
	woodWider
	ratioHigh
	ratioLow
)

func (t Technique) limit(stock, scion caliper.Class) limit {
	s, d := stock.Middle(), scion.Middle()
	r := d / s
	switch {
	case s < t.StockMinMM:
		return stockThin
	case s > t.StockMaxMM:
		return stockThick
	case scion > stock && !t.WiderAllowed:
		return woodWider
	case r > t.RatioMax+1e-9:
		return ratioHigh
	case r < t.RatioMin-1e-9:
		return ratioLow
	}
	return fits
}

// Joins says whether a stock class takes a scion class by this technique.
// Sizes are judged by the classes' middles. A scion class above the stock's
// is refused unless the technique is made for near-equals.
func (t Technique) Joins(stock, scion caliper.Class) bool { return t.limit(stock, scion) == fits }

// WhyNot says why a stock class does not take a scion class, or "".
func (t Technique) WhyNot(stock, scion caliper.Class) string {
	switch t.limit(stock, scion) {
	case stockThin:
		return fmt.Sprintf("stock under %g mm", t.StockMinMM)
	case stockThick:
		return fmt.Sprintf("stock over %g mm", t.StockMaxMM)
	case woodWider:
		return "wood wider than the stock"
	case ratioHigh:
		return fmt.Sprintf("wood over %.0f %% of the stock", t.RatioMax*100)
	case ratioLow:
		return fmt.Sprintf("wood under %.0f %% of the stock", t.RatioMin*100)
	}
	return ""
}

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

// Verdict is a technique with why it is in or out.
type Verdict struct {
	Technique Technique
	In        bool
	ByChoice  bool   // out by choice alone
	Against   bool   // in against the season
	Why       string // the first thing that stands against it, or what speaks for it
	Pairs     int    // pairs of classes it can join
}

// Judge goes through the techniques in their order and says which are in.
func Judge(ts []Technique, j Job) []Verdict {
	out := make([]Verdict, 0, len(ts))
	for _, t := range ts {
		v := Verdict{Technique: t}
		v.Why, v.ByChoice, v.Against = against(t, j)
		if v.Why == "" {
			for _, s := range j.StockMM {
				for _, w := range j.WoodMM {
					if t.Joins(s.Class, w.Class) {
						v.Pairs++
					}
				}
			}
			if v.In = v.Pairs > 0; v.In {
				v.Why = t.GoodFor
			} else {
				v.Why = nearest(t, j)
			}
		}
		out = append(out, v)
	}
	return out
}

// against gives the first thing that stands against a technique, or "".
func against(t Technique, j Job) (why string, byChoice, overruled bool) {
	cal := j.Calendar
	if cal == nil {
		cal = j.Stock.Around(j.On)
	}
	if s := t.Standing(cal, j.WoodStates, j.Ground, j.On); s.Verdict == Shut {
		if !s.Season || !j.Against[t.Key] {
			return s.Why, false, false
		}
		overruled = true
	}
	if j.InUse != nil && !j.InUse(t.Key) {
		return "left out by choice", true, overruled
	}
	if j.BudsAPiece != nil && !slices.ContainsFunc(j.BudsAPiece, t.TakesBuds) {
		if t.BudsMax == 1 {
			return "no wood here is counted as single buds", false, overruled
		}
		return fmt.Sprintf("no wood here is cut to %d–%d buds", t.BudsMin, t.BudsMax), false, overruled
	}
	return "", false, overruled
}

// TakesBuds says whether a piece with so many buds suits the technique.
func (t Technique) TakesBuds(n int) bool { return n >= t.BudsMin && n <= t.BudsMax }

// nearest gives the commonest reason that classes do not fit.
func nearest(t Technique, j Job) string {
	if len(j.StockMM) == 0 {
		return "no stock at hand"
	}
	if len(j.WoodMM) == 0 {
		return "no wood at hand"
	}
	count, best := map[string]int{}, ""
	for _, s := range j.StockMM {
		for _, w := range j.WoodMM {
			why := t.WhyNot(s.Class, w.Class)
			count[why] += s.N * w.N
			if best == "" || count[why] > count[best] || count[why] == count[best] && why < best {
				best = why
			}
		}
	}
	return best
}
