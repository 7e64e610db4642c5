package words

import (
	"fmt"
	"time"
)

// CountNames are how the counts of a tag are called, by look.
var CountNames = map[string]string{"first look": "First count", "take look": "Second count", "bud look": "Bud-break count",
	"end of season": "Season-end count"}

// MoreThanTied refuses a first count of more grafts than were tied.
func MoreThanTied(taken, doubtful, dead, stood int) string {
	return fmt.Sprintf("%d alive + %d doubtful + %d dead = %d, but only %d were tied on this tag. Check the three numbers.",
		taken, doubtful, dead, taken+doubtful+dead, stood)
}

// MoreThanStood refuses a later count that adds up to more than stood after the one before.
func MoreThanStood(taken, doubtful, dead, stood int, last time.Time) string {
	return fmt.Sprintf("%d alive + %d doubtful + %d dead = %d, but only %d stood after the last count (%s). "+
		"Dead are those that died since then.", taken, doubtful, dead, taken+doubtful+dead, stood, last.Format("2 January 2006"))
}

// MoreThanDied refuses a later count of more alive than could be.
func MoreThanDied(all, stood, died int) string {
	return fmt.Sprintf("You counted %d, but %d stood after the last count and only %d were counted dead before. Check the numbers.",
		all, stood, died)
}

// MoreAlive asks about a later count with more alive than stood after the one before.
func MoreAlive(alive, stood int, last time.Time) string {
	return fmt.Sprintf("%d alive or doubtful, but only %d stood after the last count (%s). Count again, or confirm that %d counted dead "+
		"then are alive.", alive, stood, last.Format("2 January 2006"), alive-stood)
}

// RestOf asks about grafts that stood and that a count has in none of its numbers.
func RestOf(taken, doubtful, dead, stood int) string {
	return fmt.Sprintf("%d alive + %d doubtful + %d dead = %d of %d that stood: %d are missing. Are they dead, or not counted?",
		taken, doubtful, dead, taken+doubtful+dead, stood, stood-taken-doubtful-dead)
}

// LaterCountHasMore refuses a count that leaves less than a later count found.
func LaterCountHasMore(on time.Time, alive, dead, stood int) string {
	return fmt.Sprintf("The later count of %s has %d alive and %d dead, but with this count only %d stood then. "+
		"Correct the later count first.", on.Format("2 January 2006"), alive, dead, stood)
}

// What is said of steps that are dismissed, and of trees that go.
const (
	DismissWhy    = "Give the reason why this step is dismissed."
	PotWhere      = "Say where the potted trees stand now."
	NoDay         = "That is not a date. Type it as year-month-day."
	DayTooFarBack = "That day is more than two years back. Check the date."
	WhichTag      = "Several tags stand here: choose the tag."
)

// PotFirst refuses a cane before its pot.
func PotFirst(code string) string {
	return code + " is not potted yet: mark Pot done first, then the cane."
}

// TreesDiffer refuses a number of trees that is not that of its tags.
func TreesDiffer(n, said int) string {
	return fmt.Sprintf("You gave %d trees, but the tags add up to %d. Check the numbers.", n, said)
}

// MoreThanSent refuses more trees back than went.
func MoreThanSent(n, sent int) string {
	return fmt.Sprintf("You gave %d trees, but only %d went there from this tag.", n, sent)
}

// NoSuchOrder and OtherTrees refuse an order that trees cannot be delivered to.
func NoSuchOrder(code string) string {
	return fmt.Sprintf("There is no order %s. Choose one from the list.", code)
}

// OtherTrees refuses an order of another variety or rootstock.
func OtherTrees(order, tag string) string {
	return fmt.Sprintf("Order %s is for another variety or rootstock than tag %s.", order, tag)
}

// BuyerNeeded and TypeTrees say what a form of trees lacks.
const (
	BuyerNeeded = "Name the buyer: these trees go to no order."
	TypeTrees   = "Type how many trees of at least one tag."
)

// TreesDone says what was done with trees.
func TreesDone(kind string, n, tags int) string {
	did := map[string]string{"sold": "delivered or sold", "planted": "planted out", "returned": "returned", "below": "moved to below grade",
		"lost": "noted as lost", "moved": "moved"}[kind]
	if tags == 1 {
		return fmt.Sprintf("%s trees %s.", Thousands(n), did)
	}
	return fmt.Sprintf("%s trees of %d tags %s.", Thousands(n), tags, did)
}

// CameBackSince refuses to undo a delivery of which trees have come back.
func CameBackSince(code string) string {
	return fmt.Sprintf("Trees of tag %s that this delivered have come back since. Undo the return first.", code)
}

// MovesWhole refuses to move a part of a tag.
func MovesWhole(code string, standing int) string {
	return fmt.Sprintf("Tag %s moves as a whole: type %d, all that stand.", code, standing)
}
