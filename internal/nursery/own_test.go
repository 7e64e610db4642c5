package nursery_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/own"
	"unionknot/internal/core/union"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/correct"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
)

// TestATrialSaysWhatKeepingDoes: what a change is said to do is what it does, and looking at
// it changes nothing.
func TestATrialSaysWhatKeepingDoes(t *testing.T) {
	h := demoHouse(t)
	lines := func() map[string]outlook.OrderLine {
		ls, err := h.Orders(ctx)
		require.NoError(t, err)
		m := map[string]outlook.OrderLine{}
		for _, l := range ls {
			m[l.Order.Code] = l
		}
		return m
	}
	dates := func() map[string]string {
		f, err := h.Facts(ctx, snapshot.Growing)
		require.NoError(t, err)
		m := map[string]string{}
		for _, g := range outlook.NursingOf(f).All() {
			for _, k := range g.Plan.Knots {
				m[g.Code+" "+k.Name.String()] += k.Best.Date().Format("2006-01-02 ")
			}
		}
		return m
	}
	ordersMoved, datesMoved := 0, 0
	for _, c := range []struct{ kind, ref, key, to string }{
		{"technique", "whip-and-tongue", "prior_take", "60"},
		{"genus", "pear", "logit_shift", "-2"},
		{"technique", "whip-and-tongue", "rate_per_hour", "4"},
		{"tie", "pvc", "weeks", "12"},
		{"healing", "cold callus", "high_c", "20"},
		{"worth", "house", "grade", "70"},
		{"material", "tie:film", "amount", "0.5"},
	} {
		p, err := h.Correctable(ctx, h.maud, c.kind, c.ref)
		require.NoError(t, err)
		n := correct.Correction{Values: map[string]string{c.key: c.to}, Why: "tried", Seen: p.Seen}
		wasLines, wasDates := lines(), dates()
		e, err := h.Try(ctx, h.maud, c.kind, c.ref, n)
		require.NoError(t, err)
		after, err := h.Correctable(ctx, h.maud, c.kind, c.ref)
		require.NoError(t, err)
		assert.Equal(t, p.Fields, after.Fields, "looking keeps nothing")
		assert.Equal(t, wasDates, dates())
		for code, l := range lines() {
			assert.Equal(t, wasLines[code].Need.Grafts, l.Need.Grafts, "%s after a trial of %s", code, c.ref)
		}
		require.NoError(t, h.Correct(ctx, h.maud, c.kind, c.ref, n))
		said := map[string]nursery.OrderEffect{}
		for _, o := range e.Orders {
			said[o.Order.Code] = o
		}
		isLines := lines()
		for code, l := range isLines {
			was, is := wasLines[code].ToGo, l.ToGo
			if o, ok := said[code]; ok {
				was, is = o.Was.ToGo, o.Is.ToGo
				ordersMoved++
			}
			assert.Equal(t, wasLines[code].ToGo, was, "%s by %s", code, c.ref)
			assert.Equal(t, l.ToGo, is, "%s by %s", code, c.ref)
		}
		moved := false
		for k, d := range dates() {
			moved = moved || wasDates[k] != d
		}
		assert.Equal(t, moved, len(e.Dates) > 0, "%s moves dates", c.ref)
		if moved {
			datesMoved++
		}
	}
	assert.Greater(t, ordersMoved, 3)
	assert.GreaterOrEqual(t, datesMoved, 1)
	was := dates()
	e, err := h.TryWay(ctx, h.maud, "tie off", "all in late winter")
	require.NoError(t, err)
	assert.Equal(t, was, dates())
	require.NoError(t, h.ChooseWay(ctx, h.maud, "tie off", "all in late winter"))
	assert.Equal(t, len(e.Dates) > 0, !assert.ObjectsAreEqual(was, dates()))
	_, err = h.Try(ctx, h.eye, "tie", "pvc", correct.Correction{})
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
}

// TestAHousesOwnIsMadeAsAnother: it is known by those who know the other, joins, is drawn and
// dated as it, with figures of its own; what was used stays.
func TestAHousesOwnIsMadeAsAnother(t *testing.T) {
	h := demoHouse(t)
	key, err := h.AddOwn(ctx, h.maud, "technique", "whip-and-tongue", "Long  tongue")
	require.NoError(t, err)
	assert.Equal(t, own.Key("whip-and-tongue", 1), key)
	_, err = h.AddOwn(ctx, h.maud, "technique", "whip-and-tongue", "long tongue")
	isProblem(t, err, "Give yours another name")
	_, err = h.AddOwn(ctx, h.maud, "technique", "no such", "x")
	isProblem(t, err, "from the list")
	_, err = h.AddOwn(ctx, h.maud, "tie", "film", " ")
	isProblem(t, err, "up to 60")
	_, err = h.AddOwn(ctx, h.eye, "tie", "film", "x")
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
	f, err := h.Facts(ctx)
	require.NoError(t, err)
	assert.Positive(t, f.Knowers()[key])
	assert.Equal(t, f.Knowers()["whip-and-tongue"], f.Knowers()[key])
	require.NoError(t, right(t, h.Set, h, "technique", key, "prior_take", "97", "name", "Long tongue of ours"))
	u, err := h.Union(ctx, key, union.Stems{Stock: 9, Scion: 8}, "")
	require.NoError(t, err)
	assert.Positive(t, u.Joint.Length)
	assert.Equal(t, "Long tongue of ours", u.Names[key])

	tie, err := h.AddOwn(ctx, h.maud, "tie", "pvc", "strips from bags")
	require.NoError(t, err)
	require.NoError(t, right(t, h.Set, h, "material", "tie:"+tie, "amount", "0.7", "cents", "1.10"))
	f, err = h.Facts(ctx)
	require.NoError(t, err)
	assert.InDelta(t, 0.7, f.Materials["tie:"+tie].Amount, 1e-9)
	assert.Equal(t, 110, f.Materials["tie:"+tie].Cents)

	// What follows a batch bound with it is dated as with the tie it is made as.
	grow := func() string {
		f, err := h.Facts(ctx, snapshot.Growing)
		require.NoError(t, err)
		out := ""
		for _, g := range outlook.NursingOf(f).All() {
			for _, k := range g.Plan.Knots {
				out += g.Code + " " + k.Name.String() + k.Best.Date().Format(" 2006-01-02\n")
			}
		}
		return out
	}
	_, err = h.db.Exec(`update batch set tie = 'pvc'`)
	require.NoError(t, err)
	was := grow()
	_, err = h.db.Exec(`update batch set tie = $1`, tie)
	require.NoError(t, err)
	assert.Equal(t, was, grow())
	isProblem(t, h.TakeOff(ctx, h.maud, "tie", tie), "it stays in the records")
	require.NoError(t, h.TakeOff(ctx, h.maud, "technique", key))
	assert.ErrorIs(t, h.TakeOff(ctx, h.maud, "technique", "splice"), nursery.ErrNotFound, "what was shipped stays")

	_, err = h.AddOwn(ctx, h.maud, "cause", "", "mice under snow")
	require.NoError(t, err)
	f, err = h.Facts(ctx)
	require.NoError(t, err)
	assert.Contains(t, f.Causes, "mice under snow")
	require.NoError(t, h.Offer(ctx, h.maud, "cause", "animals", false))
	require.NoError(t, h.Offer(ctx, h.maud, "tie", "raffia", false))
	f, err = h.Facts(ctx)
	require.NoError(t, err)
	assert.NotContains(t, f.Causes, "animals")
	for _, x := range f.OfferedTies() {
		assert.NotEqual(t, "raffia", x.Key)
	}
	assert.Len(t, f.OfferedTies("raffia"), len(f.OfferedTies())+1, "what bears it keeps it")
	require.NoError(t, h.TakeOff(ctx, h.maud, "cause", "mice under snow"))
	assert.ErrorIs(t, h.TakeOff(ctx, h.maud, "cause", "animals"), nursery.ErrNotFound)
	require.NoError(t, h.Offer(ctx, h.maud, "cause", "animals", true))
	for _, x := range f.OfferedTies() {
		err = h.Offer(ctx, h.maud, "tie", x.Key, false)
	}
	isProblem(t, err, "One must be left")
}
