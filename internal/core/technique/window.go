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

// House defaults of windows, in days.
const (
	closingDays     = 10  // a window's last days; of a short window its last quarter
	buddingEndsDays = 42  // late-summer budding closes so long before slip ends
	juneNeedsDays   = 120 // free of frost after June budding
	benchBestBefore = 42  // bench work is best from so long before bud swell
	benchBestAfter  = 10  // to so long after it
	springBest      = 21  // stored wood in the row is best so long after slip begins
	flushBest       = 45  // where stock takes no rest: after a fresh flush
)

// Window is a stretch in which a technique can be used. To and BestTo are the
// day after the last; Best is empty where no part of it is better.
type Window struct {
	Use              string
	From, To         time.Time
	BestFrom, BestTo time.Time
	Opens, Closes    string // what does it
	wood             string
}

// Windows are a technique's over a calendar, by use and then by date. wood is
// the states of the wood at hand; nil for whatever there is in season.
func (t Technique) Windows(c *season.Calendar, wood []string) []Window {
	var out []Window
	runs := t.stockRuns(c)
	for _, state := range t.WoodStates {
		if wood != nil && !slices.Contains(wood, state) {
			continue
		}
		for _, w := range t.woodRuns(c, state) {
			for _, r := range runs {
				x := Window{Use: w.Use, wood: state, From: r.From, To: r.To, Opens: r.Opens, Closes: r.Closes}
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
func (t Technique) stockRuns(c *season.Calendar) []Window {
	var out []Window
	spans := c.Spans()
	for i, s := range spans {
		if !slices.Contains(t.StockStates, s.State) {
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

var turnsInto = map[string]string{season.Resting: "rest begins", season.Waking: "buds swell", season.Running: "bark slips", season.Hardening: "bark stops slipping"}

// woodRuns are the stretches in which wood of a state can be used this way.
func (t Technique) woodRuns(c *season.Calendar, state string) []Window {
	var out []Window
	if state == season.RipeGreen && t.BudsMax == 1 && !c.Year().NoRest {
		return buddingRuns(c)
	}
	for _, s := range c.WoodSpans(state) {
		w := Window{From: s.From, To: s.To}
		switch {
		case c.Year().NoRest:
			w.Use, w.Opens, w.Closes = "shoots of middling age", "shoots", "the end of the calendar"
		case state == season.Resting:
			w.Use, w.Opens, w.Closes = "stored wood", "wood is deep in rest", "stored wood is too old"
		case state == season.HalfRipe:
			w.Use, w.Opens, w.Closes = "half-ripe wood", "shoots are half ripe", "bark stops slipping"
		default:
			w.Use, w.Opens, w.Closes = "green wood", "wood is ripe", "bark stops slipping"
		}
		out = append(out, w)
	}
	return out
}

// buddingRuns are the stretches for budding with green wood: from ripeness, as
// June budding where enough days without frost follow for the bud to grow the
// same year, and as late-summer budding until the union has no time left to
// knit before the bark tightens.
func buddingRuns(c *season.Calendar) []Window {
	var out []Window
	frosts, ends := c.Dates(season.FirstHardFrost), c.Dates(season.SlipEnds)
	for _, ripe := range c.Dates(season.BudwoodRipe) {
		if f := next(frosts, ripe); !f.IsZero() {
			from := ripe
			if last := before(c.Dates(season.LastFrost), f); last.After(from) {
				from = last.AddDate(0, 0, 1)
			}
			if to := f.AddDate(0, 0, 1-juneNeedsDays); from.Before(to) {
				out = append(out, Window{Use: "June budding", From: from, To: to, Opens: "wood is ripe", Closes: fmt.Sprintf("too few of %d days without frost are left", juneNeedsDays)})
			}
		}
		if e := next(ends, ripe); !e.IsZero() {
			if to := e.AddDate(0, 0, -buddingEndsDays); ripe.Before(to) {
				out = append(out, Window{Use: "late-summer budding", From: ripe, To: to, Opens: "wood is ripe", Closes: "bark stops slipping six weeks later"})
			}
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

func before(ds []time.Time, t time.Time) (last time.Time) {
	for _, d := range ds {
		if d.Before(t) {
			last = d
		}
	}
	return last
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
	case !t.Before(w.ClosingFrom()):
		return Closing
	case !w.BestFrom.IsZero() && !t.Before(w.BestFrom) && t.Before(w.BestTo):
		return Best
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
}

var rank = map[string]int{Shut: 0, Closing: 1, Open: 2, Best: 3}

// Standing judges a technique on a day. wood is the states of the wood at
// hand; nil for whatever there is in season.
func (t Technique) Standing(c *season.Calendar, wood []string, on time.Time) Standing {
	on = season.DayOf(on)
	s := Standing{Verdict: Shut}
	for _, w := range t.Windows(c, wood) {
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
		}
	}
	if s.Verdict != Shut {
		s.Opens = time.Time{}
		if c.Year().NoRest {
			return t.flushed(c, s, on)
		}
		return s
	}
	s.Why = t.shut(c, wood, on)
	return s
}

// shut says why a technique is out on a day: the stock first, then the wood.
func (t Technique) shut(c *season.Calendar, wood []string, on time.Time) string {
	span, ok := c.StockOn(on)
	if !ok {
		return "this site has no season set for the genus"
	}
	if !slices.Contains(t.StockStates, span.State) {
		if c.Year().NoRest {
			return "stock takes no rest here"
		}
		return "stock is " + span.State + " until " + season.Say(span.To)
	}
	serves := false
	for _, state := range t.WoodStates {
		serves = serves || slices.Contains(wood, state)
	}
	if wood != nil && !serves {
		if len(wood) == 0 {
			return "no wood at hand"
		}
		return "the wood here is " + wood[0]
	}
	// Some wood may be at hand that the rules of budding shut out.
	for _, state := range t.WoodStates {
		if has, _ := c.WoodOn(state, on); has && state == season.RipeGreen && t.BudsMax == 1 && (wood == nil || slices.Contains(wood, state)) {
			return "too late to bud: a bud needs six weeks to knit before the bark stops slipping"
		}
	}
	state := t.WoodStates[0]
	for _, s := range t.WoodStates {
		if slices.Contains(wood, s) {
			state = s
		}
	}
	_, why := c.WoodOn(state, on)
	return why
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
