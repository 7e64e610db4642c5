package words

import (
	"fmt"

	"unionknot/internal/core/season"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/technique"
)

// OrderStands says how an order stands.
func OrderStands(s supply.Stand) string {
	switch s.State {
	case supply.Unsized:
		return s.Why
	case supply.ShortOfStems:
		return fmt.Sprintf("short by %d stems", s.Short)
	case supply.LaterInYear:
		if s.Opens.IsZero() {
			return "budded in summer"
		}
		return "budded from " + season.Say(s.Opens)
	case supply.ShortOfBoth:
		return fmt.Sprintf("short by %d", s.Short)
	case supply.Ready:
		return "ready to match"
	}
	return string(s.State)
}

// OrderShort says why the weave leaves an order short; shut is how the best of
// its techniques stands when none is open.
func OrderShort(l supply.Shortfall, shut technique.Standing) string {
	switch l {
	case supply.NothingOpen:
		if shut.Reason == "" {
			return "no technique is open"
		}
		return ShutSays(shut)
	case supply.NoStems:
		return "no stock of its type is free"
	case supply.NoPieces:
		return "no wood of the variety is free"
	case supply.NothingFits:
		return "none of its wood fits its stock by a technique that is open"
	case supply.UsedUp:
		return "what fits is used up, by it or by orders that come first"
	}
	return string(l)
}
