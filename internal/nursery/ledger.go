package nursery

import (
	"context"

	"unionknot/internal/store"
)

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
