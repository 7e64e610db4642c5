package nursery_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/union"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/match"
	"unionknot/internal/words"
)

func TestTheChooserRanksThemAll(t *testing.T) {
	h := rivals(t)
	p, err := h.Match(ctx, "O-2", match.Asked{})
	require.NoError(t, err)
	require.Len(t, p.Chooser, 11)
	assert.Equal(t, "whip and tongue", p.Chooser[0].Technique.Name, "the best take of those that can pair all")
	out := false
	for i, l := range p.Chooser {
		assert.NotEmpty(t, l.Why, l.Technique.Name)
		assert.True(t, l.Take.Low < l.Take.Mean && l.Take.Mean < l.Take.High)
		assert.True(t, l.CentsLow < l.Cents && l.Cents < l.CentsHigh)
		if !l.In {
			out = true
			continue
		}
		assert.False(t, out, "what is in stands before what is out")
		assert.Positive(t, l.Alone, l.Technique.Name)
		if i > 0 && l.Alone >= p.Asked.Grafts {
			assert.LessOrEqual(t, l.Take.Mean, p.Chooser[i-1].Take.Mean)
		}
	}
	last := p.Chooser[9]
	assert.Equal(t, technique.Shut, last.Standing.Verdict)
	assert.False(t, last.Standing.Opens.IsZero(), "what is shut says when it opens")

	p, err = h.Match(ctx, "O-2", match.Asked{Ways: []string{"splice"}})
	require.NoError(t, err)
	assert.Equal(t, "splice", p.Chooser[0].Technique.Name)
	assert.True(t, p.Chooser[1].ByChoice)
}

func TestWhyNotIsAnswered(t *testing.T) {
	h := rivals(t)
	ask := func(stock, wood float64) pairing.Cause {
		p, err := h.Match(
			ctx,
			"O-2",
			match.Asked{Why: &pairing.Pair{Lot: "L-1", Bundle: "W-2", Stock: caliper.ClassOf(stock), Scion: caliper.ClassOf(wood)}},
		)
		require.NoError(t, err)
		return p.WhyNot.Cause
	}
	assert.Equal(t, pairing.NoSuch, ask(40, 8))
	p, err := h.Match(ctx, "O-2", match.Asked{})
	require.NoError(t, err)
	th := p.Weave.Threads[0]
	assert.Equal(t, pairing.Joined, ask(th.Stock.Middle(), th.Scion.Middle()))
	pr := h.programme(match.ProgrammeAsked{Why: &pairing.Pair{Order: "O-77", Lot: "L-1", Bundle: "W-2"}})
	assert.Equal(t, pairing.NoOrder, pr.WhyNot.Cause)
	assert.Equal(t, "no order O-77 waits to be woven", words.NotJoined(pr.WhyNot))
}

func TestWeighingTurnsWhoGoesFirst(t *testing.T) {
	h := rivals(t)
	plain := h.programme(match.ProgrammeAsked{})
	turned := h.programme(match.ProgrammeAsked{Weigh: map[string]int{"O-1": 1, "O-2": 3}})
	assert.Less(t, lineOf(turned, "O-1").Short, lineOf(plain, "O-1").Short)
	assert.Positive(t, lineOf(turned, "O-2").Short)
	same := h.programme(match.ProgrammeAsked{Weigh: map[string]int{"O-1": 9}})
	assert.Equal(t, plain.Print, same.Print, "no such priority, nothing turned")
}

func TestBatchesMadeTogetherAreTakenBackTogether(t *testing.T) {
	h := rivals(t)
	p := h.programme(match.ProgrammeAsked{})
	n, err := h.MakeProgramme(ctx, h.maud, match.MakeProgramme{Print: p.Print, Once: h.uuid(), Tie: "film"})
	require.NoError(t, err)
	fresh, err := h.FreshBatches(ctx)
	require.NoError(t, err)
	require.Len(t, fresh, n)
	codes := []string{fresh[0].Code, "Z9-ZZZZ"}
	require.Error(t, h.UndoBatches(ctx, h.maud, codes), "all or none")
	require.ErrorIs(t, h.UndoBatches(ctx, h.ansel, codes[:1]), nursery.ErrNotAllowed)
	codes = nil
	for _, b := range fresh {
		codes = append(codes, b.Code)
	}
	require.NoError(t, h.UndoBatches(ctx, h.maud, codes))
	assert.Equal(t, p.Print, h.programme(match.ProgrammeAsked{}).Print, "everything is as it was")
}

func TestAHandsOwnStrayIsMeasured(t *testing.T) {
	h := newHouse(t)
	s := union.Stems{Stock: 10, Scion: 8}
	usual, err := h.Union(ctx, "whip-and-tongue", s, "")
	require.NoError(t, err)
	require.Error(t, h.MeasureHand(ctx, h.maud, h.ansel.ID, []float64{0.1, 0.2}))
	require.Error(t, h.MeasureHand(ctx, h.maud, h.ansel.ID, []float64{0.1, 0.2, 0.1, 40, 0.1}))
	require.ErrorIs(t, h.MeasureHand(ctx, h.ansel, h.ansel.ID, nil), nursery.ErrNotAllowed)
	require.NoError(t, h.MeasureHand(ctx, h.maud, h.ansel.ID, []float64{0.1, -0.1, 0.1, -0.1, 0.1, -0.1}))
	own, err := h.Union(ctx, "whip-and-tongue", s, usual.Hands[len(usual.Hands)-1].Key)
	require.NoError(t, err)
	require.Len(t, own.Hands, 4)
	own, err = h.Union(ctx, "whip-and-tongue", s, own.Hands[3].Key)
	require.NoError(t, err)
	assert.InDelta(t, 0.1, own.HandSD, 1e-9)
	assert.Greater(t, own.Advice.By[union.Flush].Expected, usual.Advice.By[union.Flush].Expected, "a steadier hand meets more")
	assert.True(
		t,
		slices.ContainsFunc(own.Working.Inputs, func(i working.Input) bool { return strings.Contains(i.Value, "from 6 unions") }),
	)
}
