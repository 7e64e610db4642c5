package words

import (
	"fmt"
	"strings"
)

// MeetingsSay says what the drawing of who meets which lot shows.
const MeetingsSay = "Workers across, stock lots down: rings are the plan as hands are free, discs the plan whose counts tell"

// The answers to who grafts which lot, as the house's ways have them.
const (
	AsFree           = "as hands are free"
	SoThatCountsTell = "so that counts tell"
)

// FirstName is a person's first name.
func FirstName(name string) string {
	first, _, _ := strings.Cut(name, " ")
	return first
}

// Apart says how wide the 90 % range of a difference is, in trees of a hundred.
func Apart(half float64) string { return fmt.Sprintf("± %.1f", 100*half) }
