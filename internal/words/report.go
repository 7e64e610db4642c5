package words

import (
	"fmt"

	"unionknot/internal/core/sizing"
)

// What is said of next season's needs.
const (
	NeedRule = "next season's needs"
	NeedSays = "The least grafts of which as many live as are wanted, at the house's chance, by what lived of this season's " +
		"(held as two grafts of the season's mean and the counts); then what each took of stems, wood or hours, those that were spoiled " +
		"with it."
	NeedTrees   = "Live trees wanted"
	NeedLived   = "Lived of those made"
	NeedChance  = "Chance to plan with"
	NeedGrafts  = "Grafts for them"
	NeedSpoiled = "Stems, pieces spoiled at the bench"
	NeedHours   = "Hours of all heads"
)

// OfThem says how many of how many, with the range of the rate.
func OfThem(n, of int, rate sizing.Interval) string {
	return fmt.Sprintf("%d of %d, %s", n, of, PctRange(rate))
}

// MoreBetween says what may be asked of a report, in hundredths.
func MoreBetween(least, most int) string {
	return fmt.Sprintf("Type a whole number from %d to %d: so many per cent more live trees than this season.", least, most)
}

// ReportFor says how many trees a report's needs are for.
func ReportFor(more int) string {
	switch {
	case more > 0:
		return fmt.Sprintf("For %d %% more live trees than this season", more)
	case more < 0:
		return fmt.Sprintf("For %d %% fewer live trees than this season", -more)
	}
	return "For as many live trees as this season"
}
