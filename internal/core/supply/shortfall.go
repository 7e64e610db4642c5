package supply

// Shortfall is why the weave of all orders leaves one short.
type Shortfall string

// Why the weave of all orders leaves one short, the first that holds.
const (
	NothingOpen Shortfall = "shut"     // no technique is open for it
	NoStems     Shortfall = "no-stock" // no stock of its type is free
	NoPieces    Shortfall = "no-wood"  // no wood of its variety is free
	NothingFits Shortfall = "no-fit"   // no technique that is open joins what is free
	UsedUp      Shortfall = "used-up"  // what fits is used up, by it or by orders that come first
)

// ShortfallOf gives why an order is short, or "" when it is not: whether a technique
// is open for it, the stems and pieces free for it, whoever else wants them, and
// whether an open technique joins any of them.
func ShortfallOf(short int, open bool, stems, pieces int, fits bool) Shortfall {
	switch {
	case short == 0:
		return ""
	case !open:
		return NothingOpen
	case stems == 0:
		return NoStems
	case pieces == 0:
		return NoPieces
	case !fits:
		return NothingFits
	}
	return UsedUp
}
