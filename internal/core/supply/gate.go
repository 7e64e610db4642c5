package supply

import "time"

// Gate is what keeps a lot or a bundle from being woven, whatever its sizes and
// the season: what was seen of it last.
type Gate string

// The gates.
const (
	NotReady Gate = "not-ready" // the last look at the lot said so
	NotSound Gate = "not-sound" // the last look at the bundle found something
	PastKeep Gate = "past-keep" // the bundle's keep-by day is over
	NotYet   Gate = "not-yet"   // stocks whose graft failed wait for their second chance
	Sown     Gate = "sown"      // seedlings that stand in the seedbed still, too close to be worked
)

// What a look says of a lot that must wait, and of a bundle that may be used.
const (
	LotNotReady = "not ready"
	WoodSound   = "sound"
)

// LotGates gives what keeps a lot of a form out; ready is what the last look at it said,
// "" where nobody looked, and waits the day until which it waits, zero for none.
func LotGates(form, ready string, waits, today time.Time) []Gate {
	var out []Gate
	if form == Seedbed {
		out = append(out, Sown)
	}
	if ready == LotNotReady {
		out = append(out, NotReady)
	}
	if waits.After(today) {
		out = append(out, NotYet)
	}
	return out
}

// BundleGates gives what keeps a bundle out; found is what the last look at it
// found, "" where nobody looked. A bundle may be used on its keep-by day.
func BundleGates(found string, keepBy, today time.Time) []Gate {
	var out []Gate
	if found != "" && found != WoodSound {
		out = append(out, NotSound)
	}
	if keepBy.Before(today) {
		out = append(out, PastKeep)
	}
	return out
}
