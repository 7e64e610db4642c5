package words

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"unionknot/internal/core/sizing"
)

// MarkName names a level of something that is known of tags.
func MarkName(name, level string) string {
	switch name {
	case "tie":
		return "Bound with " + level
	case "healing":
		return "Healed in " + level
	}
	if name == "form" {
		return "Stock " + level
	}
	return "Wood " + level
}

// AmountName names what is measured of tags, and its step.
func AmountName(name string) (what, unit string) {
	if name == "lifted" {
		return "Stock out of the ground", "each 10 days more"
	}
	return "Warmth where it healed", "each 1 °C warmer"
}

// BesideUsual says what a mark is set beside.
func BesideUsual(name string) string {
	switch name {
	case "tie":
		return "beside the tie used most"
	case "healing":
		return "beside the way used most"
	}
	if name == "form" {
		return "beside the form used most"
	}
	return "beside the wood used most"
}

// Moves says by how much something moves the take, in trees of a hundred.
func Moves(by sizing.Interval) string {
	low, high := 100*by.Low, 100*by.High
	trees := func(x float64) string { return fmt.Sprintf("%.0f", math.Abs(x)) }
	switch {
	case high < 0:
		return span("costs", trees(high), trees(low))
	case low > 0:
		return span("brings", trees(low), trees(high))
	}
	return fmt.Sprintf("cannot be told: between %s lost and %s won in 100", trees(low), trees(high))
}

func span(does, from, to string) string {
	if from == to {
		if from == "0" {
			return does + " less than half a tree in 100"
		}
		return fmt.Sprintf("%s %s %s in 100", does, from, treesWord(from))
	}
	return fmt.Sprintf("%s %s to %s trees in 100", does, from, to)
}

func treesWord(n string) string {
	if n == "1" {
		return "tree"
	}
	return "trees"
}

// FlowStep says when something was lost.
func FlowStep(key string) string {
	switch key {
	case "first":
		return "by the first look"
	case "later":
		return "by the last look"
	}
	return "since"
}

// FlowFrom names what comes into a step.
func FlowFrom(key string) string {
	switch key {
	case "first":
		return "tied"
	case "later":
		return "after the first look"
	}
	return "after the last look"
}

// CauseOr names a cause, or says that none was noted.
func CauseOr(cause string) string {
	if cause == "" {
		return "cause not noted"
	}
	return cause
}

// NoCost stands where nothing lives, or nobody looked.
const NoCost = "none lives"

// CostPart names a part of a cost, in the order of cost.Parts.
func CostPart(part int) string {
	return []string{"stems", "wood", "tie", "seal and blades", "labels", "work", "care", "bench days"}[part]
}

// CostGroup names what costs are shown by.
func CostGroup(key string) string {
	switch key {
	case "technique":
		return "By technique"
	case "tie":
		return "By tie"
	case "worker":
		return "By worker"
	case "team":
		return "Alone or in pairs"
	case "season":
		return "By season"
	}
	return "By order"
}

// AdviceSays says what is worth changing.
func AdviceSays(kind, name, cause string) string {
	switch kind {
	case "teach":
		if cause != "" {
			return fmt.Sprintf("Work beside %s: more than others' is lost to “%s”", name, cause)
		}
		return "Work beside " + name
	case "lot":
		if cause != "" {
			return fmt.Sprintf("Ask after lot %s and its supplier: more is lost to “%s”", name, cause)
		}
		return fmt.Sprintf("Ask after lot %s and its supplier", name)
	case "swap":
		return fmt.Sprintf("Where sizes allow both, %s instead of %s", cause, name)
	case "thinner":
		return "Leave out wood over 10 % thinner than its stock"
	case "sooner":
		return "Use wood within 60 days of cutting"
	}
	return name
}

// AdviceDo names the button that does it.
func AdviceDo(kind string) string {
	switch kind {
	case "teach":
		return "Their page"
	case "lot":
		return "The lot"
	case "swap":
		return "Both unions"
	case "thinner":
		return "Set the limits"
	}
	return "Oldest wood"
}

// Gain says how many trees a season something is expected to bring.
func Gain(trees sizing.Interval) string {
	whole := func(x float64) string { return strings.Replace(strconv.Itoa(int(math.Round(x))), "-", "−", 1) }
	return fmt.Sprintf("+%s trees a season (%s to %s)", whole(trees.Mean), whole(trees.Low), whole(trees.High))
}

// Cents writes an amount in the house's money; "–" where there is none.
func Cents(c float64) string {
	if math.IsNaN(c) || math.IsInf(c, 0) {
		return "–"
	}
	if c < 0 {
		return "−" + Money(int(math.Round(-c)))
	}
	return Money(int(math.Round(c)))
}

// OverUnder says by how much what an order brings is over its cost, or under it.
func OverUnder(cents float64) string {
	if cents < 0 {
		return Cents(-cents) + " under"
	}
	return Cents(cents) + " over"
}

// Pct1 writes a share in percent with one place.
func Pct1(x float64) string { return fmt.Sprintf("%.1f %%", x*100) }

// Alone and Paired are how a graft was made.
const (
	Alone  = "cut and tied by one"
	Paired = "cutter and tier"
)

// HourOf names an hour of the day.
func HourOf(h int) string { return fmt.Sprintf("%d h", h) }

// TurnOf names a worker's first, second … tag of a day.
func TurnOf(n int, andLater bool) string {
	if andLater {
		return fmt.Sprintf("%d and later", n)
	}
	return fmt.Sprint(n)
}

// Thinner names a stretch of how much thinner wood was than its stock, in percent.
func Thinner(from, to float64) string { return fmt.Sprintf("%g to %g %% thinner", from, to) }

// DaysLain names a stretch of days from cutting to grafting.
func DaysLain(from, to float64) string { return fmt.Sprintf("%g to %g days", from, to) }

// Causes of loss by which ties are told from each other.
const (
	TieGirdled = "tie girdled"
	TieLoose   = "tie came loose"
)

// SureSays says how sure a gain is.
func SureSays(sure string) string {
	if sure == "untold" {
		return "cannot tell yet"
	}
	return sure
}
