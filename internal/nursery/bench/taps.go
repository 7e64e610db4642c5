package bench

import (
	"context"
	"errors"
	"slices"
	"time"

	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Tap is one tap as the tablet sends it. Ago is how long before sending it
// was made, so that a tablet with a wrong clock does no harm.
type Tap struct {
	ID     string `json:"id"`
	Code   string `json:"code,omitempty"` // of its tag, where taps of several are sent
	Kind   string `json:"kind"`
	N      int    `json:"n"`
	Undoes string `json:"undoes,omitempty"`
	AgoMS  int64  `json:"ago_ms"`
	No     int64  `json:"no,omitempty"` // its place among the device's taps; 0 where the device keeps no count

	device string
}

// NotCounted is a tap that was kept but does not count, or that could not be kept, and
// why.
type NotCounted struct {
	ID  string `json:"id"`
	Why string `json:"why"`
}

// Tapped is what became of the taps of a tag: every id in Safe is on disk.
type Tapped struct {
	Safe   []string     `json:"safe"`
	Held   []NotCounted `json:"held"`
	Counts Counts       `json:"counts"`
}

// TappedAll is what became of taps of many tags.
type TappedAll struct {
	Safe   []string          `json:"safe"`
	Held   []NotCounted      `json:"held"`
	Bad    []NotCounted      `json:"bad"`    // that no bench makes: not kept
	Counts map[string]Counts `json:"counts"` // by tag
}

// mostTaps is how many taps one request may carry.
const mostTaps = 500

// known reports whether a tap is one that a bench makes.
func (t Tap) known() bool {
	return nursery.UUIDPattern.MatchString(t.ID) && tally.Kind(t.Kind).Known() && t.N >= 1 && t.N <= 1000 && t.AgoMS >= 0 && t.No >= 0 &&
		(tally.Kind(t.Kind) == tally.Undo) == (t.Undoes != "") && (t.Undoes == "" || nursery.UUIDPattern.MatchString(t.Undoes))
}

// TapAll keeps taps made on a device, of any tags, in any order. One that no bench
// makes is given back, and holds up none of the others.
func (s *Stage) TapAll(ctx context.Context, a nursery.Actor, device string, taps []Tap) (TappedAll, error) {
	all := TappedAll{Safe: []string{}, Held: []NotCounted{}, Bad: []NotCounted{}, Counts: map[string]Counts{}}
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return all, err
	}
	if len(taps) > mostTaps || len(device) > 64 {
		return all, nursery.Problem{Field: "", Says: words.TooManyAtOnce(mostTaps)}
	}
	var codes []string
	by := map[string][]Tap{}
	for _, t := range taps {
		if !t.known() {
			all.Bad = append(all.Bad, NotCounted{t.ID, words.NotATap})
			continue
		}
		t.Code, t.device = nursery.CleanCode(t.Code), device
		if by[t.Code] == nil {
			codes = append(codes, t.Code)
		}
		by[t.Code] = append(by[t.Code], t)
	}
	for _, code := range codes {
		done, err := s.keepTaps(ctx, a, code, by[code])
		if errors.Is(err, nursery.ErrNotFound) {
			for _, t := range by[code] {
				all.Bad = append(all.Bad, NotCounted{t.ID, words.NoSuchTag(code)})
			}
			continue
		}
		if err != nil {
			return all, err
		}
		all.Safe, all.Held, all.Counts[code] = append(all.Safe, done.Safe...), append(all.Held, done.Held...), done.Counts
	}
	return all, nil
}

// Tap keeps taps made at the bench on one tag. A tap already kept is safe and counts
// once. A tap that cannot count (more than was laid out, on a finished tag, on a tag
// that is another's now or was dropped) is kept all the same, with the reason, and
// weighed again when more comes in.
func (s *Stage) Tap(ctx context.Context, a nursery.Actor, code string, taps []Tap) (Tapped, error) {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return Tapped{}, err
	}
	if len(taps) > mostTaps {
		return Tapped{}, nursery.Problem{Field: "", Says: words.TooManyAtOnce(mostTaps)}
	}
	for _, t := range taps {
		if !t.known() {
			return Tapped{}, nursery.Problem{Field: "", Says: words.NotATap}
		}
	}
	return s.keepTaps(ctx, a, code, taps)
}

func (s *Stage) keepTaps(ctx context.Context, a nursery.Actor, code string, taps []Tap) (Tapped, error) {
	if quick(taps) {
		return s.tapTogether(ctx, a, code, taps)
	}
	return s.tapAlone(ctx, a, code, taps)
}

// tapAlone keeps taps in a transaction of their own, in which all of the tag's taps are
// weighed.
func (s *Stage) tapAlone(ctx context.Context, a nursery.Actor, code string, taps []Tap) (Tapped, error) {
	var done Tapped
	err := s.DB.Tx(ctx, func(q store.Q) error {
		done = Tapped{Safe: []string{}, Held: []NotCounted{}}
		tags, err := q.LockAnyTags(ctx, []string{code})
		if err == nil && len(tags) == 0 {
			err = nursery.ErrNotFound
		}
		if err != nil {
			return err
		}
		tag := tags[0]
		ids := make([]string, len(taps))
		for i, t := range taps {
			ids[i] = t.ID
		}
		known, err := q.TalliesByID(ctx, ids)
		if err != nil {
			return err
		}
		now := s.Now()
		var fresh []store.Tally
		for i, t := range taps {
			done.Safe = append(done.Safe, t.ID)
			if slices.ContainsFunc(known, func(y store.Tally) bool { return y.ID == t.ID }) ||
				slices.ContainsFunc(fresh, func(y store.Tally) bool { return y.ID == t.ID }) {
				continue // sent twice: safe, and counted once
			}
			fresh = append(fresh, tallyOf(t, i, tag, a, now))
		}
		kept := known
		if len(fresh) == 0 {
			done.Counts = countsOf(sumsOf(tag))
		} else {
			w, err := s.WeighTaps(ctx, q, a, tag, fresh)
			if err != nil {
				return err
			}
			kept = slices.Concat(known, w.Kept)
			done.Counts = countsOf(w.Sums(), w.Laid)
		}
		for _, y := range kept {
			if y.Held != nil {
				done.Held = append(done.Held, NotCounted{y.ID, words.Tell(a.Tongue, words.Refused(tally.Refusal(*y.Held)))})
			}
		}
		return nil
	})
	return done, err
}

// longestAgo is how long a device may have kept a tap.
const longestAgo = 60 * 24 * time.Hour

// tallyOf is a tap as it is kept, the i-th of those that came in together: where the
// device keeps no count, they were made in the order in which they were sent.
func tallyOf(t Tap, i int, tag store.TagState, a nursery.Actor, now time.Time) store.Tally {
	ago := min(time.Duration(t.AgoMS)*time.Millisecond, longestAgo)
	y := store.Tally{ID: t.ID, TagID: tag.ID, PersonID: a.ID, Kind: t.Kind, N: t.N, At: now.Add(-ago + time.Duration(i)*time.Microsecond),
		ReceivedAt: now, Device: t.device,
		No: t.No, Theirs: a.Role == nursery.Propagator || tag.Has(a.ID)}
	if a.Sent != 0 {
		y.SentBy = &a.Sent
	}
	if t.Undoes != "" {
		y.Undoes = &t.Undoes
	}
	return y
}
