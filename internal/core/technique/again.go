package technique

import (
	"slices"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/ways"
)

// Again is the second chance of stocks whose graft or bud failed: by which
// technique, with what wood and when.
type Again struct {
	Discard bool
	Third   bool      // discard: they failed a third time
	Now     bool      // at once, on the other side
	By      Technique // the zero Technique where no window is known
	Wood    string    // state of the wood
	From    time.Time // first day on which it can be
	To      time.Time // the day after the last
}

// SecondChance proposes what to do with stocks whose graft failed, by the house's
// way; bud says that a bud failed. A failed bud is set again at once on the other
// side while its window is open; else the stocks wait for the coming summer's buds
// or the next season's bench, never for a window that is open already: they have
// no fresh face to be cut today. before is how often they had failed before: the third
// failure says discard.
func SecondChance(way ways.SecondChance, bud bool, before int, ts []Technique, c *season.Calendar, today time.Time) Again {
	if before >= 2 {
		return Again{Discard: true, Third: true}
	}
	switch way {
	case ways.Discard:
		return Again{Discard: true}
	case ways.OtherSide:
		if bud {
			for _, t := range ts {
				if w, ok := t.window(c, season.RipeGreen, InRow, func(w Window) bool { return w.on(today) != Shut }); ok && t.BudsMax == 1 {
					return Again{Now: true, By: t, Wood: season.RipeGreen, From: today, To: w.To}
				}
			}
		}
	case ways.SummerFirst:
		if !bud {
			if a := soonest(ts, c, season.RipeGreen, InRow, true, today); a.By.Key != "" {
				return a
			}
		}
	}
	return soonest(ts, c, season.Resting, OnBench, false, today)
}

// soonest finds the technique whose window for wood of a state begins soonest after
// today; of those that begin on one day, the one with the best prior take.
func soonest(ts []Technique, c *season.Calendar, wood string, ground Ground, buds bool, today time.Time) Again {
	var best Again
	for _, t := range ts {
		if (t.BudsMax == 1) != buds || !slices.Contains(t.WoodStates, wood) {
			continue
		}
		w, ok := t.window(c, wood, ground, func(w Window) bool { return w.From.After(today) })
		if ok && (best.By.Key == "" || w.From.Before(best.From) || w.From.Equal(best.From) && t.PriorTake > best.By.PriorTake) {
			best = Again{By: t, Wood: wood, From: w.From, To: w.To}
		}
	}
	return best
}

// window is the soonest of a technique's for wood of a state that suits.
func (t Technique) window(c *season.Calendar, wood string, ground Ground, suits func(Window) bool) (first Window, ok bool) {
	for _, w := range t.Windows(c, []string{wood}, ground) {
		if suits(w) && (!ok || w.From.Before(first.From)) {
			first, ok = w, true
		}
	}
	return first, ok
}
