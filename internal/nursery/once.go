package nursery

import (
	"context"

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
