package nursery_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/wood"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/places"
)

// TestASlipOfTheThumbIsTakenBackInTime: what one tap did is taken back by those who may, for
// a while, and not after it.
func TestASlipOfTheThumbIsTakenBackInTime(t *testing.T) {
	h := coldHouse(t)
	require.NoError(t, h.KeepAmiss(ctx, h.maud, "cold store 1", []string{"labels gone"}))
	open := func() int { return h.sum(`select count(*) from amiss where righted_at is null`) }
	var id int64
	require.NoError(t, h.db.Get(&id, `select id from amiss`))
	_, err := h.PutRight(ctx, h.ansel, id)
	require.NoError(t, err)
	_, err = h.WrongAgain(ctx, h.eye, id)
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
	_, err = h.WrongAgain(ctx, h.ansel, id)
	require.NoError(t, err)
	assert.Equal(t, 1, open())
	_, err = h.PutRight(ctx, h.ansel, id)
	require.NoError(t, err)
	require.NoError(t, h.KeepAmiss(ctx, h.maud, "cold store 1", []string{"labels gone"}))
	_, err = h.WrongAgain(ctx, h.ansel, id)
	assert.ErrorIs(t, err, nursery.ErrNotFound, "it was noted anew since")
	assert.Equal(t, 1, open())

	looks := func() int { return h.sum(`select count(*) from store_look`) }
	require.NoError(t, h.LookAtCold(ctx, h.ansel, "cold store 1", places.NewLook{Found: "sound"}))
	assert.ErrorIs(t, h.UnlookCold(ctx, h.odile, "cold store 1"), nursery.ErrNotFound, "it was not hers")
	require.NoError(t, h.UnlookCold(ctx, h.ansel, "cold store 1"))
	assert.Zero(t, looks())
	assert.ErrorIs(t, h.UnlookCold(ctx, h.ansel, "cold store 1"), nursery.ErrNotFound)
	require.NoError(t, h.LookAtCold(ctx, h.ansel, "cold store 1", places.NewLook{Found: "sound"}))
	h.StandAt(h.Now().Add(nursery.BackWithin + time.Second))
	assert.ErrorIs(t, h.UnlookCold(ctx, h.ansel, "cold store 1"), nursery.ErrNotFound, "too late")
	assert.Equal(t, 1, looks())

	at := h.Now().Add(-time.Hour).Truncate(time.Second)
	_, err = h.Simulate(ctx, h.maud, "cold store 1", []wood.Reading{{At: at, C: -40}})
	require.NoError(t, err)
	for _, keep := range []bool{false, true} {
		r, err := h.SettleReading(ctx, h.maud, "cold store 1", at, keep)
		require.NoError(t, err)
		require.InDelta(t, -40, r.C, 1e-9)
		assert.Empty(t, h.cold().Doubted)
		require.NoError(t, h.DoubtAgain(ctx, h.maud, "cold store 1", r))
		assert.Len(t, h.cold().Doubted, 1, "kept %v", keep)
	}
}

// TestAPlaceIsRenamedWhereverItStands: lots, wood, beds and readings go with it.
func TestAPlaceIsRenamedWhereverItStands(t *testing.T) {
	h := demoHouse(t)
	tags := h.sum(`select count(*) from tag where heal_place = 'callus box 1'`)
	require.Positive(t, tags)
	bundles := h.sum(`select count(*) from wood_bundle where place = 'cold store 1'`)
	readings := h.sum(`select count(*) from store_reading`)
	require.NoError(t, right(t, h.Set, h, "place", "callus box 1", "name", "Kasten 1"))
	require.NoError(t, right(t, h.Set, h, "place", "cold store 1", "name", "the cold cellar"))
	assert.Equal(t, tags, h.sum(`select count(*) from tag where heal_place = 'Kasten 1'`))
	assert.Equal(t, bundles, h.sum(`select count(*) from wood_bundle where place = 'the cold cellar'`))
	assert.Equal(t, readings, h.sum(`select count(*) from store_reading`))
	c, err := h.Cold(ctx, "the cold cellar")
	require.NoError(t, err)
	assert.NotEmpty(t, c.Harms, "its warm week is known by its new name")
	isProblem(t, right(t, h.Set, h, "place", "Kasten 1", "name", "cold store 2"), "Two with readings stay two")
	_, err = h.Correctable(ctx, h.maud, "place", "nowhere")
	assert.ErrorIs(t, err, nursery.ErrNotFound)
	cs, err := h.Corrections(ctx, "place", "Kasten 1")
	require.NoError(t, err)
	require.NotEmpty(t, cs.All)
	assert.Equal(t, "callus box 1", cs.All[0].Values[0].Was)
}
