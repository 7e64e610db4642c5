package nursery

import (
	"context"
	"slices"
	"time"

	"unionknot/internal/core/pace"
	"unionknot/internal/core/tally"
	"unionknot/internal/store"
)

// Taps is the weighing of a tag's taps under its lock: those kept before, and those
// that came in now.
type Taps struct {
	Tag  store.TagState
	Laid tally.Laid
	Kept []store.Tally // those that came in now, weighed
	all  []store.Tally
	sums tally.Sums
	now  time.Time
}

// WeighTaps weighs all taps of a tag anew with those that came in, settles the ledgers
// by what they add up to and keeps all of it. The tag is held; its lot and its bundle
// are held here.
func (k *Kernel) WeighTaps(ctx context.Context, q store.Q, by Actor, tag store.TagState, fresh []store.Tally) (*Taps, error) {
	w := &Taps{Tag: tag, Kept: fresh, now: k.Now()}
	before, err := q.Tallies(ctx, tag.ID)
	if err != nil {
		return nil, err
	}
	w.all = slices.Concat(before, fresh)
	if len(w.all) == 0 && tag.LastAt == nil {
		return w, nil
	}
	l, err := ledgersOf(ctx, q, tag)
	if err != nil {
		return nil, err
	}
	bench := l.bench(tag)
	if tag.LookID != nil {
		cs, err := q.Counts(ctx, tag.ID)
		if err != nil {
			return nil, err
		}
		for _, c := range cs {
			if bench.Counted.IsZero() || c.At.Before(bench.Counted) {
				bench.Counted = c.At
			}
		}
	}
	w.weigh(bench)
	var ids []string
	var held []*string
	for i, t := range w.all[:len(before)] {
		if was := before[i].Held; (was == nil) != (t.Held == nil) || was != nil && *was != *t.Held {
			ids, held = append(ids, t.ID), append(held, t.Held)
		}
	}
	w.Kept = w.all[len(before):]
	if !tag.IsDropped() {
		if err := l.settle(ctx, q, by, w); err != nil {
			return nil, err
		}
	}
	if err := q.WeighTaps(ctx, ids, held); err != nil {
		return nil, err
	}
	if err := q.KeepTaps(ctx, w.Kept, nil); err != nil {
		return nil, err
	}
	return w, q.KeepTag(ctx, w.Tag)
}

// weigh notes on each tap whether it counts, and what follows on the tag.
func (w *Taps) weigh(bench tally.Bench) {
	taps := make([]tally.Tap, len(w.all))
	for i, t := range w.all {
		taps[i] = TapOf(t)
		taps[i].Theirs = t.Theirs || w.Tag.Has(t.PersonID)
	}
	taps = tally.InOrder(taps)
	w.sums, w.Laid = tally.Replay(taps, bench)
	w.all = slices.Clone(w.all)
	at := map[string]int{}
	for i, t := range w.all {
		at[t.ID] = i
	}
	refused := false
	var begun, finished *time.Time
	for _, x := range taps {
		t := &w.all[at[x.ID]]
		t.Held, t.Undone = nil, x.Undone
		switch {
		case x.Refused != "":
			why := string(x.Refused)
			t.Held, refused = &why, true
		case x.Kind == tally.Finish && !x.Undone:
			finished = &t.At
		}
		if x.Refused == "" && (begun == nil || t.At.Before(*begun)) {
			begun = &t.At
		}
	}
	t, s := &w.Tag, w.sums
	t.Tied, t.SpoiledStock, t.SpoiledWood, t.Dropped, t.SetAside, t.SinceWipe, t.Refused = s.Tied, s.SpoiledStock, s.SpoiledWood,
		s.Dropped, s.SetAside, s.SinceWipe, s.Refused
	// A tap that is newer than all of these, from the device of the last, is the last
	// again, whatever the others' clocks said: the sums tell then.
	t.LastDevice, t.LastNo, t.LastAt, t.Tangled = "", 0, nil, refused
	if len(taps) > 0 {
		t.LastDevice = taps[len(taps)-1].Device
	}
	for _, x := range taps {
		if x.Device == t.LastDevice {
			t.LastNo = max(t.LastNo, x.No)
		}
		if t.LastAt == nil || x.At.After(*t.LastAt) {
			t.LastAt = &x.At
		}
	}
	if t.StartedAt == nil {
		t.StartedAt = begun
	}
	t.FinishedAt = finished
	t.PaceHours = nil
	if t.FinishedAt != nil && t.StartedAt != nil {
		if h := w.hours(); h > 0 {
			t.PaceHours = &h
		}
	}
}

// hours is how long the tag took, by its taps, which a line that was down does not
// move.
func (w *Taps) hours() float64 {
	from, to := *w.Tag.StartedAt, time.Time{}
	for _, t := range w.all {
		if t.Held != nil || t.Undone || tally.Kind(t.Kind) == tally.Undo {
			continue
		}
		if t.At.Before(from) {
			from = t.At
		}
		if tally.Kind(t.Kind) == tally.Finish {
			to = t.At
		}
	}
	if to.IsZero() {
		to = *w.Tag.FinishedAt
	}
	return pace.Hours(w.Tag.Tied, from, to)
}

// Sums are what the taps add up to.
func (w *Taps) Sums() tally.Sums { return w.sums }

// Weighed gives those of the taps that bear one of the ids, as they were weighed.
func (w *Taps) Weighed(ids []string) []store.Tally {
	return slices.DeleteFunc(slices.Clone(w.all), func(t store.Tally) bool { return !slices.Contains(ids, t.ID) })
}

// TapOf reads a kept tap into the core's form.
func TapOf(t store.Tally) tally.Tap {
	x := tally.Tap{ID: t.ID, Kind: tally.Kind(t.Kind), N: t.N, At: t.At, Received: t.ReceivedAt, Device: t.Device, No: t.No,
		Theirs: t.Theirs,
		Undone: t.Undone}
	if t.Undoes != nil {
		x.Undoes = *t.Undoes
	}
	if t.Settled != nil {
		x.Decided = tally.Decision(*t.Settled)
	}
	if t.Held != nil {
		x.Refused = tally.Refusal(*t.Held)
	}
	return x
}

// WeighAgain weighs the taps of tags again that changed: handed over, moved, dropped or
// picked up. Most have none that could count otherwise, and are not read.
func (k *Kernel) WeighAgain(ctx context.Context, q store.Q, by Actor, codes []string) error {
	codes, err := q.Tangled(ctx, codes)
	if err != nil || len(codes) == 0 {
		return err
	}
	tags, err := q.LockAnyTags(ctx, codes)
	if err != nil {
		return err
	}
	var h Hold
	for _, t := range tags {
		h.Lots, h.Bundles = append(h.Lots, t.LotID), append(h.Bundles, t.BundleID)
	}
	if err := h.In(ctx, q); err != nil { // all of them first, in one order
		return err
	}
	for _, t := range tags {
		if _, err := k.WeighTaps(ctx, q, by, t, nil); err != nil {
			return err
		}
	}
	return nil
}

// ledgers are both sides of a tag's postings.
type ledgers struct {
	threads     []store.Thread
	stems, wood side
}

// side is one of them: what it moved so far, and what is free.
type side struct {
	posted map[tally.Account]int
	free   int
}

// ledgersOf holds a tag's lot and bundle and reads what it moved of them.
func ledgersOf(ctx context.Context, q store.Q, tag store.TagState) (l ledgers, err error) {
	if l.threads, err = q.TagThreads(ctx, tag.ID); err != nil {
		return l, err
	}
	if err := (Hold{Lots: []int64{tag.LotID}, Bundles: []int64{tag.BundleID}}).In(ctx, q); err != nil {
		return l, err
	}
	read := func(of int64, posted func(context.Context, int64) ([]store.Posted, error),
		balances func(context.Context, int64) ([]store.Balance, error)) (side, error) {
		d := side{posted: map[tally.Account]int{}}
		ps, err := posted(ctx, tag.ID)
		if err != nil {
			return d, err
		}
		for _, p := range ps {
			d.posted[tally.Account(p.Account)] = p.N
		}
		bs, err := balances(ctx, of)
		for _, b := range bs {
			if b.Account == store.Free {
				d.free = b.N
			}
		}
		return d, err
	}
	if l.stems, err = read(tag.LotID, q.PostedStock, q.StockBalances); err != nil {
		return l, err
	}
	l.wood, err = read(tag.BundleID, q.PostedWood, q.WoodBalances)
	return l, err
}

// bench is what the tag's taps are weighed against.
func (l ledgers) bench(tag store.TagState) tally.Bench {
	each := max(1, tag.Buds)
	return tally.Bench{
		Stems:   tally.Heap{Planned: tag.Planned, Spare: l.stems.free - l.stems.posted[tally.Free]},
		Pieces:  tally.Heap{Planned: tag.Planned * each, Spare: l.wood.free - l.wood.posted[tally.Free]},
		Each:    each,
		Dropped: tag.IsDropped(),
		Passed:  tag.Passed,
	}
}

// settle brings the ledgers in line with what the taps add up to, stems before pieces.
func (l ledgers) settle(ctx context.Context, q store.Q, by Actor, w *Taps) error {
	t := &w.Tag
	for _, x := range []struct {
		side
		of      int64
		each    int
		spoiled int
		mm      func(store.Thread) float64
		move    func(context.Context, ...store.Move) error
		back    *int
	}{
		{l.stems, t.LotID, 1, w.sums.SpoiledStock, func(t store.Thread) float64 { return t.StockMM }, q.MoveStock, &t.StockBack},
		{l.wood, t.BundleID, max(1, t.Buds), w.sums.SpoiledWood + w.sums.Dropped, func(t store.Thread) float64 { return t.WoodMM },
			q.MoveWood, &t.WoodBack},
	} {
		d := tally.Side{Planned: t.Planned * x.each, Each: x.each, Spoiled: x.spoiled, Posted: x.posted, Free: x.free}
		for _, h := range l.threads {
			d.Classes = append(d.Classes, tally.Class{MM: x.mm(h), N: h.N * x.each})
		}
		var lines []store.Move
		for _, m := range d.Settle(w.sums) {
			lines = append(lines, store.Move{Of: x.of, N: m.N, From: string(m.From), To: string(m.To), MM: &m.MM, Reason: string(m.Reason),
				BatchID: &t.BatchID, TagID: &t.ID, PersonID: by.ID, At: w.now})
		}
		if err := x.move(ctx, lines...); err != nil {
			return err
		}
		*x.back = d.Back()
	}
	return nil
}
