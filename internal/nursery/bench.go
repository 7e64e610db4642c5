package nursery

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/technique"
	"unionknot/internal/store"
)

// sharedOver is how many grafts of one lot must be shared by two people, so
// that Results can tell the hand from the lot. House default.
const sharedOver = 50

// BatchPage is what a batch's page shows.
type BatchPage struct {
	Batch    store.Batch
	Threads  []store.Thread
	Tags     []store.Tag
	Workers  []store.Person
	TagSize  int
	Warnings []string
	Names    map[string]string // of techniques
}

// Batch gathers a batch's page.
func (s *Service) Batch(ctx context.Context, code string) (BatchPage, error) {
	q := s.db.Q()
	p := BatchPage{Names: map[string]string{}}
	var err error
	if p.Batch, err = q.BatchByCode(ctx, cleanCode(code)); err != nil {
		return p, err
	}
	if p.Threads, err = q.Threads(ctx, p.Batch.ID); err != nil {
		return p, err
	}
	if p.Tags, err = q.Tags(ctx, store.Which{BatchID: p.Batch.ID}); err != nil {
		return p, err
	}
	if p.Workers, err = s.Workers(ctx); err != nil {
		return p, err
	}
	ts, err := s.techniques(ctx, q)
	if err != nil {
		return p, err
	}
	for _, t := range ts {
		p.Names[t.Key] = t.Name
	}
	h, err := q.House(ctx)
	p.TagSize = h.TagSize
	p.Warnings = notShared(p.Tags)
	return p, err
}

// notShared names lots of more than sharedOver grafts that one person has
// alone.
func notShared(tags []store.Tag) []string {
	n, who := map[string]int{}, map[string]map[string]bool{}
	var lots []string
	for _, t := range tags {
		if who[t.Lot] == nil {
			who[t.Lot] = map[string]bool{}
			lots = append(lots, t.Lot)
		}
		n[t.Lot] += t.Planned
		who[t.Lot][t.Worker] = true
	}
	var out []string
	for _, l := range lots {
		if n[l] > sharedOver && len(who[l]) == 1 {
			for w := range who[l] {
				out = append(out, fmt.Sprintf("%s has all %d of lot %s alone. Share it with another hand, or Results cannot tell the hand from the lot.", w, n[l], l))
			}
		}
	}
	return out
}

// MakeTags splits a batch into tags for workers, each of one technique, lot
// and bundle and no larger than the house's size. Tags made before are dropped
// if nobody has begun one.
func (s *Service) MakeTags(ctx context.Context, a Actor, code string, day time.Time, workers []int64) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	if len(workers) == 0 {
		return Problem{"workers", "Choose at least one worker; two or more for a lot of over 50."}
	}
	if day.IsZero() {
		return Problem{"day", "Give the bench day, such as 2027-02-24."}
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		b, err := q.BatchByCode(ctx, cleanCode(code))
		if err != nil {
			return err
		}
		if err := q.LockBatch(ctx, b.ID); err != nil {
			return err
		}
		if b, err = q.BatchByCode(ctx, b.Code); err != nil {
			return err
		}
		if b.UndoneAt != nil {
			return Problem{"", "This batch was taken back. Make it again from Match."}
		}
		if b.Started > 0 {
			return Problem{"", "Grafting has begun on this batch, so its tags stand. Hand a tag over from its card."}
		}
		h, err := q.House(ctx)
		if err != nil {
			return err
		}
		able, err := s.Workers(ctx)
		if err != nil {
			return err
		}
		for _, w := range workers {
			if !slices.ContainsFunc(able, func(p store.Person) bool { return p.ID == w }) {
				return Problem{"workers", "One of those chosen does not work at the bench any more. Choose again."}
			}
		}
		if err := q.DropTags(ctx, b.ID); err != nil {
			return err
		}
		ts, err := q.Threads(ctx, b.ID)
		if err != nil {
			return err
		}
		pieces := splitThreads(ts, h.TagSize)
		r := random()
		for i, w := range shareOut(pieces, len(workers)) {
			p := pieces[i]
			code, err := freshCode(ctx, q, r)
			if err != nil {
				return err
			}
			if _, err := q.AddTag(ctx, store.Tag{Code: code, BatchID: b.ID, LotID: p[0].LotID, BundleID: p[0].BundleID,
				Technique: p[0].Technique, WorkerID: workers[w], Day: day, Planned: sum(p)}, p); err != nil {
				return fmt.Errorf("making tags: %w", err)
			}
		}
		return s.changed(ctx, q, a, "batch", b.Code, "split into tags", nil, map[string]any{"tags": len(pieces), "day": day.Format(time.DateOnly)})
	})
}

func sum(ts []store.Thread) int {
	n := 0
	for _, t := range ts {
		n += t.N
	}
	return n
}

// splitThreads cuts a weave into runs of at most size grafts, each of one
// technique, lot and bundle, with neighbouring diameters kept together.
func splitThreads(ts []store.Thread, size int) [][]store.Thread {
	ts = slices.Clone(ts)
	key := func(t store.Thread) string { return fmt.Sprintf("%s/%d/%d", t.Technique, t.LotID, t.BundleID) }
	slices.SortStableFunc(ts, func(a, b store.Thread) int { return strings.Compare(key(a), key(b)) })
	var out [][]store.Thread
	for i := 0; i < len(ts); {
		j := i
		for j < len(ts) && key(ts[j]) == key(ts[i]) {
			j++
		}
		group := slices.Clone(ts[i:j])
		// Even tags read better than full ones and a rest: 60 is 20, 20, 20.
		left := sum(group)
		tags := (left + size - 1) / size
		for tags > 0 {
			want := (left + tags - 1) / tags
			var run []store.Thread
			for want > 0 {
				n := min(want, group[0].N)
				part := group[0]
				part.N = n
				run = append(run, part)
				want, left, group[0].N = want-n, left-n, group[0].N-n
				if group[0].N == 0 {
					group = group[1:]
				}
			}
			out = append(out, run)
			tags--
		}
		i = j
	}
	return out
}

// shareOut gives each run of grafts to one of n workers: the one with the
// fewest so far, but a lot of over sharedOver grafts never to one alone.
func shareOut(runs [][]store.Thread, n int) []int {
	out := make([]int, len(runs))
	load, lotN := make([]int, n), map[int64]int{}
	for _, r := range runs {
		lotN[r[0].LotID] += sum(r)
	}
	has := map[int64]map[int]bool{}
	last := map[int64]int{} // runs of a lot still to come
	for _, r := range runs {
		last[r[0].LotID]++
	}
	for i, r := range runs {
		lot := r[0].LotID
		if has[lot] == nil {
			has[lot] = map[int]bool{}
		}
		last[lot]--
		mustShare := n > 1 && lotN[lot] > sharedOver && len(has[lot]) == 1 && last[lot] == 0
		best := -1
		for w := range n {
			if mustShare && has[lot][w] {
				continue
			}
			if best < 0 || load[w] < load[best] {
				best = w
			}
		}
		out[i] = best
		load[best] += sum(r)
		has[lot][best] = true
	}
	return out
}

// BenchPage is what the Bench stage shows.
type BenchPage struct {
	Mine    []store.Tag // the actor's own, open
	Open    []store.Tag // everybody's, open, by worker
	Batches []store.Batch
}

// Bench gathers the Bench stage. A bench hand sees their own tags only.
func (s *Service) Bench(ctx context.Context, a Actor, batchesAfter int64) (BenchPage, error) {
	q := s.db.Q()
	var p BenchPage
	var err error
	if p.Mine, err = q.Tags(ctx, store.Which{WorkerID: a.ID, Open: true, Limit: 200}); err != nil || a.Role == BenchHand {
		return p, err
	}
	if p.Open, err = q.Tags(ctx, store.Which{Open: true, Limit: 200}); err != nil {
		return p, err
	}
	slices.SortStableFunc(p.Open, func(x, y store.Tag) int { return strings.Compare(x.Worker, y.Worker) })
	p.Batches, err = q.Batches(ctx, batchesAfter, pageSize)
	return p, err
}

// Counts are a tag's taps added up.
type Counts struct {
	Tied         int  `json:"tied"`
	SpoiledStock int  `json:"spoiled_stock"`
	SpoiledWood  int  `json:"spoiled_wood"`
	Dropped      int  `json:"dropped"`
	SetAside     int  `json:"set_aside"`
	Left         int  `json:"left"` // that can still be tied
	SinceWipe    int  `json:"since_wipe"`
	Held         int  `json:"held"` // taps kept but not counted
	Finished     bool `json:"finished"`
}

// tapsAdded adds up a tag's taps. Left is not known from them alone.
func tapsAdded(ts []store.Tally) Counts {
	var c Counts
	for _, t := range ts {
		if t.Held != nil {
			if t.Kind != "undo" {
				c.Held++
			}
			continue
		}
		if t.Undone || t.Kind == "undo" {
			continue
		}
		switch t.Kind {
		case "tied":
			c.Tied += t.N
			c.SinceWipe += t.N
		case "spoiled stock":
			c.SpoiledStock += t.N
		case "spoiled wood":
			c.SpoiledWood += t.N
		case "dropped":
			c.Dropped += t.N
		case "set aside":
			c.SetAside += t.N
		case "wiped", "new blade":
			c.SinceWipe = 0
		case "finish":
			c.Finished = true
		}
	}
	return c
}

// CardPage is what the bench card shows.
type CardPage struct {
	Tag       store.Tag
	Technique technique.Technique
	Counts    Counts
	Threads   []store.Thread
	Pace      []store.Pace // by ten minutes, the last two hours
	PerHour   float64      // own pace now; 0 when not known
	Next      string       // the worker's next tag
	Workers   []store.Person
	Face      float64 // length of the cut face in mm, for a splice or whip
	Held      []store.Tally
	LastTaps  []store.Tally // newest first, that can be taken back
}

// wipeAfter is how many grafts call for a wipe of the knife. House default.
const wipeAfter = 40

// WipeAfter is how many grafts call for a wipe of the knife.
func (CardPage) WipeAfter() int { return wipeAfter }

// Card gathers the bench card of a tag. A bench hand has their own tags only.
func (s *Service) Card(ctx context.Context, a Actor, code string) (CardPage, error) {
	q := s.db.Q()
	var p CardPage
	var err error
	if p.Tag, err = q.TagByCode(ctx, code); err != nil {
		return p, err
	}
	if a.Role == BenchHand && p.Tag.WorkerID != a.ID {
		return p, fmt.Errorf("tag %s is %s's: %w", code, p.Tag.Worker, ErrNotAllowed)
	}
	taps, err := q.Tallies(ctx, p.Tag.ID)
	if err != nil {
		return p, err
	}
	p.Counts = tapsAdded(taps)
	stock, wood, err := s.onHand(ctx, q, p.Tag.ID, p.Tag.Planned)
	if err != nil {
		return p, err
	}
	p.Counts.Left = max(0, min(stock, wood)-p.Counts.Tied)
	if p.Tag.FinishedAt != nil {
		p.Counts.Left = 0
	}
	for i := len(taps) - 1; i >= 0; i-- {
		t := taps[i]
		if t.Held != nil && t.Kind != "undo" {
			p.Held = append(p.Held, t)
		}
		if t.Held == nil && !t.Undone && t.Kind != "undo" && len(p.LastTaps) < 12 {
			p.LastTaps = append(p.LastTaps, t)
		}
	}
	if p.Threads, err = q.TagThreads(ctx, p.Tag.ID); err != nil {
		return p, err
	}
	ts, err := s.techniques(ctx, q)
	if err != nil {
		return p, err
	}
	for _, t := range ts {
		if t.Key == p.Tag.Technique {
			p.Technique = t
		}
	}
	p.Face = 4 * (p.Tag.StockLow + p.Tag.StockHigh) / 2 // long face: 3–5 × diameter, house default
	since := s.Now().Add(-2 * time.Hour)
	if p.Pace, err = q.PaceOf(ctx, p.Tag.WorkerID, since); err != nil {
		return p, err
	}
	p.PerHour = perHour(p.Pace, s.Now())
	if p.Workers, err = s.Workers(ctx); err != nil {
		return p, err
	}
	mine, err := q.Tags(ctx, store.Which{WorkerID: p.Tag.WorkerID, Open: true, Limit: 20})
	for _, t := range mine {
		if t.Code != p.Tag.Code {
			p.Next = t.Code
			break
		}
	}
	return p, err
}

// perHour is the pace over the last half hour of work, or 0 with under ten
// minutes to go by.
func perHour(ps []store.Pace, now time.Time) float64 {
	n, from := 0, time.Time{}
	for _, p := range ps {
		if now.Sub(p.From) <= 40*time.Minute {
			if from.IsZero() {
				from = p.From
			}
			n += p.N
		}
	}
	if from.IsZero() || now.Sub(from) < 10*time.Minute {
		return 0
	}
	return float64(n) / now.Sub(from).Hours()
}

// onHand is how many stems and pieces a tag has had laid out, grafted ones
// included, after what was spoiled, handed back and drawn anew.
func (s *Service) onHand(ctx context.Context, q store.Q, tagID int64, planned int) (stock, wood int, err error) {
	out := func(ps []store.Posted) int {
		n := planned
		for _, p := range ps {
			if p.Account != store.Grafted {
				n -= p.N
			}
		}
		return n
	}
	ps, err := q.PostedStock(ctx, tagID)
	if err != nil {
		return 0, 0, err
	}
	ws, err := q.PostedWood(ctx, tagID)
	return out(ps), out(ws), err
}

// Tap is one tap as the tablet sends it. Ago is how long before sending it
// was made, so that a tablet with a wrong clock does no harm.
type Tap struct {
	ID     string `json:"id"`
	Kind   string `json:"kind"`
	N      int    `json:"n"`
	Undoes string `json:"undoes,omitempty"`
	AgoMS  int64  `json:"ago_ms"`
}

// HeldTap is a tap that was kept but does not count, and why.
type HeldTap struct {
	ID  string `json:"id"`
	Why string `json:"why"`
}

// Tapped is what became of the taps sent: every id in Safe is on disk.
type Tapped struct {
	Safe   []string  `json:"safe"`
	Held   []HeldTap `json:"held"`
	Counts Counts    `json:"counts"`
}

var (
	uuidPattern = regexp.MustCompile(`^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$`)
	tapKinds    = map[string]bool{"tied": true, "spoiled stock": true, "spoiled wood": true, "dropped": true, "set aside": true,
		"wiped": true, "new blade": true, "finish": true, "undo": true}
)

// mostTaps is how many taps one request may carry.
const mostTaps = 500

// Tap keeps taps made at the bench, in the order given. A tap already kept is
// safe and counts once. A tap that cannot count (more than was laid out, on a
// finished tag) is kept all the same, with the reason.
func (s *Service) Tap(ctx context.Context, a Actor, code string, taps []Tap) (Tapped, error) {
	var done Tapped
	if err := a.must(Propagator, BenchHand); err != nil {
		return done, err
	}
	if len(taps) > mostTaps {
		return done, Problem{"", fmt.Sprintf("At most %d taps at a time.", mostTaps)}
	}
	for _, t := range taps {
		if !uuidPattern.MatchString(t.ID) || !tapKinds[t.Kind] || t.N < 1 || t.N > 1000 || t.AgoMS < 0 ||
			(t.Kind == "undo") != (t.Undoes != "") || t.Undoes != "" && !uuidPattern.MatchString(t.Undoes) {
			return done, Problem{"", fmt.Sprintf("Tap %q is not one that this bench makes. Load the card anew.", t.ID)}
		}
	}
	err := s.db.Tx(ctx, func(q store.Q) error {
		done = Tapped{Safe: []string{}, Held: []HeldTap{}}
		tag, err := q.LockTag(ctx, code)
		if err != nil {
			return err
		}
		if a.Role == BenchHand && tag.WorkerID != a.ID {
			return fmt.Errorf("tag %s: %w", code, ErrNotAllowed)
		}
		w, err := s.openBench(ctx, q, a, tag)
		if err != nil {
			return err
		}
		for _, t := range taps {
			why, err := w.take(ctx, t)
			if err != nil {
				return fmt.Errorf("tap %s: %w", t.ID, err)
			}
			done.Safe = append(done.Safe, t.ID)
			if why != "" {
				done.Held = append(done.Held, HeldTap{t.ID, why})
			}
		}
		done.Counts, err = w.counts(ctx)
		return err
	})
	return done, err
}

// HandOver gives an open tag to another worker.
func (s *Service) HandOver(ctx context.Context, a Actor, code string, to int64) error {
	if err := a.must(Propagator, BenchHand); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		t, err := q.LockTag(ctx, code)
		if err != nil {
			return err
		}
		if a.Role == BenchHand && t.WorkerID != a.ID {
			return fmt.Errorf("tag %s: %w", code, ErrNotAllowed)
		}
		n, err := q.TiedOn(ctx, t.ID)
		if err != nil {
			return err
		}
		switch {
		case t.FinishedAt != nil:
			return Problem{"", "This tag is finished, so it stays with who made it."}
		case n > 0:
			return Problem{"", "Grafts are tied on this tag already, and a tag is one hand's work. Finish it; what is left over goes back and can be batched anew."}
		}
		p, err := q.Person(ctx, to)
		if err != nil {
			return err
		}
		if p.LeftOn != nil || Role(p.Role) == Looker {
			return Problem{"to", p.Name + " does not work at the bench."}
		}
		if err := q.HandOver(ctx, t.ID, to); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "tag", code, "handed over", t.WorkerID, to)
	})
}

// Labels gathers a batch's tags for printing.
func (s *Service) Labels(ctx context.Context, code string) (BatchPage, error) {
	p, err := s.Batch(ctx, code)
	if err == nil && len(p.Tags) == 0 {
		return p, Problem{"", "This batch has no tags yet. Split it first, then print."}
	}
	return p, err
}

var errNoSuchTap = errors.New("no such tap")
