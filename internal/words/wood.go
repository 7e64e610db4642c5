package words

import (
	"fmt"
	"time"

	"unionknot/internal/core/wood"
	"unionknot/internal/core/working"
)

// LabelOfAnother says that a code is on a label printed for another plant.
func LabelOfAnother(code, plant, variety string) string {
	return fmt.Sprintf("%s is printed on a label for wood of %s, %s. Look at the label's plant, or give this bundle another code.", code,
		plant, variety)
}

// LabelDropped says that a code was on a label that was dropped.
func LabelDropped(code string) string {
	return fmt.Sprintf("%s was on a label that was dropped, and a print of it may still be about. Give this bundle another code.", code)
}

// NoLabel says that no label of a code waits.
func NoLabel(code string) string {
	return fmt.Sprintf("No printed label %s waits for its wood. Look at its letters, or key the wood in by its plant.", code)
}

// Warnings of a line of the collection sheet.
const (
	NoPieceOfStick = "Its sticks give no piece: measure one anew."
	NotSeenTrue    = "Not seen true: cut no more than a trial."
)

// Protected says that a variety needs its licence.
func Protected(licence string) string { return "Protected variety: " + licence + "." }

// Gives says what a mother plant gives in a season, and what was cut of it.
func Gives(g wood.Gives, cut int) string {
	says := fmt.Sprintf("about %d sticks", g.Sticks)
	switch g.From {
	case wood.GivesEntered:
		says += ", as its size was judged"
	case wood.GivesRecord:
		says += ", as in a season before"
	case wood.GivesByAge:
		says += ", by its years"
	case wood.GivesUnknown:
		says += ": neither its years nor its size is noted"
	}
	if cut > 0 {
		says += fmt.Sprintf("; %d were cut of it in this one", cut)
	}
	return says
}

// GivesSource is where that is from.
func GivesSource(g wood.Gives) string {
	switch g.From {
	case wood.GivesEntered:
		return working.Entered
	case wood.GivesRecord:
		return working.OwnRecords
	}
	return working.HouseDefault
}

// CutShort says what the mother plants of a variety cannot give, and what could be
// done.
func CutShort(variety string, plants, sticks, pieces, buds int) string {
	says := fmt.Sprintf("%s: %d sticks, some %d pieces, are more than its mother plant has left to give.", variety, sticks, pieces)
	if plants > 1 {
		says = fmt.Sprintf("%s: %d sticks, some %d pieces, are more than its %d mother plants have left to give.", variety, sticks,
			pieces, plants)
	}
	says += " Buy the wood, note another plant, or note what a plant gives if it is more."
	if buds > 1 {
		says += fmt.Sprintf(" Budding takes one bud where this takes %d.", buds)
	}
	return says
}

// GivesAsked asks for what a plant gives.
const GivesAsked = "Say how many sticks it gives in a season: 0 or more, or leave it empty."

// CutBetween names the range of a bundle's day.
const CutBetween = "Cut between"

// KeepRange says between which days a bundle keeps whose day is not known.
func KeepRange(early, late time.Time) string {
	return early.Format("2 January") + " to " + late.Format("2 January") + ", by when it was cut and were the thermometer half a degree out"
}

// CutRange says when a bundle was cut whose day is not known, and its age then.
func CutRange(from, to time.Time, young, old float64) string {
	return fmt.Sprintf("%s and %s: %.0f to %.0f days old at 1 °C; it is kept as if it were the oldest", from.Format("2 January"),
		to.Format("2 January"), young, old)
}

// Problems of bought wood.
const (
	BoughtNeeds = "Say of which mother plant it was cut, by its code; or where it was bought, with its variety and genus."
	CutLateSays = "The latest day comes after the earliest, and not after today."
	PartSays    = "Choose base, middle or outer, or leave it."
)

// BoughtFrom is what stands for the plant of bought wood.
func BoughtFrom(who string) string { return "bought from " + who }
