package nursery

import (
	"context"
	"errors"
	"fmt"
	"time"

	"golang.org/x/sync/semaphore"
)

const (
	// heavyAtOnce is how many large pieces of work (a weave, a day plan, a fit, a file
	// unpacked) this server does at a time; pages and taps go on beside them.
	heavyAtOnce = 2
	// turnPatience is how long one waits for its turn before it says so.
	turnPatience = 15 * time.Second
)

// ErrTurn says that the larger pieces of work before this one are not done yet; nothing
// of it was begun.
var ErrTurn = errors.New("two larger pieces of work are being done, and this waits for its turn")

// turns lets a few large pieces of work run at a time.
type turns struct {
	room     *semaphore.Weighted
	patience time.Duration
}

func newTurns() *turns { return &turns{semaphore.NewWeighted(heavyAtOnce), turnPatience} }

// Heavy does a large piece of work once its turn has come. It gives ErrTurn, and has not
// begun, where that takes too long. Work must not call Heavy itself: it would wait for
// its own end.
func Heavy[T any](ctx context.Context, k *Kernel, work func() (T, error)) (out T, err error) {
	wait, end := context.WithTimeout(ctx, k.turns.patience)
	defer end()
	if err := k.turns.room.Acquire(wait, 1); err != nil {
		if ctx.Err() != nil {
			return out, fmt.Errorf("waiting for a turn: %w", ctx.Err())
		}
		return out, ErrTurn
	}
	defer k.turns.room.Release(1)
	return work()
}

// TakeTurns takes every turn until free is called, and lets others wait for patience
// only meanwhile; for tests of what they are told.
func (k *Kernel) TakeTurns(ctx context.Context, patience time.Duration) (free func(), err error) {
	was := k.turns.patience
	if err := k.turns.room.Acquire(ctx, heavyAtOnce); err != nil {
		return nil, err
	}
	k.turns.patience = patience
	return func() { k.turns.patience = was; k.turns.room.Release(heavyAtOnce) }, nil
}
