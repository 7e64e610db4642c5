package nursery_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/ways"
	"unionknot/internal/nursery/growon"
	"unionknot/internal/nursery/heal"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/results"
	"unionknot/internal/nursery/wood"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// chipHouse is a house that chip buds alone, with a bundle of single buds.
func chipHouse(t *testing.T) *house {
	t.Helper()
	h := newHouse(t)
	h.stocked(300, 1, 60)
	require.NoError(t, h.AddBundle(ctx, h.maud, wood.NewBundle{Code: "W-2", Plant: "M-1", State: "resting",
		CutOn: time.Date(2027, 1, 20, 0, 0, 0, 0, time.UTC), Sticks: 22, LengthMM: 540, BaseMM: 9.2, TipMM: 5.8, InternodeMM: 22,
		BudsPerPiece: 1, Whole: true}))
	_, err := h.DB.Exec(`update technique set in_use = key = 'chip-bud'`)
	require.NoError(t, err)
	return h
}

// TestTwoBudsAStockReachEverything follows an order from its size to its results in
// a house that sets one bud a stock, and then in one that sets two.
func TestTwoBudsAStockReachEverything(t *testing.T) {
	h := chipHouse(t)
	one := h.lineOfOrder("O-1")
	require.Positive(t, one.ToGo)
	single, err := h.Match(ctx, "O-1", match.Asked{})
	require.NoError(t, err)
	require.Equal(t, one.ToGo, single.Weave.Paired)

	require.NoError(t, h.ChooseWay(ctx, h.maud, string(ways.BudsPerStock), "two, keep the better"))
	two := h.lineOfOrder("O-1")
	assert.Less(t, two.ToGo, one.ToGo, "a stock with two buds fails less often")
	assert.Greater(t, two.Need.By.Take.Mean(), one.Need.By.Take.Mean())
	assert.Equal(t, one.Need.By.Expected, two.Need.By.Expected, "a bud takes as before")
	assert.Greater(t, two.Means.Hands.Want, 1.5*one.Means.Hands.Want, "and takes its time")
	assert.Contains(t, two.Need.By.Working(store.Genus{}).Inputs[len(two.Need.By.Working(store.Genus{}).Inputs)-1].Name, words.BudsAStock)
	m, err := h.Match(ctx, "O-1", match.Asked{})
	require.NoError(t, err)
	require.NotEmpty(t, m.Weave.Threads)
	for _, x := range m.Weave.Threads {
		assert.Equal(t, 2, x.Each)
	}
	assert.Greater(t, m.Expect.Mean/float64(m.Weave.Paired), single.Expect.Mean/float64(single.Weave.Paired))

	free := h.pieces("W-2")["free"]
	code := h.batch("O-1", 20)
	assert.Equal(t, 20, h.stems("L-1")["aside"])
	assert.Equal(t, 40, h.pieces("W-2")["aside"], "two pieces a stock are set aside")
	require.NoError(t, h.UndoBatch(ctx, h.maud, code))
	assert.Equal(t, free, h.pieces("W-2")["free"], "and given back")

	tags := h.tagsOf(h.batch("O-1", 20), h.ansel)
	require.Len(t, tags, 1)
	tag := tags[0]
	assert.Equal(t, 2, tag.Buds)
	c, err := h.Card(ctx, h.ansel, tag.Code)
	require.NoError(t, err)
	assert.Contains(t, strings.Join(c.Steps, " "), words.TwoBudsStep)
	day, err := h.Day(ctx, h.Today())
	require.NoError(t, err)
	assert.Equal(t, 40, day.Wood[0].N, "buds to draw")
	assert.Equal(t, 20, day.Stock[0].N, "stems to fetch")
	// The house may change its way: the tag stays what it was made as.
	before := h.lineOfOrder("O-1").Balance
	require.NoError(t, h.ChooseWay(ctx, h.maud, string(ways.BudsPerStock), "one"))
	after := h.lineOfOrder("O-1").Balance
	assert.InDelta(t, before.Expected.Mean, after.Expected.Mean, 0.02, "what is made lives by the buds it was made with")
	assert.InDelta(t, before.Chance, after.Chance, 0.01)
	h.tap(h.ansel, tag.Code, "tied", 18)
	h.tap(h.ansel, tag.Code, "spoiled wood", 1)
	h.tap(h.ansel, tag.Code, "finish", 1)
	assert.Equal(t, 18, h.stems("L-1")["grafted"])
	w := h.pieces("W-2")
	assert.Equal(t, 36, w["grafted"])
	assert.Equal(t, 1, w["spoiled"])
	assert.Zero(t, w["aside"], "a finished tag leaves nothing on the bench")

	look := heal.NewCount{ID: h.uuid(), Look: "first look", Taken: 15, Doubtful: 1, Dead: 2, Both: 16}
	isProblem(t, h.KeepCount(ctx, h.maud, tag.Code, look), "at most as many stocks")
	look.Both = 11
	require.NoError(t, h.KeepCount(ctx, h.maud, tag.Code, look))
	line := h.lineOfOrder("O-1")
	assert.Equal(t, 15, line.Balance.Alive, "a stock with one live bud makes a tree")
	r, err := h.Results(ctx, h.maud, results.ResultsFilter{})
	require.NoError(t, err)
	assert.Equal(t, 36, r.All.Counted, "each bud counts")
	assert.Equal(t, 26, r.All.Taken)
	assert.Equal(t, 9, r.All.Dead)
	assert.Equal(t, 26, r.Groups["worker"][0].Taken)
	rs, err := h.DB.Q().TakeRecords(ctx, store.TakeFilter{})
	require.NoError(t, err)
	require.Len(t, rs, 1)
	assert.Equal(t, [2]int{36, 26}, [2]int{rs[0].Grafts, rs[0].Took}, "and so in the model")

	// At winter's end the better is kept, and the other's wood counted.
	grown, err := h.Grown(ctx, tag.Code)
	require.NoError(t, err)
	assert.Equal(t, 11, grown.Both)
	assert.False(t, grown.Chosen())
	var choose aftercare.Knot
	for _, k := range grown.Plan.Knots {
		if k.Name == aftercare.ChooseShoot {
			choose = k
		}
	}
	done, err := h.Do(ctx, h.maud, []growon.Act{{ID: h.uuid(), Kind: growon.Done, Knot: "choose shoot", Reason: "seen alive",
		Items: []growon.Item{{Code: tag.Code, N: choose.N}}}})
	require.NoError(t, err)
	require.Empty(t, done.Refused)
	grown, err = h.Grown(ctx, tag.Code)
	require.NoError(t, err)
	assert.True(t, grown.Chosen())
	assert.Contains(t, words.KeepBetter(grown.Both, true), "11 buds cut out")
}

// TestWoodForTwoBudsIsAskedFor collects wood for one bud a stock and for two.
func TestWoodForTwoBudsIsAskedFor(t *testing.T) {
	h := chipHouse(t)
	_, err := h.DB.Exec(`update wood_balance set n = 0`)
	require.NoError(t, err)
	need := func() int {
		c, err := h.Collect(ctx, outlook.CollectAsked{Buds: 1})
		require.NoError(t, err)
		require.NotEmpty(t, c.Lines)
		return c.Lines[0].Need
	}
	one, l := need(), h.lineOfOrder("O-1")
	assert.Equal(t, l.ToGo, one)
	require.NoError(t, h.ChooseWay(ctx, h.maud, string(ways.BudsPerStock), "two, keep the better"))
	l = h.lineOfOrder("O-1")
	assert.Equal(t, 2*l.ToGo, need())
	assert.InDelta(t, float64(l.ToGo), l.Means.Wood.Lack(), 0, "what lacks is told in stocks")
}

// TestAPairsTagHasTwoNames shares a batch out to those who cut and those who tie.
func TestAPairsTagHasTwoNames(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 60, 60)
	code := h.batch("O-1", 40)
	isProblem(t, h.MakeTags(ctx, h.maud, code, h.Today(), []int64{h.ansel.ID, h.odile.ID}, h.odile.ID), "those who cut and those who tie")
	require.NoError(t, h.MakeTags(ctx, h.maud, code, h.Today(), []int64{h.ansel.ID}, h.odile.ID, h.maud.ID))
	p, err := h.Batch(ctx, code)
	require.NoError(t, err)
	tier := p.Tags[0].Tier
	require.NotEmpty(t, tier)
	assert.Equal(t, "Ansel + "+tier, p.Tags[0].By())
	require.NoError(t, h.MakeTags(ctx, h.maud, code, h.Today().AddDate(0, 0, 1), []int64{h.ansel.ID}, h.odile.ID, h.maud.ID))
	p, err = h.Batch(ctx, code)
	require.NoError(t, err)
	assert.NotEqual(t, tier, p.Tags[0].Tier, "the next day another ties for them")

	// Handed over: to a tier, and back to the cutter alone.
	tag := p.Tags[0].Code
	isProblem(t, h.HandOver(ctx, h.maud, tag, h.ansel.ID, h.ansel.ID), "does both")
	isProblem(t, h.HandOver(ctx, h.maud, tag, h.ansel.ID, h.eye.ID), "does not work at the bench")
	require.NoError(t, h.HandOver(ctx, h.maud, tag, h.ansel.ID, h.odile.ID))
	for _, who := range []struct {
		name string
		can  bool
	}{{"Ansel", true}, {"Odile", true}} {
		a := map[string]func() error{
			"Ansel": func() error { _, err := h.Card(ctx, h.ansel, tag); return err },
			"Odile": func() error { _, err := h.Card(ctx, h.odile, tag); return err }}[who.name]
		assert.Equal(t, who.can, a() == nil, who.name)
	}
	b, err := h.Bench(ctx, h.odile, 0)
	require.NoError(t, err)
	require.NotEmpty(t, b.Mine, "whoever ties has it among their tags")
	h.tap(h.odile, tag, "tied", p.Tags[0].Planned)
	h.tap(h.ansel, tag, "finish", 1)
	require.NoError(t, h.KeepCount(ctx, h.maud, tag, heal.NewCount{ID: h.uuid(), Look: "first look", Taken: p.Tags[0].Planned - 2,
		Dead: 2}))
	r, err := h.Results(ctx, h.maud, results.ResultsFilter{})
	require.NoError(t, err)
	require.Len(t, r.Groups["tier"], 1)
	assert.Equal(t, "Odile", r.Groups["tier"][0].Name)
	assert.Equal(t, "Ansel", r.Groups["worker"][0].Name)
	own, err := h.Results(ctx, h.odile, results.ResultsFilter{})
	require.NoError(t, err)
	assert.Equal(t, p.Tags[0].Planned, own.All.Counted, "it is among whoever tied's own")
	ts, err := h.GroupTags(ctx, h.maud, "tier", r.Groups["tier"][0].Key, results.ResultsFilter{})
	require.NoError(t, err)
	assert.Len(t, ts, 1)
	// A pair's pace is not the cutter's own.
	var paces int
	require.NoError(t, h.DB.Get(&paces, `select count(*) from pace_sum`))
	assert.Zero(t, paces)
	// The plan of the days gives it to whoever tied: then they do both.
	other := p.Tags[1].Code
	require.NoError(t, h.HandOver(ctx, h.maud, other, h.ansel.ID, h.odile.ID))
	_, err = h.DB.Q().PlaceTags(ctx, []store.TagPlace{{Code: other, WorkerID: h.odile.ID, Day: h.Today(), Half: 1}})
	require.NoError(t, err)
	x, err := h.DB.Q().TagByCode(ctx, other)
	require.NoError(t, err)
	assert.Equal(t, "Odile", x.By())
}
