package nursery_test

import (
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/benchday"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/bench"
	"unionknot/internal/nursery/days"
	"unionknot/internal/nursery/match"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// woven is a house with both rivals' batches made, and nothing on the days.
func woven(t *testing.T) *house {
	h := rivals(t)
	p := h.programme(match.ProgrammeAsked{})
	_, err := h.MakeProgramme(ctx, h.maud, match.MakeProgramme{Print: p.Print, Once: h.uuid(), Tie: "rubber"})
	require.NoError(t, err)
	return h
}

func (h *house) days() outlook.DaysPage {
	h.Helper()
	p, err := h.BenchDays(ctx, time.Time{})
	require.NoError(h, err)
	return p
}

func (h *house) plan() days.Planned {
	h.Helper()
	done, err := h.PlanDays(ctx, h.maud)
	require.NoError(h, err)
	return done
}

func (h *house) openTags() []store.Tag {
	h.Helper()
	ts, err := h.db.Q().Tags(ctx, store.Which{Open: true})
	require.NoError(h, err)
	return ts
}

// conserved says that every thread set aside stands on tags once.
func (h *house) conserved() {
	h.Helper()
	var off int
	require.NoError(
		h,
		h.db.Get(
			&off,
			`select count(*) from (select batch_id, lot_id, bundle_id, technique, stock_mm, wood_mm, sum(n) as n from batch_thread group
				by 1, 2, 3, 4, 5, 6) a
		full join (select t.batch_id, t.lot_id, t.bundle_id, t.technique, x.stock_mm, x.wood_mm, sum(x.n) as n from tag t join tag_thread
		x on x.tag_id = t.id group by 1, 2, 3, 4, 5, 6) b
		using (batch_id, lot_id, bundle_id, technique, stock_mm, wood_mm) where a.n is distinct from b.n`,
		),
	)
	require.Zero(h, off)
	require.NoError(
		h,
		h.db.Get(&off, `select count(*) from tag t where planned <> (select sum(n) from tag_thread x where x.tag_id = t.id)`),
	)
	require.Zero(h, off)
}

func TestTheDaysArePlannedAndTakenBack(t *testing.T) {
	h := woven(t)
	before := h.days()
	assert.Positive(t, before.RestGrafts)
	assert.Zero(t, before.Open)
	_, err := h.PlanDays(ctx, h.ansel)
	require.ErrorIs(t, err, nursery.ErrNotAllowed)
	done := h.plan()
	assert.Positive(t, done.Made)
	assert.Zero(t, done.Late)
	assert.Empty(t, done.Unplaced)
	after := h.days()
	assert.Zero(t, after.RestGrafts)
	assert.Equal(t, before.RestGrafts, after.Open)
	assert.Empty(t, after.Alone, "the lot of sixty is shared by two")
	h.conserved()
	for _, x := range h.openTags() {
		assert.LessOrEqual(t, x.Planned, 25)
		assert.Contains(t, []string{"Ansel", "Odile"}, x.Worker, "the propagator has no hours")
		assert.False(t, x.Day.Weekday() == time.Saturday || x.Day.Weekday() == time.Sunday)
	}
	require.True(t, after.Undo)
	require.NoError(t, h.UndoPlan(ctx, h.maud))
	assert.Equal(t, before.RestGrafts, h.days().RestGrafts)
	assert.Empty(t, h.openTags())
	require.Error(t, h.UndoPlan(ctx, h.maud), "it is taken back once")
	h.plan()
	h.conserved()
}

func TestTheDaysArePlannedAgainFromWhatWasMade(t *testing.T) {
	h := woven(t)
	h.plan()
	ts := h.openTags()
	first := ts[0]
	_, err := h.Tap(ctx, h.maud, first.Code, []bench.Tap{{ID: h.uuid(), Kind: "tied", N: 3}})
	require.NoError(t, err)
	// A whole day went by without a graft, and Odile falls ill.
	h.on(2027, 2, 12)
	require.NoError(t, h.AddAway(ctx, h.maud, h.odile.ID, h.Today(), h.Today().AddDate(0, 1, 0), "ill"))
	done := h.plan()
	assert.Zero(t, done.Made)
	assert.Positive(t, done.Moved)
	for _, x := range h.openTags() {
		if x.Code == first.Code {
			assert.Equal(t, first.Worker, x.Worker, "a tag that is begun stays with its hand")
			continue
		}
		assert.Equal(t, "Ansel", x.Worker)
		assert.False(t, x.Day.Before(h.Today()))
	}
	h.conserved()
	require.NoError(t, h.UndoPlan(ctx, h.maud))
	back := 0
	for _, x := range h.openTags() {
		if x.Worker == "Odile" {
			back++
		}
	}
	assert.Positive(t, back, "the tags stand where they stood")
}

func TestATagIsMovedHeldAndRefused(t *testing.T) {
	h := woven(t)
	h.plan()
	x := h.openTags()[0]
	to := days.MoveTags{Codes: []string{x.Code}, Worker: h.odile.ID, Day: time.Date(2027, 2, 17, 0, 0, 0, 0, time.UTC), Half: 2}
	require.ErrorIs(t, h.MoveTags(ctx, h.ansel, to), nursery.ErrNotAllowed)
	require.NoError(t, h.MoveTags(ctx, h.maud, to))
	moved, err := h.db.Q().TagByCode(ctx, x.Code)
	require.NoError(t, err)
	assert.True(t, moved.Locked)
	h.plan()
	moved, err = h.db.Q().TagByCode(ctx, x.Code)
	require.NoError(t, err)
	assert.Equal(t, to.Day, moved.Day.UTC())
	assert.Equal(t, 2, moved.Half)

	refused := func(says string, m days.MoveTags) {
		t.Helper()
		var p nursery.Problem
		require.ErrorAs(t, h.MoveTags(ctx, h.maud, m), &p)
		assert.Contains(t, p.Says, says)
	}
	var w days.Week
	w.Hours[3][2], w.Knows = 3, []string{"chip-bud"}
	require.NoError(t, h.SetWeek(ctx, h.maud, h.ansel.ID, w))
	m := to
	m.Worker = h.ansel.ID
	refused("does not know", m)
	m = to
	m.Day = time.Date(2027, 2, 20, 0, 0, 0, 0, time.UTC) // a Saturday
	refused("not at the bench", m)
	m.Day = time.Date(2027, 2, 1, 0, 0, 0, 0, time.UTC)
	refused("is over", m)
	m = to
	m.Half = 3
	refused("Choose", m)
	m = to
	m.Codes = []string{"Z9-ZZZZ"}
	refused("finished, or gone", m)
	_, err = h.Tap(ctx, h.maud, x.Code, []bench.Tap{{ID: h.uuid(), Kind: "tied", N: 1}})
	require.NoError(t, err)
	refused("is begun", to)
	require.NoError(t, h.LockTags(ctx, h.maud, []string{h.openTags()[1].Code}, true))
}

func TestNobodyIsPlannedForWhatTheyDoNotKnow(t *testing.T) {
	h := woven(t)
	var w days.Week
	w.Hours[1][1], w.Knows = 4, []string{"chip-bud"}
	for _, a := range []nursery.Actor{h.ansel, h.odile} {
		require.NoError(t, h.SetWeek(ctx, h.maud, a.ID, w))
	}
	done := h.plan()
	assert.Zero(t, done.Made)
	require.NotEmpty(t, done.Unplaced)
	assert.Equal(t, benchday.NobodyThere, done.Unplaced[0].Lack)
	ways, late, err := h.PlanWays(ctx)
	require.NoError(t, err)
	assert.Positive(t, late)
	says := ""
	for i, x := range ways {
		says += x.Says + "\n"
		assert.Equal(t, words.Money(x.Cents), x.Working.Answer)
		if i > 0 {
			assert.GreaterOrEqual(t, x.EachCents(), ways[i-1].EachCents())
		}
	}
	assert.Contains(t, says, "Teach")
	assert.Contains(t, says, "one more worker")
	assert.Contains(t, says, "bud them in summer")
}

func TestTwoPlannersPlanOnce(t *testing.T) {
	h := woven(t)
	var wg sync.WaitGroup
	for range 4 {
		wg.Go(func() {
			_, err := h.PlanDays(ctx, h.maud)
			assert.NoError(t, err)
		})
	}
	wg.Wait()
	h.conserved()
}

func TestTheDaySheetAddsUpAndIsKeyedInOnce(t *testing.T) {
	h := woven(t)
	h.plan()
	day := h.openTags()[0].Day
	d, err := h.Day(ctx, day)
	require.NoError(t, err)
	wood, stock, tags := 0, 0, 0
	for _, x := range d.Wood {
		wood += x.N
	}
	for _, x := range d.Stock {
		stock += x.N
	}
	for _, x := range d.Hands {
		tags += len(x.Tags)
	}
	assert.Equal(t, d.Grafts, wood)
	assert.Equal(t, d.Grafts, stock)
	assert.Equal(t, len(d.Tags), tags)
	amount := map[string]string{}
	for _, m := range d.Materials {
		amount[m.Name] = m.Amount
	}
	assert.Contains(t, amount["Rubber strip"], "strips")
	assert.Contains(t, amount, "Film over the union", "rubber does not seal")
	require.NoError(t, h.ChooseWay(ctx, h.maud, "sealing", "brushed wax"))
	waxed, err := h.Day(ctx, d.Day)
	require.NoError(t, err)
	names := ""
	for _, m := range waxed.Materials {
		names += m.Name + ", "
	}
	assert.Contains(t, names, "Sealing wax", "a house that brushes wax lays it out")
	assert.NotContains(t, names, "Film over")
	assert.NotContains(t, amount, "Pots", "pears go to a cold box")

	x := d.Tags[0]
	once := h.uuid()
	sheet := func() []bench.Keyed {
		return []bench.Keyed{{Code: x.Code, Tied: x.Planned - 1, SpoiledWood: 1, Finish: true}, {Code: d.Tags[1].Code}}
	}
	_, err = h.KeyDay(ctx, h.ansel, once, sheet())
	require.ErrorIs(t, err, nursery.ErrNotAllowed)
	for range 2 { // sent twice, counted once
		n, err := h.KeyDay(ctx, h.maud, once, sheet())
		require.NoError(t, err)
		assert.Equal(t, 1, n)
	}
	got, err := h.db.Q().TagByCode(ctx, x.Code)
	require.NoError(t, err)
	assert.Equal(t, x.Planned-1, got.Tied)
	assert.NotNil(t, got.FinishedAt)
	var ps nursery.Problems
	_, err = h.KeyDay(
		ctx,
		h.maud,
		h.uuid(),
		[]bench.Keyed{{Code: d.Tags[1].Code, Tied: 900}, {Code: "Q1-QQQQ", Tied: 1}, {Code: x.Code, Tied: 1}},
	)
	require.ErrorAs(t, err, &ps)
	assert.Len(t, ps, 3)
	_, err = h.KeyDay(ctx, h.maud, "no key", nil)
	require.Error(t, err)
}

func TestWoodIsGraftedNeitherBeforeItIsCutNorAfterItKeeps(t *testing.T) {
	h := woven(t)
	h.plan()
	p := h.days()
	for _, r := range p.Rows {
		for _, c := range r.Cells {
			for _, x := range c.Runs {
				assert.False(t, x.Late)
				assert.False(t, c.Day.After(x.Span.Last), "%s on %s", x.Codes, c.Day)
			}
			assert.LessOrEqual(t, c.Used, c.Hours+0.3)
		}
	}
	// Once the bark slips, what was to be grafted at the bench waits for the
	// next winter's window, which its wood does not live to see.
	h.on(2027, 4, 20)
	require.NotEmpty(t, h.openTags())
	late := h.days()
	assert.Equal(t, late.Open, late.Score.Late)
	// In June the wood of January keeps no longer: all of it is late.
	h.on(2027, 6, 10)
	assert.Positive(t, h.days().Score.Late)
}

func TestATeamIsWeighedAgainstAllAlone(t *testing.T) {
	h := newHouse(t)
	p, err := h.Team(ctx, days.TeamAsked{})
	require.NoError(t, err)
	assert.Equal(t, "whip and tongue", p.Technique.Name)
	assert.Len(t, p.Splits, 3)
	assert.Contains(t, p.Says, "alone is best")
	p, err = h.Team(ctx, days.TeamAsked{People: 3, CutSeconds: 60, TieSeconds: 30, TierPct: 50})
	require.NoError(t, err)
	assert.Contains(t, p.Says, "pays")
	p, err = h.Team(ctx, days.TeamAsked{People: 999, CutSeconds: -3})
	require.NoError(t, err)
	assert.Equal(t, 3, p.Asked.People)
}
