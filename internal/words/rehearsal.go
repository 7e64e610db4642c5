package words

import (
	"fmt"
	"math"
	"strings"

	"unionknot/internal/core/rehearsal"
)

// InHundred says a chance as seasons in a hundred.
func InHundred(p float64) string {
	switch n := math.Round(100 * p); {
	case n == 0 && p > 0:
		return "under 1 in 100"
	case n == 100 && p < 1:
		return "over 99 in 100"
	default:
		return fmt.Sprintf("%.0f in 100", n)
	}
}

// HoldsBack names what holds a season back.
func HoldsBack(c rehearsal.Certain) string {
	switch c {
	case rehearsal.Takes:
		return "takes not known well enough"
	case rehearsal.Hands:
		return "workers away, or slower"
	case rehearsal.Windows:
		return "the season, or wood, may end early"
	case rehearsal.Luck:
		return "the luck of each graft"
	}
	return "stock, wood or days that lack, however it turns out"
}

// OfShortage says how much of the expected shortage something is.
func OfShortage(share float64) string { return Pct(share) + " of the trees expected to lack" }

// LeverSays says what a lever does; n is grafts, stems, days or hours a day, name a worker, lot or
// technique.
func LeverSays(kind string, n int, name string) string {
	switch kind {
	case "more":
		return fmt.Sprintf("%d more grafts", n)
	case "buy":
		return fmt.Sprintf("stock and wood for %d grafts", n)
	case "hand":
		return "to " + FirstName(name) + "'s hands"
	case "earlier":
		return fmt.Sprintf("%d working days earlier, before others", n)
	case "second":
		return "half of it on lot " + name
	case "hour":
		return "everybody " + map[int]string{1: "an hour", 2: "two hours"}[n] + " longer, the days planned anew"
	case "measure":
		return fmt.Sprintf("try %s first; %d more grafts only if it is poor", name, n)
	case "helper":
		return fmt.Sprintf("one more hand for %d days, the days planned anew", n)
	}
	return fmt.Sprintf("what fails, some %d, budded in summer", n)
}

// RehearsalPlan titles what a plan of the days comes to.
const RehearsalPlan = "The days as they are planned, played through"

// MetOf says how many orders are met on the mean.
func MetOf(met float64, of int) string { return fmt.Sprintf("%.1f of %d orders", met, of) }

// FromTo says how a chance moves, in a hundred.
func FromTo(from, to float64) string { return fmt.Sprintf("%.0f → %.0f", 100*from, 100*to) }

// HangSays says what orders hang on, and by how much.
func HangSays(kind, key, name string) string {
	switch kind {
	case "worker":
		return "how " + name + " grafts this season"
	case "lot":
		return "stock lot " + name
	case "bundle":
		return "wood bundle " + name
	case "technique":
		return "how well " + name + " takes on " + key
	case "window":
		return "until when " + key + " can be used"
	}
	return name + "'s days away"
}

// HangBy says how many orders fewer are met where something turns out a little worse than likely.
func HangBy(by float64) string { return fmt.Sprintf("%.1f orders fewer are met", by) }

// HangAlone says which orders lie on one thing alone.
func HangAlone(codes []string) string {
	switch len(codes) {
	case 0:
		return ""
	case 1:
		return codes[0] + " lies on it alone"
	}
	return strings.Join(codes[:len(codes)-1], ", ") + " and " + codes[len(codes)-1] + " lie on it alone"
}

// HangTogether says which orders lie on one thing alone, in a sentence.
func HangTogether(codes []string, what string) string {
	if len(codes) == 1 {
		return codes[0] + " hangs on " + what + " alone"
	}
	return strings.Join(codes[:len(codes)-1], ", ") + " and " + codes[len(codes)-1] + " hang on " + what + " alone"
}

// Since says how a chance moved since another day; "" where it did not, beyond what playing
// anew may move it.
func Since(was, now float64, day string) string {
	if math.Abs(now-was) < 0.015 {
		return ""
	}
	return fmt.Sprintf("%.0f on %s", 100*was, day)
}

// What is said of a rehearsal.
const (
	RehearsalRule = "rehearsal"
	RehearsalSays = "The season is played from the plan: takes are drawn as the records know them, shared by all that one worker, lot, " +
		"bundle or " +
		"technique touches; hands miss days and are slower or faster as they have been; windows shut and wood ends on days that may run; " +
		"what is " +
		"made too late is not made; then each graft lives or does not, and what lives is lifted and makes the grade. An order is met in " +
		"the " +
		"seasons in which its trees are reached."
	RehearsalSeasons = "Seasons played"
	RehearsalGrafts  = "Grafts, made and to be made"
	RehearsalTrees   = "Trees, 90 seasons in 100"
	RehearsalShort   = "Trees lacking, on the mean"
	RehearsalLate    = "Grafts not made in time, on the mean"
	RehearsalTags    = "Counted tags behind the takes"
	HeldBackSays     = "What holds the season back, as shares of the trees expected to lack"
	KeptSays         = "Orders met, of those that were given a chance: across what was said, up what came, with 90 % ranges"
	KeptAcross       = "said, in 100"
	SumWanted        = "Type a sum of money, such as 250."
)
