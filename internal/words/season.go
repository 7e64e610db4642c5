package words

import (
	"fmt"

	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
)

// Wood says how wood of a state stands on a day.
func Wood(w season.WoodStand) string {
	switch w.Rule {
	case season.WoodUnknown:
		return fmt.Sprintf("no wood is called %q", w.State)
	case season.WoodNoRest:
		return "no rest season here"
	case season.WoodNoDates:
		return "this site has no dates for " + w.State + " wood"
	case season.WoodNoSeason:
		return "this site has no season set for the genus"
	case season.WoodBetween:
		return "the plants are " + w.State + ": dormant wood is cut in deep rest, green wood when it is ripe"
	case season.WoodTooOld:
		return "wood cut at rest is too old by now; new wood from " + season.Say(w.On)
	case season.WoodNotDeep:
		return "wood is not deep in rest until " + season.Say(w.On)
	case season.WoodNotHalfRipe:
		return "no half-ripe shoots until " + season.Say(w.On)
	case season.WoodNotRipe:
		return "green wood is not ripe until " + season.Say(w.On)
	case season.WoodMiddling:
		return "shoots of middling age, between soft tip and fruiting branch"
	case season.WoodStored:
		return "wood cut at rest, from the store, until " + season.Say(w.On)
	case season.WoodHalfRipe:
		return "half-ripe shoots are at hand"
	case season.WoodRipe:
		return "green wood is ripe until " + season.Say(w.On)
	}
	return string(w.Rule)
}

// Turn says what closes a window.
func Turn(t technique.Turn) string {
	switch t {
	case technique.RestBegins:
		return "rest begins"
	case technique.BudsSwell:
		return "buds swell"
	case technique.BarkSlips:
		return "bark slips"
	case technique.SlipEnds:
		return "bark stops slipping"
	case technique.SlipEndsIn2Weeks:
		return "bark stops slipping two weeks later"
	case technique.SlipEndsIn3Weeks:
		return "bark stops slipping three weeks later"
	case technique.FrostIn4Weeks:
		return "the first hard frost comes four weeks later"
	case technique.FrostTooSoon:
		return fmt.Sprintf("too few of %d days without frost are left", technique.JuneNeedsDays)
	case technique.WoodTooOld:
		return "stored wood is too old"
	case technique.CalendarEnds:
		return "the end of the calendar"
	}
	return string(t)
}

// Standing says why a technique stands as it does on a day.
func Standing(s technique.Standing) string {
	says := ""
	switch s.Reason {
	case technique.IsClosing:
		says = fmt.Sprintf("%s, closes %s: %s", s.Use, season.Say(s.Until), Turn(s.Closes))
	case technique.IsBest:
		says = fmt.Sprintf("%s, best until %s", s.Use, season.Say(s.On))
	case technique.IsOpen:
		says = fmt.Sprintf("%s, open until %s: %s", s.Use, season.Say(s.Until), Turn(s.Closes))
	case technique.BestLater:
		says = fmt.Sprintf("%s, open; best from %s", s.Use, season.Say(s.On))
	default:
		return outside(s)
	}
	if s.MayStart {
		says += "; a bud set now may start late and be frosted"
	}
	return says
}

// outside says what stands outside the calendar's windows: why none is open,
// and what rules where stock takes no rest.
func outside(s technique.Standing) string {
	switch s.Reason {
	case technique.FreshAndDry:
		return "fresh shoots on the stock, and dry"
	case technique.Fresh:
		return "fresh shoots on the stock"
	case technique.FreshAndWet:
		return "fresh shoots on the stock; outside the dry spell, keep the rain out"
	case technique.NoFlush:
		return "no fresh flush noted in the last six weeks: look for dark leaves and fresh tips"
	case technique.NoFlushWet:
		return "no fresh flush noted, and outside the dry spell"
	case technique.BarkDry:
		return fmt.Sprintf("bark did not slip on %s for want of water: wet the soil for some days, and test again", season.Say(s.On))
	case technique.NoSeason:
		return Wood(season.WoodStand{Rule: season.WoodNoSeason})
	case technique.NoRest:
		return "stock takes no rest here"
	case technique.StockIs:
		return "stock is " + s.Stock + " until " + season.Say(s.On)
	case technique.RowStockIs:
		return "stock in the row is " + s.Stock + " until " + season.Say(s.On)
	case technique.NoWoodAtHand:
		return "no wood at hand"
	case technique.WoodIs:
		return "the wood here is " + s.Wood.State
	case technique.BudTooLate:
		return "too late to bud: a bud needs two weeks to knit before the bark stops slipping"
	case technique.ChipTooLate:
		return "too late to bud: a chip needs four weeks before the first hard frost"
	case technique.WoodStands:
		return Wood(s.Wood)
	}
	return string(s.Reason)
}

// Verdict says the first thing that stands against a technique, or what speaks
// for it.
func Verdict(v technique.Verdict) string {
	switch v.Bar {
	case technique.BySeason:
		return Standing(v.Standing)
	case technique.ByChoice:
		return "left out by choice"
	case technique.ByBuds:
		if v.Technique.BudsMax == 1 {
			return "no wood here is counted as single buds"
		}
		return fmt.Sprintf("no wood here is cut to %d–%d buds", v.Technique.BudsMin, v.Technique.BudsMax)
	case technique.ByNoStock:
		return "no stock at hand"
	case technique.ByNoWood:
		return "no wood at hand"
	case technique.BySizes:
		return Misfit(v.Misfit)
	}
	return v.Technique.GoodFor
}

// NoSuchZone says that a time zone is not known.
const NoSuchZone = "Name the time zone by its region and a city in it, as in Europe/Vienna."

// OtherZone says that a server still runs in another zone than the house's.
func OtherZone(runs, house string) string {
	return "This server still tells its days as in " + runs + ". Start every server again, and they tell them as in " + house + "."
}
