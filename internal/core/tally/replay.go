package tally

import (
	"cmp"
	"slices"
	"time"
)

// InOrder sorts taps as they were made. Those of one device go by its counter, which
// no clock moves; devices are merged by the time of their next tap, and taps of no
// device by time alone. The order does not depend on that in which taps came in.
func InOrder(taps []Tap) []Tap {
	by := map[string][]Tap{}
	var devices []string
	for _, t := range taps {
		if _, ok := by[t.Device]; !ok {
			devices = append(devices, t.Device)
		}
		by[t.Device] = append(by[t.Device], t)
	}
	slices.Sort(devices)
	for _, d := range devices {
		slices.SortStableFunc(by[d], func(a, b Tap) int {
			if d == "" {
				return cmp.Or(a.At.Compare(b.At), a.Received.Compare(b.Received), cmp.Compare(a.ID, b.ID))
			}
			return cmp.Or(cmp.Compare(a.No, b.No), cmp.Compare(a.ID, b.ID))
		})
	}
	out := make([]Tap, 0, len(taps))
	for len(out) < len(taps) {
		next := -1
		for i, d := range devices {
			if len(by[d]) > 0 && (next < 0 || by[d][0].At.Before(by[devices[next]][0].At)) {
				next = i
			}
		}
		d := devices[next]
		out, by[d] = append(out, by[d][0]), by[d][1:]
	}
	return out
}

// Heap is one side of what is laid out for a tag, stems or pieces.
type Heap struct {
	Planned int
	// Spare is what can be drawn anew, were all that was drawn or handed back so far
	// put back: below zero where others took what was handed back.
	Spare int
}

// left is what lies on the bench, grafted ones included, after so many were spoiled
// and handed back: what was spoiled is drawn anew as long as there is any.
func (h Heap) left(spoiled, back int) int { return h.Planned - spoiled - max(back-spoiled, -h.Spare) }

// Bench is what taps of a tag are weighed against.
type Bench struct {
	Stems, Pieces Heap
	Each          int       // pieces that a stem takes; 0 is 1
	Dropped       bool      // the tag is
	Counted       time.Time // when its takes were counted first; zero: not yet
	Passed        *int      // of a learner's grafts, how many may be bound; nil: all of them
}

func (b Bench) laid(s Sums) Laid {
	each := max(1, b.Each)
	return Laid{Stems: b.Stems.left(s.SpoiledStock, s.SetAside), Pieces: b.Pieces.left(s.SpoiledWood+s.Dropped, s.SetAside*each),
		Each: each, Passed: b.Passed}
}

// Replay weighs all taps of a tag, in the order in which they were made, and notes on
// each whether it counts. It gives what they add up to, and what is laid out then.
// Each is weighed against those before it alone, but for a finish that was taken back:
// that is as if it had never been, for those between too. So the outcome is one, in
// whatever order and however often taps came in. It takes time in proportion to the
// taps, times those that are taken back.
func Replay(taps []Tap, b Bench) (Sums, Laid) {
	reopened := map[string]bool{} // finishes that were taken back
	for {
		s, again := replay(taps, b, reopened)
		if !again {
			return s, b.laid(s)
		}
	}
}

// replay is one pass; again says that it found a finish taken back, which it added to
// reopened.
func replay(taps []Tap, b Bench, reopened map[string]bool) (s Sums, again bool) {
	at, opened := map[string]int{}, map[string]bool{}
	for i := range taps {
		t := &taps[i]
		t.Refused, t.Undone = "", false
		at[t.ID] = i
		late := !b.Counted.IsZero() && t.Received.After(b.Counted)
		switch {
		case t.Decided == Leave:
			t.Refused = Left
		case b.Dropped:
			t.Refused = TagDropped
		case t.Decided != Count && !t.Theirs:
			t.Refused = NotTheirs
		case t.Decided != Count && late:
			t.Refused = CountedTakes
		case reopened[t.ID]:
			t.Undone = true
		case t.Kind == Undo:
			k, known := at[t.Undoes]
			var of Tap
			if known {
				of = taps[k]
			}
			first := reopened[of.ID] && !opened[of.ID]
			of.Undone = of.Undone && !first
			if t.Refused = s.WeighUndo(of, known, late); t.Refused == FinishFirst && t.Decided == Count {
				t.Refused = ""
			}
			if t.Refused != "" {
				break
			}
			if of.Kind == Finish && !reopened[of.ID] {
				reopened[of.ID] = true
				return s, true
			}
			taps[k].Undone, opened[of.ID] = true, true
			s = Add(taps[:i]) // a wipe taken back brings back what was before it
		default:
			as := s
			as.Finished = s.Finished && t.Decided != Count
			if t.Refused = as.Weigh(t.Kind, t.N, b.laid(s)); t.Refused == "" {
				s.Count(t.Kind, t.N)
			}
		}
		if t.Refused != "" && t.Kind != Undo {
			s.Refused++
		}
	}
	return s, false
}
