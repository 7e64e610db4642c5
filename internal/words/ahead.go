package words

import (
	"fmt"
	"time"

	"unionknot/internal/core/sizing"
)

// AheadWeeksSay says what the drawing of a year's hours shows.
const AheadWeeksSay = "Hours of grafting by week of the next season, with ranges, beside the hours of those at the bench now"

// AheadSays says what is to be done by when for the next season, as it stands today.
func AheadSays(what string, from, to, today time.Time) string {
	switch {
	case what != "cut" && to.Before(today):
		return map[string]string{"stems": "Stems on order, or liners lined out, at once", "hire": "Another hand found at once"}[what] +
			": the day for it was " + to.Format("2 January 2006") + "."
	case what == "stems":
		return "Stems on order, or liners lined out, by " + to.Format("2 January 2006") + "."
	case what == "cut":
		return "Resting wood cut between " + from.Format("2 January") + " and " + to.Format("2 January 2006") + "."
	}
	return "Another hand found by " + to.Format("2 January 2006") + ": the hours may be more than those at the bench have."
}

// Spanned writes a figure of some size with its range.
func Spanned(x sizing.Interval) string {
	return fmt.Sprintf("%.0f (%.0f–%.0f)", x.Mean, x.Low, x.High)
}
