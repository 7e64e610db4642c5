package words

import (
	"fmt"
	"strings"
)

// fieldNames are what people read for the fields of what can be put right.
var fieldNames = map[string]string{
	"variety": "Variety", "genus": "Genus", "stock_type": "Stock", "stock_genus": "Stock's genus", "trees": "Trees", "due_on": "Wanted by",
	"priority": "Priority", "buyer": "For", "price": "Agreed for a tree", "supplier": "From", "received_on": "Came on", "form": "Form",
	"place":    "Place",
	"received": "Stems that came", "grade_low": "Grade from, mm", "grade_high": "Grade to, mm", "health": "Health",
	"planted_year": "Planted in",
	"seen_true_by": "Seen true by", "seen_true_on": "Seen true on", "licence": "Licence", "plant": "Mother plant", "cut_on": "Cut on",
	"state": "Wood is", "sticks": "Sticks", "length_mm": "Stick's length, mm", "base_mm": "Base, mm", "tip_mm": "Tip, mm",
	"internode_mm": "Between nodes, mm", "blind_pct": "Blind buds, in 100", "buds_per_piece": "Buds a piece", "part": "Part of the shoot",
	"rate_per_hour": "Grafts an hour", "prior_take": "Take at first, in 100", "prior_weight": "That weighs as many grafts",
	"slope": "Lost for being thinner", "ratio_max": "Thickest wood by the stock", "weeks": "Off after, weeks",
	"logit_shift": "Harder or easier",
	"usual_way":   "Worked mostly by", "cut_note": "What to cut", "verdict": "They get on", "note": "Note",
	"low_c": "Kept at least at, °C", "high_c": "Kept at most at, °C", "amount": "How much", "cents": "Price of a hundred",
	"untie": "How it comes off",
	"wage":  "An hour's wage", "tree": "A live tree", "stem": "A stem of stock", "piece": "A piece of wood",
	"delay":   "A year's delay, % of a tree",
	"grade":   "Live trees that make the grade, %",
	"reading": "Caliper reading",
	"tie":     "Tie", "healing": "Heals in", "name": "Name", "pieces": "Pieces", "called_off": "Called off",
}

// FieldName is what people read for a field.
func FieldName(key string) string {
	if n, ok := fieldNames[key]; ok {
		return n
	}
	return key
}

// SortName is what people read for a sort of the orders.
func SortName(sort string) string {
	switch sort {
	case "day":
		return "by the day wanted"
	case "togo":
		return "most to go first"
	case "variety":
		return "by variety"
	}
	return "as they draw on what there is"
}

// IsTyped says that a form's field is one that people type or choose, not one that the page
// brings along.
func IsTyped(field string) bool {
	switch field {
	case "once", "seen", "next", "to", "ago":
		return false
	}
	return true
}

// What is said of putting things right.
const (
	NothingCorrected = "Nothing is changed: put right what is wrong, then keep it."
	GiveAWhy         = "Say why, in up to 300 letters: it stands beside the earlier value."
	CorrectedSince   = "Somebody put this right while you did. It is shown as it stands now, with what you typed beside it: look, and " +
		"keep yours if it is better."
	CodesStay       = "A code is printed on labels and stays."
	OrderHasBatches = "Batches are made for it. Take them back first; or call this order off and take another."
	LotIsUsed       = "Stems of it are set aside or grafted. What is on tags stays; a recount on the lot's page puts the rest right."
	LotMoved        = "It was moved since. Move it again on its page."
	BundleIsUsed    = "Pieces of it are set aside or grafted, so what they measured stays. Throw out what is wrong of the rest, and note " +
		"that wood anew."
	PlantIsUsed      = "Its wood is grafted already. Trace says on which tags; the name of a variety is put right under House, Names."
	BundleMovesAlone = "Where it is kept is changed on its page, so that the hours at each place stay right."
	FewerAreFree     = "Fewer are free than this takes away: recount on its page, or take batches back first."
	DayOver          = "That day is over. Tick that it is meant, or give another."
	DayToCome        = "That day is still to come."
	NoSuchPlant      = "No mother plant is called that."
	ChooseFromList   = "Choose one from the list."
	GradeRuns        = "A grade runs from a smaller to a larger diameter in mm, such as 7 to 9. Leave both empty if it was not graded."
	SeenNeedsBoth    = "Seen true needs both who saw it and when; leave both empty if nobody has."
	TipThicker       = "The tip is thicker than the base: are they swapped?"
	PiecesFollow     = "Pieces follow from what is measured."
	OtherGenus       = "That is of another genus. Choose a name of the same."
	MergeWithItself  = "Choose another name to join it to."
	OrderCorrection  = "Balances, needs and the weave follow at once."
	LotCorrection    = "What is free, its sizes and every order's means follow at once."
	WoodCorrection   = "Pieces, keep-by and every order's means follow at once."
	BatchCorrection  = "When it is untied and looked at follows at once, for tags made already too."
	TechniqueFollows = "Pace in the days and on cards, the take that orders are sized by, and what a thinner scion costs in the weave " +
		"follow at once."
	TieFollows = "When it comes off follows at once, for tags made already too. Empty: it stays on. Days that the house set itself " +
		"under Grow on stand above it."
	GenusFollows    = "The take expected of it, and which season its orders look to, follow at once."
	PairFollows     = "Orders, Match and the chooser warn by it at once."
	HealingFollows  = "Where a box has no readings, the callus clock goes by the middle of these; first looks and potting follow at once."
	WarmerThanLow   = "That is below the lower one."
	WorthTitle      = "What things are worth"
	WorthFollows    = "Ways out, what a plan costs and what makes the grade follow at once."
	PlaceCorrection = "Everything that stands, lies or heals there bears the new name; a name that another place bears makes one of " +
		"both. What was noted of moves and steps keeps the name it had."
	OwnGone        = "It is gone: nobody had used it."
	LastOffered    = "One must be left to choose: add another first."
	RatioBelow     = "That is below the thinnest wood that the house works by this technique."
	BackToDefault  = "It is as it was shipped again."
	NameCorrection = "Every order, plant and lot bears it from now on. Tags and labels printed before bear the old one."
)

// PutRight and NamesJoined say that it is done.
const (
	PutRight    = "That is put right. What it was stands below, with the reason."
	NamesJoined = "They are one now, everywhere."
)

// StandsNow says what stands where something else is typed, and else what was shipped.
func StandsNow(typed, is string, ships bool, shipped string) string {
	switch {
	case typed != "" && is == "":
		return "empty as it stands now"
	case typed != "":
		return "stands now: " + is
	case ships && shipped == "":
		return "house default: none"
	case ships:
		return "house default: " + shipped
	}
	return ""
}

// UpToLetters says how long a text may be, and whether it must be there.
func UpToLetters(most int, needed bool) string {
	if needed {
		return fmt.Sprintf("Give it, in up to %d letters.", most)
	}
	return fmt.Sprintf("In up to %d letters.", most)
}

// WholeBetween says which whole numbers there may be.
func WholeBetween(low, high int) string {
	return fmt.Sprintf("A whole number from %s to %s.", Thousands(low), Thousands(high))
}

// NumberBetween says which numbers there may be.
func NumberBetween(low, high float64) string {
	return fmt.Sprintf("A number from %g to %g.", low, high)
}

// OrderOff says that an order is called off.
func OrderOff(code string) string {
	return fmt.Sprintf("Order %s is called off. Batches that nobody has begun are taken back on their pages.", code)
}

// NameBearers says what bears a name.
func NameBearers(orders, bearers int, stock bool) string {
	other := count(bearers, "mother plant", "mother plants")
	if stock {
		other = count(bearers, "lot", "lots")
	}
	return count(orders, "order", "orders") + ", " + other
}

// NameTaken says that another of the genus bears a name, and what then.
func NameTaken(name string) string {
	return fmt.Sprintf("%s is another name here already. If both are the same, join them below.", name)
}

// Merged says what was joined.
func Merged(from, into string) string {
	return fmt.Sprintf("%s is %s now, everywhere.", from, into)
}

// MaterialFollows says what a material's figures change.
func MaterialFollows(unit, each string) string {
	return fmt.Sprintf("How much is in %s, the price is of a hundred %s. What is laid out for a day, and what a live tree costs, follow "+
		"at once.", each, unit)
}

// MaterialName names a material with what its amount is of, and what is bought of it.
func MaterialName(name, each, unit string) string {
	return fmt.Sprintf("%s, %s; price of 100 %s", Capital(name), each, unit)
}

// OwnIsUsed says why one of the house's own stays.
func OwnIsUsed(name string) string {
	return fmt.Sprintf("%s was used, so it stays in the records. Take it off the list instead: nothing new is made with it.", Capital(name))
}

// OwnNameTaken says that something of the craft's tables bears a name already.
func OwnNameTaken(name string) string {
	return fmt.Sprintf("There is one called %q already. Give yours another name.", name)
}

// DatesMove says how far steps would move: earlier by at most so many days, and later.
func DatesMove(earlier, later int) string {
	switch {
	case later == 0:
		return fmt.Sprintf("up to %s earlier", dayCount(earlier))
	case earlier == 0:
		return fmt.Sprintf("up to %s later", dayCount(later))
	}
	return fmt.Sprintf("up to %s earlier or %s later", dayCount(earlier), dayCount(later))
}

func dayCount(n int) string {
	if n == 1 {
		return "1 day"
	}
	return fmt.Sprintf("%d days", n)
}

// WasIs says what a figure or a word was and would be; one of both where they are the same.
func WasIs(was, is string) string {
	if was == is {
		return was
	}
	return was + " → " + is
}

// Lacks names the means that an order lacks, or says that it lacks nothing.
func Lacks(means []string) string {
	if len(means) == 0 {
		return "nothing"
	}
	return strings.Join(means, ", ")
}

// OwnAdded says that one of the house's own is added; figures, that it has some.
func OwnAdded(figures bool) string {
	if figures {
		return "It is added, with the figures of what it is made as. Put in yours."
	}
	return "It is added."
}

// OfferedNow says whether something is offered to choose.
func OfferedNow(offered bool) string {
	if offered {
		return "It is offered to choose again."
	}
	return "It is not offered to choose any more. What bears it keeps it."
}

// PlaceTaken says that a store bears a name already.
func PlaceTaken(name string) string {
	return fmt.Sprintf("A store or a bed with readings of its own is called %s already. Two with readings stay two.", name)
}

// ReadingOf names a caliper reading.
func ReadingOf(mm float64, on string, no int) string {
	return fmt.Sprintf("%g mm, no. %d of %s", mm, no, on)
}

// TakenOut stands where something was.
const TakenOut = "taken out"
