package technique

import (
	"slices"
	"time"

	"unionknot/internal/core/season"
)

// Reason is why a technique stands as it does.
type Reason string

// Why a technique stands as it does, and what its Standing then names.
const (
	IsClosing    Reason = "closing"       // Use, Until, Closes
	IsBest       Reason = "best"          // Use, On: the last of the best days
	IsOpen       Reason = "open"          // Use, Until, Closes
	BestLater    Reason = "best-later"    // Use, On: the first of the best days
	FreshAndDry  Reason = "fresh-dry"     // fresh shoots, in the dry spell
	Fresh        Reason = "fresh"         // fresh shoots; no dry spell is known
	FreshAndWet  Reason = "fresh-wet"     // fresh shoots, outside the dry spell
	NoFlush      Reason = "no-flush"      // none noted in six weeks
	NoFlushWet   Reason = "no-flush-wet"  // nor is it dry
	BarkDry      Reason = "bark-dry"      // On: the day it did not slip for want of water
	NoSeason     Reason = "no-season"     // none is set for the genus
	NoRest       Reason = "no-rest"       // stock takes none here
	StockIs      Reason = "stock"         // Stock, On: until then
	RowStockIs   Reason = "row-stock"     // Stock, On; the same stock serves on the bench
	NoWoodAtHand Reason = "no-wood"       // none is at hand
	WoodIs       Reason = "wood"          // Wood.State: of what is at hand
	BudTooLate   Reason = "bud-too-late"  // two weeks to knit before slip ends are gone
	ChipTooLate  Reason = "chip-too-late" // four weeks before the first hard frost are gone
	WoodStands   Reason = "wood-stands"   // Wood
)

// Standing is how a technique stands on a day, and why.
type Standing struct {
	Verdict string
	Use     Use              // when it is not shut
	Reason  Reason           // with what it names:
	Closes  Turn             // what closes the window, when it is not shut
	Stock   string           // the state of the stock
	Wood    season.WoodStand // how the wood stands
	On      time.Time        // a day
	Until   time.Time        // the last day of the window, when it is not shut
	Opens   time.Time        // when it opens next, when it is shut; zero for not in the calendar
	// MayStart says that a bud set on that day may start late and be frosted.
	MayStart bool
	// Season says that only the season shuts it, so that somebody who knows better
	// may use it all the same.
	Season bool
}

var rank = map[string]int{Shut: 0, Closing: 1, Open: 2, Best: 3}

// Better says that it stands better than another: more open, or opening sooner.
func (s Standing) Better(than Standing) bool {
	if d := rank[s.Verdict] - rank[than.Verdict]; d != 0 {
		return d > 0
	}
	if s.Verdict == Shut {
		return !s.Opens.IsZero() && (than.Opens.IsZero() || s.Opens.Before(than.Opens))
	}
	return s.Until.After(than.Until)
}

// Standing judges a technique on a day. wood is the states of the wood at
// hand; nil for whatever there is in season.
func (t Technique) Standing(c *season.Calendar, wood []string, ground Ground, on time.Time) Standing {
	on = season.DayOf(on)
	s := Standing{Verdict: Shut}
	for _, w := range t.Windows(c, wood, ground) {
		v := w.on(on)
		if v == Shut {
			if w.From.After(on) && (s.Opens.IsZero() || w.From.Before(s.Opens)) {
				s.Opens = w.From
			}
			continue
		}
		if rank[v] > rank[s.Verdict] {
			last := w.To.AddDate(0, 0, -1)
			s = Standing{Verdict: v, Use: w.Use, Until: last, Opens: s.Opens}
			s.Closes = w.Closes
			switch {
			case v == Closing:
				s.Reason = IsClosing
			case v == Best:
				s.Reason, s.On = IsBest, w.BestTo.AddDate(0, 0, -1)
			case w.BestFrom.After(on):
				s.Reason, s.On = BestLater, w.BestFrom
			default:
				s.Reason = IsOpen
			}
			if !w.Sleeps.IsZero() && !on.Before(w.Grows) && on.Before(w.Sleeps) {
				s.MayStart = true
			}
		}
	}
	if s.Verdict != Shut {
		s.Opens = time.Time{}
		if c.Year().NoRest {
			return t.flushed(c, s, on)
		}
		if d := dry(c.Year().Dry, on); t.needsSlip() && !d.IsZero() {
			return Standing{Verdict: Shut, Opens: d.AddDate(0, 0, dryForDays), Season: true, Reason: BarkDry, On: d}
		}
		return s
	}
	t.shut(c, wood, ground, on, &s)
	return s
}

// dry gives the last day on which bark was too dry to slip, when that is not
// long ago.
func dry(days []time.Time, on time.Time) (last time.Time) {
	for _, d := range days {
		if !d.After(on) && on.Before(d.AddDate(0, 0, dryForDays)) {
			last = d
		}
	}
	return last
}

// shut says why a technique is out on a day: the stock first, then the wood; and
// whether it is only the season that shuts it.
func (t Technique) shut(c *season.Calendar, wood []string, ground Ground, on time.Time, s *Standing) {
	span, ok := c.StockOn(on)
	if !ok {
		s.Reason = NoSeason
		return
	}
	if !t.works(span.State, ground) {
		s.Reason, s.Stock, s.On, s.Season = StockIs, span.State, span.To, true
		switch {
		case c.Year().NoRest:
			s.Reason, s.Season = NoRest, false
		case slices.Contains(t.StockStates, span.State):
			s.Reason = RowStockIs
		}
		return
	}
	serves := false
	for _, state := range t.WoodStates {
		serves = serves || slices.Contains(wood, state)
	}
	if wood != nil && !serves {
		if s.Reason = NoWoodAtHand; len(wood) > 0 {
			s.Reason, s.Wood.State, s.Season = WoodIs, wood[0], true
		}
		return
	}
	// Some wood may be at hand that the rules of budding shut out.
	for _, state := range t.WoodStates {
		if has, _ := c.WoodOn(state, on); has && state == season.RipeGreen && t.BudsMax == 1 &&
			(wood == nil || slices.Contains(wood, state)) {
			if s.Reason, s.Season = ChipTooLate, true; t.needsSlip() {
				s.Reason = BudTooLate
			}
			return
		}
	}
	state := t.WoodStates[0]
	for _, w := range t.WoodStates {
		if slices.Contains(wood, w) {
			state = w
		}
	}
	_, s.Wood = c.WoodOn(state, on)
	s.Reason, s.Season = WoodStands, wood != nil
}

// flushed judges the days where stock takes no rest: best on stock with fresh
// shoots, in the dry spell.
func (t Technique) flushed(c *season.Calendar, s Standing, on time.Time) Standing {
	y := c.Year()
	fresh := slices.ContainsFunc(y.Flushes, func(f time.Time) bool {
		return !f.After(on) && on.Before(f.AddDate(0, 0, flushBest))
	})
	dry, known := false, false
	for _, from := range c.Dates(season.DrySpellBegins) {
		known = true
		if to := next(c.Dates(season.DrySpellEnds), from); !on.Before(from) && on.Before(to) {
			dry = true
		}
	}
	s.Verdict = Open
	switch {
	case fresh && (dry || !known):
		s.Verdict, s.Reason = Best, FreshAndDry
		if !known {
			s.Reason = Fresh
		}
	case fresh:
		s.Reason = FreshAndWet
	case dry || !known:
		s.Reason = NoFlush
	default:
		s.Reason = NoFlushWet
	}
	return s
}
