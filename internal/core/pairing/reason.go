package pairing

import (
	"fmt"

	"unionknot/internal/core/technique"
)

// Cause is why something is left over or not joined.
type Cause string

// Why a class is left over, or a pair is not joined.
const (
	NoneAsks    Cause = "none-asks"    // no order asks for it
	NoneAtHand  Cause = "none-at-hand" // there is nothing it could go with
	NoneOpen    Cause = "none-open"    // no technique is open, and it is not known when one is
	Shut        Cause = "shut"         // no technique is open
	Unfit       Cause = "unfit"        // a technique's limit
	KeptApart   Cause = "kept-apart"   // banned
	TooCostly   Cause = "too-costly"   // a graft would lose more than leaving it out
	OrderFilled Cause = "filled"       // the one order that asks for it is filled
	AllFilled   Cause = "all-filled"   // every order that it fits is filled
	UsedUp      Cause = "used-up"      // what fits it is used up
	Odd         Cause = "odd"          // too few pieces for a stem, which takes several
)

// What else WhyNot answers.
const (
	NoSuch    Cause = "no-such"    // the lot or the bundle has none of that class for the order
	Joined    Cause = "joined"     // they are joined
	Spared    Cause = "spared"     // the order is filled by closer or safer pairs
	SpokenFor Cause = "spoken-for" // the stems or the pieces are in other threads
	Dearer    Cause = "dearer"     // it fits, and would cost the programme more elsewhere
)

// What keeps a thread from being held.
const (
	NoOrder   Cause = "no-order"   // there is no such order
	OrderHas  Cause = "order-has"  // the order wants fewer
	LotHas    Cause = "lot-has"    // the lot has fewer of that class for it
	BundleHas Cause = "bundle-has" // the bundle has fewer of that class for it
	NotByIt   Cause = "not-by-it"  // others join them; the technique asked for is shut or does not
)

// HeldError says that a thread cannot be held, and why; it is an ErrHeld.
type HeldError struct {
	Thread Thread
	Reason Reason
	Has    int // with OrderHas, LotHas and BundleHas, how many there are
}

// Error says it for a log.
func (e *HeldError) Error() string {
	t := e.Thread
	return fmt.Sprintf("%v: %d of %s %s with %s %s for %s: %s (%d)",
		ErrHeld, t.N, t.Lot, t.Stock, t.Bundle, t.Scion, t.Order, e.Reason.Cause, e.Has)
}

// Unwrap gives ErrHeld.
func (e *HeldError) Unwrap() error { return ErrHeld }

// Reason is why a class is left over, or why two are not joined. Two reasons
// are the same when they are equal.
type Reason struct {
	Cause  Cause
	Wood   bool               // of wood; of stems otherwise
	Misfit technique.Misfit   // with Unfit
	Shut   technique.Standing // with Shut
}

// Answer is WhyNot's, about the pair asked after.
type Answer struct {
	Reason
	Ask            Pair
	Stock, Variety string   // that the order wants
	Threads        []Thread // the one with Joined, those that have them with SpokenFor
}

func (o *want) closed() Reason {
	if o.Order.Shut == (technique.Standing{}) {
		return Reason{Cause: NoneOpen}
	}
	return Reason{Cause: Shut, Shut: o.Order.Shut}
}
