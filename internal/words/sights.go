package words

import (
	"fmt"

	"unionknot/internal/core/season"
)

// SightMoved says what moved a date.
func SightMoved(m season.Move) string {
	switch m.Cause {
	case season.ByWarmth:
		word := "warmer"
		if m.Sum < m.Usual {
			word = "colder"
		}
		return fmt.Sprintf("%s than usual: %.0f degree-days since %s, where %.0f are usual", word, m.Sum, season.Say(m.Since), m.Usual)
	case season.ByCarry:
		return "half of what was seen of the sign before it carries over"
	case season.ByBudSwell:
		return "bark slips no sooner than a week after bud swell"
	}
	at := func(o season.Observation) string {
		if o.Place == "" {
			return season.Say(o.On)
		}
		return season.Say(o.On) + " in " + o.Place
	}
	says := ""
	switch yes, not := m.Yes, m.Not; {
	case m.Differ:
		says = fmt.Sprintf("%s seen %s, %s %s: places differ", yes.Says, at(yes), not.Says, at(not))
	case yes.Says != "" && not.Says != "":
		says = fmt.Sprintf("%s seen %s, and %s %s", yes.Says, at(yes), not.Says, at(not))
	case yes.Says != "":
		says = yes.Says + " seen " + at(yes)
	default:
		says = not.Says + " on " + at(not)
	}
	if m.Days == 0 {
		says += ": as reckoned"
	}
	return says
}

// SightDoubted says why a sight is doubted.
func SightDoubted(d season.Doubt) string {
	days, side := d.Days, "after"
	if days < 0 {
		days, side = -days, "before"
	}
	return fmt.Sprintf("%s on %s: that is %d days %s %s usually comes (%s, give or take %.0f).",
		Capital(d.Says), season.Say(d.On), days, side, d.Kind, season.Say(d.Usual), d.SpreadDays)
}
