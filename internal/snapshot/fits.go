package snapshot

import (
	"sync"
	"time"
)

// Fits keeps what was worked out of the counts, by question: it changes only
// when a count is added. Whoever asks the same question waits for the one who
// is at it; other questions do not.
type Fits[T any] struct {
	mu sync.Mutex
	of map[string]*fit[T]
}

type fit[T any] struct {
	mu      sync.Mutex
	mark    string // of the counts it was worked out from
	value   T
	took    time.Duration
	at      time.Time
	anew    bool // it is being worked out again, in the background
	settled bool
}

const (
	// mostFits bounds what is kept.
	mostFits = 64
	// slowFit is how long a page waits for counts to be weighed anew; beyond it
	// the figures of the counts before are shown until that is done.
	slowFit = 300 * time.Millisecond
)

// Get gives the answer to a question by the counts that mark stands for. later,
// which may outlive the request, is how it is worked out behind a page's back;
// behind says that the answer is by the counts before, until that is done.
func (f *Fits[T]) Get(key, mark string, now func() (T, error), later func() (T, error)) (value T, behind bool, err error) {
	f.mu.Lock()
	if f.of == nil || len(f.of) > mostFits {
		f.of = map[string]*fit[T]{}
	}
	x := f.of[key]
	if x == nil {
		x = &fit[T]{}
		f.of[key] = x
	}
	f.mu.Unlock()
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.settled && (x.mark == mark || x.anew) {
		return x.value, x.mark != mark, nil
	}
	if x.settled && x.took > slowFit {
		x.anew = true
		go func() {
			begun := time.Now()
			v, err := later()
			x.mu.Lock()
			defer x.mu.Unlock()
			x.anew = false
			if err == nil {
				x.value, x.mark, x.took, x.at = v, mark, time.Since(begun), time.Now()
			}
		}()
		return x.value, true, nil
	}
	begun := time.Now()
	v, err := now()
	if err != nil {
		return v, false, err
	}
	x.value, x.mark, x.took, x.settled, x.at = v, mark, time.Since(begun), true, time.Now()
	return v, false, nil
}

// Age is how long ago what Get gives for a question was worked out; 0 where it never was.
func (f *Fits[T]) Age(key string) time.Duration {
	f.mu.Lock()
	x := f.of[key]
	f.mu.Unlock()
	if x == nil {
		return 0
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.at.IsZero() {
		return 0
	}
	return time.Since(x.at)
}

// Has says whether a question has an answer already, by whichever counts.
func (f *Fits[T]) Has(key string) bool { return f.Age(key) > 0 }
