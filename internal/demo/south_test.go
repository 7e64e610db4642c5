package demo_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/demo"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/testhouse"
)

// TestTheSouthernHouseBudsWithoutRest: it stands in the middle of its work, with open windows
// where a northern house has none.
func TestTheSouthernHouseBudsWithoutRest(t *testing.T) {
	ctx := context.Background()
	db := testhouse.Empty(t)
	require.NoError(t, demo.LoadSouth(ctx, db, testhouse.Quiet))
	require.NoError(t, demo.LoadSouth(ctx, db, testhouse.Quiet), "a second time leaves it alone")
	assert.Zero(t, count(t, db, `select count(*) from season_group where rests`))
	assert.Positive(t, count(t, db, `select count(*) from tag where finished_at is not null and look_id is not null`))
	assert.Positive(t, count(t, db, `select count(*) from tag where started_at is not null and finished_at is null`))
	assert.Equal(t, count(t, db, `select count(*) from tag`), count(t, db, `select count(*) from tag where technique in ('t-bud',
		'chip-bud')`))
	s, err := stages.New(ctx, db, testhouse.Quiet)
	require.NoError(t, err)
	b, err := s.SeasonBand(ctx, "")
	require.NoError(t, err)
	assert.Equal(t, "tender", b.Group, "the band is of what it grows")
	assert.NotEmpty(t, b.Open())
	ls, err := s.Orders(ctx)
	require.NoError(t, err)
	ready := 0
	for _, l := range ls {
		if l.Ready() {
			ready++
		}
	}
	assert.Positive(t, ready, "one is still to be woven")
}
