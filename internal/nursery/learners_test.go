package nursery_test

import (
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/ways"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/days"
	"unionknot/internal/nursery/learners"
	"unionknot/internal/nursery/practice"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// class is a house with a class of n learners, open and past its practice wood.
func class(t *testing.T, n, cans int) *house {
	h := newHouse(t)
	h.stocked(n*cans+40, n*cans/6+30, n*cans)
	_, err := h.DB.Exec(`update technique set in_use = key = 'whip-and-tongue'`)
	require.NoError(t, err)
	require.NoError(t, h.AddClass(ctx, h.maud, learners.NewClass{Code: "k-1", Name: "Saturday", Day: h.Today(), Batch: h.batch("O-1",
		n*cans), Learners: n,
		Names: []string{"Edony", "Harl"}, Cans: cans, Warmups: 2, BarPct: 80, BarRun: 5}))
	require.NoError(t, h.OpenClass(ctx, h.maud, "K-1", true, learners.Tools{words.Knives: n, words.LooseBlades: 2 * n, words.Secateurs: 1}))
	require.NoError(t, h.BeginGrafts(ctx, h.maud, "K-1", false))
	h.RunFrom(h.Now().Add(time.Hour))
	return h
}

// looks makes looks at a place, one after the other on one phone, a minute apart.
func (h *house) looks(phone string, place int, says ...string) learners.Judged {
	h.Helper()
	var out learners.Judged
	for i, x := range says {
		l := learners.Look{ID: h.uuid(), Class: "K-1", Place: place, Says: x, AgoMS: int64(len(says)-i) * 1000}
		j, err := h.Judge(ctx, h.ansel, phone, []learners.Look{l})
		require.NoError(h, err)
		out.Safe, out.Held, out.Bad = append(out.Safe, j.Safe...), append(out.Held, j.Held...), append(out.Bad, j.Bad...)
	}
	return out
}

func (h *house) seat(place int) learners.PlacePage {
	h.Helper()
	p, err := h.Seat(ctx, "K-1", place)
	require.NoError(h, err)
	return p
}

func TestNothingIsBoundThatWasNotPassed(t *testing.T) {
	h := class(t, 3, 4)
	board, err := h.ClassBoard(ctx, "K-1")
	require.NoError(t, err)
	require.Len(t, board.Seats, 3)
	for _, s := range board.Seats {
		assert.Equal(t, 4, s.Planned, "each has cans of their own")
	}
	tag := board.Seats[0].Tags[0].Code
	assert.Equal(t, 12, h.stems("L-1")["aside"])

	// A tap on the learner's card is kept, and does not count.
	done := h.tap(h.maud, tag, "tied", 1)
	require.Len(t, done.Held, 1)
	assert.Contains(t, done.Held[0].Why, "passed")
	assert.Zero(t, h.seat(1).Seat.Bound)

	h.looks("a", 1, "set over", "right", "right", "stock spoilt", "right")
	s := h.seat(1).Seat
	assert.Equal(t, 3, s.Bound)
	assert.Equal(t, []bool{false, true, false, true}, s.Course.First, "the third graft's stock split, so it was not right at once")
	assert.Equal(t, 1, s.Left)
	assert.Equal(t, 1, h.stems("L-1")["spoiled"])
	assert.Equal(t, 4, h.seat(1).Seat.Planned)

	// No more than there are cans.
	last := h.looks("a", 1, "right", "right")
	require.Len(t, last.Held, 1)
	assert.Contains(t, last.Held[0].Why, "no can")
	assert.Equal(t, 4, h.seat(1).Seat.Bound)

	// A look that was wrong is taken back, and its graft is unbound.
	j, err := h.Judge(ctx, h.ansel, "a", []learners.Look{{ID: h.uuid(), Class: "K-1", Place: 1, Says: "undo", Undoes: last.Safe[0]}})
	require.NoError(t, err)
	require.Empty(t, j.Bad)
	assert.Equal(t, 3, h.seat(1).Seat.Bound)

	// In a house that does not look, grafts are bound by a tap, and looks bind nothing.
	require.NoError(t, h.ChangeRules(ctx, h.maud, "K-1", learners.Rules{CheckTape: "none", BarPct: 80, BarRun: 5, Warmups: 2}))
	h.looks("a", 2, "right", "bound")
	assert.Equal(t, 1, h.seat(2).Seat.Bound)
	assert.Equal(t, 1, h.tap(h.maud, h.seat(2).Seat.Tags[0].Code, "tied", 1).Counts.Tied-1)
}

func TestTheHousesWayDecidesWhatIsLookedAt(t *testing.T) {
	for _, c := range []struct{ way, check string }{{"every one", "every"}, {"until they are cleared", "cleared"}, {"none", "none"}} {
		assert.Equal(t, c.check, string(ways.House{ways.CheckTape: c.way}.CheckTape()))
	}
	h := newHouse(t)
	h.stocked(60, 20, 30)
	require.NoError(t, h.ChooseWay(ctx, h.maud, string(ways.CheckTape), "until they are cleared"))
	require.NoError(t, h.AddClass(ctx, h.maud, learners.NewClass{Code: "K-1", Name: "Evening", Day: h.Today(), Batch: h.batch("O-1", 16),
		Learners: 2, Cans: 8,
		BarPct: 80, BarRun: 3}))
	require.NoError(t, h.OpenClass(ctx, h.maud, "K-1", true, learners.Tools{words.Knives: 2, words.LooseBlades: 2, words.Secateurs: 0}))
	h.RunFrom(h.Now().Add(time.Hour))
	h.looks("a", 1, "right", "right", "right")
	assert.NotNil(t, h.seat(1).Seat.ClearedAt)
	assert.False(t, h.seat(1).Seat.Must)
	h.looks("a", 1, "bound")
	assert.Equal(t, 4, h.seat(1).Seat.Bound, "one who is cleared binds their own")
	j, err := h.Judge(ctx, h.ansel, "a", []learners.Look{{ID: h.uuid(), Class: "K-1", Place: 2, Says: "bound"}})
	require.NoError(t, err)
	require.Len(t, j.Bad, 1, "one who is not does not")
}

func TestTwoSupervisorsAtOneGraft(t *testing.T) {
	h := class(t, 2, 5)
	first := h.looks("a", 1, "right").Safe[0]
	one, two := h.uuid(), h.uuid()
	look := func(phone, id, says, seen string) learners.Judged {
		j, err := h.Judge(ctx, h.ansel, phone, []learners.Look{{ID: id, Class: "K-1", Place: 1, Says: says, Seen: seen}})
		require.NoError(t, err)
		return j
	}
	assert.Empty(t, look("a", one, "not flat", first).Held)
	j := look("b", two, "right", first)
	require.Len(t, j.Held, 1, "the second did not know of the first")
	assert.Contains(t, j.Held[0].Why, "another judged")
	assert.Equal(t, 1, h.seat(1).Seat.Bound)
	assert.Equal(t, 1, h.seat(1).Seat.Held)
	// Sent again it is there once.
	look("b", two, "right", first)
	assert.Len(t, h.seat(1).Seat.Looks, 3)
	// The propagator lets the second hold: the first is taken back.
	require.NoError(t, h.LetHold(ctx, h.maud, "K-1", 1, two))
	s := h.seat(1).Seat
	assert.Equal(t, 2, s.Bound)
	assert.Equal(t, []bool{true, true}, s.Course.First)
	// One who knew of it judges the next.
	assert.Empty(t, look("a", h.uuid(), "right", two).Held)
	assert.Equal(t, 3, h.seat(1).Seat.Bound)
}

func TestALearnerWhoLeavesAndComesBack(t *testing.T) {
	h := class(t, 2, 5)
	h.looks("a", 2, "right", "right")
	free := h.stems("L-1")["free"]
	require.NoError(t, h.LearnerLeft(ctx, h.maud, "K-1", 2, false))
	assert.Equal(t, free+3, h.stems("L-1")["free"], "the rest of their cans is free again")
	assert.Equal(t, 2, h.seat(2).Seat.Bound, "what they bound stays theirs")
	j := h.looks("a", 2, "right")
	require.Len(t, j.Held, 1)
	assert.Contains(t, j.Held[0].Why, "left")
	require.NoError(t, h.LearnerLeft(ctx, h.maud, "K-1", 2, true))
	assert.Equal(t, free, h.stems("L-1")["free"])
	h.RunFrom(h.Now().Add(5 * time.Minute))
	assert.Empty(t, h.looks("b", 2, "right").Held)
	assert.Equal(t, 3, h.seat(2).Seat.Bound)
}

func TestAClearedHandIsPlannedForTheTechnique(t *testing.T) {
	h := class(t, 2, 8)
	require.NoError(t, h.SetWeek(ctx, h.maud, h.odile.ID, days.Week{Knows: []string{"whip-and-tongue"}}))
	knows := func() bool {
		_, hs, err := h.DB.Q().HoursAndSkills(ctx, h.odile.ID)
		require.NoError(t, err)
		return slices.Contains(hs, "whip-and-tongue")
	}
	require.True(t, knows())
	require.NoError(t, h.NameLearner(ctx, h.maud, "K-1", 1, learners.Who{Name: "Odile", Hand: h.odile.ID}))
	assert.False(t, knows(), "until she is cleared the days give her none of it")
	done := h.looks("a", 1, "right", "right", "set over", "right", "right", "right")
	assert.True(t, knows())
	assert.NotNil(t, h.seat(1).Seat.ClearedAt)
	_, err := h.Judge(ctx, h.ansel, "a", []learners.Look{{ID: h.uuid(), Class: "K-1", Place: 1, Says: "undo", Undoes: done.Safe[5]}})
	require.NoError(t, err)
	assert.False(t, knows(), "a look that was taken back clears nobody")
}

func TestAClassThatIsNotOpenedIsCalledOff(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 30)
	b := h.batch("O-1", 16)
	n := learners.NewClass{Code: "K-1", Name: "Evening", Day: h.Today(), Batch: b, Learners: 2, Cans: 5, BarPct: 80, BarRun: 3}
	require.NoError(t, h.AddClass(ctx, h.maud, n))
	n.Code = "K-2"
	isProblem(t, h.AddClass(ctx, h.maud, n), "laid out for learners")
	isProblem(t, h.MakeTags(ctx, h.maud, b, h.Today(), []int64{h.ansel.ID}), "laid out for learners")
	require.NoError(t, h.CallClassOff(ctx, h.maud, "K-1"))
	assert.Zero(t, h.sum(`select count(*) from tag`))
	require.NoError(t, h.AddClass(ctx, h.maud, n), "its batch is free")
	isProblem(t, h.OpenClass(ctx, h.maud, "K-1", true, learners.Tools{words.Knives: 2, words.LooseBlades: 2, words.Secateurs: 0}), "closed")
	require.NoError(t, h.OpenClass(ctx, h.maud, "K-2", true, learners.Tools{words.Knives: 2, words.LooseBlades: 2, words.Secateurs: 0}))
	isProblem(t, h.CallClassOff(ctx, h.maud, "K-2"), "was opened")
	// The plan of the days leaves learners' tags with them, and nobody is handed one.
	h.plan()
	learners := 0
	for _, tag := range h.openTags() {
		if strings.HasPrefix(tag.Worker, "Class K-2, place ") {
			learners += tag.Planned
			isProblem(t, h.HandOver(ctx, h.maud, tag.Code, h.ansel.ID, 0), "stays with them")
		}
	}
	assert.Equal(t, 10, learners)
}

func TestAClassOpensAndClosesWithItsToolsCounted(t *testing.T) {
	h := class(t, 2, 5)
	h.looks("a", 1, "right", "right", "right")
	in := learners.Tools{words.Knives: 2, words.LooseBlades: 3, words.Secateurs: 1}
	isProblem(t, h.CloseClass(ctx, h.maud, "K-1", in, ""), "1 tool is missing")
	require.NoError(t, h.CloseClass(ctx, h.maud, "K-1", in, "found under bench 2"))
	p, err := h.ClassBoard(ctx, "K-1")
	require.NoError(t, err)
	assert.Equal(t, learners.Closed, p.State)
	assert.Equal(t, 1, p.Missing)
	assert.Equal(t, 3, h.stems("L-1")["grafted"])
	assert.Zero(t, h.stems("L-1")["aside"], "what was not bound went back")

	// Their takes are counted on tags of their own, and what lives is taken home.
	tag, err := h.DB.Q().TagByCode(ctx, p.Seats[0].Tags[0].Code)
	require.NoError(t, err)
	assert.Equal(t, "Class K-1, place 1", tag.Worker)
	h.count(tag, 2, 0, 1)
	s := h.seat(1).Seat
	assert.Equal(t, 2, s.Alive)
	act := h.uuid()
	require.NoError(t, h.TakeHome(ctx, h.maud, "K-1", 1, act, false))
	require.NoError(t, h.TakeHome(ctx, h.maud, "K-1", 1, act, false))
	assert.Zero(t, h.seat(1).Seat.Alive)
	require.NoError(t, h.TakeHome(ctx, h.maud, "K-1", 1, "", true))
	assert.Equal(t, 2, h.seat(1).Seat.Alive)
	isProblem(t, h.TakeHome(ctx, h.maud, "K-1", 2, h.uuid(), false), "Nothing of place 2 lives")

	// The names go, at the latest after a month; the record of changes never had them.
	assert.Equal(t, "Edony", h.seat(1).Seat.Name)
	n, err := h.EraseNamesDue(ctx)
	require.NoError(t, err)
	assert.Zero(t, n)
	h.RunFrom(h.Now().Add(learners.NamesKept + time.Hour))
	_, err = h.EraseNamesDue(ctx)
	require.NoError(t, err)
	assert.Empty(t, h.seat(1).Seat.Name)
	isProblem(t, h.NameLearner(ctx, h.maud, "K-1", 1, learners.Who{Name: "Edony"}), "were taken out")
	assert.Zero(t, h.sum(`select count(*) from change_record where before::text ilike '%edony%' or after::text ilike '%edony%'`))
}

// Sixty learners, three phones at once, two grafts a phone at each place, each look sent twice: all
// of it is counted once.
func TestThreePhonesAtSixtyLearners(t *testing.T) {
	h := class(t, 60, 6)
	var wait sync.WaitGroup
	for p := range 3 {
		wait.Go(func() {
			for place := 1; place <= 60; place++ {
				for k := range 2 {
					l := learners.Look{ID: nursery.NewID(), Class: "K-1", Place: place, Says: "right", AgoMS: int64((6-2*p-k)*120) * 1000}
					for range 2 {
						_, err := h.Judge(ctx, h.maud, string(rune('a'+p)), []learners.Look{l})
						assert.NoError(t, err)
					}
				}
			}
		})
	}
	wait.Wait()
	p, err := h.ClassBoard(ctx, "K-1")
	require.NoError(t, err)
	assert.Equal(t, 360, p.Bound)
	assert.Equal(t, 360, h.sum(`select sum(tied) from tag`))
	assert.Equal(t, 360, p.Tries)
}

func TestPracticeStandsApartFromWhatIsMade(t *testing.T) {
	h := newHouse(t)
	x := store.PracticeSheet{ID: h.uuid(), On: h.Today(), Technique: "splice", Cuts: 20, Flat: 12, Fit: 9, Wood: "willow"}
	require.NoError(t, h.KeepSheet(ctx, h.odile, x))
	require.NoError(t, h.KeepSheet(ctx, h.odile, x), "sent twice it is there once")
	bad := x
	bad.ID, bad.Flat = h.uuid(), 21
	isProblem(t, h.KeepSheet(ctx, h.odile, bad), "No more than were cut")
	p, err := h.Practice(ctx, h.odile, 0, "", 1)
	require.NoError(t, err)
	require.Len(t, p.Sheets, 1)
	assert.Equal(t, 12, p.Days[0].FlatN)
	assert.Zero(t, h.sum(`select count(*) from any_tag`))
	require.NoError(t, h.UndoSheet(ctx, h.odile, x.ID))
	p, err = h.Practice(ctx, h.maud, h.odile.ID, "", 1)
	require.NoError(t, err)
	assert.Empty(t, p.Sheets)

	// The drawn union: the best place scores all, the middle of a thin scion less, and each guess is kept.
	for seed := uint64(1); seed < 40; seed++ {
		task, err := practice.TaskOf(seed, 0)
		require.NoError(t, err)
		assert.Equal(t, 100, task.Score(task.Best))
		assert.InDelta(t, task.Joint.Flush, task.Best, 0.6, "it lies best about flush")
	}
	task, err := h.Guess(ctx, h.odile, h.uuid(), 3, 0)
	require.NoError(t, err)
	p, err = h.Practice(ctx, h.odile, 0, "", 3)
	require.NoError(t, err)
	require.Len(t, p.Guesses, 1)
	assert.Equal(t, task.Score(0), p.Guesses[0].Score)
	_, err = h.Guess(ctx, h.odile, h.uuid(), 3, task.Reach+1)
	isProblem(t, err, "page is old")
}
