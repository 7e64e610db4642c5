package files

import (
	"context"
	"errors"
	"strings"
	"sync/atomic"
	"time"
	"unicode/utf8"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// beat is how often a run says how far it is, and asks whether it is to stop.
const beat = 500 * time.Millisecond

// errStopped says that somebody stopped a run.
var errStopped = errors.New("stopped")

// begin does something with a file behind the request that asked for it. The channel gives
// how it ended; it is closed at once where something is being done with the file already.
func (s *Stage) begin(
	ctx context.Context, id int64, doing string, work func(ctx context.Context, id int64, gone func(done, of int)) error,
) (<-chan error, error) {
	began, err := s.DB.Q().BeginRun(ctx, id, doing)
	ended := make(chan error, 1)
	if err != nil || !began {
		close(ended)
		return ended, err
	}
	if !s.Works.Begin(ctx, func(ctx context.Context) { ended <- s.run(ctx, id, doing, work) }) {
		close(ended)
		return ended, errors.Join(s.DB.Q().EndRun(ctx, id, words.FileBrokeOff), nursery.Problem{Says: words.Stopping})
	}
	return ended, nil
}

// run carries a run through, with a sign of life, and keeps how it ended.
func (s *Stage) run(
	ctx context.Context, id int64, doing string, work func(ctx context.Context, id int64, gone func(done, of int)) error,
) error {
	ctx, end := context.WithCancelCause(ctx)
	defer end(nil)
	var done, of atomic.Int64
	beaten := make(chan struct{})
	go func() {
		defer close(beaten)
		t := time.NewTicker(beat)
		defer t.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-t.C:
			}
			stop, err := s.DB.Q().BeatRun(ctx, id, int(done.Load()), int(of.Load()))
			if stop {
				end(errStopped)
			} else if err != nil && ctx.Err() == nil {
				s.Log.WarnContext(ctx, "load silent", "load", id, "err", err)
			}
		}
	}()
	var err error
	for {
		err = work(ctx, id, func(n, all int) { done.Store(int64(n)); of.Store(int64(all)) })
		if !errors.Is(err, nursery.ErrTurn) || ctx.Err() != nil {
			break // what waits for its turn here goes on waiting: nobody's request does
		}
	}
	cause := context.Cause(ctx)
	end(nil)
	<-beaten
	failed, problem := "", nursery.Problem{}
	switch {
	case err == nil:
	case errors.As(err, &problem):
		failed = problem.Says
	case errors.Is(cause, errStopped):
		failed = words.FileStopped
	case cause != nil:
		failed = words.FileBrokeOff
	default:
		failed = words.FileFailed
		s.Log.ErrorContext(ctx, "load failed", "load", id, "doing", doing, "err", err)
	}
	say, over := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
	defer over()
	return errors.Join(err, s.DB.Q().EndRun(say, id, failed))
}

// readBehind goes through a large file and keeps what it holds.
func (s *Stage) readBehind(ctx context.Context, id int64, gone func(done, of int)) error {
	f, err := s.DB.Q().Load(ctx, id)
	if err != nil || f.State != "read" {
		return err
	}
	h, err := s.holds(ctx, f, gone)
	if err != nil {
		return err
	}
	return s.DB.Q().SetSeen(ctx, id, h, s.Now())
}

// ReadAnew goes through a large file again: what is here may have changed.
func (s *Stage) ReadAnew(ctx context.Context, a nursery.Actor, id int64) (<-chan error, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return nil, err
	}
	if f, err := s.DB.Q().Load(ctx, id); err != nil || f.State != "read" {
		ended := make(chan error)
		close(ended)
		return ended, err
	}
	return s.begin(ctx, id, "reading", s.readBehind)
}

// BeginLoad loads a file's good rows, all of them or none, behind the request that asks for
// it; the channel gives how it ended. Told twice it loads once.
func (s *Stage) BeginLoad(ctx context.Context, a nursery.Actor, id int64) (<-chan error, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return nil, err
	}
	f, err := s.DB.Q().Load(ctx, id)
	if err != nil {
		return nil, err
	}
	if f.State != "read" {
		ended := make(chan error)
		close(ended)
		return ended, nil
	}
	return s.begin(ctx, id, "loading", func(ctx context.Context, id int64, gone func(done, of int)) error {
		return s.loadAll(ctx, a, id, gone)
	})
}

// LoadNow loads a file and waits until it is loaded.
func (s *Stage) LoadNow(ctx context.Context, a nursery.Actor, id int64) error {
	ended, err := s.BeginLoad(ctx, a, id)
	if err != nil {
		return err
	}
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Stop stops what is being done with a file; nothing of it is kept.
func (s *Stage) Stop(ctx context.Context, a nursery.Actor, id int64) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Q().StopRun(ctx, id)
}

// Mended is a cell as it was mended in the preview.
type Mended = store.Mend

// MendRows keeps cells that were mended in a file's preview: the file is read as if they
// stood in it. Cells of rows that are no bad ones, and those not changed, are passed over.
func (s *Stage) MendRows(ctx context.Context, a nursery.Actor, id int64, ms []Mended) (<-chan error, error) {
	ended := make(chan error)
	close(ended)
	p, err := s.Preview(ctx, a, id)
	if err != nil {
		return nil, err
	}
	if p.Load.State != "read" {
		return nil, nursery.ErrNotFound
	}
	if p.Working() {
		return nil, nursery.Problem{Says: words.BusyLoad}
	}
	type cell struct {
		line  int
		field string
	}
	has := map[cell]string{}
	for _, b := range p.Bad {
		has[cell{b.Line, b.Column}] = b.Has
	}
	var keep []store.Mend
	for _, m := range ms {
		m.Value = strings.TrimSpace(m.Value)
		if utf8.RuneCountInString(m.Value) > 2000 {
			return nil, nursery.Problem{Says: words.MendTooLong}
		}
		if was, bad := has[cell{m.Line, m.Field}]; bad && was != m.Value {
			keep = append(keep, m)
		}
	}
	if len(keep) == 0 {
		return nil, nursery.Problem{Says: words.MendNothing}
	}
	if err := s.DB.Q().SetMends(ctx, id, keep); err != nil {
		return nil, err
	}
	if len(p.Load.Body) > small {
		return s.begin(ctx, id, "reading", s.readBehind)
	}
	return ended, nil
}

// BackPage is what taking a load back would do.
type BackPage struct {
	Load  store.Load
	Kind  nursery.LoadKind
	Stays []store.Stays // the first of them
	Stay  int
	Goes  int
}

// staysShown is how many rows that stay are told apart on the page; a file has them all.
const staysShown = 200

// Back says what taking a load back would do.
func (s *Stage) Back(ctx context.Context, a nursery.Actor, id int64) (p BackPage, err error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return p, err
	}
	q := s.DB.Q()
	if p.Load, err = q.Load(ctx, id); err != nil {
		return p, err
	}
	if p.Load.State != "loaded" {
		return p, nursery.Problem{Says: words.BackLoadFirst}
	}
	p.Kind, _ = nursery.KindOf(p.Load.Kind)
	stays, all, err := q.Added(ctx, id, p.Load.Kind)
	p.Stays, p.Stay, p.Goes = stays[:min(len(stays), staysShown)], len(stays), all-len(stays)
	return p, err
}

// StaysColumns name what StaysFile writes.
var StaysColumns = []string{"row", words.WhyItStays}

// StaysFile writes all rows that would stay, each with why.
func (s *Stage) StaysFile(ctx context.Context, a nursery.Actor, id int64, row func(...any) error) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	f, err := s.DB.Q().Load(ctx, id)
	if err != nil {
		return err
	}
	stays, _, err := s.DB.Q().Added(ctx, id, f.Kind)
	for _, x := range stays {
		if err := row(x.Key, words.Stayed(x.Why)); err != nil {
			return err
		}
	}
	return err
}

// TakeBack takes back what a load added, but what was used since.
func (s *Stage) TakeBack(ctx context.Context, a nursery.Actor, id int64, reason string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	reason = strings.TrimSpace(reason)
	if reason == "" || utf8.RuneCountInString(reason) > 500 {
		return nursery.Problem{Field: "reason", Says: words.BackReason}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		f, err := q.LockLoad(ctx, id)
		if err != nil || f.State == "taken back" {
			return err
		}
		if f.State != "loaded" {
			return nursery.Problem{Says: words.BackLoadFirst}
		}
		if err := q.LockAdded(ctx, id, f.Kind); err != nil {
			return err
		}
		stays, _, err := q.Added(ctx, id, f.Kind)
		if err != nil {
			return err
		}
		n, err := q.TakeBack(ctx, id, f.Kind, a.ID, s.Now())
		if err != nil {
			return err
		}
		if n == 0 {
			return nursery.Problem{Says: words.BackNothing}
		}
		if err := q.SetBack(ctx, id, a.ID, store.LoadBack{At: s.Now(), Reason: reason, Taken: n, Stayed: len(stays)}); err != nil {
			return err
		}
		if err := q.EndLoad(ctx, id, "taken back", f.Added, f.Unchanged); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "load", f.FileName, "taken back", map[string]any{"rows": f.Added},
			map[string]any{"taken back": n, "stayed": len(stays), "reason": reason})
	})
}
