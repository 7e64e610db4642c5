package nursery

import (
	"context"
	"sync"
)

// Works is the work that goes on behind the requests that asked for it. The zero value is
// ready.
type Works struct {
	mu     sync.Mutex
	ended  bool
	ends   map[int]context.CancelFunc
	last   int
	active sync.WaitGroup
}

// Begin does work that outlives the request that asked for it: it ends with the server, and
// not with the request. It says false, and does nothing, once the server is stopping.
func (b *Works) Begin(ctx context.Context, work func(ctx context.Context)) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.ended {
		return false
	}
	ctx, end := context.WithCancel(context.WithoutCancel(ctx))
	b.last++
	if b.ends == nil {
		b.ends = map[int]context.CancelFunc{}
	}
	no := b.last
	b.ends[no] = end
	b.active.Go(func() {
		work(ctx)
		b.mu.Lock()
		defer b.mu.Unlock()
		end()
		delete(b.ends, no)
	})
	return true
}

// Close ends what goes on behind, and waits until it has ended.
func (b *Works) Close() {
	b.mu.Lock()
	b.ended = true
	for _, end := range b.ends {
		end()
	}
	b.mu.Unlock()
	b.active.Wait()
}
