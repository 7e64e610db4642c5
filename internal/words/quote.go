package words

import "fmt"

// What is said of a quotation.
const (
	QuoteRule = "what an order comes to"
	QuoteSays = "All that goes into the grafts that the order takes at the house's chance, and the care of those that live, over the " +
		"trees " +
		"delivered. The range is what it comes to where the take runs at either end of its own, and as many grafts are made as it then " +
		"asks for. " +
		"Trees to spare are not set against it."
	QuoteTrees   = "Trees delivered"
	QuoteGrafts  = "Grafts made for them"
	QuoteLive    = "Live of those made"
	QuoteGrade   = "Live trees that make the grade"
	QuoteHours   = "Minutes a graft, all heads"
	QuoteSpoiled = "Stems, pieces a graft, spoiled ones with it"
	QuoteMargin  = "Margin on the cost"
	NotSized     = "This order has no number of grafts yet, so it cannot be priced. Its page says what lacks."
	PriceWanted  = "Type a price from 0.01 to 100,000."
)

// What is said of a cost.
const (
	CostRule = "cost of a live union"
	CostSays = "Stems, wood, ties, seals, labels, hours at the wage and bench days of all grafts made, those spoiled with them, over " +
		"those " +
		"that live; and the care of a live one. The range is the take's: where fewer live, each bears more."
	CostMade      = "Grafts made, stems spoiled; pieces joined, pieces spoiled"
	CostAlive     = "Live of those counted"
	CostHours     = "Hours of all heads"
	CostStemPiece = "A stem, a piece"
	CostTieSeal   = "Tie, and seal and blades, a graft"
	CostHour      = "An hour's wage"
	CostCare      = "Care of a live tree, minutes; a bench day of one head"
	AllShown      = "all that is shown"
)

// CostTitle names the cost of a live union of something.
func CostTitle(of string) string { return "A live union, " + of }

// CostMadeOf says what went into grafts.
func CostMadeOf(grafts, spoiled, pieces, spoiledW int) string {
	return fmt.Sprintf("%s, %s; %s, %s", Thousands(grafts), Thousands(spoiled), Thousands(pieces), Thousands(spoiledW))
}

// QuoteGraftsSay says how many grafts, and how many at either end of the take's range.
func QuoteGraftsSay(n, few, many int) string {
	return fmt.Sprintf("%s, %s–%s", Thousands(n), Thousands(few), Thousands(many))
}

// MarginBetween says what margin may be typed.
func MarginBetween(least, most int) string {
	return fmt.Sprintf("Type a whole number from %d to %d: so many per cent on the cost.", least, most)
}

// PairsSay says whether pairs are cheaper than working alone, and how sure that is.
func PairsSay(cheaper float64) string {
	switch {
	case cheaper >= 0.95:
		return "pairs cost less"
	case cheaper >= 0.8:
		return "pairs likely cost less"
	case cheaper <= 0.05:
		return "working alone costs less"
	case cheaper <= 0.2:
		return "working alone likely costs less"
	}
	return "cannot tell yet"
}
