package words

import (
	"fmt"
	"time"

	"unionknot/internal/core/own"
	"unionknot/internal/core/season"
	"unionknot/internal/core/ways"
)

// wayChanges says what each of the house's ways changes.
var wayChanges = map[ways.Key]string{
	ways.Usable:       "pieces a stick gives, and sticks to cut",
	ways.Face:         "the cut's length on the card and in the drawing, and the buds it eats",
	ways.Lay:          "the drawing of the union, the figure of its contact, and the card",
	ways.Behind:       "the T-bud's card and drawing",
	ways.BudTie:       "the tie offered for buds, the card, and when a T-bud is looked at: by its petiole, or later by its colour",
	ways.BudsPerStock: "the pieces a budded stock takes, its hours and ties, the take reckoned with, the card, the labels and the count",
	ways.Team:         "who is asked for when a batch is shared out: those who cut, and those who tie; takes by each",
	ways.Side:         "the card of a bud in the row",
	ways.Sealing:      "the tie offered, the card, and what is laid out for a day",
	ways.Tip:          "what to take along for cutting, and the sheet",
	ways.Callusing:    "the healing way offered for a batch, and with it the day of the first look",
	ways.TieOff:       "the day from which a tie comes off",
	ways.HeadingBack:  "the day and the way a summer bud's stock is headed back",
	ways.Suckers:      "what follows a graft, and its words",
	ways.Shoots:       "what follows a graft, and its words",
	ways.UnionAt:      "the height on potting and planting lines",
	ways.Knife:        "blades laid out for a day, and the cautions on the card",
	ways.Direction:    "the cautions on the card",
	ways.Failed:       "what is proposed for stocks whose graft failed",
	ways.Tongue:       "the card of a whip and tongue",
	ways.CutFirst:     "the order of steps on the card",
	ways.Rim:          "the card of a chip bud",
	ways.Binding:      "the card",
	ways.PotTime:      "what follows a graft that is potted, and its last day in the pot",
	ways.ChipWood:     "what to look for when wood is cut for chips",
	ways.CheckTape:    "which grafts of a class that is made from now on may be bound without a look",
	ways.Sharing:      "which tags change hands within a half-day when the days are planned",
	ways.TakesSeen:    "Results and the pages of workers, as bench hands see them",
	ways.SpeciesOrder: "the order of species through the budding weeks",
}

// WayChanges says what one of the house's ways changes.
func WayChanges(k ways.Key) string { return wayChanges[k] }

// CardSteps are the steps of a graft on its card, by its technique and the house's
// ways, in the order in which they are done; buds is how many its stocks get.
func CardSteps(key string, h ways.House, row bool, buds int) []string {
	key = own.Base(key)
	bud := key == "chip-bud" || key == "t-bud"
	stock, scion := "Cut the stock.", "Cut the scion to fit it."
	switch {
	case bud && h.BudFirst():
		stock, scion = "Cut the stock to fit the bud.", "Cut the bud first; it waits on the blade, or chips in water, minutes only."
	case bud:
		scion = "Cut the bud to fit it."
	case h.BudFirst():
		stock, scion = "Cut the stock to fit the scion.", "Cut the scion first."
	}
	var out []string
	if bud && row {
		switch h.BudSide() {
		case ways.FromSun:
			out = append(out, "Bud the side away from the midday sun.")
		case ways.Windward:
			out = append(out, "Bud the windward side.")
		case ways.AnySide:
			out = append(out, "Bud the side with the straightest bark.")
		}
	}
	if h.BudFirst() {
		out = append(out, scion, stock)
	} else {
		out = append(out, stock, scion)
	}
	switch key {
	case "t-bud":
		if h.Flipped() {
			out = append(out, "Flip the wood out from behind the shield; the bud's core must stay.")
		} else {
			out = append(out, "Leave the wood behind the shield.")
		}
	case "chip-bud":
		if h.RimFilled() {
			out = append(out, "The chip fills its cut.")
		} else {
			out = append(out, "Leave an even rim of the stock's cut showing round the chip.")
		}
	case "whip-and-tongue":
		if h.TongueHalf() {
			out = append(out, "Cut the tongue from half-way down the face.")
		} else {
			out = append(out, "Cut the tongue from a third of the face below its tip.")
		}
	}
	switch h.Winds() {
	case ways.WindsUp:
		out = append(out, "Bind from below up, laps like tiles; finish with a half hitch.")
	case ways.WindsBack:
		out = append(out, "Bind from below up and back down; finish with a half hitch.")
	case ways.WindsDown:
		out = append(out, "Bind from the top down; finish with a half hitch.")
	}
	if bud && buds > 1 {
		out = append(out, TwoBudsStep)
	}
	if bud {
		if h.BudCovered() {
			return append(out, "Wrap film over the bud, one layer: it grows through.")
		}
		return append(out, "Leave the bud bare.")
	}
	switch h.Seal() {
	case ways.FilmOver:
		out = append(out, "Film over all, the tip too.")
	case ways.BrushedWax:
		out = append(out, "Brush wax over the union, every cut and the tip.")
	case ways.TapeAndHood:
		out = append(out, "Tape only; draw a hood over it against sun and wind.")
	}
	return out
}

// CardCautions are the cautions of a card, by the house's ways.
func CardCautions(h ways.House) []string {
	var out []string
	switch {
	case h.Blade() == ways.CuttingTool:
		out = append(out, "Fingers clear of the anvil; the tool locked when it lies down.")
	case h.CutsAway():
		out = append(out, "Cut away from the body; nobody in front of the blade.")
	default:
		out = append(out, "Thumb guard on, elbows in: the blade comes toward the guarded thumb.")
	}
	switch h.Blade() {
	case ways.HonedBlade:
		out = append(out, "A dull knife slips: strop it each half hour.")
	case ways.FreshBlade:
		out = append(out, "Spent blades into the sharps tin, counted.")
	}
	return append(out, "Other hand behind the blade. Sit back ten minutes in the hour. Alcohol away from the wax heater.")
}

// TipsAlong says what to take along to seal the tips of so many sticks.
func TipsAlong(h ways.House, sticks int) string {
	switch h.TipSeal() {
	case ways.WaxTip:
		return fmt.Sprintf("Take along wax for the tips: about %d g, kept warm in a water bath, never left alone.", sticks+sticks/10)
	case ways.GlueTip:
		return fmt.Sprintf("Take along white glue for the tips: about %d ml; it dries before the wood is bagged.", (sticks+1)/2)
	}
	return "Tips stay unsealed: bag the wood at once, damp, and use it first."
}

// LookForGreen says what to look for of green wood, before what the genus asks.
const LookForGreen = "This season's shoots, ripe: bark turning brown, down rubs off, the end bud set. Leaves off at once, 10–15 mm of " +
	"petiole " +
	"left. Used within hours."

// LookForChips says that wood of two years serves for chips.
const LookForChips = "For chips wood up to two years old serves, with plump buds."

// UnionHeight says where the union stands when a graft is potted or planted.
func UnionHeight(h ways.House) string {
	if h.UnionBelow() {
		return "5–8 cm below the soil, against severe winters"
	}
	return "5–8 cm above the soil"
}

// Blades says what of blades is laid out for so many grafts and workers.
func Blades(h ways.House, grafts, workers int, each float64) (name, amount, why string) {
	switch h.Blade() {
	case ways.HonedBlade:
		return "Grafting knives, honed", fmt.Sprint(workers), "one a worker, with a strop; hone again at noon"
	case ways.CuttingTool:
		return "Cutting tools", fmt.Sprint(workers), "one a worker, with a spare blade set between two"
	}
	n := max(workers, int(float64(grafts)*1.1/each+0.999))
	return "Blades", fmt.Sprint(n), fmt.Sprintf("one for %.0f grafts, and one a worker at the least", each)
}

// Green wood cut in winter, and dormant wood cut in leaf, are questioned.

// CutOutOfSeason asks about wood that is not in that state on the day it was cut.
func CutOutOfSeason(state string, on time.Time, w season.WoodStand) string {
	return fmt.Sprintf("%s wood cut on %s: %s. Correct the day or the state; if it is right all the same, tick that it is so.",
		Capital(state),
		season.Say(on), Wood(w))
}

// HealsInRow and HealsOnBench ask for another way to heal.
const (
	HealsInRow   = "These stems stand in the row, and heal there: choose in the row."
	HealsOnBench = "None of these stems stands in the row: choose how they heal."
)

// TechniqueLimits asks for limits that can be.
const TechniqueLimits = "Stock runs from 1 mm up to 300, the thicker after the thinner; the wood is at least 0.05 of the stock, and at " +
	"most as wide " +
	"as the technique takes."

// Materials that the house's way to seal asks for.
const (
	FilmOverUnion = "Film over the union"
	Hoods         = "Hoods"
)

// FilmFor says what film over the union is for.
func FilmFor(grafts int, each float64) string {
	return fmt.Sprintf("%d grafts, %g m each over the tie", grafts, Rounded(each))
}

// HoodsFor says what hoods are for.
func HoodsFor(grafts int) string {
	return fmt.Sprintf("%d grafts; one each, against sun and wind", grafts)
}
