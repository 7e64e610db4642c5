package words

import "fmt"

// What is said of pairs of a cutter and a tier.
const (
	TwoNames   = "Somebody who cuts and ties does both: leave who ties open, or choose another."
	CutsOrTies = "Somebody stands among those who cut and those who tie. Choose each for one of the two."
)

// TierNeedsCutter says that nobody ties what nobody cuts.
const TierNeedsCutter = "Somebody has to cut what another ties: choose who cuts, or let the one who ties make the tag alone."

// TierAway says that who ties for somebody is not there.
func TierAway(name string) string {
	return name + " ties here and is away: plan the days again, or hand the tags over"
}

// NotAtTheBench says that somebody cannot be given grafts to make.
func NotAtTheBench(name string) string { return name + " does not work at the bench." }

// BudsAStock names how many buds each stock gets, and PiecesToGo the pieces that
// grafts still to be made take.
const (
	BudsAStock = "Buds on each stock"
	PiecesToGo = "Pieces for the grafts to go"
)

// OneOfBuds says what a stock's take is when one of its buds suffices.
func OneOfBuds(n int, each float64) string {
	return fmt.Sprintf("%d, of which one suffices; each takes %s, and they are taken to fail together in part", n, Pct(each))
}

// ForStocks says for how many stocks pieces suffice.
func ForStocks(each, pieces, stocks int) string {
	return fmt.Sprintf("%d: %d pieces, less what orders before it take, are enough for %d stocks", each, pieces, stocks)
}

// TwoBudsStep is the card's step of setting the second bud, by whether it stands in
// the row.
const TwoBudsStep = "Two buds a stock: the second on the other side, 3 to 5 cm higher. Tie each; the better is kept."

// OddPiece says why a piece is left over.
const OddPiece = "too few for a stock, which takes two"

// BothOf says that more stocks cannot have both buds alive than have one.
func BothOf(both, taken int) string {
	return fmt.Sprintf("Both buds live on at most as many stocks as took: you gave %d of %d. Nothing was kept: look again.", both, taken)
}

// What moved the take, of where on the shoot wood is from.
const (
	WoodFromMiddle = "Wood from the middle of the shoot"
	WoodFromOuter  = "Wood from its outer part"
	BesideBase     = "beside its base"
)

// KeepBetter says what is done, or was, with stocks on which both buds live; the
// other bud is a bud of wood that bought the choice.
func KeepBetter(both int, done bool) string {
	if both == 0 {
		return ""
	}
	if done {
		return fmt.Sprintf("Both buds lived on %s: the better was kept, and %s cut out.", stocks(both), buds(both))
	}
	return fmt.Sprintf("Both buds live on %s: keep the better of each, cut the other out (%s of wood spent on the choice).", stocks(both),
		buds(both))
}

func stocks(n int) string { return count(n, "stock", "stocks") }

func buds(n int) string { return count(n, "bud", "buds") }
