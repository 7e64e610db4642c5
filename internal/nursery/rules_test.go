package nursery_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/season"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/union"
	"unionknot/internal/core/wood"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/heal"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/orders"
	"unionknot/internal/nursery/places"
	seasonstage "unionknot/internal/nursery/season"
	"unionknot/internal/nursery/stock"
	woodstage "unionknot/internal/nursery/wood"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
)

// slip says by how many days this year's slip begins and ends off the usual.
func (h *house) slip() (begins, ends int) {
	h.Helper()
	p, err := h.Season(ctx, "pome")
	require.NoError(h, err)
	for _, l := range p.Anchors {
		switch l.Kind {
		case season.SlipBegins:
			begins = l.This.Days()
		case season.SlipEnds:
			ends = l.This.Days()
		}
	}
	return begins, ends
}

// TestDroughtIsNotTheEndOfSlip goes the way of a dry June: bark that slipped in
// April does not in June, is asked after, and shuts T-budding until it slips.
func TestDroughtIsNotTheEndOfSlip(t *testing.T) {
	h := newHouse(t)
	h.on(2027, 4, 14)
	require.NoError(t, h.NoteSeen(ctx, h.maud, "pome", seasonstage.NewSeen{Says: season.Slips}))
	h.on(2027, 7, 28)
	n := seasonstage.NewSeen{Says: season.DoesNotSlip, On: time.Date(2027, 6, 20, 0, 0, 0, 0, time.UTC)}
	isProblem(t, h.NoteSeen(ctx, h.maud, "pome", n), "Was the soil wet?")
	n.Soil = "frozen"
	isProblem(t, h.NoteSeen(ctx, h.maud, "pome", n), "wet or dry")
	n.Soil, n.On = season.SoilDry, time.Date(2027, 7, 27, 0, 0, 0, 0, time.UTC)
	require.NoError(t, h.NoteSeen(ctx, h.ansel, "pome", n))
	_, ends := h.slip()
	assert.Zero(t, ends, "drought moves no date")
	b, err := h.SeasonBand(ctx, "pome")
	require.NoError(t, err)
	assert.Equal(t, technique.Shut, window(t, b, "T-bud (shield)").Verdict)
	assert.Equal(t, technique.BarkDry, window(t, b, "T-bud (shield)").Reason)
	assert.NotEqual(t, technique.Shut, window(t, b, "chip bud").Verdict)
	require.NoError(t, h.NoteSeen(ctx, h.maud, "pome", seasonstage.NewSeen{Says: season.Slips}))
	b, err = h.SeasonBand(ctx, "pome")
	require.NoError(t, err)
	assert.Equal(t, technique.Best, window(t, b, "T-bud (shield)").Verdict, "it slips again")
	h.on(2027, 8, 20)
	require.NoError(t, h.NoteSeen(ctx, h.maud, "pome", seasonstage.NewSeen{Says: season.DoesNotSlip, Soil: season.SoilWet}))
	_, ends = h.slip()
	assert.Negative(t, ends, "in wet soil slip has ended")
}

func TestAFarSightIsAskedBack(t *testing.T) {
	h := newHouse(t)
	h.on(2027, 2, 10)
	n := seasonstage.NewSeen{Says: "budwood ripe"}
	isProblem(t, h.NoteSeen(ctx, h.maud, "pome", n), "days before budwood ripe usually comes")
	p, err := h.Season(ctx, "pome")
	require.NoError(t, err)
	assert.Empty(t, p.Seen, "nothing is kept before it is answered")
	n.Sure = true
	require.NoError(t, h.NoteSeen(ctx, h.maud, "pome", n))
	p, err = h.Season(ctx, "pome")
	require.NoError(t, err)
	assert.Len(t, p.Seen, 1)
}

func TestOnlyASoundLookSettlesAStore(t *testing.T) {
	h := coldHouse(t)
	kinds := func() string {
		var out []string
		for _, f := range h.cold().Flags {
			out = append(out, f.Kind)
		}
		return strings.Join(out, " ")
	}
	var rs []wood.Reading
	for i := range 80 {
		rs = append(rs, wood.Reading{At: h.Now().Add(-time.Duration(80-i) * time.Hour), C: 9})
	}
	rs = append(rs, wood.Reading{At: h.Now().Add(-30 * time.Minute), C: 1})
	_, err := h.Simulate(ctx, h.maud, "cold store 1", rs)
	require.NoError(t, err)
	require.Contains(t, kinds(), "warmth")
	require.NoError(t, h.LookAtCold(ctx, h.maud, "cold store 1", places.NewLook{Found: "mould"}))
	assert.Contains(t, kinds(), "warmth", "mould settles nothing")
	assert.Contains(t, kinds(), "failed look")
	h.RunFrom(h.Now().Add(time.Hour))
	require.NoError(t, h.LookAtCold(ctx, h.maud, "cold store 1", places.NewLook{Found: "sound"}))
	assert.NotContains(t, kinds(), "warmth")
	assert.NotContains(t, kinds(), "failed look")
	require.NoError(t, h.LookAtCold(ctx, h.maud, "cold store 1", places.NewLook{Bundle: "W-1", Found: "drying"}))
	assert.Contains(t, kinds(), "failed look")
	// A thermometer read by hand does not make a silent logger speak.
	h.RunFrom(h.Now().Add(5 * time.Hour))
	require.NoError(t, h.ReadCold(ctx, h.ansel, "cold store 1", 1.5))
	assert.Contains(t, kinds(), "silent")
}

func TestADoubtedReadingWaitsForAWord(t *testing.T) {
	h := coldHouse(t)
	at := h.Now().Add(-2 * time.Hour)
	_, err := h.Simulate(
		ctx,
		h.maud,
		"cold store 1",
		[]wood.Reading{{At: at.Add(-4 * time.Hour), C: 1}, {At: at, C: -40}, {At: at.Add(time.Hour), C: 1}},
	)
	require.NoError(t, err)
	p := h.cold()
	require.Len(t, p.Doubted, 1)
	assert.Empty(t, p.Harms, "it does not count")
	_, err = h.SettleReading(ctx, h.ansel, "cold store 1", p.Doubted[0].At, true)
	require.ErrorIs(t, err, nursery.ErrNotAllowed)
	_, err = h.SettleReading(ctx, h.maud, "cold store 1", p.Doubted[0].At, false)
	require.NoError(t, err)
	_, err = h.SettleReading(ctx, h.maud, "cold store 1", p.Doubted[0].At, false)
	require.NoError(t, err, "once is enough")
	assert.Empty(t, h.cold().Doubted)
	_, err = h.Simulate(ctx, h.maud, "cold store 1", []wood.Reading{{At: at, C: -40}})
	require.NoError(t, err)
	_, err = h.SettleReading(ctx, h.maud, "cold store 1", h.cold().Doubted[0].At, true)
	require.NoError(t, err)
	assert.NotEmpty(t, h.cold().Harms, "somebody said that it was so")
}

func TestAVerdictIsOverruledWithAReasonOnTheTag(t *testing.T) {
	h := newHouse(t)
	h.stocked(40, 12, 20)
	h.on(2027, 4, 20) // bark slips: no whip and tongue by the season
	p, err := h.Match(ctx, "O-1", match.Asked{Grafts: 20})
	require.NoError(t, err)
	for _, l := range p.Chooser {
		if l.Technique.Key == "whip-and-tongue" {
			require.False(t, l.In)
			require.True(t, l.Standing.Season)
		}
	}
	asked := match.Asked{Grafts: 20, Ways: []string{"whip-and-tongue"}, Against: []string{"whip-and-tongue"}}
	p, err = h.Match(ctx, "O-1", asked)
	require.NoError(t, err)
	require.Equal(t, 20, p.Weave.Paired)
	require.True(t, p.Overruled())
	m := match.MakeBatch{Asked: asked, Print: p.Print, Once: h.uuid(), Tie: "film", Healing: "cold callus"}
	_, err = h.MakeBatch(ctx, h.maud, "O-1", m)
	isProblem(t, err, "Say in a few words why")
	m.Why, m.Once = "stock kept back in the cold store", h.uuid()
	code, err := h.MakeBatch(ctx, h.maud, "O-1", m)
	require.NoError(t, err)
	for _, tag := range h.tagsOf(code, h.ansel, h.odile) {
		assert.Equal(t, m.Why, tag.Against)
	}
}

func TestSectionsSayWhatTheGenusDoesNot(t *testing.T) {
	h := newHouse(t)
	require.NoError(
		t,
		h.AddOrder(
			ctx,
			h.maud,
			orders.NewOrder{
				Code:       "O-1",
				Genus:      "maple",
				Variety:    "Ember Rook",
				StockGenus: "maple",
				StockType:  "seedling",
				Trees:      5,
				DueOn:      time.Date(2028, 1, 1, 0, 0, 0, 0, time.UTC),
			},
		),
	)
	says := func() string {
		p, err := h.Order(ctx, "O-1", outlook.WhatIf{})
		require.NoError(t, err)
		return p.Compatibility
	}
	assert.Contains(t, says(), "go by section")
	isProblem(t, h.SetSections(ctx, h.maud, "O-1", "Norway", ""), "from the list")
	require.ErrorIs(t, h.SetSections(ctx, h.ansel, "O-1", "Palmata", "Palmata"), nursery.ErrNotAllowed)
	require.NoError(t, h.SetSections(ctx, h.maud, "O-1", "Palmata", "Platanoidea"))
	assert.Contains(t, says(), "known bad")
	require.NoError(t, h.SetSections(ctx, h.maud, "O-1", "Palmata", "Palmata"))
	assert.Empty(t, says())
	require.NoError(t, h.SetSections(ctx, h.maud, "O-1", "Rubra", "Palmata"))
	assert.Contains(t, says(), "Nothing is known")
}

// TestRosesAreReckonedByTheSummerBud: in winter they lack neither wood nor a
// window.
func TestRosesAreReckonedByTheSummerBud(t *testing.T) {
	h := newHouse(t)
	require.NoError(
		t,
		h.AddLot(
			ctx,
			h.maud,
			stock.NewLot{
				Code:       "L-1",
				Genus:      "rose",
				StockType:  "briar",
				Form:       "in the row",
				ReceivedOn: h.Today(),
				Received:   300,
				GradeLow:   5,
				GradeHigh:  9,
			},
		),
	)
	require.NoError(
		t,
		h.AddOrder(
			ctx,
			h.maud,
			orders.NewOrder{
				Code:       "O-1",
				Genus:      "rose",
				Variety:    "Old Copper",
				StockGenus: "rose",
				StockType:  "briar",
				Trees:      100,
				DueOn:      time.Date(2029, 1, 1, 0, 0, 0, 0, time.UTC),
			},
		),
	)
	p, err := h.Order(ctx, "O-1", outlook.WhatIf{})
	require.NoError(t, err)
	assert.Equal(t, "T-bud (shield)", p.Line.Need.By.Technique.Name)
	assert.Equal(t, supply.LaterInYear, p.Line.Stand.State)
	assert.False(t, p.Line.Stand.Opens.IsZero())
	assert.Empty(t, p.Line.Means.Lacking(), "%+v", p.Line.Means)
	assert.Empty(t, p.Ways)
	h.on(2027, 7, 25)
	p, err = h.Order(ctx, "O-1", outlook.WhatIf{})
	require.NoError(t, err)
	assert.Equal(t, supply.NoWood, p.Line.Stand.State, "now it is to be cut")
}

// TestWhatWasCountedMovesTheNeed: a lot that did badly, a technique that takes
// better than the house default.
func TestWhatWasCountedMovesTheNeed(t *testing.T) {
	h := newHouse(t)
	h.stocked(400, 120, 100)
	before, err := h.Order(ctx, "O-1", outlook.WhatIf{})
	require.NoError(t, err)
	batch := h.batch("O-1", 100)
	h.on(2027, 2, 10)
	for _, tag := range h.tagsOf(batch, h.ansel, h.odile) {
		h.tap(h.maud, tag.Code, "tied", tag.Planned)
		h.tap(h.maud, tag.Code, "finish", 1)
	}
	h.on(2027, 3, 20)
	page, err := h.Heal(ctx)
	require.NoError(t, err)
	for _, l := range page.Due {
		n := l.Tag.Tied
		err := h.KeepCount(
			ctx,
			h.maud,
			l.Tag.Code,
			heal.NewCount{
				ID:     h.uuid(),
				Taken:  n * 6 / 10,
				Dead:   n - n*6/10,
				Causes: map[string]int{"not known": n - n*6/10},
				Look:   "first look",
			},
		)
		require.NoError(t, err)
	}
	h.on(2027, 2, 11)
	after, err := h.Order(ctx, "O-1", outlook.WhatIf{})
	require.NoError(t, err)
	assert.Less(
		t,
		after.Line.Need.By.Take.Mean(),
		before.Line.Need.By.Take.Mean(),
		"what was counted outweighs the default, or another technique is reckoned by",
	)
	m, err := h.Match(ctx, "O-1", match.Asked{Grafts: 10})
	require.NoError(t, err)
	for _, l := range m.Chooser {
		if l.Belief.Of > 0 {
			assert.Less(t, l.Take.Mean, l.Belief.Prior.Mean()-0.05, l.Technique.Name)
		}
	}
}

func TestHouseWaysOfTheUnionDriveItsFigures(t *testing.T) {
	h := newHouse(t)
	h.stocked(40, 12, 20)
	s := union.Stems{Stock: 9.5, Scion: 7.8}
	usual, err := h.Union(ctx, "whip-and-tongue", s, "")
	require.NoError(t, err)
	require.NoError(t, h.ChooseWay(ctx, h.maud, "cut face length", "short, 25–35° to the stem"))
	short, err := h.Union(ctx, "whip-and-tongue", s, "")
	require.NoError(t, err)
	assert.Less(t, short.Joint.Length, 0.6*usual.Joint.Length)
	assert.Less(t, short.Laid.MM, usual.Laid.MM)
	before := h.pieces("W-1")[store.Free]
	require.NoError(
		t,
		h.AddBundle(
			ctx,
			h.maud,
			woodstage.NewBundle{
				Code:         "W-2",
				Plant:        "M-1",
				State:        "resting",
				CutOn:        h.Today(),
				Sticks:       12,
				LengthMM:     540,
				BaseMM:       9.2,
				TipMM:        5.8,
				InternodeMM:  22,
				BudsPerPiece: 2,
				Whole:        true,
			},
		),
	)
	assert.GreaterOrEqual(t, h.pieces("W-2")[store.Free], before, "a short face eats no more buds")
	require.NoError(t, h.ChooseWay(ctx, h.maud, "laying a thinner scion", "centred (warns)"))
	centred, err := h.Union(ctx, "whip-and-tongue", s, "")
	require.NoError(t, err)
	assert.Zero(t, centred.Laid.MM)
	assert.NotEmpty(t, centred.Warns())
	require.NoError(t, h.ChooseWay(ctx, h.maud, "laying a thinner scion", "tilted so the lines cross"))
	tilted, err := h.Union(ctx, "whip-and-tongue", s, "")
	require.NoError(t, err)
	assert.Positive(t, tilted.Laid.MM)
	assert.NotZero(t, tilted.Placed.Tilt)
	tag := h.tagsOf(h.batch("O-1", 20), h.ansel)[0]
	c, err := h.Card(ctx, h.ansel, tag.Code)
	require.NoError(t, err)
	assert.InDelta(t, 2*(c.Tag.StockLow+c.Tag.StockHigh)/2, c.Face, 1e-9)
	assert.Contains(t, c.Lay, "tilted")
}

// TestWhatIsBuddedInSummerLacksNothingInWinter: on no screen is it short.
func TestWhatIsBuddedInSummerLacksNothingInWinter(t *testing.T) {
	h := newHouse(t)
	require.NoError(
		t,
		h.AddOrder(
			ctx,
			h.maud,
			orders.NewOrder{
				Code:       "O-9",
				Genus:      "rose",
				Variety:    "Tinker's Supper",
				StockGenus: "rose",
				StockType:  "Whin Laxa",
				Trees:      5,
				DueOn:      time.Date(2028, 10, 1, 0, 0, 0, 0, time.UTC),
			},
		),
	)
	require.NoError(
		t,
		h.AddLot(
			ctx,
			h.maud,
			stock.NewLot{
				Code:       "L-9",
				Genus:      "rose",
				StockType:  "Whin Laxa",
				Form:       "in the row",
				Received:   40,
				ReceivedOn: time.Date(2027, 1, 5, 0, 0, 0, 0, time.UTC),
				Place:      "row 1",
			},
		),
	)
	ls, err := h.Orders(ctx)
	require.NoError(t, err)
	i := slices.IndexFunc(ls, func(l outlook.OrderLine) bool { return l.Order.Code == "O-9" })
	assert.True(t, ls[i].Later(), ls[i].Stand.State)
	assert.Empty(t, ls[i].Means.Lacking())
	p, err := h.Programme(ctx, match.ProgrammeAsked{})
	require.NoError(t, err)
	assert.Zero(t, p.Weave.Short)
	require.Len(t, p.Later, 1)
	assert.Equal(t, "O-9", p.Later[0].Order.Code)
	h.on(2027, 7, 20) // in its window it is as any other
	p, err = h.Programme(ctx, match.ProgrammeAsked{})
	require.NoError(t, err)
	assert.Empty(t, p.Later)
}
