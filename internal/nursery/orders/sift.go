package orders

import (
	"cmp"
	"slices"
	"strings"

	"unionknot/internal/outlook"
)

// Sort is what a list of orders is sorted by.
type Sort string

// The sorts: as orders draw on what there is, by the day wanted, by what is to go, by variety.
const (
	ByTurn    Sort = ""
	ByDay     Sort = "day"
	ByToGo    Sort = "togo"
	ByVariety Sort = "variety"
)

// Sorts are all of them.
var Sorts = []Sort{ByTurn, ByDay, ByToGo, ByVariety}

// Sieve is which orders are shown, and in which order.
type Sieve struct {
	Find    string // words, all of which must stand in code, names or buyer, however written
	Lacking bool   // only those that lack something
	Sort    Sort
}

// All says that the sieve holds nothing back.
func (s Sieve) All() bool { return strings.TrimSpace(s.Find) == "" && !s.Lacking }

// Sift gives the lines that pass, sorted; the lines themselves stay as they are. Each is
// reckoned beside all the others, shown or not.
func (s Sieve) Sift(lines []outlook.OrderLine) []outlook.OrderLine {
	words := strings.Fields(strings.ToLower(s.Find))
	var out []outlook.OrderLine
	for _, l := range lines {
		o := l.Order
		text := strings.ToLower(strings.Join([]string{o.Code, o.Variety, o.StockType, o.Genus, o.StockGenus, o.Buyer, o.Section}, " "))
		if s.Lacking && len(l.Means.Lacking()) == 0 ||
			slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) }) {
			continue
		}
		out = append(out, l)
	}
	switch s.Sort {
	case ByDay:
		slices.SortStableFunc(out, func(a, b outlook.OrderLine) int { return a.Order.DueOn.Compare(b.Order.DueOn) })
	case ByToGo:
		slices.SortStableFunc(out, func(a, b outlook.OrderLine) int { return cmp.Compare(b.ToGo, a.ToGo) })
	case ByVariety:
		slices.SortStableFunc(out, func(a, b outlook.OrderLine) int {
			return cmp.Or(strings.Compare(a.Order.Variety, b.Order.Variety), strings.Compare(a.Order.StockType, b.Order.StockType))
		})
	}
	return out
}
