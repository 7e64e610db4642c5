package nursery_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/ways"
	"unionknot/internal/nursery"
	housestage "unionknot/internal/nursery/house"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/words"
)

// TestEachWayOfTheHouseChangesSomething gives each question each of its answers in
// turn, and reads all that a person would see of a house with a bench tag, a tag
// of T-buds in the row, what follows them, wood to cut, and failed stocks. Where
// two answers read the same, the question changes nothing.
func TestEachWayOfTheHouseChangesSomething(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 12, 60)
	l := h.lineOfOrder("O-1")
	require.Positive(t, l.ToGo)
	tags := h.tagsOf(h.batch("O-1", 40), h.ansel, h.odile)
	h.tap(h.maud, tags[0].Code, "tied", tags[0].Planned)
	h.tap(h.maud, tags[0].Code, "finish", 1)
	next := h.Today().AddDate(0, 0, 1)
	_, err := h.DB.Exec(`update tag set day = $1 where code = $2`, next, tags[1].Code)
	require.NoError(t, err)
	_, err = h.DB.Exec(`update batch set tie = 'pvc'`) // a tie that comes off
	require.NoError(t, err)
	// A tag of another's technique and stock, as the card has them.
	retagged := func(key, form string) {
		_, err := h.DB.Exec(`update tag set technique = $1 where code = $2`, key, tags[1].Code)
		require.NoError(t, err)
		_, err = h.DB.Exec(`update stock_lot set form = $1 where code = 'L-1'`, form)
		require.NoError(t, err)
	}
	// What a house shows: cards of three techniques, a day's materials, what to
	// take along for cutting, what is offered for a batch, and what follows.
	shows := func() string {
		var out strings.Builder
		for _, c := range []struct{ key, form string }{{"whip-and-tongue", "bare-root"}, {"chip-bud", "bare-root"}, {"t-bud",
			outlook.InRow}} {
			retagged(c.key, c.form)
			p, err := h.Card(ctx, h.maud, tags[1].Code)
			require.NoError(t, err)
			d, err := h.Day(ctx, next)
			require.NoError(t, err)
			fmt.Fprintln(&out, p.Steps, p.Cautions, p.FaceWay, p.Lay, d.Materials)
			_, err = h.DB.Exec(`update tag set finished_at = $1 where code = $2`, h.Now(), tags[1].Code)
			require.NoError(t, err)
			_, err = h.DB.Exec(`update batch set healing = case $1 when 'chip-bud' then 'pot at once' when 't-bud' then 'in the row'
				else 'cold callus' end`, c.key)
			require.NoError(t, err)
			if c.key == "t-bud" { // a sleeping bud of last August
				_, err = h.DB.Exec(`update tag set finished_at = '2026-08-12 10:00' where code = $1`, tags[1].Code)
				require.NoError(t, err)
			}
			_, err = h.DB.Exec(`update wood_bundle set state = case when $1 = 't-bud' then 'ripe green' else 'resting' end`, c.key)
			require.NoError(t, err)
			n, err := h.Count(ctx, tags[1].Code, "")
			require.NoError(t, err)
			fmt.Fprintln(&out, n.Follows)
			f, err := h.Facts(ctx, snapshot.Tags)
			require.NoError(t, err)
			for _, x := range outlook.HealOf(f).Waiting {
				fmt.Fprintln(&out, x.Tag.Code, x.DueFrom)
			}
			fmt.Fprintln(&out, outlook.TieFor(f, true), outlook.TieFor(f, false), f.Answers().Healing("pear"))
			_, err = h.DB.Exec(`update tag set finished_at = null where code = $1`, tags[1].Code)
			require.NoError(t, err)
			_, err = h.DB.Exec(`update wood_bundle set state = 'resting'`)
			require.NoError(t, err)
		}
		retagged("whip-and-tongue", "bare-root")
		c, err := h.Collect(ctx, outlook.CollectAsked{Spare: 10, Waste: 10})
		require.NoError(t, err)
		fmt.Fprintln(&out, c.Usable, c.Sealed, c.Tips)
		for _, x := range c.Lines {
			fmt.Fprintln(&out, x.Sticks, x.LookFor, x.Stick)
		}
		return out.String()
	}
	p, err := h.House(ctx, h.maud)
	require.NoError(t, err)
	require.Len(t, p.Ways, len(ways.All))
	own := map[string]bool{string(ways.BudsPerStock): true, string(ways.Team): true, string(ways.Failed): true,
		string(ways.ChipWood): true, string(ways.SpeciesOrder): true, string(ways.TakesSeen): true,
		string(ways.Sharing): true, string(ways.CheckTape): true}
	for _, w := range p.Ways {
		t.Run(w.Key, func(t *testing.T) {
			if own[w.Key] {
				t.Skip("held by a test of its own")
			}
			seen := map[string]string{}
			for _, o := range housestage.Options(w) {
				require.NoError(t, h.ChooseWay(ctx, h.maud, w.Key, o))
				says := shows()
				if other := seen[says]; other != "" && !(w.Key == string(ways.Callusing) && (o == "cold box" || other == "by genus")) {
					t.Errorf("%q changes nothing beside %q", o, other)
				}
				seen[says] = o
			}
			require.NoError(t, h.ChooseWay(ctx, h.maud, w.Key, w.Chosen))
			assert.NotEmpty(t, words.WayChanges(ways.Key(w.Key)), "House says what it changes")
		})
	}
}

// TestATechniqueIsOffAndThinStockWorksOnceTheHouseSaysSo changes a technique on
// House and looks at Match.
func TestATechniqueIsOffAndThinStockWorksOnceTheHouseSaysSo(t *testing.T) {
	h := newHouse(t)
	h.stocked(200, 60, 40)
	in := func(key string) (bool, int) {
		m, err := h.Match(ctx, "O-1", match.Asked{})
		require.NoError(t, err)
		for _, c := range m.Chooser {
			if c.Technique.Key == key {
				return c.In, c.Alone
			}
		}
		return false, 0
	}
	ok, _ := in("whip-and-tongue")
	require.True(t, ok)
	set := housestage.SetTechnique{Key: "whip-and-tongue", InUse: false, MinMM: 5, MaxMM: 15, RatioMin: 0.8}
	require.NoError(t, h.SetTechnique(ctx, h.maud, set))
	ok, _ = in("whip-and-tongue")
	assert.False(t, ok, "the house has no tool for it")
	set.InUse, set.MinMM = true, 40
	isProblem(t, h.SetTechnique(ctx, h.maud, set), "the thicker after the thinner")
	set.MinMM = 3
	require.NoError(t, h.SetTechnique(ctx, h.maud, set))
	ok, alone := in("whip-and-tongue")
	assert.True(t, ok)
	assert.Positive(t, alone)
	require.ErrorIs(t, h.SetTechnique(ctx, h.ansel, set), nursery.ErrNotAllowed)
}

// TestWhatStandsInTheRowHealsThere makes a batch of stems in the row, and of stems
// on the bench.
func TestWhatStandsInTheRowHealsThere(t *testing.T) {
	h := newHouse(t)
	h.stocked(200, 60, 40)
	h.on(2027, 3, 25)
	_, err := h.MoveStems(ctx, h.maud, "L-1", stock.Moving{Doing: "lined out", Place: "row 7"})
	require.NoError(t, err)
	m, err := h.Match(ctx, "O-1", match.Asked{})
	require.NoError(t, err)
	require.Positive(t, m.Weave.Paired, "spring grafts in the row")
	assert.Equal(t, "in the row", m.Healing)
	ask := match.MakeBatch{Asked: m.Asked, Print: m.Print, Once: h.uuid(), Tie: m.Tie, Healing: "cold callus"}
	_, err = h.MakeBatch(ctx, h.maud, "O-1", ask)
	isProblem(t, err, "heal there")
	ask.Healing = "in the row"
	code, err := h.MakeBatch(ctx, h.maud, "O-1", ask)
	require.NoError(t, err)
	h.tagsOf(code, h.ansel)
	d, err := h.Day(ctx, h.Today())
	require.NoError(t, err)
	assert.Empty(t, d.Stock, "nothing to fetch")
	require.Len(t, d.Walk, 1)
	assert.Equal(t, "row 7", d.Walk[0].Place)
}

// TestWoodForChipsIsLookedForByTheHousesWay has chips alone to be made.
func TestWoodForChipsIsLookedForByTheHousesWay(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 2, 60)
	_, err := h.DB.Exec(`update technique set in_use = key = 'chip-bud'`)
	require.NoError(t, err)
	looks := func() string {
		c, err := h.Collect(ctx, outlook.CollectAsked{Spare: 10, Waste: 10})
		require.NoError(t, err)
		require.NotEmpty(t, c.Lines)
		return c.Lines[0].LookFor
	}
	assert.NotContains(t, looks(), words.LookForChips)
	require.NoError(t, h.ChooseWay(ctx, h.maud, string(ways.ChipWood), "up to two years"))
	assert.Contains(t, looks(), words.LookForChips)
}
