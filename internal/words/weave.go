package words

import (
	"fmt"
	"strings"

	"unionknot/internal/core/pairing"
	"unionknot/internal/core/technique"
)

// Misfit says what keeps a stem and a piece apart; "" for nothing.
func Misfit(m technique.Misfit) string {
	switch m.Limit {
	case technique.StockThin:
		return fmt.Sprintf("stock under %g mm", m.MM)
	case technique.StockThick:
		return fmt.Sprintf("stock over %g mm", m.MM)
	case technique.WoodWider:
		return "wood wider than the stock"
	case technique.RatioHigh:
		return fmt.Sprintf("wood over %.0f %% of the stock", m.Ratio*100)
	case technique.RatioLow:
		return fmt.Sprintf("wood under %.0f %% of the stock", m.Ratio*100)
	case technique.WoodState:
		return "the wood is " + m.State
	case technique.WoodOutOfSeason:
		return "out of season for wood that is " + m.State
	case technique.StockStands:
		return "not done where this stock stands"
	case technique.WoodBuds:
		return fmt.Sprintf("pieces of %d buds", m.Buds)
	}
	return string(m.Limit)
}

// LeftOver says why stems or pieces are left over, or why two are not joined.
func LeftOver(r pairing.Reason) string {
	self, others := "stock", "wood"
	if r.Wood {
		self, others = others, self
	}
	switch r.Cause {
	case pairing.NoneAsks:
		return "no order asks for this " + self
	case pairing.NoneAtHand:
		return "no " + others + " at hand"
	case pairing.NoneOpen:
		return "no technique is open"
	case pairing.Shut:
		return ShutSays(r.Shut)
	case pairing.Unfit:
		return Misfit(r.Misfit)
	case pairing.KeptApart:
		return "kept apart by hand"
	case pairing.TooCostly:
		return "a graft of it would lose more than leaving it out"
	case pairing.OrderFilled:
		return "not needed: the order is filled"
	case pairing.AllFilled:
		return "not needed: the orders it fits are filled"
	case pairing.Odd:
		return OddPiece
	case pairing.UsedUp:
		return "the " + others + " that fits it is used up"
	}
	return string(r.Cause)
}

// NotJoined answers why a stem class and a piece class are not joined.
func NotJoined(a *pairing.Answer) string {
	switch a.Cause {
	case pairing.NoOrder:
		return "no order " + a.Ask.Order + " waits to be woven"
	case pairing.NoSuch:
		if a.Wood {
			return fmt.Sprintf("bundle %s has no pieces of %s mm for order %s, which wants %s", a.Ask.Bundle, a.Ask.Scion, a.Ask.Order,
				a.Variety)
		}
		return fmt.Sprintf("lot %s has no stems of %s mm for order %s, which wants %s", a.Ask.Lot, a.Ask.Stock, a.Ask.Order, a.Stock)
	case pairing.Joined:
		return fmt.Sprintf("%d are joined by %s", a.Threads[0].N, a.Threads[0].Way)
	case pairing.Spared:
		return "not needed: the order is filled by closer or safer pairs"
	case pairing.SpokenFor:
		return spokenFor(a)
	case pairing.Dearer:
		return "it fits, but joining these would cost the programme more elsewhere"
	}
	return LeftOver(a.Reason)
}

func spokenFor(a *pairing.Answer) string {
	const told = 3
	var to []string
	for _, t := range a.Threads[:min(told, len(a.Threads))] {
		if a.Wood {
			to = append(to, fmt.Sprintf("%d with %s of %s for %s", t.N, t.Stock, t.Lot, t.Order))
		} else {
			to = append(to, fmt.Sprintf("%d with %s of %s for %s", t.N, t.Scion, t.Bundle, t.Order))
		}
	}
	says := "spoken for: the stems go "
	if a.Wood {
		says = "spoken for: the pieces go "
	}
	says += strings.Join(to, ", ")
	if n := len(a.Threads) - told; n > 0 {
		says += fmt.Sprintf(" and %d more", n)
	}
	return says
}

// NotHeld says which thread cannot be held, and why.
func NotHeld(e *pairing.HeldError) string {
	t := e.Thread
	says := fmt.Sprintf("%d of lot %s, %s mm, with bundle %s, %s mm, for order %s cannot be held: ",
		t.N, t.Lot, t.Stock, t.Bundle, t.Scion, t.Order)
	switch e.Reason.Cause {
	case pairing.NoOrder:
		return says + "there is no such order"
	case pairing.OrderHas:
		return says + fmt.Sprintf("the order wants %d more", e.Has)
	case pairing.LotHas:
		return says + fmt.Sprintf("the lot has %d of that class for it", e.Has)
	case pairing.BundleHas:
		return says + fmt.Sprintf("the bundle has %d of that class for it", e.Has)
	case pairing.NotByIt:
		return says + "that technique is shut, or does not join them"
	}
	return says + LeftOver(e.Reason)
}
