package nursery_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/supply"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/heal"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/orders"
	"unionknot/internal/nursery/places"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/nursery/wood"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
)

// lineOfOrder is an order as the list of orders has it, and as its own page, the
// list that Match shows and Today have it: they must agree.
func (h *house) lineOfOrder(code string) outlook.OrderLine {
	h.Helper()
	ls, err := h.Orders(ctx)
	require.NoError(h, err)
	var line *outlook.OrderLine
	for i := range ls {
		if ls[i].Order.Code == code {
			line = &ls[i]
		}
	}
	require.NotNil(h, line, "%s is not among the open orders", code)
	p, err := h.Order(ctx, code, outlook.WhatIf{})
	require.NoError(h, err)
	assert.Equal(h, line.Balance, p.Line.Balance, "an order's page and the list")
	assert.Equal(h, line.Stand, p.Line.Stand, "an order's page and the list")
	today, err := h.TodayPage(ctx, h.maud)
	require.NoError(h, err)
	for _, l := range today.Orders {
		if l.Order.Code == code {
			assert.Equal(h, line.Stand, l.Stand, "Today and the list")
			assert.Equal(h, line.ToGo, l.ToGo, "Today and the list")
		}
	}
	m, err := h.Match(ctx, code, match.Asked{})
	require.NoError(h, err)
	assert.Equal(h, line.ToGo, m.Asked.Grafts, "Match and the list")
	return *line
}

// made batches, tags and ties grafts of an order, and finishes the tags.
func (h *house) made(order string, grafts int) []store.Tag {
	h.Helper()
	tags := h.tagsOf(h.batch(order, grafts), h.ansel, h.odile)
	for _, t := range tags {
		h.tap(h.maud, t.Code, "tied", t.Planned)
		h.tap(h.maud, t.Code, "finish", 1)
	}
	return tags
}

func (h *house) count(t store.Tag, taken, doubtful, dead int) {
	h.Helper()
	c := heal.NewCount{ID: h.uuid(), Look: "first look", Taken: taken, Doubtful: doubtful, Dead: dead, Causes: map[string]int{}}
	if dead > 0 {
		c.Causes["dried out"] = dead
	}
	require.NoError(h, h.KeepCount(ctx, h.maud, t.Code, c))
}

func TestCountsReachWhatIsToGo(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 60, 60)
	fresh := h.lineOfOrder("O-1")
	require.Positive(t, fresh.ToGo)
	assert.Equal(t, fresh.ToGo, fresh.Balance.Fresh)
	tags := h.made("O-1", fresh.ToGo)
	l := h.lineOfOrder("O-1")
	assert.Zero(t, l.ToGo, "all that is wanted heals")
	assert.Equal(t, supply.AllGrafted, l.Stand.State)
	assert.Equal(t, fresh.ToGo, l.Balance.Healing)
	assert.GreaterOrEqual(t, l.Balance.Chance, 0.9)

	h.RunFrom(h.Now().AddDate(0, 0, 40))
	half := func(x store.Tag) { h.count(x, x.Planned/2, 0, x.Planned-x.Planned/2) }
	half(tags[0])
	after := h.lineOfOrder("O-1")
	assert.Positive(t, after.ToGo, "what died is asked for again at once")
	assert.True(t, after.Fell())
	today, err := h.TodayPage(ctx, h.maud)
	require.NoError(t, err)
	said := false
	for _, r := range today.Risks {
		said = said || r.Where == "O-1"
	}
	assert.True(t, said, "Today warns of it")
	for _, x := range tags[1:] {
		half(x)
	}
	worse := h.lineOfOrder("O-1")
	assert.Greater(t, worse.ToGo, after.ToGo)
	assert.Equal(t, worse.Balance.Alive+worse.Balance.Dead, fresh.ToGo, "each graft is counted once")
	assert.Zero(t, worse.Balance.Healing)

	// A recount that finds them alive takes it back.
	p, err := h.Count(ctx, tags[0].Code, "first look")
	require.NoError(t, err)
	require.NoError(t, h.KeepCount(ctx, h.maud, tags[0].Code, heal.NewCount{ID: h.uuid(), Look: "first look", Taken: tags[0].Planned,
		Replaces: p.Now.ID}))
	assert.Less(t, h.lineOfOrder("O-1").ToGo, worse.ToGo)
}

func TestAMetOrderFreesWhatItDrewOn(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 60, 20)
	h.order("O-2", 20)
	need := h.lineOfOrder("O-1").ToGo
	tags := h.made("O-1", need+15)
	h.RunFrom(h.Now().AddDate(0, 0, 40))
	for _, x := range tags {
		h.count(x, x.Planned, 0, 0)
	}
	l := h.lineOfOrder("O-1")
	assert.Equal(t, supply.Met, l.Stand.State)
	assert.Zero(t, l.ToGo)
	assert.Empty(t, l.Means.Bars(), "it draws on nothing")
	other := h.lineOfOrder("O-2")
	assert.NotContains(t, other.Means.Stock.Says, "O-1")
}

func TestAShortFinishIsAskedForAgain(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 60, 60)
	need := h.lineOfOrder("O-1").ToGo
	tags := h.tagsOf(h.batch("O-1", need), h.ansel)
	h.tap(h.maud, tags[0].Code, "tied", 5)
	h.tap(h.maud, tags[0].Code, "finish", 1)
	l := h.lineOfOrder("O-1")
	assert.InDelta(t, tags[0].Planned-5, l.ToGo, 1)
	assert.Equal(t, 5, l.Balance.Healing)
	assert.Equal(t, need-tags[0].Planned, l.Balance.Bench+l.Balance.Rest)
}

func TestALotThatIsNotReadyIsNotWoven(t *testing.T) {
	h := newHouse(t)
	h.stocked(200, 60, 40)
	before := h.lineOfOrder("O-1")
	require.Equal(t, supply.Ready, before.Stand.State)
	require.NoError(t, h.LookAtLot(ctx, h.maud, "L-1", store.LotLook{Ready: "not ready", Roots: "sour"}))
	l := h.lineOfOrder("O-1")
	assert.Equal(t, supply.NoStock, l.Stand.State)
	assert.Zero(t, l.Means.Stock.Have)
	m, err := h.Match(ctx, "O-1", match.Asked{})
	require.NoError(t, err)
	assert.Zero(t, m.Weave.Paired)
	require.Len(t, m.Outs, 1)
	assert.Equal(t, []supply.Gate{supply.NotReady}, m.Outs[0].Gates)
	all, err := h.Programme(ctx, match.ProgrammeAsked{})
	require.NoError(t, err)
	assert.Zero(t, all.Weave.Paired)
	assert.Len(t, all.Outs, 1)

	isProblem(t, h.LetLotIn(ctx, h.maud, "L-1", " "), "Say in a few words why")
	assert.ErrorIs(t, h.LetLotIn(ctx, h.ansel, "L-1", "washed"), nursery.ErrNotAllowed)
	require.NoError(t, h.LetLotIn(ctx, h.maud, "L-1", "washed, the roots are firm"))
	require.NoError(t, h.LetLotIn(ctx, h.maud, "L-1", "twice is once"))
	l = h.lineOfOrder("O-1")
	assert.Equal(t, supply.Ready, l.Stand.State)
	tags := h.tagsOf(h.batch("O-1", 12), h.ansel)
	assert.Contains(t, tags[0].Against, "washed, the roots are firm", "why stays on the tag")
	assert.Contains(t, tags[0].Against, "Maud", "and who")

	// The next look closes what was let in, or opens it.
	h.RunFrom(h.Now().AddDate(0, 0, 1))
	require.NoError(t, h.LookAtLot(ctx, h.maud, "L-1", store.LotLook{Ready: "not ready", Roots: "sour"}))
	assert.Equal(t, supply.NoStock, h.lineOfOrder("O-1").Stand.State)
	h.RunFrom(h.Now().AddDate(0, 0, 1))
	require.NoError(t, h.LookAtLot(ctx, h.maud, "L-1", store.LotLook{Ready: "ready"}))
	assert.Equal(t, supply.Ready, h.lineOfOrder("O-1").Stand.State)
}

func TestMouldyWoodIsNotWoven(t *testing.T) {
	h := newHouse(t)
	h.stocked(200, 60, 40)
	require.NoError(t, h.AddColdPlace(ctx, h.maud, places.NewColdPlace{Name: "store", SetC: 1, LowC: 0, HighC: 4}))
	require.NoError(t, h.LookAtCold(ctx, h.maud, "store", places.NewLook{Bundle: "W-1", Found: "mould"}))
	l := h.lineOfOrder("O-1")
	assert.Equal(t, supply.NoWood, l.Stand.State)
	b, err := h.Bundle(ctx, "W-1")
	require.NoError(t, err)
	assert.Equal(t, []supply.Gate{supply.NotSound}, b.Out.Gates)
	h.RunFrom(h.Now().Add(time.Hour))
	require.NoError(t, h.LookAtCold(ctx, h.maud, "store", places.NewLook{Bundle: "W-1", Found: "sound"}))
	assert.Equal(t, supply.Ready, h.lineOfOrder("O-1").Stand.State)
}

func TestStemsInTheRowTakeRowWork(t *testing.T) {
	h := newHouse(t)
	h.stocked(200, 60, 40)
	code, err := h.MoveStems(ctx, h.maud, "L-1", stock.Moving{Doing: "lined out", Place: "row 7"})
	require.NoError(t, err)
	assert.Equal(t, "L-1", code, "all of it: the same lot")
	p, err := h.Lot(ctx, "L-1", 0)
	require.NoError(t, err)
	assert.Equal(t, outlook.InRow, p.Lot.Form)
	assert.Equal(t, "row 7", p.Lot.Place)
	require.Len(t, p.Story, 2)
	assert.Equal(t, []string{"bare-root", "row 7"}, []string{p.Story[0].What, p.Story[1].Place}, "as what it came, where it went")
	m, err := h.Match(ctx, "O-1", match.Asked{})
	require.NoError(t, err)
	for _, w := range m.Chooser {
		if w.Technique.Key == "chip-bud" {
			assert.False(t, w.In, "a chip waits in the row until the stock wakes")
		}
	}
	// Part of it is lifted again, under a code of its own, with the same sample.
	isProblem(t, second(h.MoveStems(ctx, h.maud, "L-1", stock.Moving{Doing: "lifted", Place: "shed", N: 50})), "a code of their own")
	code, err = h.MoveStems(ctx, h.maud, "L-1", stock.Moving{Doing: "lifted", Place: "shed", N: 50, NewCode: "l-1-b"})
	require.NoError(t, err)
	assert.Equal(t, "L-1-B", code)
	part, err := h.Lot(ctx, "L-1-B", 0)
	require.NoError(t, err)
	assert.Equal(t, 50, part.Lot.Free)
	assert.Equal(t, "bare-root", part.Lot.Form)
	assert.Equal(t, len(p.Readings), len(part.Readings))
	whole, err := h.Lot(ctx, "L-1", 0)
	require.NoError(t, err)
	assert.Equal(t, 150, whole.Lot.Free)
	isProblem(t, second(h.MoveStems(ctx, h.maud, "L-1", stock.Moving{Doing: "lifted", Place: "shed", N: 500, NewCode: "L-9"})),
		"150 stems free")
	isProblem(t, second(h.MoveStems(ctx, h.maud, "L-1", stock.Moving{Doing: "thrown", Place: "shed"})), "Choose from the list")
	isProblem(t, second(h.MoveStems(ctx, h.maud, "L-1", stock.Moving{Doing: "lined out", Place: "Row 7"})), "stands there already")
}

func second[A any](_ A, err error) error { return err }

// TestWinterWoodIsNotBuddedInJuly holds the weave of all to what Match says of one
// order: wood cut in January is no wood for a bud in July.
func TestWinterWoodIsNotBuddedInJuly(t *testing.T) {
	h := newHouse(t)
	h.stocked(200, 60, 40)
	require.NoError(t, h.AddBundle(ctx, h.maud, wood.NewBundle{Code: "W-9", Plant: "M-1", State: "resting", CutOn: h.Today(), Sticks: 60,
		LengthMM: 400, BaseMM: 8, TipMM: 6, InternodeMM: 22, BudsPerPiece: 1}))
	h.on(2027, 7, 20)
	for _, b := range []string{"W-1", "W-9"} {
		require.NoError(t, h.LetBundleIn(ctx, h.maud, b, "kept at one degree"))
	}
	m, err := h.Match(ctx, "O-1", match.Asked{})
	require.NoError(t, err)
	all, err := h.Programme(ctx, match.ProgrammeAsked{})
	require.NoError(t, err)
	assert.Zero(t, m.Weave.Paired)
	assert.Zero(t, all.Weave.Paired, "%+v", all.Weave.Threads)
}

// TestStemsAreCutHigherWhereThatPairs gives a lot of stems that are too thick for
// the wood at the usual cut a taper, measured at two heights.
func TestStemsAreCutHigherWhereThatPairs(t *testing.T) {
	h := newHouse(t)
	h.stocked(10, 60, 40)
	require.NoError(t, h.AddLot(ctx, h.maud, stock.NewLot{Code: "L-9", Genus: "quince", StockType: "Tarn Q3", Form: "bare-root",
		Received:   80,
		ReceivedOn: h.Today(), GradeLow: 11.5, GradeHigh: 12}))
	asked := match.Asked{Grafts: 40, Ways: []string{"whip-and-tongue"}}
	before, err := h.Match(ctx, "O-1", asked)
	require.NoError(t, err)
	isProblem(t, second(h.SetTaper(ctx, h.maud, "L-9", stock.Taper{Pairs: []caliper.Pair{{Low: 9, High: 9.4}}, CM: 6})), "at both heights")
	require.ErrorIs(t, second(h.SetTaper(ctx, h.ansel, "L-9", stock.Taper{PerCM: 0.1})), nursery.ErrNotAllowed)
	tp, err := h.SetTaper(ctx, h.maud, "L-9", stock.Taper{Pairs: []caliper.Pair{{Low: 11, High: 9.8}, {Low: 10.6, High: 9.5}}, CM: 6})
	require.NoError(t, err)
	assert.InDelta(t, 0.19, tp.PerCM, 0.01)
	m, err := h.Match(ctx, "O-1", asked)
	require.NoError(t, err)
	assert.Greater(t, m.Weave.Paired, before.Weave.Paired, "the stems there pair")
	higher := 0
	for _, x := range m.Weave.Threads {
		if m.Higher[x] != "" {
			assert.Equal(t, "L-9", x.Lot, "only where the taper is known")
			higher += x.N
		}
	}
	require.Positive(t, higher)
	code, err := h.MakeBatch(ctx, h.maud, "O-1", match.MakeBatch{Asked: asked, Print: m.Print, Once: h.uuid(), Tie: "film",
		Healing: "cold callus"})
	require.NoError(t, err)
	said := false
	for _, x := range h.tagsOf(code, h.ansel) {
		p, err := h.Card(ctx, h.maud, x.Code)
		require.NoError(t, err)
		if strings.Contains(p.Steps[0], "cm higher") {
			said = true
			assert.LessOrEqual(t, x.Mismatch, 0.21, "its mismatch is that where it is cut")
		}
	}
	assert.True(t, said, "the card says so")
}

// TestSpeciesAreBuddedInTheirTurn orders roses and pears for summer buds, and looks
// at the days in February.
func TestSpeciesAreBuddedInTheirTurn(t *testing.T) {
	h := newHouse(t)
	for code, genus := range map[string]string{"O-1": "rose", "O-2": "peach"} {
		require.NoError(t, h.AddOrder(ctx, h.maud, orders.NewOrder{Code: code, Genus: genus, Variety: "V" + code, StockGenus: genus,
			StockType: "S" + code, Trees: 200, DueOn: time.Date(2029, 2, 20, 0, 0, 0, 0, time.UTC)}))
	}
	_, err := h.DB.Exec(`update genus set usual_way = 'summer bud' where key in ('rose', 'peach')`)
	require.NoError(t, err)
	p, err := h.BenchDays(ctx, time.Time{})
	require.NoError(t, err)
	require.Len(t, p.Budding, 2)
	a, b := p.Budding[0], p.Budding[1]
	assert.False(t, b.Window.To.Before(a.Window.To), "what shuts first comes first")
	assert.False(t, b.From.Before(a.From))
	assert.Positive(t, a.PerDay)
	assert.InDelta(t, float64(a.ToGo)/a.PerDay, a.Days, 1e-9)
	for _, x := range p.Budding {
		assert.False(t, x.From.Before(x.Window.From), "never before its window opens")
	}
	// By the house's own order they come as their orders do, whatever shuts first.
	_, err = h.DB.Exec(`update orders set due_on = due_on - 100 where code = $1`, b.Orders[0])
	require.NoError(t, err)
	require.NoError(t, h.ChooseWay(ctx, h.maud, "order of species in budding", "fixed by the house"))
	p, err = h.BenchDays(ctx, time.Time{})
	require.NoError(t, err)
	assert.Equal(t, b.Genus, p.Budding[0].Genus)
}

// TestBoughtWoodComesWithoutPlantOrDay keys in wood of which neither is known: its
// source stands for the plant, and its age is a range.
func TestBoughtWoodComesWithoutPlantOrDay(t *testing.T) {
	h := newHouse(t)
	h.stocked(200, 4, 40)
	cut := wood.NewBundle{Code: "W-9", State: "resting", CutOn: h.Today().AddDate(0, 0, -60), CutLate: h.Today().AddDate(0, 0, -20),
		Sticks:   30,
		LengthMM: 300, BaseMM: 8, TipMM: 6, InternodeMM: 22, BudsPerPiece: 2, Part: "middle"}
	isProblem(t, h.AddBundle(ctx, h.maud, cut), "where it was bought")
	cut.BoughtFrom, cut.Variety, cut.Genus = "Holm  Layers", "Lanternjaw", "pear"
	late := cut
	late.CutLate = cut.CutOn.AddDate(0, 0, -1)
	isProblem(t, h.AddBundle(ctx, h.maud, late), "comes after the earliest")
	require.NoError(t, h.AddBundle(ctx, h.maud, cut))
	b, err := h.Bundle(ctx, "W-9")
	require.NoError(t, err)
	assert.Equal(t, "B-1", b.Bundle.Plant)
	assert.Equal(t, "middle", b.Bundle.Part)
	assert.InDelta(t, 60, b.Kept.Keeping.Age.Days, 1.5, "kept as if it were the oldest")
	assert.InDelta(t, 20, b.Kept.Young.Days, 1.5)
	assert.InDelta(t, 45, b.Kept.Keeping.KeepLate.Sub(b.Kept.Keeping.KeepBy).Hours()/24, 4,
		"and may keep as long as the youngest, were the store cooler")
	again := cut
	again.Code = "W-10"
	require.NoError(t, h.AddBundle(ctx, h.maud, again))
	b, err = h.Bundle(ctx, "W-10")
	require.NoError(t, err)
	assert.Equal(t, "B-1", b.Bundle.Plant, "one source for each seller and variety")
	c, err := h.Collect(ctx, outlook.CollectAsked{Spare: 300, Waste: 90})
	require.NoError(t, err)
	for _, l := range c.Lines {
		assert.NotEqual(t, "B-1", l.Plant.Code, "nothing is cut from what was bought")
	}
	m, err := h.Match(ctx, "O-1", match.Asked{})
	require.NoError(t, err)
	assert.Contains(t, m.NotSeenTrue, "B-1", "nobody here has seen it true")
}

func TestAnOvalStemKeepsTwoDiameters(t *testing.T) {
	h := newHouse(t)
	h.stocked(200, 10, 40)
	isProblem(t, h.AddStems(ctx, h.maud, "L-1", []stock.Stem{{MM: 9, Other: 20}}), "over twice the narrower")
	require.NoError(t, h.AddStems(ctx, h.maud, "L-1", []stock.Stem{{MM: 8.4, Other: 9.2}, {MM: 8}}))
	p, err := h.Lot(ctx, "L-1", 0)
	require.NoError(t, err)
	oval := p.Readings[len(p.Readings)-2]
	assert.InDelta(t, 8.8, oval.MM, 1e-9, "it counts by the mean")
	assert.InDelta(t, 9.2, *oval.Wide, 1e-9)
	assert.InDelta(t, 8.4, oval.Narrow(), 1e-9, "and is split where it is narrow")
	assert.Nil(t, p.Readings[len(p.Readings)-1].Wide)
}

// TestSeedlingsAreNotWorkedInTheSeedbed sows stocks, which are kept out until they are
// lined out, and are drawn on the pipeline meanwhile.
func TestSeedlingsAreNotWorkedInTheSeedbed(t *testing.T) {
	h := newHouse(t)
	l := lot("L-7", 200)
	l.Form, l.Place, l.ReceivedOn = supply.Seedbed, "seedbed 1", h.Today().AddDate(0, -2, 0)
	require.NoError(t, h.AddLot(ctx, h.maud, l))
	require.NoError(t, h.AddReadings(ctx, h.maud, "L-7", []float64{8, 8.4, 8.8, 9, 9.2}))
	p, err := h.Lot(ctx, "L-7", 0)
	require.NoError(t, err)
	assert.Equal(t, []supply.Gate{supply.Sown}, p.Out.Gates)
	years := func() outlook.YearLine {
		y, err := h.Years(ctx)
		require.NoError(t, err)
		require.Len(t, y.Years, 1)
		return y.Years[0]
	}
	y := years()
	assert.Equal(t, [2]int{200, 0}, [2]int{y.Sown, y.InRow})
	assert.GreaterOrEqual(t, y.Budded, l.ReceivedOn.AddDate(0, 0, 330).Year(), "a summer later")
	assert.Greater(t, y.BuddedFit, y.Budded)
	sown := y.Budded
	_, err = h.MoveStems(ctx, h.maud, "L-7", stock.Moving{Doing: "lined out", Place: "row 9"})
	require.NoError(t, err)
	p, err = h.Lot(ctx, "L-7", 0)
	require.NoError(t, err)
	assert.Empty(t, p.Out.Gates)
	assert.Equal(t, "seedbed", p.Story[0].What, "as what it came")
	y = years()
	assert.Equal(t, [2]int{0, 200}, [2]int{y.Sown, y.InRow})
	assert.LessOrEqual(t, y.Budded, sown, "lined out, they are worked in the next summer")
}
