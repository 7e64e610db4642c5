package nursery

import (
	"context"
	"slices"
	"time"

	"unionknot/internal/store"
)

// benchWork is one tag under its lock while taps are taken: what was tapped
// before, and how many stems and pieces lie on the bench for it.
type benchWork struct {
	s     *Service
	q     store.Q
	a     Actor
	tag   store.TagState
	taps  []store.Tally
	stock int // laid out, grafted ones included
	wood  int
	now   time.Time
}

func (s *Service) openBench(ctx context.Context, q store.Q, a Actor, tag store.TagState) (*benchWork, error) {
	w := &benchWork{s: s, q: q, a: a, tag: tag, now: s.Now()}
	var err error
	if w.taps, err = q.Tallies(ctx, tag.ID); err != nil {
		return nil, err
	}
	w.stock, w.wood = tag.Planned, tag.Planned
	// The ledgers hold nothing of a tag on which nothing was spoiled, handed
	// back or finished, so most taps need not ask them.
	if slices.ContainsFunc(w.taps, func(t store.Tally) bool { return movesLedger(t.Kind) }) {
		w.stock, w.wood, err = s.onHand(ctx, q, tag.ID, tag.Planned)
	}
	return w, err
}

func movesLedger(kind string) bool {
	switch kind {
	case "spoiled stock", "spoiled wood", "dropped", "set aside", "finish":
		return true
	}
	return false
}

func (w *benchWork) find(id string) (store.Tally, error) {
	for _, t := range w.taps {
		if t.ID == id {
			return t, nil
		}
	}
	return store.Tally{}, errNoSuchTap
}

// take keeps one tap. It gives why the tap does not count, or "".
func (w *benchWork) take(ctx context.Context, t Tap) (string, error) {
	if was, err := w.find(t.ID); err == nil {
		if was.Held != nil {
			return *was.Held, nil
		}
		return "", nil // sent twice: safe, and counted once
	}
	undone := store.Tally{}
	held := ""
	c := tapsAdded(w.taps)
	switch {
	case t.Kind == "undo":
		var err error
		if undone, err = w.find(t.Undoes); err != nil {
			held, t.Undoes = "the tap to take back is not known here", ""
		} else if undone.Undone {
			held, t.Undoes = "it was taken back already", ""
		} else if undone.Kind == "undo" || undone.Held != nil {
			held, t.Undoes = "it did not count in the first place", ""
		} else if c.Finished && undone.Kind != "finish" {
			held, t.Undoes = "the tag is finished: take the finish back first", ""
		} else if undone.Kind == "finish" {
			n, err := w.q.Counts(ctx, w.tag.ID)
			if err != nil {
				return "", err
			}
			if len(n) > 0 {
				held, t.Undoes = "its takes are counted already", ""
			}
		}
	case c.Finished:
		held = "the tag is finished"
	case t.Kind == "tied" && c.Tied+t.N > min(w.stock, w.wood):
		held = "more than was laid out"
	case (t.Kind == "spoiled stock" || t.Kind == "set aside") && c.Tied+t.N > w.stock:
		held = "no stock is left on the bench for this tag"
	case (t.Kind == "spoiled wood" || t.Kind == "dropped" || t.Kind == "set aside") && c.Tied+t.N > w.wood:
		held = "no wood is left on the bench for this tag"
	}
	if err := w.keep(ctx, t, held); err != nil {
		return "", err
	}
	if held != "" {
		return held, nil
	}
	if w.tag.StartedAt == nil {
		if err := w.q.LockBatch(ctx, w.tag.BatchID); err != nil { // against its being taken back meanwhile
			return "", err
		}
		w.tag.StartedAt = &w.now
		if err := w.mark(ctx); err != nil {
			return "", err
		}
	}
	if t.Kind == "finish" || undone.Kind == "finish" {
		w.tag.FinishedAt = nil
		if t.Kind == "finish" {
			w.tag.FinishedAt = &w.now
		}
		if err := w.mark(ctx); err != nil {
			return "", err
		}
	}
	if movesLedger(t.Kind) || movesLedger(undone.Kind) {
		return "", w.post(ctx)
	}
	return "", nil
}

func (w *benchWork) mark(ctx context.Context) error {
	return w.q.MarkTag(ctx, w.tag.ID, w.tag.StartedAt, w.tag.FinishedAt)
}

func (w *benchWork) keep(ctx context.Context, t Tap, held string) error {
	ago := min(time.Duration(t.AgoMS)*time.Millisecond, 60*24*time.Hour)
	y := store.Tally{ID: t.ID, TagID: w.tag.ID, PersonID: w.tag.WorkerID, Kind: t.Kind, N: t.N, At: w.now.Add(-ago), ReceivedAt: w.now}
	if held != "" {
		y.Held = &held
	}
	if t.Undoes != "" {
		y.Undoes = &t.Undoes
	}
	if _, err := w.q.AddTally(ctx, y); err != nil {
		return err
	}
	w.taps = append(w.taps, y)
	if t.Undoes != "" {
		for i := range w.taps {
			if w.taps[i].ID == t.Undoes {
				w.taps[i].Undone = true
			}
		}
	}
	return nil
}

// post brings the ledgers in line with the taps. What was spoiled is moved
// out of what was set aside, and another is drawn from what is free, if there
// is any, to be cut again. Finishing moves the tied ones to grafted and gives
// back the rest.
func (w *benchWork) post(ctx context.Context) error {
	c := tapsAdded(w.taps)
	threads, err := w.q.TagThreads(ctx, w.tag.ID)
	if err != nil {
		return err
	}
	was, err := w.q.PostedStock(ctx, w.tag.ID)
	if err != nil {
		return err
	}
	l := ledger{w: w, of: w.tag.LotID, move: w.q.MoveStock, was: was, mm: func(t store.Thread) float64 { return t.StockMM }, threads: threads}
	if l.free, err = w.freeStock(ctx); err != nil {
		return err
	}
	if err := l.settle(ctx, c, c.SpoiledStock); err != nil {
		return err
	}
	if was, err = w.q.PostedWood(ctx, w.tag.ID); err != nil {
		return err
	}
	l = ledger{w: w, of: w.tag.BundleID, move: w.q.MoveWood, was: was, mm: func(t store.Thread) float64 { return t.WoodMM }, threads: threads}
	if l.free, err = w.freeWood(ctx); err != nil {
		return err
	}
	if err := l.settle(ctx, c, c.SpoiledWood+c.Dropped); err != nil {
		return err
	}
	w.stock, w.wood, err = w.s.onHand(ctx, w.q, w.tag.ID, w.tag.Planned)
	return err
}

func (w *benchWork) freeStock(ctx context.Context) (int, error) {
	if err := w.q.LockLots(ctx, []int64{w.tag.LotID}); err != nil {
		return 0, err
	}
	bs, err := w.q.StockBalances(ctx, w.tag.LotID)
	return freeIn(bs), err
}

func (w *benchWork) freeWood(ctx context.Context) (int, error) {
	if err := w.q.LockBundles(ctx, []int64{w.tag.BundleID}); err != nil {
		return 0, err
	}
	bs, err := w.q.WoodBalances(ctx, w.tag.BundleID)
	return freeIn(bs), err
}

func freeIn(bs []store.Balance) int {
	for _, b := range bs {
		if b.Account == store.Free {
			return b.N
		}
	}
	return 0
}

// ledger is one side of a tag's postings: its stems or its pieces.
type ledger struct {
	w       *benchWork
	of      int64
	move    func(context.Context, store.Move) error
	was     []store.Posted
	free    int
	mm      func(store.Thread) float64
	threads []store.Thread
}

func (l *ledger) posted(account string) int {
	for _, p := range l.was {
		if p.Account == account {
			return p.N
		}
	}
	return 0
}

// settle moves the difference between what is posted and what the taps say.
func (l *ledger) settle(ctx context.Context, c Counts, spoiled int) error {
	grafted, back := 0, c.SetAside-spoiled // what was spoiled is drawn anew
	if c.Finished {
		grafted, back = c.Tied, l.w.tag.Planned-c.Tied-spoiled
	}
	// Come back to aside first, so that no account dips below zero.
	for _, m := range []struct {
		account, out, in string
		n                int
	}{
		{store.Grafted, "grafted", "finish taken back", grafted - l.posted(store.Grafted)},
		{store.Spoiled, "spoiled at the bench", "spoiled, taken back", spoiled - l.posted(store.Spoiled)},
	} {
		if err := l.shift(ctx, m.account, m.n, m.out, m.in); err != nil {
			return err
		}
	}
	n := back - l.posted(store.Free)
	if n < 0 {
		n = -min(-n, l.free) // draw no more than there is
	}
	out := "handed back from the bench"
	if c.Finished {
		out = "left over when the tag was finished"
	}
	return l.shift(ctx, store.Free, n, out, "drawn anew, to cut again")
}

// shift moves n from aside to an account, or −n from it to aside, each class
// on a line of its own from the thinnest laid out upward.
func (l *ledger) shift(ctx context.Context, account string, n int, out, in string) error {
	m := store.Move{Of: l.of, From: store.Aside, To: account, Reason: out, BatchID: &l.w.tag.BatchID, TagID: &l.w.tag.ID, PersonID: l.w.a.ID, At: l.w.now}
	if n < 0 {
		n, m.From, m.To, m.Reason = -n, account, store.Aside, in
	}
	for i := len(l.threads) - 1; i >= 0 && n > 0; i-- {
		m.N = min(n, l.threads[i].N)
		if i == 0 {
			m.N = n
		}
		mm := l.mm(l.threads[i])
		m.MM = &mm
		if err := l.move(ctx, m); err != nil {
			return err
		}
		n -= m.N
	}
	return nil
}

// counts adds the tag up after the taps.
func (w *benchWork) counts(ctx context.Context) (Counts, error) {
	c := tapsAdded(w.taps)
	if !c.Finished {
		c.Left = max(0, min(w.stock, w.wood)-c.Tied)
	}
	return c, nil
}
