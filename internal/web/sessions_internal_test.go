package web

import (
	"context"
	"encoding/gob"
	"testing"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

func TestASessionIsRememberedForMomentsOnly(t *testing.T) {
	ctx := context.Background()
	db := testhouse.Empty(t)
	here, there := &sessions{db: db.DB.DB}, &sessions{db: db.DB.DB}
	find := func(s *sessions) bool {
		_, found, err := s.FindCtx(ctx, "token")
		require.NoError(t, err)
		return found
	}
	assert.False(t, find(here))
	require.NoError(t, here.CommitCtx(ctx, "token", []byte("x"), time.Now().Add(time.Hour)))
	assert.True(t, find(here))
	assert.True(t, find(there), "the other server reads it from the database")
	require.NoError(t, there.DeleteCtx(ctx, "token"))
	assert.False(t, find(there), "who ends it knows at once")
	assert.True(t, find(here), "the other goes on for moments")
	here.known[hashed("token")] = knownSession{[]byte("x"), time.Now().Add(-sessionFor)}
	assert.False(t, find(here), "and no longer")

	require.NoError(t, here.CommitCtx(ctx, "old", []byte("x"), time.Now().Add(-time.Minute)))
	here.forget(hashed("old"))
	_, found, err := here.FindCtx(ctx, "old")
	require.NoError(t, err)
	assert.False(t, found, "one that has expired is none")
}

// TestAWrittenSessionIsNotReadAsItWasBefore: a request that read a session before another wrote or
// ended it, as a device does that keeps pages for later, and comes to remember it only after, does
// not make the next one read it as it was.
func TestAWrittenSessionIsNotReadAsItWasBefore(t *testing.T) {
	ctx := context.Background()
	s := &sessions{db: testhouse.Empty(t).DB.DB}
	end := time.Now().Add(time.Hour)
	require.NoError(t, s.CommitCtx(ctx, "token", []byte("before"), end))
	turn, at := s.turn, time.Now()
	require.NoError(t, s.CommitCtx(ctx, "token", []byte("after"), end))
	s.remember(hashed("token"), []byte("before"), at, turn)
	got, found, err := s.FindCtx(ctx, "token")
	require.NoError(t, err)
	assert.True(t, found)
	assert.Equal(t, "after", string(got))

	turn = s.turn
	require.NoError(t, s.DeleteCtx(ctx, "token"))
	s.remember(hashed("token"), []byte("after"), at, turn)
	_, found, err = s.FindCtx(ctx, "token")
	require.NoError(t, err)
	assert.False(t, found, "who signed out is out")

	turn = s.turn
	s.remember(hashed("token"), []byte("after"), time.Now(), turn)
	s.forgetAll()
	s.remember(hashed("token"), []byte("after"), time.Now(), turn)
	_, found, err = s.FindCtx(ctx, "token")
	require.NoError(t, err)
	assert.False(t, found)
}

func TestASessionsValuesComeBackAsTheyWere(t *testing.T) {
	end := time.Date(2027, 2, 23, 20, 0, 0, 0, time.UTC)
	values := map[string]any{"person": int64(7), "group": "pome"}
	b, err := plain{}.Encode(end, values)
	require.NoError(t, err)
	at, got, err := plain{}.Decode(b)
	require.NoError(t, err)
	assert.True(t, end.Equal(at))
	assert.Equal(t, values, got)

	gob.Register(int64(0))
	before, err := scs.GobCodec{}.Encode(end, values)
	require.NoError(t, err)
	_, got, err = plain{}.Decode(before)
	require.NoError(t, err)
	assert.Equal(t, values, got, "whoever was signed in before this form stays so")

	_, err = plain{}.Encode(end, map[string]any{"x": 1.5})
	assert.Error(t, err)
}

func BenchmarkSessionDecode(b *testing.B) {
	values := map[string]any{"person": int64(7), "group": "pome"}
	for name, c := range map[string]scs.Codec{"plain": plain{}, "gob": scs.GobCodec{}} {
		data, err := c.Encode(time.Now(), values)
		require.NoError(b, err)
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				c.Decode(data)
			}
		})
	}
}
