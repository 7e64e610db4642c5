package tally

import (
	"cmp"
	"slices"
)

// Account is where stems or pieces are held.
type Account string

// The accounts of a ledger that the bench moves between.
const (
	Free    Account = "free"
	Aside   Account = "aside" // set aside for a batch
	Grafted Account = "grafted"
	Spoiled Account = "spoiled"
	Lost    Account = "lost"
	Outside Account = "outside" // beyond the gate
)

// Reason is why stems or pieces moved.
type Reason string

// The reasons of the ledgers' lines; a note may stand beside them.
const (
	Received         Reason = "received"
	Cut              Reason = "cut"
	SetAsideForBatch Reason = "set aside"
	BatchTakenBack   Reason = "batch taken back"
	WasGrafted       Reason = "grafted"
	FinishTakenBack  Reason = "finish taken back"
	WasSpoiled       Reason = "spoiled"
	SpoiledTakenBack Reason = "spoiled taken back"
	HandedBack       Reason = "handed back"
	LeftOver         Reason = "left over"
	DrawnAnew        Reason = "drawn anew"
	Recounted        Reason = "recount"
	CameBack         Reason = "came back"          // of stocks whose graft failed; the note is the lot they became
	ThrownOut        Reason = "thrown out"         // after a look; the note is what was found
	DroppedAtCutting Reason = "dropped at cutting" // the note is how many sticks
	ByHand           Reason = "by hand"            // the note says why
	Lifted           Reason = "lifted"             // with those below, the note is the lot they became
	Potted           Reason = "potted"
	HeeledIn         Reason = "heeled in"
	LinedOut         Reason = "lined out"
	PutRight         Reason = "put right" // what came in was typed wrong
)

// Move is a line to write: n from one account to another, MM the middle of the
// diameter class, in mm.
type Move struct {
	N        int
	From, To Account
	Reason   Reason
	MM       float64
}

// Class is so many grafts of one diameter class, MM its middle.
type Class struct {
	MM float64
	N  int
}

// Side is one side of a tag's postings: its stems or its pieces.
type Side struct {
	Planned int             // stems or pieces
	Each    int             // of them to a graft; 0 is 1
	Spoiled int             // of this side, by the taps
	Posted  map[Account]int // net of what moved out of aside so far
	Free    int             // that can be drawn anew
	Classes []Class         // laid out, the thickest first
}

// Settle gives the moves that bring a side's ledger in line with the taps, and
// applies them to Posted. What was spoiled leaves what was set aside, and
// another is drawn from what is free, if there is any, to be cut again.
// Finishing moves the tied ones to grafted and gives back the rest. What comes
// back to aside comes first, so that no account dips below zero.
func (d *Side) Settle(s Sums) []Move {
	each := max(1, d.Each)
	grafted, back := 0, s.SetAside*each-d.Spoiled // what was spoiled is drawn anew
	if s.Finished {
		grafted, back = s.Tied*each, d.Planned-s.Tied*each-d.Spoiled
	}
	out := d.shift(nil, Grafted, grafted-d.Posted[Grafted], WasGrafted, FinishTakenBack)
	out = d.shift(out, Spoiled, d.Spoiled-d.Posted[Spoiled], WasSpoiled, SpoiledTakenBack)
	n := back - d.Posted[Free]
	if n < 0 {
		n = -min(-n, d.Free) // draw no more than there is
	}
	why := HandedBack
	if s.Finished {
		why = LeftOver
	}
	out = d.shift(out, Free, n, why, DrawnAnew)
	slices.SortStableFunc(out, func(a, b Move) int { return cmp.Compare(away(a), away(b)) })
	return out
}

// away is 0 for what comes back to aside, 1 for what leaves it.
func away(m Move) int {
	if m.To == Aside {
		return 0
	}
	return 1
}

// shift moves n from aside to an account, or −n from it to aside, each class on
// a line of its own from the thinnest laid out upward.
func (d *Side) shift(out []Move, to Account, n int, gone, back Reason) []Move {
	m := Move{From: Aside, To: to, Reason: gone}
	d.Posted[to] += n
	if n < 0 {
		n, m = -n, Move{From: to, To: Aside, Reason: back}
	}
	for i := len(d.Classes) - 1; i >= 0 && n > 0; i-- {
		m.N, m.MM = min(n, d.Classes[i].N), d.Classes[i].MM
		if i == 0 {
			m.N = n
		}
		out = append(out, m)
		n -= m.N
	}
	return out
}

// Back is how many of those planned are neither on the bench any more nor
// grafted: spoiled or handed back, less what was drawn anew.
func (d *Side) Back() int {
	n := 0
	for a, k := range d.Posted {
		if a != Grafted {
			n += k
		}
	}
	return n
}
