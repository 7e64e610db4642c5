package words

import (
	"fmt"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/own"
	"unionknot/internal/core/season"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/technique"
)

// Bound says what makes a span's last day its last.
func Bound(s technique.Span) string {
	switch s.By {
	case technique.WoodKeeps:
		return "its wood keeps no longer"
	case technique.SeasonShuts:
		return "its season shuts"
	case technique.SeasonOver:
		return "its season is over: " + Standing(s.Standing)
	case technique.OpensTooLate:
		return "its season opens " + season.Say(s.First) + ", when the wood keeps no longer"
	case technique.CutTooLate:
		return "its wood is cut " + season.Say(s.First) + ", when its season is shut"
	}
	return string(s.By)
}

// Lack says what keeps grafts off every half-day.
func Lack(l benchday.Lack) string {
	switch l {
	case benchday.NobodyKnows:
		return "nobody at the bench knows it"
	case benchday.NobodyThere:
		return "nobody who knows it is there on those days"
	case benchday.NoWholeRoom:
		return "no half-day has room for the whole tag"
	case benchday.NoRoom:
		return "every half-day is full"
	}
	return string(l)
}

// techniqueShort is a word for each technique, by its key, where there is no room
// for its name.
var techniqueShort = map[string]string{"splice": "splice", "whip-and-tongue": "tongue", "cleft-one-side": "cleft",
	"off-centre-cleft": "off-c.", "saddle": "saddle", "tool-cut": "tool", "side-veneer": "veneer", "bark-flap": "flap",
	"rind-graft": "rind",
	"chip-bud":   "chip", "t-bud": "T-bud"}

// TechniqueShort is a word for a technique, by its key.
func TechniqueShort(key string) string {
	if s := techniqueShort[own.Base(key)]; s != "" && own.Is(key) {
		return s + "*"
	} else if s != "" {
		return s
	}
	return key
}

// LeastLate says how few grafts any plan has late; rest is how many stand on no
// day yet, which such a plan has too.
func LeastLate(n, rest int) string {
	if rest > 0 {
		return fmt.Sprintf("no plan of these tags and of the %d grafts on no day has fewer than %d late", rest, n)
	}
	return fmt.Sprintf("no plan of these tags has fewer than %d late", n)
}

// MakeReady says what is done to stems of a form on the day before they are
// worked.
func MakeReady(form string) string {
	switch form {
	case supply.Potted:
		return "water, strip below the cut, take off what would drip on the union, set out by size"
	case supply.Roots, supply.Cuttings:
		return "wash, cut to length, mark which end is up, keep damp"
	case supply.InRow, supply.Seedbed:
		return "strip below the cut, take off what would drip on the union, wet dry soil"
	}
	return "wash, trim the roots, strip below the cut, sort by size, keep the roots covered"
}

// Trouble says what a plan's check found.
func Trouble(t benchday.Trouble) string {
	switch t.Kind {
	case benchday.Unknown:
		return fmt.Sprintf("%s does not know %s", t.Worker, t.Technique)
	case benchday.Early:
		return "its stock, wood or season is not there yet"
	case benchday.Late:
		return "past its last day"
	case benchday.Full:
		return fmt.Sprintf("%s: %.0f min over the half-day", t.Worker, max(1, t.Over*60))
	case benchday.Away:
		return t.Worker + " is not there"
	case benchday.Alone:
		return "one worker has all of lot " + t.Lot
	case benchday.NoSeat:
		if t.Technique != "" {
			return fmt.Sprintf("more than %d at %s", t.Most, t.Technique)
		}
		return fmt.Sprintf("more than %d at the bench", t.Most)
	}
	return t.Kind
}
