package nursery_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/union"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/access"
	housestage "unionknot/internal/nursery/house"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/orders"
	"unionknot/internal/nursery/results"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/nursery/wood"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/testhouse"
	"unionknot/internal/words"
)

func TestTheBandSaysWhatCanBeDoneToday(t *testing.T) {
	h := newHouse(t)
	for _, c := range []struct {
		m, d  int
		state string
		open  string
		shut  string
	}{{2, 10, "resting", "whip and tongue", "T-bud (shield)"}, {7, 20, "running", "T-bud (shield)", "whip and tongue"},
		{3, 20, "waking", "splice", "tool cut"}} {
		h.on(2027, c.m, c.d)
		b, err := h.SeasonBand(ctx, "pome")
		require.NoError(t, err)
		assert.Equal(t, c.state, b.Now.State)
		assert.Contains(t, b.Open(), c.open)
		assert.NotContains(t, b.Open(), c.shut)
		for _, w := range b.Windows {
			assert.NotEmpty(t, w.Standing.Reason, w.Technique)
		}
	}
	b, err := h.SeasonBand(ctx, "no such group")
	require.NoError(t, err)
	assert.Equal(t, "pome", b.Group)
}

func TestTodayShowsWhatIsDue(t *testing.T) {
	h := newHouse(t)
	h.stocked(200, 60, 100)
	p, err := h.TodayPage(ctx, h.maud)
	require.NoError(t, err)
	require.Len(t, p.Orders, 1)
	assert.True(t, p.Orders[0].Ready())
	b := h.batch("O-1", 40)
	p, err = h.TodayPage(ctx, h.maud)
	require.NoError(t, err)
	require.Len(t, p.Batches, 1, "a batch without tags is to be shared out")
	tags := h.tagsOf(b, h.ansel, h.odile)
	h.tap(h.ansel, tags[0].Code, "tied", 5)
	p, err = h.TodayPage(ctx, h.maud)
	require.NoError(t, err)
	assert.Len(t, p.Live, 1)
	assert.Len(t, p.Bench, len(tags)-1)
	mine, err := h.TodayPage(ctx, h.ansel)
	require.NoError(t, err)
	for _, x := range mine.Mine {
		assert.Equal(t, h.ansel.ID, x.WorkerID)
	}
	assert.Empty(t, mine.Orders, "a hand sees no orders")
	h.tap(h.ansel, tags[0].Code, "finish", 1)
	for day, want := range map[int]int{11: 0, 25: 0, 26: 1} { // cold callus: three quarters of 21 days
		h.on(2027, 2, day)
		p, err = h.TodayPage(ctx, h.maud)
		require.NoError(t, err)
		assert.Len(t, p.Due, want, "on the %d", day)
	}
	h.on(2027, 3, 12)
	p, err = h.TodayPage(ctx, h.maud)
	require.NoError(t, err)
	assert.Positive(t, p.Due[0].Overdue, "a third past it")
}

func TestOrdersSayHowTheyStand(t *testing.T) {
	h := newHouse(t)
	h.order("O-1", 50)
	state := func() string {
		t.Helper()
		ls, err := h.Orders(ctx)
		require.NoError(t, err)
		require.Len(t, ls, 1)
		return words.OrderStands(ls[0].Stand)
	}
	assert.Equal(t, "no stock and no wood", state())
	require.NoError(t, h.AddLot(ctx, h.maud, lot("L-1", 30)))
	assert.Equal(t, "no wood", state())
	require.NoError(t, h.AddPlant(ctx, h.maud, wood.NewPlant{Code: "M-1", Genus: "pear", Variety: "lanternjaw"}))
	require.NoError(
		t,
		h.AddBundle(
			ctx,
			h.maud,
			wood.NewBundle{
				Code:         "W-1",
				Plant:        "m-1",
				State:        "resting",
				CutOn:        h.Today(),
				Sticks:       50,
				LengthMM:     540,
				BaseMM:       9.2,
				TipMM:        5.8,
				InternodeMM:  22,
				BudsPerPiece: 2,
				Whole:        true,
			},
		),
	)
	assert.Contains(t, state(), "short by ", "a variety's letters do not matter, and 30 stems are too few")
	require.NoError(t, h.AddLot(ctx, h.maud, lot("L-2", 100)))
	assert.Equal(t, "ready to match", state())
	b := h.batch("O-1", 0)
	assert.Equal(t, "at the bench", state())
	for _, tag := range h.tagsOf(b, h.ansel) {
		h.tap(h.maud, tag.Code, "tied", tag.Planned)
		h.tap(h.maud, tag.Code, "finish", 1)
	}
	assert.Equal(t, "all grafted", state())
}

func TestKnownBadPairsWarn(t *testing.T) {
	h := newHouse(t)
	for code, c := range map[string][3]string{"O-1": {"cherry", "plum", "known bad"}, "O-2": {"rose", "walnut", "Nothing is known"},
		"O-3": {"apple", "apple", ""}, "O-4": {"medlar", "pear", "with care"}} {
		require.NoError(
			t,
			h.AddOrder(
				ctx,
				h.maud,
				orders.NewOrder{
					Code:       code,
					Genus:      c[0],
					Variety:    "X",
					StockGenus: c[1],
					StockType:  "Y",
					Trees:      5,
					DueOn:      time.Date(2028, 1, 1, 0, 0, 0, 0, time.UTC),
				},
			),
		)
		p, err := h.Order(ctx, code, outlook.WhatIf{})
		require.NoError(t, err)
		if c[2] == "" {
			assert.Empty(t, p.Compatibility)
		} else {
			assert.Contains(t, p.Compatibility, c[2])
		}
	}
}

func TestTechniquesCanBeLeftOut(t *testing.T) {
	h := newHouse(t)
	h.stocked(100, 30, 20)
	p, err := h.Match(ctx, "O-1", match.Asked{Grafts: 20, Ways: []string{"off-centre-cleft", "cleft-one-side"}})
	require.NoError(t, err)
	require.Positive(t, p.Weave.Paired)
	for _, th := range p.Weave.Threads {
		assert.Contains(t, []string{"off-centre-cleft", "cleft-one-side"}, th.Way)
	}
	for _, v := range p.Verdicts {
		assert.NotEmpty(t, words.Verdict(v), v.Technique.Key)
		if v.Technique.Key == "t-bud" {
			assert.False(t, v.In)
		}
	}
	assert.Equal(t, []string{"M-1"}, p.NotSeenTrue)
	assert.LessOrEqual(t, p.Expect.Low, p.Expect.Mean)
	_, err = h.MakeBatch(ctx, h.maud, "O-1", match.MakeBatch{Once: "nonsense"})
	isProblem(t, err, "Load the page anew")
	_, err = h.MakeBatch(
		ctx,
		h.maud,
		"O-1",
		match.MakeBatch{Once: h.uuid(), Print: p.Print, Asked: p.Asked, Tie: "string", Healing: "hope"},
	)
	isProblem(t, err, "Choose a tie")
}

func TestTheLedgerIsSettledByEntries(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 10, 20)
	require.NoError(t, h.SettleStock(ctx, h.maud, "L-1", "free", "lost", "mice in the heeling bed", 7))
	require.NoError(t, h.SettleStock(ctx, h.maud, "L-1", "lost", "free", "found under the bench", 2))
	assert.Equal(t, map[string]int{"free": 55, "lost": 5}, h.stems("L-1"))
	isProblem(t, h.SettleStock(ctx, h.maud, "L-1", "lost", "free", "x", 6), "fewer than 6")
	isProblem(t, h.SettleStock(ctx, h.maud, "L-1", "grafted", "free", "x", 1), "Stems go from free")
	isProblem(t, h.SettleStock(ctx, h.maud, "L-1", "free", "lost", " ", 1), "Say why")
	require.NoError(t, h.ThrowOutWood(ctx, h.maud, "W-1", "dropped", 3))
	assert.Equal(t, map[string]int{"free": 37, "spoiled": 3}, h.pieces("W-1"))
	isProblem(t, h.ThrowOutWood(ctx, h.maud, "W-1", "dropped", 38), "fewer than 38")
	p, err := h.Lot(ctx, "L-1", 0)
	require.NoError(t, err)
	assert.Equal(t, "found under the bench", p.Moves[0].Note, "the newest line first, with its reason")
}

func TestHouseWaysChangeWhatIsCounted(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 10, 20)
	before := h.pieces("W-1")["free"]
	isProblem(t, h.ChooseWay(ctx, h.maud, "usable part of the shoot", "the pretty part"), "one of the ways")
	require.NoError(t, h.ChooseWay(ctx, h.maud, "usable part of the shoot", "everything sound"))
	require.NoError(
		t,
		h.AddBundle(
			ctx,
			h.maud,
			wood.NewBundle{
				Code:         "W-2",
				Plant:        "M-1",
				State:        "resting",
				CutOn:        h.Today(),
				Sticks:       10,
				LengthMM:     540,
				BaseMM:       9.2,
				TipMM:        5.8,
				InternodeMM:  22,
				BudsPerPiece: 2,
				Whole:        true,
			},
		),
	)
	assert.Greater(t, h.pieces("W-2")["free"], before)
	assert.Equal(t, before, h.pieces("W-1")["free"], "a bundle keeps the way it was counted by")
	cs, err := h.Changes(ctx, h.maud, nursery.Sieve{}, 0)
	require.NoError(t, err)
	found := false
	for _, c := range cs {
		found = found || c.What == "house way" && c.Before == `"lower half"` && c.After == `"everything sound"` && c.Person == "Maud"
	}
	assert.True(t, found, "who, before and after are kept")
	isProblem(t, h.ChangeSettings(ctx, h.maud, housestage.Settings{Name: "", TagSize: 0, ChancePct: 100}), "1 to 200")
	require.NoError(t, h.ChangeSettings(ctx, h.maud, housestage.Settings{Name: "Test", TagSize: 10, ChancePct: 80}))
	for _, tag := range h.tagsOf(h.batch("O-1", 22), h.ansel) {
		assert.LessOrEqual(t, tag.Planned, 10)
	}
}

func TestSomebodyWhoLeftIsOutAndCanComeBack(t *testing.T) {
	h := newHouse(t)
	require.NoError(t, h.Leave(ctx, h.maud, h.ansel.ID, false))
	_, err := h.Actor(ctx, h.ansel.ID)
	assert.ErrorIs(t, err, nursery.ErrNotFound)
	_, err = h.SignInByPIN(ctx, h.ansel.ID, "2468", "here")
	isProblem(t, err, "not your PIN")
	names, err := h.BenchNames(ctx)
	require.NoError(t, err)
	assert.Len(t, names, 1)
	h.stocked(60, 10, 20)
	b := h.batch("O-1", 10)
	isProblem(t, h.MakeTags(ctx, h.maud, b, h.Today(), []int64{h.ansel.ID}), "does not work at the bench")
	isProblem(t, h.MakeTags(ctx, h.maud, b, time.Time{}, []int64{h.odile.ID}), "bench day")
	require.NoError(t, h.Leave(ctx, h.maud, h.ansel.ID, true))
	_, err = h.Actor(ctx, h.ansel.ID)
	assert.NoError(t, err)
	isProblem(
		t,
		h.AddPerson(ctx, h.maud, access.NewPerson{Name: "ansel", SignIn: "other", Role: "bench hand", PIN: "4071"}),
		"that name or sign-in already",
	)
	isProblem(t, h.AddPerson(ctx, h.maud, access.NewPerson{Name: "New", SignIn: "new", Role: "king"}), "Choose propagator")
	isProblem(t, h.AddPerson(ctx, h.maud, access.NewPerson{Name: "New", SignIn: "new", Role: "bench hand", PIN: "12"}), "four to eight")
}

func TestAFileLeftIsNeverLoaded(t *testing.T) {
	h := newHouse(t)
	p := h.load("orders", "code,genus,variety,stock,trees,due_on\nO-9,pear,X,Y,5,2028-01-01\n")
	require.NoError(t, h.DropLoad(ctx, h.maud, p.Load.ID))
	require.NoError(t, h.LoadNow(ctx, h.maud, p.Load.ID))
	_, err := h.Order(ctx, "O-9", outlook.WhatIf{})
	assert.ErrorIs(t, err, nursery.ErrNotFound)
	_, err = h.ReadFile(ctx, h.maud, "secrets", "x.csv", []byte("a"))
	assert.ErrorIs(t, err, nursery.ErrNotFound)
}

func TestAnyTwoDiametersCanBeLaidTogether(t *testing.T) {
	h := newHouse(t)
	ts := []string{
		"splice",
		"whip-and-tongue",
		"cleft-one-side",
		"off-centre-cleft",
		"saddle",
		"tool-cut",
		"side-veneer",
		"bark-flap",
		"chip-bud",
		"t-bud",
	}
	for _, k := range ts {
		p, err := h.Union(ctx, k, union.Stems{Stock: 12, Scion: 9}, "")
		require.NoError(t, err)
		assert.Empty(t, p.Cannot, k)
		assert.Positive(t, p.Laid.MM, k)
		assert.NotEmpty(t, p.Working.Range, k)
		assert.Equal(t, k, p.Kind)
	}
	p, err := h.Union(ctx, "glue", union.Stems{Stock: 8, Scion: 9}, "")
	require.NoError(t, err)
	assert.Contains(t, p.Cannot, "wider than the stock")
	p, err = h.Union(ctx, "tool-cut", union.Stems{Stock: 8, Scion: 8.2}, "")
	require.NoError(t, err)
	assert.Empty(t, p.Cannot, "the tool takes near-equals either way")
	p, err = h.Union(ctx, "splice", union.Stems{Stock: 8, Scion: 0.5}, "")
	require.NoError(t, err)
	assert.NotEmpty(t, p.Cannot)
}

func TestTheDemosClockStandsOnItsDay(t *testing.T) {
	s, err := stages.New(ctx, testhouse.Demo(t), testhouse.Quiet)
	require.NoError(t, err)
	assert.Equal(t, time.Date(2027, 2, 23, 0, 0, 0, 0, time.UTC), s.Today())
	assert.Equal(t, 14, s.Now().Hour())
	p, err := s.Bench(ctx, nursery.Actor{Role: nursery.Propagator}, 0)
	require.NoError(t, err)
	assert.NotEmpty(t, p.Open)
	var worker store.Tag
	for _, x := range p.Open {
		if x.StartedAt != nil {
			worker = x
		}
	}
	c, err := s.Card(ctx, nursery.Actor{Role: nursery.Propagator}, worker.Code)
	require.NoError(t, err)
	assert.Positive(t, c.PerHour)
	f, err := s.Fair(ctx, results.ResultsFilter{})
	require.NoError(t, err)
	assert.Empty(t, f.Why)
	again, err := s.Fair(ctx, results.ResultsFilter{})
	require.NoError(t, err)
	assert.Equal(t, f.Lines, again.Lines)
}
