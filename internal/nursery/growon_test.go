package nursery_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/growon"
	"unionknot/internal/nursery/heal"
	"unionknot/internal/nursery/places"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// act makes an act with an id of its own.
func (h *house) act(kind, knot string, n int, codes ...string) growon.Act {
	a := growon.Act{ID: h.uuid(), Kind: kind, Knot: knot, N: n}
	for _, c := range codes {
		a.Items = append(a.Items, growon.Item{Code: c})
	}
	return a
}

// kept does an act that must be kept.
func (h *house) kept(a growon.Act) growon.Acted {
	h.Helper()
	done, err := h.Do(ctx, h.maud, []growon.Act{a})
	require.NoError(h, err)
	require.Empty(h, done.Refused)
	return done
}

// refused does an act that must not be, and gives why.
func (h *house) refused(a growon.Act) growon.Refused {
	h.Helper()
	done, err := h.Do(ctx, h.maud, []growon.Act{a})
	require.NoError(h, err)
	require.Len(h, done.Refused, 1, "%+v", a)
	return done.Refused[0]
}

func (h *house) growing(code string) store.GrowTag {
	h.Helper()
	gs, err := h.DB.Q().GrowTagsByCode(ctx, []string{code})
	require.NoError(h, err)
	require.Len(h, gs, 1)
	return gs[0]
}

// TestATagGrowsOnToTheGate takes a tag from its finish to its sale: each step when it
// is due, losses in passing, and the order's balance with them.
func TestATagGrowsOnToTheGate(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 60, 60)
	tags := h.made("O-1", 30)
	tag := tags[0]
	rest := tags[1:]
	g := h.growing(tag.Code)
	assert.Equal(t, tag.Planned, g.Standing, "all that is tied stands until it is looked at")

	p, err := h.Grown(ctx, tag.Code)
	require.NoError(t, err)
	first := p.Plan.Knots[0]
	for _, k := range p.Plan.Knots {
		if k.Name == aftercare.Pot {
			first = k
		}
	}
	// Before its time it is asked why.
	pot := h.act(growon.Done, "pot", 0, tag.Code)
	pot.Place = "house 3"
	no := h.refused(pot)
	assert.True(t, no.Ask)
	assert.Contains(t, no.Why, "say why")
	h.RunFrom(first.Best.Date().Add(11 * time.Hour))
	pot.ID = h.uuid()
	h.kept(pot)
	g = h.growing(tag.Code)
	assert.Equal(t, "house 3", g.Place)
	assert.Equal(t, "pot", g.Form)
	h.kept(pot)
	assert.Len(t, h.growing(tag.Code).Done, 1, "sent twice it is done once")
	again := h.act(growon.Done, "pot", 0, tag.Code)
	assert.Contains(t, h.kept(again).Notes[0], "done already by Maud")
	assert.Contains(t, h.refused(h.act(growon.Done, "head back", 0, tag.Code)).Why, "no such step")
	assert.Contains(t, h.refused(h.act(growon.Done, "first look", 0, tag.Code)).Why, "by counting")
	ahead := h.act(growon.Done, "cane", 0, tag.Code)
	ahead.AgoMS = -5
	assert.Equal(t, words.DayAhead, h.refused(ahead).Why)

	h.count(tag, tag.Planned-4, 1, 3)
	alive := h.lineOfOrder("O-1").Balance
	assert.Equal(t, tag.Planned-4, alive.Alive)
	lost := h.act(growon.Lost, "", 2, tag.Code)
	lost.Cause = "knocked or broken"
	h.kept(lost)
	b := h.lineOfOrder("O-1").Balance
	assert.Equal(t, alive.Alive-2, b.Alive, "a loss in passing moves the order at once")
	assert.Equal(t, alive.Dead+2, b.Dead)
	assert.Equal(t, tag.Planned-3-2, h.growing(tag.Code).Standing)
	h.kept(growon.Act{ID: h.uuid(), Kind: growon.Undo, Undoes: lost.ID})
	assert.Equal(t, alive, h.lineOfOrder("O-1").Balance, "and taken back it does too")
	assert.Contains(t, h.refused(growon.Act{ID: h.uuid(), Kind: growon.Undo, Undoes: lost.ID}).Why, "nothing of that to take back")
	many := h.act(growon.Lost, "", 500, tag.Code)
	many.Cause = "animals"
	assert.Contains(t, h.refused(many).Why, fmt.Sprintf("only %d stand there", tag.Planned-3))
	noCause := h.act(growon.Lost, "", 1, tag.Code)
	assert.Equal(t, words.SayCause, h.refused(noCause).Why)

	// Not before its season is it fit to sell.
	sell := h.act(growon.Sold, "", 5, tag.Code)
	sell.Buyer = "at the gate"
	no = h.refused(sell)
	assert.True(t, no.Ask)
	assert.Contains(t, no.Why, "Not fit to sell before")
	h.RunFrom(p.FitFrom.Date().AddDate(0, 2, 0).Add(11 * time.Hour))
	look := heal.NewCount{ID: h.uuid(), Look: "end of season", Taken: tag.Planned - 5, Dead: 2, Causes: map[string]int{"tie girdled": 2}}
	require.NoError(t, h.KeepCount(ctx, h.maud, tag.Code, look))
	assert.Equal(t, tag.Planned-5, h.growing(tag.Code).Standing)
	sell.ID = h.uuid()
	h.kept(sell)
	b = h.lineOfOrder("O-1").Balance
	assert.Equal(t, []int{tag.Planned - 10, 0, 5}, []int{b.Alive, b.Delivered, b.Elsewhere}, "another buyer's trees are not the order's")
	assert.Equal(t, tag.Planned-10, h.growing(tag.Code).Standing)
	hand, err := h.Do(ctx, h.ansel, []growon.Act{h.act(growon.Sold, "", 1, tag.Code)})
	require.ErrorIs(t, err, nursery.ErrNotAllowed)
	assert.Empty(t, hand.Safe)
	// A count that leaves fewer than went is refused.
	now, err := h.Count(ctx, tag.Code, "end of season")
	require.NoError(t, err)
	isProblem(t, h.KeepCount(ctx, h.maud, tag.Code, heal.NewCount{ID: h.uuid(), Look: "end of season", Taken: 2, Replaces: now.Now.ID,
		Rest: heal.RestDead}),
		"were lost or sold since")
	_ = rest
}

// TestAWarmBoxMovesItsLooks reads a box warm, and finds the first look sooner on every
// page.
func TestAWarmBoxMovesItsLooks(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 60, 60)
	tags := h.made("O-1", 20)
	var codes []string
	for _, x := range tags {
		codes = append(codes, x.Code)
	}
	require.NoError(t, h.SetHealPlace(ctx, h.maud, codes, "box 7"))
	due := func() time.Time {
		p, err := h.Heal(ctx)
		require.NoError(t, err)
		l := append(p.Due, p.Waiting...)[0]
		g, err := h.Grown(ctx, tags[0].Code)
		require.NoError(t, err)
		assert.Equal(t, l.DueFrom, g.Plan.Callused.From.Date(), "Heal and the tag's page agree")
		return l.DueFrom
	}
	before := due()
	require.NoError(t, h.AddColdPlace(ctx, h.maud, places.NewColdPlace{Name: "box 7", SetC: 4, LowC: 2, HighC: 6, Kind: places.Heal}))
	for i := range 12 {
		h.RunFrom(time.Date(2027, 2, 10, 10, 0, 0, 0, time.Local).Add(time.Duration(i) * 12 * time.Hour))
		require.NoError(t, h.ReadCold(ctx, h.maud, "box 7", 10))
	}
	assert.True(t, due().Before(before), "warmth brings it forward")
	p, err := h.Place(ctx, "Box 7", "")
	require.NoError(t, err)
	assert.True(t, p.Drifts)
	assert.Negative(t, p.Drift.Days)
	assert.True(t, p.Drift.Out)
	today, err := h.TodayPage(ctx, h.maud)
	require.NoError(t, err)
	found := false
	for _, r := range today.Risks {
		found = found || r.Where == "box 7"
	}
	assert.True(t, found, "Today says so")
	colds, err := h.Colds(ctx)
	require.NoError(t, err)
	assert.Empty(t, colds, "a box that heals is no store")
}

// TestAPlaceIsCountedOnOnePage counts two tags of a box at once; one of them wrong.
func TestAPlaceIsCountedOnOnePage(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 60, 60)
	tags := h.made("O-1", 40)
	require.GreaterOrEqual(t, len(tags), 2)
	kept, bad, err := h.KeepCounts(ctx, h.maud, []heal.TagCount{
		{Code: tags[0].Code, NewCount: heal.NewCount{ID: h.uuid(), Look: "first look", Taken: tags[0].Planned}},
		{Code: tags[1].Code, NewCount: heal.NewCount{ID: h.uuid(), Look: "first look", Taken: tags[1].Planned + 9}}})
	require.NoError(t, err)
	assert.Equal(t, 1, kept)
	assert.Contains(t, bad[tags[1].Code].Says, "only")
}

// TestRandomHistoriesKeepTheStems plays a hundred random lives of tags: whatever is
// done, taken back, counted and corrected, what was tied is what stands, died and went,
// on the tag and on the order alike.
func TestRandomHistoriesKeepTheStems(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 60, 60)
	tags := h.made("O-1", 60)
	r := rand.New(rand.NewPCG(5, 12))
	var acts []string
	looks := []string{"first look", "take look", "end of season"}
	for life := range 100 {
		h.RunFrom(time.Date(2027, 3, 20, 9, 0, 0, 0, time.Local).AddDate(0, 0, 6*life))
		tag := tags[r.IntN(len(tags))]
		switch r.IntN(6) {
		case 0, 1:
			a := h.act(growon.Lost, "", 1+r.IntN(4), tag.Code, tags[(r.IntN(len(tags)))].Code)
			if a.Items[0] == a.Items[1] {
				a.Items = a.Items[:1]
			} else { // of several tags it is said of which
				a.Items[0].Trees = a.N
			}
			a.Cause = "animals"
			done, err := h.Do(ctx, h.maud, []growon.Act{a})
			require.NoError(t, err)
			acts = append(acts, done.Safe...)
		case 2:
			a := h.act([]string{growon.Sold, growon.Planted, growon.Below}[r.IntN(3)], "", 1+r.IntN(3), tag.Code)
			a.Reason = "they asked for it"
			a.Order, a.Buyer = []string{"", growon.NoOrder}[r.IntN(2)], "another nursery"
			if a.Order == "" {
				a.Buyer = ""
			}
			if r.IntN(4) == 0 {
				a.Kind = growon.Returned
			}
			done, err := h.Do(ctx, h.maud, []growon.Act{a})
			require.NoError(t, err)
			acts = append(acts, done.Safe...)
		case 3:
			if len(acts) > 0 {
				_, err := h.Do(ctx, h.maud, []growon.Act{{ID: h.uuid(), Kind: growon.Undo, Undoes: acts[r.IntN(len(acts))]}})
				require.NoError(t, err)
			}
		default:
			look := looks[r.IntN(3)]
			p, err := h.Count(ctx, tag.Code, look)
			require.NoError(t, err)
			g := h.growing(tag.Code)
			n := heal.NewCount{ID: h.uuid(), Look: look, Taken: r.IntN(g.Standing + 1), Sure: true}
			n.Doubtful = r.IntN(g.Standing - n.Taken + 1)
			n.Dead = r.IntN(max(1, p.Stood-n.Taken-n.Doubtful+1))
			n.Rest = []string{heal.RestDead, heal.RestLeft}[r.IntN(2)]
			if p.Now != nil {
				n.Replaces = p.Now.ID
			}
			if err := h.KeepCount(ctx, h.maud, tag.Code, n); err != nil {
				var bad nursery.Problem
				require.ErrorAs(t, err, &bad)
			}
		}
		var rows []struct {
			Code                                   string
			Tied, Standing, Gone, Below, Lost, Sum int
		}
		require.NoError(t, h.DB.Select(&rows, `select t.code, t.tied, t.standing, t.gone, t.below, t.lost,
			(select coalesce(sum(c.dead - c.found), 0) from take_count c where c.tag_id = t.id
				and not exists (select 1 from take_count r where r.replaces_id = c.id))
			+ (select coalesce(sum(m.n), 0) from tree_move m where m.tag_id = t.id and m.what = 'lost' and m.undone_at is null) as sum
			from graded_tag t`))
		stand, gone, below := 0, 0, 0
		for _, x := range rows {
			require.GreaterOrEqual(t, x.Standing, 0)
			require.Equal(t, x.Sum, x.Lost, "life %d, %s: lost by every count and between them", life, x.Code)
			require.Equal(t, x.Tied, x.Standing+x.Lost+x.Gone, "life %d, %s: stands, lost or gone", life, x.Code)
			stand, gone, below = stand+x.Standing, gone+x.Gone, below+x.Below
		}
		o, err := h.DB.Q().OrderByCode(ctx, "O-1")
		require.NoError(t, err)
		healing := 0
		for _, m := range o.Made {
			healing += m.Healing
		}
		all := 0
		for _, x := range rows {
			all += x.Tied
		}
		require.Equal(t, all, o.Alive+o.Doubtful+o.Dead+o.Below+o.Elsewhere+healing,
			"life %d: every stem is alive, delivered, doubtful, lost, below grade, sold elsewhere or not counted", life)
		require.Equal(t, stand, o.Alive-o.Gone+o.Doubtful+healing, "life %d: what stands", life)
		require.Equal(t, gone-below, o.Gone+o.Elsewhere, "life %d: what went", life)
	}
	require.NotEmpty(t, acts)
}

// TestRoundsCloseAPlaceAndRainMovesTheWalk sprays a bed, and rains.
func TestRoundsCloseAPlaceAndRainMovesTheWalk(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 60, 60)
	tags := h.made("O-1", 20)
	require.NoError(t, h.SetHealPlace(ctx, h.maud, []string{tags[0].Code}, "house 2"))
	isProblem(t, h.AddRound(ctx, h.maud, growon.NewRound{Place: "house 2", What: "spray", Every: 0}), "every how many days")
	require.NoError(t, h.AddRound(ctx, h.maud, growon.NewRound{Place: "House 2", What: "spray", Every: 14, Reentry: 24}))
	bed := func() outlook.Bed {
		w, err := h.Walk(ctx)
		require.NoError(t, err)
		for _, b := range append(w.Beds, w.Whole...) {
			if b.Place == "house 2" {
				return b
			}
		}
		t.Fatal("house 2 is on no walk")
		return outlook.Bed{}
	}
	require.Len(t, bed().Rounds, 1)
	f, err := h.Facts(ctx, snapshot.Growing)
	require.NoError(t, err)
	rounds := f.Rounds
	spray := growon.Act{ID: h.uuid(), Kind: growon.RoundOf, Round: rounds[0].ID}
	h.kept(spray)
	b := bed()
	assert.Empty(t, b.Rounds)
	assert.WithinDuration(t, h.Now().Add(24*time.Hour), b.Closed, time.Minute, "closed for its re-entry time")
	h.kept(growon.Act{ID: h.uuid(), Kind: growon.Undo, Undoes: spray.ID})
	assert.True(t, bed().Closed.IsZero())
	require.NoError(t, h.RainOff(ctx, h.ansel, true))
	g, err := h.Grow(ctx)
	require.NoError(t, err)
	assert.True(t, g.RainedOff)
	require.NoError(t, h.RainOff(ctx, h.ansel, false))
	g, err = h.Grow(ctx)
	require.NoError(t, err)
	assert.False(t, g.RainedOff)
	require.NoError(t, h.EndRound(ctx, h.maud, rounds[0].ID))
	assert.Empty(t, bed().Rounds)
}

// TestTheHousesOwnDaysMoveWhatFollows changes a step's days and goes back.
func TestTheHousesOwnDaysMoveWhatFollows(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 60, 60)
	tags := h.made("O-1", 20)
	pot := func() aftercare.Window {
		p, err := h.Grown(ctx, tags[0].Code)
		require.NoError(t, err)
		for _, k := range p.Plan.Knots {
			if k.Name == aftercare.Pot {
				return k.Window
			}
		}
		return aftercare.Window{}
	}
	was := pot()
	isProblem(t, h.SetRule(ctx, h.maud, "pot", [3]int{9, 3, 5}, false), "in that order")
	isProblem(t, h.SetRule(ctx, h.maud, "dance", [3]int{1, 2, 3}, false), "in that order")
	require.NoError(t, h.SetRule(ctx, h.maud, "pot", [3]int{2, 6, 40}, false))
	assert.Equal(t, aftercare.Window{From: was.From + 2, Best: was.Best + 3, By: was.By + 12}, pot())
	require.NoError(t, h.SetRule(ctx, h.maud, "pot", [3]int{}, true))
	assert.Equal(t, was, pot())
	require.ErrorIs(t, h.SetRule(ctx, h.ansel, "pot", [3]int{1, 2, 3}, false), nursery.ErrNotAllowed)
	rules, err := h.Rules(ctx)
	require.NoError(t, err)
	for _, r := range rules {
		assert.NotEmpty(t, r.Name)
		assert.NotEmpty(t, r.From, r.Rule)
	}
	for _, k := range aftercare.Names {
		assert.NotEmpty(t, words.KnotSays(k, 0), k)
	}
}

// TestAMovedKnotMovesItsEntry reads the house's calendar twice, a knot moved between.
func TestAMovedKnotMovesItsEntry(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 60, 60)
	tags := h.made("O-1", 20)
	secret, err := h.NewFeed(ctx, h.maud, true)
	require.NoError(t, err)
	read := func() growon.FeedPage {
		f, err := h.Feed(ctx, secret)
		require.NoError(t, err)
		return f
	}
	find := func(f growon.FeedPage, what string) (outlook.Entry, int) {
		for _, e := range f.Entries {
			if len(e.Title) >= len(what) && e.Title[:len(what)] == what {
				return e, f.Seq[e.UID]
			}
		}
		t.Fatal("no entry of ", what)
		return outlook.Entry{}, 0
	}
	for _, e := range read().Entries {
		assert.NotContains(t, e.Title, "Cane in", "not before its pot")
	}
	const what = "Tie the shoot"
	before, seq := find(read(), what)
	assert.Zero(t, seq)
	_, seq = find(read(), what)
	assert.Zero(t, seq, "nothing moved")
	h.on(2027, 3, 20)
	for _, x := range tags {
		late := h.act(growon.Done, "pot", 0, x.Code)
		late.Place = x.Stands()
		h.kept(late)
	}
	find(read(), "Cane in")
	after, seq := find(read(), what)
	assert.Equal(t, before.UID, after.UID)
	assert.True(t, after.From.After(before.From))
	assert.Equal(t, 1, seq)
	_, err = h.NewFeed(ctx, h.maud, true)
	require.NoError(t, err)
	_, err = h.Feed(ctx, secret)
	require.ErrorIs(t, err, nursery.ErrNotFound, "renewed, the old address is ended")
	own, err := h.NewFeed(ctx, h.ansel, false)
	require.NoError(t, err)
	f, err := h.Feed(ctx, own)
	require.NoError(t, err)
	assert.Equal(t, "Ansel", f.Person)
	_, err = h.NewFeed(ctx, h.ansel, true)
	require.ErrorIs(t, err, nursery.ErrNotAllowed)
}

// TestTwoPeopleDoOneBed does a step twice in one moment: it is done once.
func TestTwoPeopleDoOneBed(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 60, 60)
	tags := h.made("O-1", 40)
	h.on(2027, 3, 20)
	var codes []string
	for _, x := range tags {
		codes = append(codes, x.Code)
	}
	errs := make(chan error, 8)
	for i := range 8 {
		a := h.act(growon.Done, "pot", 0, codes...)
		a.Place = "house 3"
		who := []nursery.Actor{h.maud, h.ansel}[i%2]
		go func() {
			done, err := h.Do(ctx, who, []growon.Act{a})
			if err == nil && len(done.Refused) > 0 {
				err = fmt.Errorf("refused: %v", done.Refused)
			}
			errs <- err
		}()
	}
	for range 8 {
		require.NoError(t, <-errs)
	}
	var n int
	require.NoError(t, h.DB.Get(&n, `select count(*) from step_done where knot = 'pot' and undone_at is null`))
	assert.Equal(t, len(tags), n)
}

// TestBeingLateIsLearnedFrom cuts ties late and loses none to it.
func TestBeingLateIsLearnedFrom(t *testing.T) {
	h := newHouse(t)
	h.stocked(300, 60, 60)
	_, err := h.DB.Exec(`update tie set weeks = 5 where key = 'film'`)
	require.NoError(t, err)
	tags := h.made("O-1", 40)
	loses := func() (float64, bool) {
		f, err := h.Facts(ctx, snapshot.Growing, snapshot.Places)
		require.NoError(t, err)
		return outlook.NursingOf(f).Loses(aftercare.Untie)
	}
	share, own := loses()
	assert.False(t, own)
	h.on(2027, 10, 1)
	for _, x := range tags {
		h.kept(h.act(growon.Done, "untie", 0, x.Code))
	}
	less, own := loses()
	assert.True(t, own)
	assert.Less(t, less, share, "months late, and none girdled")
}
