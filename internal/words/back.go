package words

import "fmt"

// What is said of what was done by one tap, and of its being taken back.
const (
	WayChanged    = "The house way is changed."
	RoundEnded    = "The round is ended."
	RoundGoesOn   = "The round goes on."
	SeenDropped   = "The note is taken back, and the dates are as before."
	SeenStands    = "The note stands again, and the dates go by it."
	DoubtedAgain  = "The reading is in doubt again, and does not count until that is settled."
	LookTakenBack = "The look is taken back."
)

// RainedOff says whether today's walks are rained off.
func RainedOff(off bool) string {
	if off {
		return "Today is rained off."
	}
	return "Today is not rained off."
}

// OrderClosed says that an order is closed, or open again.
func OrderClosed(code string, closed bool) string {
	if closed {
		return fmt.Sprintf("Order %s is closed. It can be opened again on its page.", code)
	}
	return fmt.Sprintf("Order %s is open again.", code)
}

// LabelGone says that a label is dropped.
func LabelGone(code string) string {
	return fmt.Sprintf("Label %s is dropped; its code is given to nothing else.", code)
}

// LabelWaits says that a label waits again.
func LabelWaits(code string) string { return fmt.Sprintf("Label %s waits for its wood again.", code) }

// WrongAgain says that something is amiss again.
func WrongAgain(place, what string) string {
	if place == "" {
		return "It stands as it was noted since."
	}
	return fmt.Sprintf("%s: %s, amiss again.", place, AmissName(what))
}
