package words

import (
	"fmt"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
)

// Problems of stems that are lifted, heeled in, potted or lined out.
const (
	ChooseDoing = "Choose from the list what was done: lifted, heeled in, potted or lined out."
	SayWhere    = "Say where they stand now, such as tunnel 2 or row 7."
	SayHowMany  = "Say how many stems: 1 or more, or leave it empty for all that are free."
)

// SayWhyOnTag asks for a reason that stays on the tags.
const SayWhyOnTag = "Say in a few words why, up to 300 letters: it stays on the tags."

// NoStemFree says that a lot has none.
func NoStemFree(lot string) string { return fmt.Sprintf("No stem of lot %s is free.", lot) }

// StemsFree says how many a lot has.
func StemsFree(lot string, n int) string { return fmt.Sprintf("Lot %s has %d stems free.", lot, n) }

// StandsThere says that a lot stands there already.
func StandsThere(lot, form string) string {
	return fmt.Sprintf("Lot %s stands there already, %s.", lot, form)
}

// PartNeedsCode asks for a code for those of a lot that go; aside is how many lie
// at the bench where all that are free go.
func PartNeedsCode(lot string, n, free, aside int) string {
	if n == free {
		return fmt.Sprintf("%d stems of lot %s lie at the bench for batches and stay as they are. Give those that go a code of their own.",
			aside, lot)
	}
	return fmt.Sprintf("Not all of lot %s goes: %d of %d free. Give those that go a code of their own.", lot, n, free)
}

// Problems of tags that are stood somewhere to heal.
const (
	ChooseTags   = "Scan or tick the tags that stand there."
	SayHealPlace = "Say where they stand, such as warm box 1, in up to 80 letters."
)

// GradeNow asks for the diameters of stocks that came back.
const GradeNow = "Give the thinnest and the thickest as they are now, in mm, or leave both empty."

// SecondChance says what is proposed for stocks whose graft failed.
func SecondChance(a technique.Again) string {
	switch {
	case a.Third:
		return "They failed a third time: discard them."
	case a.Discard:
		return "The house discards them."
	case a.Now:
		return fmt.Sprintf("Bud them again at once on the other side, by %s, while the bark slips: until %s.", a.By.Name,
			season.Say(a.To.AddDate(0, 0, -1)))
	case a.By.Key == "":
		return "No window for them is in the calendar."
	case a.Wood == season.RipeGreen:
		return fmt.Sprintf("Bud them this summer by %s, with ripe shoots of that season, from %s to %s; until then they wait.", a.By.Name,
			season.Say(a.From), season.Say(a.To.AddDate(0, 0, -1)))
	}
	return fmt.Sprintf("Graft them at the next bench by %s, with wood cut in that rest, from %s; until then they wait.", a.By.Name,
		season.Say(a.From))
}

// SecondChanceIn says in how many days it can be.
func SecondChanceIn(a technique.Again, today time.Time) string {
	if days := int(a.From.Sub(today).Hours()/24 + 0.5); !a.Now && days > 0 {
		return "That is in " + Days(days) + "."
	}
	return "That is now."
}

// SecondChanceWood says what wood of a variety there would be, before its plants are
// named.
func SecondChanceWood(variety string, sticks int) string {
	return fmt.Sprintf("Wood of %s, some %d sticks a season, from", variety, sticks)
}

// TaperAsked asks for a taper that can be.
const TaperAsked = "Type stems at both heights, such as 9.2/8.6 8.8/8.3, with the cm between; or one figure, " +
	"the mm that they are thinner for each 10 cm."

// CutHigher says by how much stems are cut higher; "" for the usual cut.
func CutHigher(cm int) string {
	if cm == 0 {
		return ""
	}
	return fmt.Sprintf("cut %d cm higher", cm)
}

// CutClassHigher says of which stems of a tag.
func CutClassHigher(class string, cm int) string {
	return fmt.Sprintf("Cut the stems of %s mm %d cm higher, where they take this wood.", class, cm)
}

// TooOval says that two diameters are not of one stem.
func TooOval(a, b float64) string {
	return fmt.Sprintf("%g × %g mm is no stem: the wider is over twice the narrower. Nothing was kept.", a, b)
}

// Oval says a stem's diameters.
func Oval(mm, narrow float64, wide *float64) string {
	if wide == nil {
		return fmt.Sprintf("%g mm", mm)
	}
	return fmt.Sprintf("%g × %g mm", *wide, narrow)
}

// LotEvent says what happened to stocks.
func LotEvent(kind string, n, dead int, what, other, place, by string) string {
	in := ""
	if place != "" {
		in = ", " + place
	}
	switch kind {
	case "came":
		says := Thousands(n) + " came, " + what + in
		if by != "" {
			says += ", from " + by
		}
		return says
	case "moved":
		return Thousands(n) + " " + what + in
	case "looked":
		if other != "" {
			return "looked at: " + what + "; " + other
		}
		return "looked at: " + what
	case "worked":
		says := fmt.Sprintf("%s worked with %s, %s", Thousands(n), other, what)
		if dead > 0 {
			says += fmt.Sprintf("; %s dead", Thousands(dead))
		}
		return says
	case "parted":
		if what == "" {
			what = "went"
		}
		return Thousands(n) + " " + what + in + " as lot"
	case "back":
		return Thousands(n) + " whose graft failed came back" + in + " as lot"
	}
	return kind
}
