package words

import (
	"fmt"
	"strings"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/technique"
)

// OrderStands says how an order stands.
func OrderStands(s supply.Stand) string {
	switch s.State {
	case supply.Unsized:
		return Unsized(s.Why)
	case supply.ShortOfStems:
		return fmt.Sprintf("short by %d stems", s.Short)
	case supply.LaterInYear:
		if s.Opens.IsZero() {
			return "budded in summer"
		}
		return "budded from " + season.Say(s.Opens)
	case supply.WaitsSeason:
		return "grafted from " + season.Say(s.Opens)
	case supply.ShortOfBoth:
		return fmt.Sprintf("short by %d", s.Short)
	case supply.Lacking:
		return "lacks " + strings.Join(s.Lacks, " and ")
	case supply.Delivered:
		return "delivered"
	case supply.Met:
		return "met"
	case supply.Ready:
		return "ready to match"
	}
	return string(s.State)
}

// Gates says what keeps a lot or a bundle out; found is what a look at the
// bundle found.
func Gates(gs []supply.Gate, found string, keepBy time.Time) string {
	out := make([]string, len(gs))
	for i, g := range gs {
		out[i] = Gate(g, found, keepBy)
	}
	return strings.Join(out, "; ")
}

// Gate says one of them.
func Gate(g supply.Gate, found string, keepBy time.Time) string {
	switch g {
	case supply.NotReady:
		return "the last look says not ready"
	case supply.NotSound:
		return "the last look found " + found
	case supply.NotYet:
		return "waits for its second chance until " + season.Say(keepBy)
	case supply.Sown:
		return "stands in the seedbed: lift it or line it out first"
	case supply.PastKeep:
		return "past its day, " + season.Say(keepBy)
	}
	return string(g)
}

// LetIn says that a lot or a bundle was let in although it was seen to be unfit.
func LetIn(code, who, why string) string { return code + " let in by " + who + ": " + why }

// OrderShort says why the weave leaves an order short; shut is how the best of
// its techniques stands when none is open.
func OrderShort(l supply.Shortfall, shut technique.Standing) string {
	switch l {
	case supply.NothingOpen:
		if shut.Reason == "" {
			return "no technique is open"
		}
		return ShutSays(shut)
	case supply.NoStems:
		return "no stock of its type is free and fit"
	case supply.NoPieces:
		return "no wood of the variety is free and fit"
	case supply.NothingFits:
		return "none of its wood fits its stock by a technique that is open"
	case supply.UsedUp:
		return "what fits is used up, by it or by orders that come first"
	}
	return string(l)
}

// BalanceParts says where an order's grafts are, in a few words.
func BalanceParts(b supply.Balance) string {
	var out []string
	for _, p := range []struct {
		n    int
		says string
	}{{b.Delivered, "delivered"}, {b.Alive - b.Delivered, "alive"},
		{b.Doubtful, "doubtful"}, {b.Healing, "healing"}, {b.Bench + b.Rest, "at the bench"}, {b.Dead, "lost"},
		{b.Below, "below grade"}, {b.Elsewhere, "sold elsewhere"}} {
		if p.n > 0 {
			out = append(out, Thousands(p.n)+" "+p.says)
		}
	}
	if len(out) == 0 {
		return "nothing made yet"
	}
	return strings.Join(out, ", ")
}

// Expect says the trees to expect of what there is, with their range, and the
// chance that they are as many as are wanted.
func Expect(b supply.Balance) string {
	return fmt.Sprintf("%.0f trees (%.0f–%.0f) to expect of it, %s or more with a chance of %s", b.Expected.Mean, b.Expected.Low,
		b.Expected.High, Thousands(b.Wanted), Pct(b.Chance))
}

// Balance says an order's balance in a sentence.
func Balance(b supply.Balance) string {
	says := fmt.Sprintf("%s trees wanted: %s", Thousands(b.Wanted), BalanceParts(b))
	if b.Made() > 0 {
		says += "; " + Expect(b)
	}
	if b.ToGo > 0 {
		says += "; " + Thousands(b.ToGo) + " to go"
	}
	return says + "."
}
