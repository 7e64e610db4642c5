package words

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"unionknot/internal/core/tally"
)

// NotATap says that what was sent is no tap that a bench makes.
const NotATap = "This is not a tap that a bench makes: it was not kept. Load the card anew."

// NoSuchTag says that no tag ever bore a code.
func NoSuchTag(code string) string { return "There is no tag " + code + ": the tap was not kept." }

// refusals are why taps do not count.
var refusals = map[tally.Refusal]string{
	tally.UnknownTap:    "the tap to take back is not known here",
	tally.TakenBack:     "it was taken back already",
	tally.DidNotCount:   "it did not count in the first place",
	tally.FinishFirst:   "the tag is finished: take the finish back first",
	tally.CountedTakes:  "the tag's takes were counted before it came in",
	tally.TagFinished:   "the tag was finished before it",
	tally.MoreThanLaid:  "more than was laid out",
	tally.NoStockOnHand: "no stock is left on the bench for this tag",
	tally.NoWoodOnHand:  "no wood is left on the bench for this tag",
	tally.NotTheirs:     "the tag is another worker's",
	tally.TagDropped:    "the tag was dropped, or its batch taken back",
	tally.NotPassed:     "nobody has passed it on the class's board",
	tally.Left:          "the propagator left it",
}

// Refused says why a tap does not count.
func Refused(r tally.Refusal) string {
	if says, ok := refusals[r]; ok {
		return says
	}
	return string(r)
}

// NoSuchTagStands says that taps cannot count on a tag.
func NoSuchTagStands(code string) string {
	return "No tag " + code + " stands: choose one of the list, or leave the taps."
}

// OfOtherStems says that a tag is of another lot or bundle.
func OfOtherStems(code string) string {
	return "Tag " + code + " is of another lot or bundle, so these grafts cannot be on it."
}

// CannotCount says why taps cannot count on a tag, and what to do.
func CannotCount(code string, r tally.Refusal) string {
	says := "On tag " + code + " they cannot count: " + Refused(r) + "."
	switch r {
	case tally.TagDropped:
		return says + " Choose another tag of the same lot and bundle, or make one in Match."
	case tally.MoreThanLaid, tally.NoStockOnHand, tally.NoWoodOnHand:
		return says + " Recount its lot or its bundle first, if there are more; or leave the taps."
	}
	return says
}

// HandedIn says that what another made cannot be handed in from here.
const HandedIn = "These were made by another. They go when they sign in on this device."

// NotWhole says that what a device sent arrived in part.
const NotWhole = "The taps did not arrive whole. They stay on the device and are sent again."

// Settled says what was decided of taps.
func Settled(d tally.Decision, code, on string) string {
	switch {
	case d == tally.Count && on != "" && on != code:
		return "The taps on " + code + " count on " + on + "."
	case d == tally.Count:
		return "The taps on " + code + " count."
	case d == tally.Leave:
		return "The taps on " + code + " are left."
	}
	return "The taps on " + code + " wait for you again."
}

// GivenPassword is how the record of changes names it.
const GivenPassword = "given a password on the console"

// DiskFull says that the database can keep nothing more.
const DiskFull = "The database's disk is full, so nothing new can be kept until there is room on it. What was kept is safe, and what " +
	"tablets hold " +
	"stays on them and goes once there is room. Tell whoever looks after the server."

// NoPicture says that a file is no picture that can be kept.
const NoPicture = "That is no JPEG or PNG picture that can be shown. Save it as JPEG and send it again."

// FileGone says that of a file only its name is left.
const FileGone = "This file is not kept any more: it was dropped, or loaded some months ago. Choose it anew to look at it."

// listNames are what people read for lists that can be taken away.
var listNames = map[string]string{
	"tags": "Tags", "taps": "Taps", "counts": "Counts of takes, corrected ones too", "steps": "Steps done",
	"trees": "Trees lost, sold and planted", "looks": "Looks at stores, wood and stock",
	"learner-looks": "Looks at learners' grafts", "practice": "Practice sheets", "stock-ledger": "Ledger of stems",
	"wood-ledger": "Ledger of wood", "people": "People and what they know", "hours": "Hours at the bench", "changes": "Record of changes",
	"stock": "Stock lots", "wood": "Bundles of wood", "mother-plants": "Mother plants", "all-orders": "Orders",
	"caliper":        "Caliper readings",
	"store-readings": "Readings of stores and boxes",
}

// ListName is what people read for a list.
func ListName(key string) string { return listNames[key] }

// SpanTurned and SheetFull say what is wrong with what is to be taken away.
const (
	NameView   = "Give the view a name of up to 60 letters."
	ViewKept   = "The view is kept. It is yours alone."
	ViewGone   = "The view is let go."
	RowIsGone  = "The row that this went on from was changed or is gone, so the list begins anew."
	SpanTurned = "The last day lies before the first."
	SheetFull  = "That is more than a spreadsheet holds (1,048,575 rows). Choose fewer days, or take it as CSV."
)

// TextTooLong says that a text is longer than is kept.
const TextTooLong = "One of the texts has over 2,000 letters, which is more than is kept. Shorten it: nothing was kept so far."

// WaitYourTurn says that larger pieces of work are done first.
const WaitYourTurn = "Two larger pieces of work are being done here, and this waits for its turn. Nothing of it was begun, and nothing " +
	"changed. " +
	"A page that was looked for comes by itself; a button is pressed again in a moment."

// Busy says that something took too long, and that nothing was done.
const Busy = "Something else holds what this needs. Nothing was done: try again in a moment. What tablets hold stays on them and goes by " +
	"itself."

// PileSort is what people read for a sort of lots or bundles.
func PileSort(sort string) string {
	switch sort {
	case "code":
		return "by code"
	case "stock":
		return "by stock"
	case "variety":
		return "by variety"
	case "free":
		return "most free first"
	case "place":
		return "by place"
	case "cut":
		return "longest cut first"
	}
	return "newest first"
}

// ColumnName is what people read for a column of a list.
func ColumnName(key string) string { return Capital(strings.ReplaceAll(key, "_", " ")) }

// Figure writes a number with as many places as it has, at most two, and its thousands apart.
func Figure(x float64) string {
	if x == math.Trunc(x) {
		return Thousands(int(x))
	}
	return strconv.FormatFloat(math.Round(x*100)/100, 'f', -1, 64)
}

// Cell writes a list's cell: moments as people read them, a long text by its beginning.
func Cell(x any) string {
	switch v := x.(type) {
	case float64:
		return Figure(v)
	case string:
		if t, err := time.Parse(time.RFC3339, v); err == nil {
			return t.Format("2006-01-02 15:04")
		}
		if r := []rune(v); len(r) > 120 {
			return string(r[:120]) + "…"
		}
		return v
	}
	return fmt.Sprint(x)
}
