package supply

import "time"

// State is how an order stands.
type State string

// The states of an order.
const (
	Unsized      State = "unsized" // no number of grafts is known for it
	Closed       State = "closed"
	Met          State = "met"         // those counted alive suffice
	Delivered    State = "delivered"   // all trees wanted have gone to its buyer
	AllGrafted   State = "all grafted" // and not all counted
	AtTheBench   State = "at the bench"
	ShortOfStems State = "short of stems" // of an order whose wood is cut in summer
	LaterInYear  State = "later"          // budded with the coming summer's wood: nothing lacks
	WaitsSeason  State = "waits"          // on a limb of a tree: its season is to come, and nothing else lacks
	NoneOfEither State = "no stock and no wood"
	NoStock      State = "no stock"
	NoWood       State = "no wood"
	ShortOfBoth  State = "short"
	Lacking      State = "lacking" // stock and wood suffice; workers or days do not
	Ready        State = "ready"   // what could be woven suffices
)

// Unknown is why an order has no size.
type Unknown string

// Why an order has no size.
const (
	NoTechnique Unknown = "no-technique" // none is in use
	NoNumber    Unknown = "no-number"    // none gives the chance
)

// Standing is what an order's state follows from.
type Standing struct {
	Sized      bool // a number of grafts is known
	Closed     bool
	Delivered  bool // the trees wanted have gone to its buyer
	Met        bool // those counted alive give the trees, with the chance planned with
	ToGo       int  // grafts on no batch
	Unfinished int  // batches to share out, and tags not finished
	Stems      int  // of its stock type that could be woven, whoever else wants them
	Pieces     int  // of its variety that could be
	Summer     bool
	Shut       bool // the summer's window is not open yet
}

// Stands gives an order's state, and how many grafts it is short of.
func (s Standing) Stands() (State, int) {
	switch {
	case s.Closed:
		return Closed, 0
	case s.Delivered:
		return Delivered, 0
	case !s.Sized:
		return Unsized, 0
	case s.Met:
		return Met, 0
	case s.ToGo == 0 && s.Unfinished == 0:
		return AllGrafted, 0
	case s.ToGo == 0:
		return AtTheBench, 0
	case s.Summer && s.Stems < s.ToGo:
		return ShortOfStems, s.ToGo - s.Stems
	case s.Summer && s.Shut:
		return LaterInYear, 0
	case s.Stems == 0 && s.Pieces == 0:
		return NoneOfEither, s.ToGo
	case s.Stems == 0:
		return NoStock, s.ToGo
	case s.Pieces == 0:
		return NoWood, s.ToGo
	case min(s.Stems, s.Pieces) < s.ToGo:
		return ShortOfBoth, s.ToGo - min(s.Stems, s.Pieces)
	}
	return Ready, 0
}

// Stand is an order's state with what is told of it.
type Stand struct {
	State State
	Short int       // grafts
	Lacks []string  // what, with Lacking
	Opens time.Time // when it can be budded, where that is later; zero: not known
	Why   Unknown   // why it has no size
}
