package technique

import "time"

// Bound is what ends the days in which a graft can be made.
type Bound string

// What ends the days in which a graft can be made.
const (
	WoodKeeps    Bound = "wood"     // its wood keeps no longer
	SeasonShuts  Bound = "season"   // its technique shuts before that
	SeasonOver   Bound = "over"     // its technique is shut, and no day is known on which it opens
	OpensTooLate Bound = "too-late" // its technique opens when its wood keeps no longer
	CutTooLate   Bound = "cut-late" // its wood is cut when its technique is shut
)

// Span is the days in which a graft can be made, both ends of them. What
// cannot be made any more has the day before the first asked about as its
// last, so that it is late on every day.
type Span struct {
	First, Last time.Time
	By          Bound
	Standing    Standing
}

// SpanOf gives the days, from a day on, in which a graft can be made: its wood
// is cut and keeps, and its technique, which stands as given, is open.
func SpanOf(st Standing, from, cutOn, keepBy time.Time) Span {
	x := Span{First: from, Last: keepBy, By: WoodKeeps, Standing: st}
	for _, d := range []time.Time{st.Opens, cutOn} {
		if d.After(x.First) {
			x.First = d
		}
	}
	over := from.AddDate(0, 0, -1)
	switch {
	case st.Verdict == Shut && st.Opens.IsZero():
		x.Last, x.By = over, SeasonOver
	case !st.Until.IsZero() && st.Until.Before(keepBy):
		x.Last, x.By = st.Until, SeasonShuts
	}
	if x.First.After(x.Last) && !x.Last.Before(from) {
		x.Last, x.By = over, OpensTooLate
		if x.First.After(st.Opens) {
			x.By = CutTooLate
		}
	}
	return x
}
