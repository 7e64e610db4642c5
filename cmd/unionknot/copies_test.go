package main

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/copies"
	"unionknot/internal/testhouse"
)

// TestANightsCopyIsMadeOnce lets two servers with one folder look after its copies.
func TestANightsCopyIsMadeOnce(t *testing.T) {
	db := testhouse.Empty(t)
	s := settings{DB: testhouse.Address(t, db), Copies: filepath.Join(t.TempDir(), "copies"), CopiesKept: 3}
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan struct{}, 2)
	for range 2 {
		go func() { keepCopies(ctx, s, db, testhouse.Quiet, 20*time.Millisecond); ended <- struct{}{} }()
	}
	require.Eventually(t, func() bool {
		at, err := copies.Newest(s.Copies)
		return err == nil && !at.IsZero()
	}, 20*time.Second, 20*time.Millisecond)
	at, err := copies.Newest(s.Copies)
	require.NoError(t, err)
	// They look a few times more; the newest is hours from being a day old.
	for range 5 {
		time.Sleep(20 * time.Millisecond)
	}
	stop()
	<-ended
	<-ended
	again, err := copies.Newest(s.Copies)
	require.NoError(t, err)
	assert.Equal(t, at, again)
	files, err := os.ReadDir(s.Copies)
	require.NoError(t, err)
	assert.Len(t, files, 2, "one copy, and its record")
}
