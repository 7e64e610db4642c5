package nursery_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/supply"
	"unionknot/internal/core/wood"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/places"
	woodstage "unionknot/internal/nursery/wood"
	"unionknot/internal/outlook"
	"unionknot/internal/standin"
	"unionknot/internal/store"
)

// coldHouse has a store with a bundle in it.
func coldHouse(t *testing.T) *house {
	h := newHouse(t)
	h.stocked(60, 20, 20)
	require.NoError(t, h.AddColdPlace(ctx, h.maud, places.NewColdPlace{Name: "Cold  store 1", SetC: 1, LowC: 0, HighC: 4}))
	for _, q := range []string{`update wood_bundle set place = 'cold store 1'`,
		`update bundle_stay set place = 'cold store 1'`} { // there from the day it was cut
		_, err := h.db.Exec(q)
		require.NoError(t, err)
	}
	return h
}

func (h *house) cold() outlook.ColdPage {
	h.Helper()
	c, err := h.Cold(ctx, "cold store 1")
	require.NoError(h, err)
	return c
}

func kinds(c outlook.ColdPage) string {
	var out []string
	for _, f := range c.Flags {
		out = append(out, f.Kind)
	}
	return strings.Join(out, ",")
}

func TestAWarmWeekMovesTheKeepByDate(t *testing.T) {
	h := coldHouse(t)
	now := h.Now()
	l := standin.StoreLogger{SetC: 1}
	before := h.cold()
	require.Len(t, before.Kept, 1)
	assert.Equal(t, "look", kinds(before), "nobody has looked since it was cut")
	l.Trouble = []standin.Trouble{{From: now.AddDate(0, 0, -9), To: now.AddDate(0, 0, -2), ByC: 8}}
	n, err := h.Simulate(ctx, h.maud, "cold store 1", l.Readings(now.AddDate(0, 0, -28), now))
	require.NoError(t, err)
	assert.Equal(t, 28*48, n)
	after := h.cold()
	lost := before.Kept[0].Keeping.KeepBy.Sub(after.Kept[0].Keeping.KeepBy).Hours() / 24
	assert.InDelta(t, 7*(wood.Rate(9)-1), lost, 1.5, "days of life lost")
	assert.Equal(t, "warmth,look", kinds(after))
	assert.Contains(t, after.Flags[0].Says, "keep-by dates of 1 bundles")
	p, err := h.TodayPage(ctx, h.maud)
	require.NoError(t, err)
	require.Len(t, p.Risks, 2)
	assert.Contains(t, p.Risks[0].Says, "Above 6 °C")
	assert.Equal(t, "Cold store 1", p.Risks[1].Look)

	// A look in the middle of it settles nothing: it went on being warm.
	h.RunFrom(now.AddDate(0, 0, -5))
	require.NoError(t, h.LookAtCold(ctx, h.ansel, "cold store 1", places.NewLook{Found: "sound"}))
	h.RunFrom(now)
	assert.Equal(t, "warmth", kinds(h.cold()))

	// A look since it ended settles it; a bad find stands until the next.
	require.NoError(t, h.LookAtCold(ctx, h.ansel, "cold store 1", places.NewLook{Found: "sound"}))
	assert.Empty(t, kinds(h.cold()))
	free := h.pieces("W-1")[store.Free]
	require.NoError(t, h.LookAtCold(ctx, h.maud, "cold store 1", places.NewLook{Bundle: "w-1", Found: "mould", Thrown: 5}))
	assert.Equal(t, free-5, h.pieces("W-1")[store.Free])
	assert.Equal(t, "failed look", kinds(h.cold()))
	isProblem(t, h.LookAtCold(ctx, h.maud, "cold store 1", places.NewLook{Bundle: "W-1", Found: "mould", Thrown: 50_000}), "pieces free")
	isProblem(t, h.LookAtCold(ctx, h.maud, "cold store 1", places.NewLook{Found: "nice"}), "Say what was found")
	assert.ErrorIs(t, h.LookAtCold(ctx, h.eye, "cold store 1", places.NewLook{Found: "sound"}), nursery.ErrNotAllowed)
	require.NoError(t, h.ChangeColdPlace(ctx, h.maud, "cold store 1", places.ChangeCold{SetC: 1, HighC: 4, Fruit: true}))
	assert.Contains(t, kinds(h.cold()), "fruit")
}

func TestWoodAgesByThePlaceItLayIn(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 20)
	now := h.Now()
	for name, c := range map[string]float64{"shed": 9, "cold store 1": 1} {
		require.NoError(t, h.AddColdPlace(ctx, h.maud, places.NewColdPlace{Name: name, SetC: c, LowC: 0, HighC: 10}))
	}
	cut := func(code, place string, daysAgo int) {
		require.NoError(
			t,
			h.AddBundle(
				ctx,
				h.maud,
				woodstage.NewBundle{Code: code, Plant: "M-1", State: "resting", CutOn: h.Today().AddDate(0, 0, -daysAgo), Place: place,
					Sticks: 5, LengthMM: 500, BaseMM: 9, TipMM: 6, InternodeMM: 24, BudsPerPiece: 2},
			),
		)
	}
	cut("W-8", "shed", 20)
	cut("W-9", "cold store 1", 20)
	h.RunFrom(now.AddDate(0, 0, 10))
	require.NoError(t, h.MoveBundle(ctx, h.maud, "W-8", "Cold store 1"))
	h.RunFrom(now.AddDate(0, 0, 30))
	age := func(code string) float64 {
		b, err := h.Bundle(ctx, code)
		require.NoError(t, err)
		return b.Kept.Keeping.Age.Days
	}
	assert.InDelta(t, 50, age("W-9"), 1)
	assert.InDelta(t, 30*wood.Rate(9)+20, age("W-8"), 1.2, "thirty days in the shed do not vanish")
	h.order("O-7", 10)
	m, err := h.Match(ctx, "O-7", match.Asked{})
	require.NoError(t, err)
	assert.Empty(t, m.Outs)
	assert.Equal(t, "W-8", m.Bundles[0].Bundle.Code, "the weave takes first what keeps shortest")
	p := h.cold()
	require.Len(t, p.Kept, 2)
	assert.Equal(t, "W-8", p.Kept[0].Bundle.Code, "first to use")
	h.RunFrom(now.AddDate(0, 0, 75))
	m, err = h.Match(ctx, "O-7", match.Asked{})
	require.NoError(t, err)
	require.Len(t, m.Outs, 1)
	assert.Equal(t, "W-8", m.Outs[0].Code)
	assert.Equal(t, []supply.Gate{supply.PastKeep}, m.Outs[0].Gates)
	assert.NotContains(t, bundlesOf(m), "W-8", "wood past its day is not woven")
	require.NoError(t, h.LetBundleIn(ctx, h.maud, "W-8", "firm, green under a scratch"))
	m, err = h.Match(ctx, "O-7", match.Asked{})
	require.NoError(t, err)
	assert.Contains(t, bundlesOf(m), "W-8", "until somebody lets it in")
}

func TestALoggerSendsWithItsOwnKey(t *testing.T) {
	h := coldHouse(t)
	key, err := h.LoggerKey(ctx, h.maud, "cold store 1")
	require.NoError(t, err)
	rs := []wood.Reading{{At: h.Now().Add(-5 * time.Hour), C: 1.25}, {At: h.Now().Add(-4 * time.Hour), C: 1.5}}
	n, err := h.Intake(ctx, key, rs)
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	n, err = h.Intake(ctx, key, rs)
	require.NoError(t, err)
	assert.Zero(t, n, "sent again it is the same")
	assert.Contains(t, kinds(h.cold()), "silent", "four hours without a word")
	_, err = h.Intake(ctx, key, []wood.Reading{{At: h.Now().AddDate(0, 0, 2), C: 1}})
	isProblem(t, err, "still to come")
	_, err = h.Intake(ctx, key, []wood.Reading{{At: h.Now(), C: 400}})
	isProblem(t, err, "no store's temperature")
	fresh, err := h.LoggerKey(ctx, h.maud, "cold store 1")
	require.NoError(t, err)
	for _, bad := range []string{key, "", "x" + fresh} {
		_, err = h.Intake(ctx, bad, rs)
		assert.ErrorIs(t, err, places.ErrNoKey)
	}
	_, err = h.LoggerKey(ctx, h.ansel, "cold store 1")
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
}

func TestStoreReadingsByFile(t *testing.T) {
	h := coldHouse(t)
	p := h.load(
		"store",
		"store;at;f\ncold store 1;2027-02-09 06:00;34\nCOLD STORE 1;2027-02-09T12:00;35,6\nshed;2027-02-09 06:00;34\ncold store "+
			"1;yesterday;34\ncold store 1;2027-02-09 07:00;\n",
	)
	assert.Equal(t, 2, p.New)
	assert.Equal(t, 3, p.BadN)
	require.NoError(t, h.LoadNow(ctx, h.maud, p.Load.ID))
	c := h.cold()
	require.Len(t, c.Readings, 2)
	assert.InDelta(t, 1.11, c.Readings[0].C, 1e-9)
	p = h.load("store", "store,at,c\ncold store 1,2027-02-09 06:00,9\n")
	require.Len(t, p.Bad, 1)
	assert.Contains(t, p.Bad[0].Says, "1.11 °C is here already")
}

func bundlesOf(m match.MatchPage) (codes []string) {
	for _, b := range m.Bundles {
		codes = append(codes, b.Bundle.Code)
	}
	return codes
}
