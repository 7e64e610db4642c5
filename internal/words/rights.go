package words

import "fmt"

// NotYoursToThrow tells a bench hand who throws out.
const NotYoursToThrow = "Throwing out is the propagator's. Leave this empty and note what you found: it stands on Today until it is " +
	"dealt with."

// NotYourAct tells a bench hand that another's work is not theirs to take back.
const NotYourAct = "Somebody else did that: they or the propagator take it back."

// AnothersCount tells a bench hand whose count it is.
func AnothersCount(who string) string {
	return fmt.Sprintf("%s counted this. If your count differs, tell %s or the propagator, who can correct it.", who, who)
}
