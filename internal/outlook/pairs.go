package outlook

import (
	"fmt"

	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Compatibility gives a warning for an order's variety on its stock, or "": by
// their sections where these are noted, else by their genera.
func Compatibility(f *snapshot.Snapshot, o store.Order) string {
	scion, stock := o.Genus, o.StockGenus
	if of, on := o.Section, o.StockSection; of != "" && on != "" {
		p, known := snapshot.Pair{Verdict: "usual"}, true
		if scion != stock || of != on {
			p, known = f.SectionPair(scion, of, stock, on)
		}
		return pairSays(of+" "+scion, on+" "+stock, p, known)
	}
	p, known := f.Pair(scion, stock)
	says := pairSays(scion, stock, p, known)
	if p.Verdict == KnownBad {
		return says
	}
	if n := f.SectionsOf(stock); says == "" && len(n) > 1 && len(f.SectionsOf(scion)) > 0 {
		says = fmt.Sprintf(
			words.GoesBySection,
			words.Capital(stock),
			o.Variety,
			o.StockType,
		)
	}
	return says
}

// Verdicts on a pair.
const (
	KnownBad = "known bad"
	withCare = "with care"
)

// pairSays gives a verdict on a pair in words; "" where there is nothing to say.
func pairSays(scion, stock string, p snapshot.Pair, known bool) string {
	note := p.Note
	if note != "" {
		note = ": " + note
	}
	switch {
	case !known:
		return fmt.Sprintf(words.NothingIsKnownHereOf, scion, stock)
	case p.Verdict == KnownBad:
		return fmt.Sprintf(words.KnownBadPair, words.Capital(scion), stock, note)
	case p.Verdict == withCare:
		return fmt.Sprintf(words.PairWithCare, words.Capital(scion), stock, note)
	case note != "":
		return fmt.Sprintf(words.UsualPair, words.Capital(scion), stock, note)
	}
	return ""
}
