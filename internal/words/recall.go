package words

import (
	"fmt"
	"time"
)

// What is said of recalls.
const (
	RecallWhat  = "Choose what is recalled from the list."
	RecallWhich = "Say which: its code, its name, or the day."
	HeldLabel   = "HELD: do not sell"
)

// RecallKind names what tags are recalled by.
func RecallKind(kind string) string {
	switch kind {
	case "plant":
		return "a mother plant"
	case "bundle":
		return "a bundle of wood"
	case "lot":
		return "a stock lot"
	case "supplier":
		return "a supplier of stock"
	case "worker":
		return "a worker"
	case "tool":
		return "a tool"
	case "day":
		return "a day at the bench"
	case "store":
		return "a store that wood lay in"
	case "box":
		return "a box, room or bed that grafts stood in"
	case "variety":
		return "a variety"
	}
	return "an order"
}

// HeldNow says how many tags were held, or released.
func HeldNow(n int, held bool) string {
	does := "released"
	if held {
		does = "held"
	}
	switch n {
	case 0:
		return "None was left to be " + does + "."
	case 1:
		return "1 tag is " + does + "."
	}
	return fmt.Sprintf("%d tags are %s.", n, does)
}

// NotSoldHeld says why trees of a tag cannot be sold.
func NotSoldHeld(code, reason string, at time.Time) string {
	return fmt.Sprintf("%s is held since %s: %s. Nothing of it is sold or planted out until it is released, under Recall.", code,
		at.Local().Format("2 Jan"), reason)
}
