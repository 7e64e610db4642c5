package nursery

import (
	"context"
	"crypto/rand"
	"fmt"

	"unionknot/internal/store"
)

type requestKey struct{}

// WithRequest notes the request that a change comes from.
func WithRequest(ctx context.Context, id string) context.Context {
	return context.WithValue(ctx, requestKey{}, id)
}

type fromKey struct{}

// WithFrom notes from where a change comes.
func WithFrom(ctx context.Context, address string) context.Context {
	return context.WithValue(ctx, fromKey{}, address)
}

type onceKey struct{}

// WithOnce notes the form's own key, so that a form sent again after a lost
// answer does its work once.
func WithOnce(ctx context.Context, key string) context.Context {
	return context.WithValue(ctx, onceKey{}, key)
}

// SentBefore says whether the form's key was used; it uses it up in the same
// transaction as the work. A call without a key is always new.
func SentBefore(ctx context.Context, q store.Q, what string) (bool, error) {
	key, _ := ctx.Value(onceKey{}).(string)
	if !UUIDPattern.MatchString(key) {
		return false, nil
	}
	_, again, err := q.Once(ctx, key, what)
	return again, err
}

// NewID makes an id of the server's own, for what follows from something that a person did.
func NewID() string {
	var b [16]byte
	rand.Read(b[:])
	b[6], b[8] = b[6]&0x0f|0x40, b[8]&0x3f|0x80
	return fmt.Sprintf("%x-%x-%x-%x-%x", b[:4], b[4:6], b[6:8], b[8:10], b[10:])
}
