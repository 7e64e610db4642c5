package nursery_test

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/nursery/correct"
	"unionknot/internal/nursery/days"
	"unionknot/internal/nursery/rehearse"
	"unionknot/internal/outlook"
)

func (h *house) rehearsal() rehearse.Rehearsed {
	h.Helper()
	x, err := h.Rehearsal(ctx)
	require.NoError(h, err)
	for range 600 { // what changed is played behind the page
		if !x.Behind {
			break
		}
		time.Sleep(50 * time.Millisecond)
		x, err = h.Rehearsal(ctx)
		require.NoError(h, err)
	}
	require.False(h, x.Behind)
	return x
}

func going(t *testing.T, x rehearse.Rehearsed, code string) rehearse.Going {
	t.Helper()
	for _, o := range x.Orders {
		if o.Order.Code == code {
			return o
		}
	}
	t.Fatalf("order %s was not played", code)
	return rehearse.Going{}
}

// TestTheHouseIsRehearsed plays the demo's season: what is told of each order agrees with what
// the house knows of it, changes reach it, and the day's chances are kept.
func TestTheHouseIsRehearsed(t *testing.T) {
	h := demoHouse(t)
	require.False(t, h.Rehearsed())
	x := h.rehearsal()
	require.True(t, h.Rehearsed())
	assert.Equal(t, h.sum(`select count(*) from orders where closed_on is null`), len(x.Orders), "every open order")
	lines, err := h.OrdersIf(ctx, &outlook.WhatIf{})
	require.NoError(t, err)
	for i, o := range x.Orders {
		if i > 0 {
			assert.GreaterOrEqual(t, o.Out.Met, x.Orders[i-1].Out.Met, "the worst first")
		}
		n := 0
		for _, k := range o.Out.Trees {
			n += k
		}
		assert.Equal(t, x.Seasons, n)
		assert.LessOrEqual(t, o.Out.Low, o.Out.High)
		for _, l := range lines {
			if l.Order.Code != o.Order.Code || l.Need.Missing != "" {
				continue
			}
			b := l.Balance
			assert.Equal(t, b.Alive+b.Doubtful+b.Rest+b.Bench+b.Healing+max(0, l.ToGo-o.Unwoven), o.Grafts+o.Missed,
				"%s: every graft made or to be made is played once", o.Order.Code)
			if o.Order.Code == "O-70" {
				assert.Less(t, o.NotMade(), 20.0, "a class makes its grafts on its day")
			}
		}
		if o.Lever != nil {
			assert.Greater(t, o.Lever.To, o.Lever.From)
			assert.GreaterOrEqual(t, o.Lever.Cents, 0)
		}
	}
	assert.Equal(t, len(x.Orders), h.sum(`select count(*) from rehearsed`), "kept, to be held against what comes")
	again := h.rehearsal()
	assert.Equal(t, x.AllMet, again.AllMet)
	assert.Equal(t, x.At, again.At, "nothing changed: it is not played again")

	// An order grows: its chance falls, and no other's is worse by it than it was.
	const code = "O-42"
	was := going(t, x, code)
	require.Greater(t, was.Out.Met, 0.8)
	th, err := h.Correctable(ctx, h.maud, "order", code)
	require.NoError(t, err)
	typed := map[string]string{}
	for _, f := range th.Fields {
		typed[f.Key] = f.Value
	}
	typed["trees"] = "160"
	require.NoError(t, h.Correct(ctx, h.maud, "order", code, correct.Correction{Values: typed, Seen: th.Seen, Why: "they called again"}))
	grown := h.rehearsal()
	assert.Less(t, going(t, grown, code).Out.Met, was.Out.Met-0.3)

	// The next day says what it was.
	h.RunFrom(h.Now().AddDate(0, 0, 1))
	next := h.rehearsal()
	o := going(t, next, code)
	require.NotNil(t, o.Was)
	assert.InDelta(t, going(t, grown, code).Out.Met, *o.Was, 1e-9)
	require.NotNil(t, next.BeforeOn)

	// The best for a sum keeps to the sum, and more money never buys less.
	last := -1.0
	for _, cents := range []int{0, 5_000, 30_000, 200_000} {
		s, err := next.Best(cents)
		require.NoError(t, err)
		assert.LessOrEqual(t, s.Cents, cents)
		assert.GreaterOrEqual(t, s.Met, s.Before-0.02)
		assert.GreaterOrEqual(t, s.Met, last-0.05)
		last = s.Met
		seen, hands := map[string]bool{}, map[string]bool{}
		for _, l := range s.Levers {
			assert.False(t, l.Kind == rehearse.Hand && hands[l.Name], "one worker does not take two orders' work")
			hands[l.Name] = true
			assert.False(t, seen[l.Order], "one for an order")
			seen[l.Order] = true
		}
	}
}

// TestASeasonWithLittleIsPlayedAllTheSame: no plan, no records, an order without wood, nobody
// with hours.
func TestASeasonWithLittleIsPlayedAllTheSame(t *testing.T) {
	h := newHouse(t)
	x := h.rehearsal()
	assert.Empty(t, x.Orders)
	assert.InDelta(t, 1, x.AllMet, 0)

	h.stocked(200, 60, 40)
	h.order("O-2", 5000)
	x = h.rehearsal()
	assert.Zero(t, x.Counted, "nothing was ever counted")
	assert.Zero(t, going(t, x, "O-2").Out.Met)
	assert.Positive(t, going(t, x, "O-2").Unwoven)
	one := going(t, x, "O-1")
	assert.Greater(t, one.Out.Met, 0.5, "woven and planned, it is likely met")
	assert.Less(t, one.Out.Met, 0.95, "defaults have wide ranges")
	assert.NotEmpty(t, x.Holds)

	_, err := h.db.Exec(`update person set hours_set = true; delete from person_hours`)
	require.NoError(t, err)
	x = h.rehearsal()
	assert.True(t, x.NoHands)
	assert.Zero(t, going(t, x, "O-1").Out.Met, "nobody makes it")
	assert.Positive(t, going(t, x, "O-1").Missed)
	assert.Equal(t, rehearse.Lacking, x.Holds[0].What)
}

// TestAnotherPlanBringsWhatItPromised gives the house too few hours, takes the levers that make
// the days anew, does what they say, and plays again: the chance is about the one promised.
func TestAnotherPlanBringsWhatItPromised(t *testing.T) {
	h := newHouse(t)
	h.stocked(1500, 400, 420)
	people, err := h.Hands(ctx)
	require.NoError(t, err)
	var week [8][3]float64
	for d := 1; d <= 5; d++ {
		week[d] = [3]float64{0, 0, 0.7}
	}
	for _, x := range people.Hands {
		w := [8][3]float64{}
		if x.Person.ID == h.ansel.ID {
			w = week
		}
		require.NoError(t, h.SetWeek(ctx, h.maud, x.Person.ID, days.Week{Hours: w, Knows: []string{"whip-and-tongue", "splice"}}))
	}
	x := h.rehearsal()
	late := going(t, x, "O-1")
	require.Greater(t, late.Out.Late, 10.0, "the hours do not do")
	lever := func(kind rehearse.Kind) rehearse.Lever {
		i := slices.IndexFunc(x.Levers, func(l rehearse.Lever) bool { return l.Kind == kind })
		require.GreaterOrEqual(t, i, 0, "%s is found", kind)
		require.True(t, x.Levers[i].Plan)
		require.Greater(t, x.Levers[i].Gain(), 0.1)
		return x.Levers[i]
	}
	hour, helper := lever(rehearse.Hour), lever(rehearse.Helper)
	assert.Positive(t, hour.Cents)

	longer := week
	for d := 1; d <= 5; d++ {
		longer[d][2] += float64(hour.N)
	}
	knows := []string{"whip-and-tongue", "splice"}
	require.NoError(t, h.SetWeek(ctx, h.maud, h.ansel.ID, days.Week{Hours: longer, Knows: knows}))
	assert.InDelta(t, hour.To, going(t, h.rehearsal(), "O-1").Out.Met, 0.06, "the hours are worked")

	require.NoError(t, h.SetWeek(ctx, h.maud, h.ansel.ID, days.Week{Hours: week, Knows: knows}))
	full := [8][3]float64{}
	for d := 1; d <= 5; d++ {
		full[d] = [3]float64{0, outlook.MorningHours, outlook.AfternoonHours}
	}
	require.NoError(t, h.SetWeek(ctx, h.maud, h.maud.ID, days.Week{Hours: full, Knows: knows}))
	last := h.Today()
	for n := 0; n < helper.N; {
		if last = last.AddDate(0, 0, 1); last.Weekday() != time.Saturday && last.Weekday() != time.Sunday {
			n++
		}
	}
	require.NoError(t, h.AddAway(ctx, h.maud, h.maud.ID, h.Today(), h.Today(), "not yet"))
	require.NoError(t, h.AddAway(ctx, h.maud, h.maud.ID, last.AddDate(0, 0, 1), last.AddDate(0, 6, 0), "gone again"))
	assert.InDelta(t, helper.To, going(t, h.rehearsal(), "O-1").Out.Met, 0.06, "one more hand is there")

	// Within a sum that allows it, another plan is in the best set, and what it adds is played.
	set, err := x.Best(hour.Cents + 60_000)
	require.NoError(t, err)
	assert.Greater(t, set.Met, set.Before+0.1)
}
