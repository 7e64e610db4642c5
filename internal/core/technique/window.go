package technique

import (
	"fmt"
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
	closingDays      = 10  // a window's last days; of a short window its last quarter
	slipNeededDays   = 14  // bark must slip for so long after a late-summer T-bud
	sleepBestFrom    = 42  // late-summer T-buds are best from so long before slip ends
	sleepBestTo      = 21  // to so long before: early enough to knit, late enough to sleep
	chipFrostDays    = 28  // a late chip needs so long before the first hard frost
	chipBestBefore   = 35  // chips are best from so long before slip ends
	chipBestAfter    = 14  // to so long after
	halfRipeSlipDays = 21  // half-ripe wood needs slip for so long
	juneNeedsDays    = 120 // free of frost after June budding
	juneFewestDays   = 7   // a shorter window for June budding is none
	benchBestBefore  = 42  // bench work is best from so long before bud swell
	benchBestAfter   = 10  // to so long after it
	springBest       = 21  // stored wood in the row is best so long after slip begins
	flushBest        = 45  // where stock takes no rest: after a fresh flush
	dryForDays       = 14  // bark that was too dry to slip is tested again
)

// Window is a stretch in which a technique can be used. To and BestTo are the
// day after the last; Best is empty where no part of it is better.
type Window struct {
	Use              string
	From, To         time.Time
	BestFrom, BestTo time.Time
	Opens, Closes    string // what does it
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
				x := Window{Use: w.Use, wood: state, From: r.From, To: r.To, Opens: r.Opens, Closes: r.Closes, BestFrom: w.BestFrom, BestTo: w.BestTo, Grows: w.Grows, Sleeps: w.Sleeps}
				if w.From.After(x.From) {
					x.From, x.Opens = w.From, w.Opens
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
		closes := "the end of the calendar"
		if i+1 < len(spans) {
			closes = turnsInto[spans[i+1].State]
		}
		if n := len(out); n > 0 && out[n-1].To.Equal(s.From) {
			out[n-1].To, out[n-1].Closes = s.To, closes
			continue
		}
		out = append(out, Window{From: s.From, To: s.To, Opens: turnsInto[s.State], Closes: closes})
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

var turnsInto = map[string]string{season.Resting: "rest begins", season.Waking: "buds swell", season.Running: "bark slips", season.Hardening: "bark stops slipping"}

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
			w.Use, w.Opens, w.Closes = "shoots of middling age", "shoots", "the end of the calendar"
		case state == season.Resting:
			w.Use, w.Opens, w.Closes = "stored wood", "wood is deep in rest", "stored wood is too old"
		case state == season.HalfRipe:
			w.To = w.To.AddDate(0, 0, -halfRipeSlipDays)
			w.Use, w.Opens, w.Closes = "half-ripe wood", "shoots are half ripe", "bark stops slipping three weeks later"
		default:
			w.Use, w.Opens, w.Closes = "green wood", "wood is ripe", "bark stops slipping"
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
			lastGrows = frost.AddDate(0, 0, 1-juneNeedsDays)
			from := ripe
			if last := s[season.LastFrost]; last.After(from) && last.Before(frost) {
				from = last.AddDate(0, 0, 1)
			}
			if days := int(lastGrows.Sub(from).Hours() / 24); days >= juneFewestDays {
				w := Window{Use: "June budding", From: from, To: lastGrows, Opens: "wood is ripe", Closes: fmt.Sprintf("too few of %d days without frost are left", juneNeedsDays)}
				w.BestFrom, w.BestTo = from, w.ClosingFrom()
				out = append(out, w)
			}
		}
		w := Window{Use: "late-summer budding", From: ripe, Opens: "wood is ripe"}
		switch {
		case t.needsSlip() && !ends.IsZero():
			w.To, w.Closes = ends.AddDate(0, 0, -slipNeededDays), "bark stops slipping two weeks later"
			w.BestFrom, w.BestTo = ends.AddDate(0, 0, -sleepBestFrom), ends.AddDate(0, 0, 1-sleepBestTo)
		case !t.needsSlip() && !frost.IsZero():
			w.To, w.Closes = frost.AddDate(0, 0, 1-chipFrostDays), "the first hard frost comes four weeks later"
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
	case w.Use == "stored wood" && takes(season.Running):
		if slip := next(c.Dates(season.SlipBegins), w.From.AddDate(0, 0, -1)); slip.Before(w.To) {
			set(slip, slip.AddDate(0, 0, springBest))
		}
	case w.Use == "stored wood" && takes(season.Resting):
		if swell := next(c.Dates(season.BudSwell), w.From); !swell.IsZero() {
			set(swell.AddDate(0, 0, -benchBestBefore), swell.AddDate(0, 0, benchBestAfter))
		}
	case w.Use == "stored wood":
		set(w.From, w.From.AddDate(0, 0, springBest))
	case w.Use == "late-summer budding": // its best days are not in the calendar
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

// Standing is how a technique stands on a day, and why.
type Standing struct {
	Verdict string
	Use     string
	Why     string
	Until   time.Time // the last day of the window, when it is not shut
	Opens   time.Time // when it opens next, when it is shut; zero for not in the calendar
	// MayStart says that a bud set on that day may start late and be frosted.
	MayStart bool
	// Season says that only the season shuts it, so that somebody who knows better
	// may use it all the same.
	Season bool
}

var rank = map[string]int{Shut: 0, Closing: 1, Open: 2, Best: 3}

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
			switch v {
			case Closing:
				s.Why = fmt.Sprintf("%s, closes %s: %s", w.Use, season.Say(last), w.Closes)
			case Best:
				s.Why = fmt.Sprintf("%s, best until %s", w.Use, season.Say(w.BestTo.AddDate(0, 0, -1)))
			default:
				s.Why = fmt.Sprintf("%s, open until %s: %s", w.Use, season.Say(last), w.Closes)
				if w.BestFrom.After(on) {
					s.Why = fmt.Sprintf("%s, open; best from %s", w.Use, season.Say(w.BestFrom))
				}
			}
			if !w.Sleeps.IsZero() && !on.Before(w.Grows) && on.Before(w.Sleeps) {
				s.Why += "; a bud set now may start late and be frosted"
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
			return Standing{Verdict: Shut, Opens: d.AddDate(0, 0, dryForDays), Season: true,
				Why: fmt.Sprintf("bark did not slip on %s for want of water: wet the soil for some days, and test again", season.Say(d))}
		}
		return s
	}
	s.Why, s.Season = t.shut(c, wood, ground, on)
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
func (t Technique) shut(c *season.Calendar, wood []string, ground Ground, on time.Time) (why string, bySeason bool) {
	span, ok := c.StockOn(on)
	if !ok {
		return "this site has no season set for the genus", false
	}
	if !t.works(span.State, ground) {
		if c.Year().NoRest {
			return "stock takes no rest here", false
		}
		if slices.Contains(t.StockStates, span.State) {
			return "stock in the row is " + span.State + " until " + season.Say(span.To), true
		}
		return "stock is " + span.State + " until " + season.Say(span.To), true
	}
	serves := false
	for _, state := range t.WoodStates {
		serves = serves || slices.Contains(wood, state)
	}
	if wood != nil && !serves {
		if len(wood) == 0 {
			return "no wood at hand", false
		}
		return "the wood here is " + wood[0], true
	}
	// Some wood may be at hand that the rules of budding shut out.
	for _, state := range t.WoodStates {
		if has, _ := c.WoodOn(state, on); has && state == season.RipeGreen && t.BudsMax == 1 && (wood == nil || slices.Contains(wood, state)) {
			if t.needsSlip() {
				return "too late to bud: a bud needs two weeks to knit before the bark stops slipping", true
			}
			return "too late to bud: a chip needs four weeks before the first hard frost", true
		}
	}
	state := t.WoodStates[0]
	for _, s := range t.WoodStates {
		if slices.Contains(wood, s) {
			state = s
		}
	}
	_, why = c.WoodOn(state, on)
	return why, wood != nil
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
		s.Verdict, s.Why = Best, "fresh shoots on the stock, and dry"
		if !known {
			s.Why = "fresh shoots on the stock"
		}
	case fresh:
		s.Why = "fresh shoots on the stock; outside the dry spell, keep the rain out"
	case dry || !known:
		s.Why = "no fresh flush noted in the last six weeks: look for dark leaves and fresh tips"
	default:
		s.Why = "no fresh flush noted, and outside the dry spell"
	}
	return s
}
