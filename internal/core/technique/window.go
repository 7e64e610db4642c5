package technique

import (
	"slices"
	"time"

	"unionknot/internal/core/season"
)

// Verdicts on a day.
const (
	Open    = "open"
	Best    = "best"
	Closing = "closing"
	Shut    = "shut"
)

// Ground is where the stock stands when it is worked.
type Ground int

// On the bench a chip is set on resting stock too; in the row it waits until the
// stock wakes.
const (
	OnBench Ground = iota
	InRow
)

// House defaults of windows, in days.
const (
	closingDays      = 10 // a window's last days; of a short window its last quarter
	slipNeededDays   = 14 // bark must slip for so long after a late-summer T-bud
	sleepBestFrom    = 42 // late-summer T-buds are best from so long before slip ends
	sleepBestTo      = 21 // to so long before: early enough to knit, late enough to sleep
	chipFrostDays    = 28 // a late chip needs so long before the first hard frost
	chipBestBefore   = 35 // chips are best from so long before slip ends
	chipBestAfter    = 14 // to so long after
	halfRipeSlipDays = 21 // half-ripe wood needs slip for so long
	juneFewestDays   = 7  // a shorter window for June budding is none
	benchBestBefore  = 42 // bench work is best from so long before bud swell
	benchBestAfter   = 10 // to so long after it
	springBest       = 21 // stored wood in the row is best so long after slip begins
	flushBest        = 45 // where stock takes no rest: after a fresh flush
	dryForDays       = 14 // bark that was too dry to slip is tested again
)

// Use is what a window is for; its words are its code.
type Use string

// What windows are for.
const (
	StoredWood    Use = "stored wood"
	MiddlingShoot Use = "shoots of middling age"
	HalfRipeWood  Use = "half-ripe wood"
	GreenWood     Use = "green wood"
	JuneBudding   Use = "June budding"
	LateBudding   Use = "late-summer budding"
)

// JuneNeedsDays is how many days free of frost must follow June budding. House
// default.
const JuneNeedsDays = 120

// Turn is what closes a window.
type Turn string

// What closes a window.
const (
	RestBegins       Turn = "rest"
	BudsSwell        Turn = "swell"
	BarkSlips        Turn = "slip"
	SlipEnds         Turn = "slip-ends"
	SlipEndsIn2Weeks Turn = "slip-ends-2" // two weeks after it
	SlipEndsIn3Weeks Turn = "slip-ends-3" // three weeks after it
	FrostIn4Weeks    Turn = "frost-4"     // the first hard frost comes four weeks after it
	FrostTooSoon     Turn = "frost"       // fewer than JuneNeedsDays without frost are left
	WoodTooOld       Turn = "wood-old"
	CalendarEnds     Turn = "calendar"
)

// Window is a stretch in which a technique can be used. To and BestTo are the
// day after the last; Best is empty where no part of it is better.
type Window struct {
	Use              Use
	From, To         time.Time
	BestFrom, BestTo time.Time
	Closes           Turn // what does it
	// Grows is the first day of the window on which a bud may start to grow late
	// and be frosted, Sleeps the first on which it will sleep: between them that
	// is said. Zero where it does not matter.
	Grows, Sleeps time.Time
	wood          string
}

// Windows are a technique's over a calendar, by use and then by date. wood is
// the states of the wood at hand; nil for whatever there is in season.
func (t Technique) Windows(c *season.Calendar, wood []string, ground Ground) []Window {
	var out []Window
	runs := t.stockRuns(c, ground)
	for _, state := range t.WoodStates {
		if wood != nil && !slices.Contains(wood, state) {
			continue
		}
		for _, w := range t.woodRuns(c, state) {
			for _, r := range runs {
				x := Window{
					Use:      w.Use,
					wood:     state,
					From:     r.From,
					To:       r.To,
					Closes:   r.Closes,
					BestFrom: w.BestFrom,
					BestTo:   w.BestTo,
					Grows:    w.Grows,
					Sleeps:   w.Sleeps,
				}
				if w.From.After(x.From) {
					x.From = w.From
				}
				if w.To.Before(x.To) {
					x.To, x.Closes = w.To, w.Closes
				}
				if !x.From.Before(x.To) {
					continue
				}
				t.best(c, &x)
				out = append(out, x)
			}
		}
	}
	return out
}

// stockRuns are the stretches in which the stock is in a state that serves.
func (t Technique) stockRuns(c *season.Calendar, ground Ground) []Window {
	var out []Window
	spans := c.Spans()
	for i, s := range spans {
		if !t.works(s.State, ground) {
			continue
		}
		closes := CalendarEnds
		if i+1 < len(spans) {
			closes = turnsInto[spans[i+1].State]
		}
		if n := len(out); n > 0 && out[n-1].To.Equal(s.From) {
			out[n-1].To, out[n-1].Closes = s.To, closes
			continue
		}
		out = append(out, Window{From: s.From, To: s.To, Closes: closes})
	}
	return out
}

// works says whether stock in a state serves where it stands. A bud on resting
// stock is bench work.
func (t Technique) works(state string, ground Ground) bool {
	return slices.Contains(t.StockStates, state) && !(ground == InRow && state == season.Resting && t.BudsMax == 1)
}

// needsSlip says that the bark must lift for it.
func (t Technique) needsSlip() bool {
	return len(t.StockStates) == 1 && t.StockStates[0] == season.Running
}

var turnsInto = map[string]Turn{
	season.Resting:   RestBegins,
	season.Waking:    BudsSwell,
	season.Running:   BarkSlips,
	season.Hardening: SlipEnds,
}

// woodRuns are the stretches in which wood of a state can be used this way.
func (t Technique) woodRuns(c *season.Calendar, state string) []Window {
	var out []Window
	if state == season.RipeGreen && t.BudsMax == 1 && !c.Year().NoRest {
		return t.buddingRuns(c)
	}
	for _, s := range c.WoodSpans(state) {
		w := Window{From: s.From, To: s.To}
		switch {
		case c.Year().NoRest:
			w.Use, w.Closes = MiddlingShoot, CalendarEnds
		case state == season.Resting:
			w.Use, w.Closes = StoredWood, WoodTooOld
		case state == season.HalfRipe:
			w.To = w.To.AddDate(0, 0, -halfRipeSlipDays)
			w.Use, w.Closes = HalfRipeWood, SlipEndsIn3Weeks
		default:
			w.Use, w.Closes = GreenWood, SlipEnds
		}
		out = append(out, w)
	}
	return out
}

// buddingRuns are the stretches for budding with green wood, from ripeness on: as
// June budding where enough days without frost follow for the bud to grow the
// same year, and as late-summer budding, in which it is to sleep till spring. A
// bud that needs slip closes while bark still slips for two weeks; a chip needs
// none, and closes four weeks before the first hard frost.
func (t Technique) buddingRuns(c *season.Calendar) []Window {
	var out []Window
	for _, s := range c.Seasons() {
		ripe, ends, frost := s[season.BudwoodRipe], s[season.SlipEnds], s[season.FirstHardFrost]
		if ripe.IsZero() {
			continue
		}
		lastGrows := ripe // the first day with too few days without frost
		if !frost.IsZero() {
			lastGrows = frost.AddDate(0, 0, 1-JuneNeedsDays)
			from := ripe
			if last := s[season.LastFrost]; last.After(from) && last.Before(frost) {
				from = last.AddDate(0, 0, 1)
			}
			if days := int(lastGrows.Sub(from).Hours() / 24); days >= juneFewestDays {
				w := Window{
					Use:    JuneBudding,
					From:   from,
					To:     lastGrows,
					Closes: FrostTooSoon,
				}
				w.BestFrom, w.BestTo = from, w.ClosingFrom()
				out = append(out, w)
			}
		}
		w := Window{Use: LateBudding, From: ripe}
		switch {
		case t.needsSlip() && !ends.IsZero():
			w.To, w.Closes = ends.AddDate(0, 0, -slipNeededDays), SlipEndsIn2Weeks
			w.BestFrom, w.BestTo = ends.AddDate(0, 0, -sleepBestFrom), ends.AddDate(0, 0, 1-sleepBestTo)
		case !t.needsSlip() && !frost.IsZero():
			w.To, w.Closes = frost.AddDate(0, 0, 1-chipFrostDays), FrostIn4Weeks
			if !ends.IsZero() {
				w.BestFrom, w.BestTo = ends.AddDate(0, 0, -chipBestBefore), ends.AddDate(0, 0, 1+chipBestAfter)
			}
		}
		if w.BestFrom.After(ripe) {
			w.Grows, w.Sleeps = lastGrows, w.BestFrom
			if w.Grows.Before(ripe) {
				w.Grows = ripe
			}
		}
		if w.From.Before(w.To) {
			out = append(out, w)
		}
	}
	return out
}

func next(ds []time.Time, t time.Time) time.Time {
	for _, d := range ds {
		if d.After(t) {
			return d
		}
	}
	return time.Time{}
}

// best finds the better part of a window.
func (t Technique) best(c *season.Calendar, w *Window) {
	set := func(from, to time.Time) {
		if from.Before(w.From) {
			from = w.From
		}
		if to.After(w.To) {
			to = w.To
		}
		if from.Before(to) {
			w.BestFrom, w.BestTo = from, to
		}
	}
	takes := func(state string) bool { return slices.Contains(t.StockStates, state) }
	if !w.BestFrom.IsZero() {
		from, to := w.BestFrom, w.BestTo
		w.BestFrom, w.BestTo = time.Time{}, time.Time{}
		set(from, to)
		return
	}
	switch {
	case c.Year().NoRest: // by flush, in Standing
	case w.Use == StoredWood && takes(season.Running):
		if slip := next(c.Dates(season.SlipBegins), w.From.AddDate(0, 0, -1)); slip.Before(w.To) {
			set(slip, slip.AddDate(0, 0, springBest))
		}
	case w.Use == StoredWood && takes(season.Resting):
		if swell := next(c.Dates(season.BudSwell), w.From); !swell.IsZero() {
			set(swell.AddDate(0, 0, -benchBestBefore), swell.AddDate(0, 0, benchBestAfter))
		}
	case w.Use == StoredWood:
		set(w.From, w.From.AddDate(0, 0, springBest))
	case w.Use == LateBudding: // its best days are not in the calendar
	default:
		set(w.From, w.ClosingFrom())
	}
}

// ClosingFrom is the first of a window's last days, on which it stands as
// closing.
func (w Window) ClosingFrom() time.Time {
	n := int(w.To.Sub(w.From).Hours() / 24)
	return w.To.AddDate(0, 0, -min(closingDays, n/4))
}

// on gives a window's verdict on a day.
func (w Window) on(t time.Time) string {
	switch {
	case t.Before(w.From) || !t.Before(w.To):
		return Shut
	case !w.BestFrom.IsZero() && !t.Before(w.BestFrom) && t.Before(w.BestTo):
		return Best
	case !t.Before(w.ClosingFrom()):
		return Closing
	}
	return Open
}
