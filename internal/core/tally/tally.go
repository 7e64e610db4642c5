// Package tally counts what hands tap at the bench: which taps count and which
// are kept but refused, what they add up to, and what they move in the ledgers
// of stems and pieces.
//
// A tag has so many grafts planned, for each of which a stem and a piece, or the
// pieces that a stem takes, are laid out. Taps are only ever added; a wrong one is undone by another.
package tally

import "time"

// Kind is what a tap says.
type Kind string

// The kinds of taps.
const (
	Tied         Kind = "tied"
	SpoiledStock Kind = "spoiled stock"
	SpoiledWood  Kind = "spoiled wood"
	Dropped      Kind = "dropped" // a piece
	SetAside     Kind = "set aside"
	Wiped        Kind = "wiped"
	NewBlade     Kind = "new blade"
	Finish       Kind = "finish"
	Undo         Kind = "undo"
)

// Known says whether k is a kind of tap.
func (k Kind) Known() bool {
	switch k {
	case Tied, SpoiledStock, SpoiledWood, Dropped, SetAside, Wiped, NewBlade, Finish, Undo:
		return true
	}
	return false
}

// Moves says whether a tap of this kind moves stems or pieces in the ledgers.
func (k Kind) Moves() bool {
	switch k {
	case SpoiledStock, SpoiledWood, Dropped, SetAside, Finish:
		return true
	}
	return false
}

// WipeAfter is how many grafts call for a wipe of the knife. House default.
const WipeAfter = 40

// Refusal is the code of why a tap is kept but does not count; "" counts.
type Refusal string

// Why taps are refused, for now: they are weighed again whenever more come in.
const (
	UnknownTap    Refusal = "unknown tap" // what it takes back is not known
	TakenBack     Refusal = "taken back"  // already
	DidNotCount   Refusal = "did not count"
	FinishFirst   Refusal = "finish first" // the finish has to be taken back before
	CountedTakes  Refusal = "takes counted"
	TagFinished   Refusal = "finished"
	MoreThanLaid  Refusal = "more than laid"
	NoStockOnHand Refusal = "no stock"
	NoWoodOnHand  Refusal = "no wood"
	NotTheirs     Refusal = "not theirs" // the tag is another worker's
	TagDropped    Refusal = "tag dropped"
	NotPassed     Refusal = "not passed" // a learner's graft that nobody has passed
	Left          Refusal = "left"       // the propagator left it
)

// Decision is what the propagator decided about a tap that did not count.
type Decision string

// The decisions; "" is none.
const (
	Count Decision = "counted"
	Leave Decision = "left"
)

// Tap is one tap as it was kept.
type Tap struct {
	ID       string
	Kind     Kind
	N        int
	At       time.Time // when it was made, as far as its device can tell
	Received time.Time
	Device   string // that it was made on; "" not known
	No       int64  // its place among the device's taps
	Undoes   string // an undo's
	Theirs   bool   // whoever made it has the tag, or had it when it came in
	Decided  Decision
	Refused  Refusal // "" for one that counts
	Undone   bool
}

// Sums are a tag's taps added up.
type Sums struct {
	Tied, SpoiledStock, SpoiledWood, Dropped, SetAside int
	SinceWipe                                          int // tied since the knife was wiped or changed
	Refused                                            int // kept, and not counted
	Finished                                           bool
}

// Add adds up taps, which come in the order in which they were made.
func Add(taps []Tap) Sums {
	var s Sums
	for _, t := range taps {
		switch {
		case t.Refused != "":
			if t.Kind != Undo {
				s.Refused++
			}
		case !t.Undone && t.Kind != Undo:
			s.Count(t.Kind, t.N)
		}
	}
	return s
}

// Count adds one tap that counts. n may be below zero, for one taken back.
func (s *Sums) Count(k Kind, n int) {
	switch k {
	case Tied:
		s.Tied += n
		s.SinceWipe = max(0, s.SinceWipe+n)
	case SpoiledStock:
		s.SpoiledStock += n
	case SpoiledWood:
		s.SpoiledWood += n
	case Dropped:
		s.Dropped += n
	case SetAside:
		s.SetAside += n
	case Wiped, NewBlade:
		s.SinceWipe = 0
	case Finish:
		s.Finished = n > 0
	}
}

// Laid is what lies on the bench for a tag, grafted ones included. A stem takes
// Each pieces; 0 is 1. Passed is how many of its grafts may be bound; nil: all of them.
type Laid struct {
	Stems, Pieces, Each int
	Passed              *int
}

func (l Laid) each() int { return max(1, l.Each) }

// most is how many grafts it makes.
func (l Laid) most() int { return min(l.Stems, l.Pieces/l.each()) }

// Left is how many grafts can still be tied.
func (s Sums) Left(l Laid) int {
	if s.Finished {
		return 0
	}
	return max(0, l.most()-s.Tied)
}

// Weigh says whether a tap that is no undo counts.
func (s Sums) Weigh(k Kind, n int, l Laid) Refusal {
	switch {
	case s.Finished:
		return TagFinished
	case k == Tied && s.Tied+n > l.most():
		return MoreThanLaid
	case k == Tied && l.Passed != nil && s.Tied+n > *l.Passed:
		return NotPassed
	case (k == SpoiledStock || k == SetAside) && s.Tied+n > l.Stems:
		return NoStockOnHand
	case (k == SpoiledWood || k == Dropped) && s.Tied*l.each()+n > l.Pieces, k == SetAside && (s.Tied+n)*l.each() > l.Pieces:
		return NoWoodOnHand
	}
	return ""
}

// WeighUndo says whether the taking back of a tap counts; known is false where
// the tap is not, and counted says that the tag's takes were looked at.
func (s Sums) WeighUndo(of Tap, known, counted bool) Refusal {
	switch {
	case !known:
		return UnknownTap
	case of.Undone:
		return TakenBack
	case of.Kind == Undo || of.Refused != "":
		return DidNotCount
	case s.Finished && of.Kind != Finish:
		return FinishFirst
	case of.Kind == Finish && counted:
		return CountedTakes
	}
	return ""
}
