package words

import (
	"fmt"
	"time"
)

var amiss = map[string][3]string{
	"roots dry": {"roots or packing dry", "the roots or their packing are dry",
		"Moisten the packing today: a dry root loses the graft before the callus does."},
	"wax open": {"wax cracked or off", "wax is cracked or off", "Seal the cuts again today; a cut that dries does not callus."},
	"labels gone": {"labels missing or unreadable", "labels are missing or cannot be read",
		"Print them again before the bundle is opened, while it is known whose it is."},
	"mould": {"mould", "there is mould", "Air it, take the mouldy ones out, bring it back to what it is set to."},
}

// AmissName names what a look can find amiss, as beside a box to tick.
func AmissName(what string) string { return amiss[what][0] }

// Amiss says what a look found, and what to do about it.
func Amiss(what string) (says, do string) { return amiss[what][1], amiss[what][2] }

// SeenBy adds who saw it and on which day.
func SeenBy(says, by string, at time.Time) string {
	return fmt.Sprintf("%s (%s, %s)", says, by, at.Local().Format("2 January"))
}

// What is said where a note of something amiss cannot be kept.
const (
	AmissWhere   = "Say first where the tag stands: a place of up to 80 letters."
	AmissUnknown = "Tick what is amiss from the list."
)
