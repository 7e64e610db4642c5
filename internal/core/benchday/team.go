package benchday

import (
	"cmp"
	"slices"
)

// Split is a way of sharing the work of one technique among some people.
type Split struct {
	Cutters, Tiers int
	Solo           bool    // everybody cuts and ties their own
	PerHour        float64 // grafts
	Cents          float64 // wages a graft
	Idle           float64 // share of the people's time that one side waits for the other
}

// Splits works out every way of sharing n people: with cut hours a and tie
// hours b a graft, c cutters and t tiers make min(c ÷ a, t ÷ b) an hour; the
// most grafts first. Wages are cents an hour; a solo hand earns a cutter's.
func Splits(n int, a, b, cutterCents, tierCents float64) []Split {
	if n < 1 || !(a > 0) || !(b > 0) {
		return nil
	}
	solo := float64(n) / (a + b)
	out := []Split{{Solo: true, Cutters: n, PerHour: solo, Cents: float64(n) * cutterCents / solo}}
	for c := 1; c < n; c++ {
		t := n - c
		per := min(float64(c)/a, float64(t)/b)
		out = append(out, Split{Cutters: c, Tiers: t, PerHour: per, Cents: (float64(c)*cutterCents + float64(t)*tierCents) / per,
			Idle: 1 - per*(a+b)/float64(n)})
	}
	slices.SortStableFunc(out, func(x, y Split) int { return cmp.Or(compare(y.PerHour, x.PerHour), compare(x.Cents, y.Cents)) })
	return out
}
