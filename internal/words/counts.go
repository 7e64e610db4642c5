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
	return fmt.Sprintf("%d alive + %d doubtful + %d dead = %d, but only %d stood after the last count (%s). Dead are those that died since "+
		"then.", taken, doubtful, dead, taken+doubtful+dead, stood, last.Format("2 January 2006"))
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
	return fmt.Sprintf("The later count of %s has %d alive and %d dead, but with this count only %d stood then. Correct the later count first.",
		on.Format("2 January 2006"), alive, dead, stood)
}
