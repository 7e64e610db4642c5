package rows_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/rows"
)

func day(n int) time.Time { return time.Date(2027, time.August, 1+n, 0, 0, 0, 0, time.UTC) }

func TestTheSideIsByWhereTheRowIsWalked(t *testing.T) {
	for _, c := range []struct {
		walked, to int
		side       rows.Side
	}{
		{0, 0, rows.Ahead}, {180, 0, rows.Behind}, {90, 0, rows.Left}, {270, 0, rows.Right},
		{90, 180, rows.Right}, {30, 0, rows.Ahead}, {300, 0, rows.Right}, {100, 240, rows.Behind}, {20, 350, rows.Ahead},
	} {
		t.Run(fmt.Sprintf("%d to %d", c.walked, c.to), func(t *testing.T) { assert.Equal(t, c.side, rows.SideOf(c.walked, c.to)) })
	}
	assert.Equal(t, 180, rows.AwayFromSun(true))
}

// In the order of their last days, the latest is late by no more than in any other order.
func TestNoOrderIsLessLate(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 12))
	for range 200 {
		n := 2 + r.IntN(4)
		var ws []rows.Work
		for i := range n {
			ws = append(ws, rows.Work{Row: fmt.Sprint(i), Number: i, Stems: 50 + r.IntN(900), Rate: 60, Closes: day(r.IntN(9))})
		}
		lateness := func(order []rows.Work) float64 {
			done, worst := 0.0, math.Inf(-1)
			for _, w := range order {
				done += float64(w.Stems) / 60 / 6
				worst = math.Max(worst, done-w.Closes.Sub(day(0)).Hours()/24)
			}
			return worst
		}
		var got []rows.Work
		for _, x := range rows.Order(ws, day(0), rows.Crew{Hours: 6}, rows.Asks{}) {
			got = append(got, x.Work)
		}
		best := math.Inf(1)
		permute(ws, 0, func(o []rows.Work) { best = math.Min(best, lateness(o)) })
		assert.InDelta(t, best, lateness(got), 1e-9)
	}
}

func permute(ws []rows.Work, k int, see func([]rows.Work)) {
	if k == len(ws) {
		see(ws)
		return
	}
	for i := k; i < len(ws); i++ {
		ws[k], ws[i] = ws[i], ws[k]
		permute(ws, k+1, see)
		ws[k], ws[i] = ws[i], ws[k]
	}
}

func TestSoilAndSeasonDecideWhichRowIsNext(t *testing.T) {
	ws := []rows.Work{
		{Row: "past", Stems: 100, Rate: 60, Closes: day(-1)},
		{Row: "to come", Stems: 100, Rate: 60, Opens: day(9), Closes: day(30)},
		{Row: "dry", Stems: 100, Rate: 60, Closes: day(3), Soil: rows.Dry},
		{Row: "far", Field: "hill", Number: 3, Stems: 60, Rate: 60, Closes: day(20)},
		{Row: "near", Field: "hill", Number: 8, Stems: 60, Rate: 60, Closes: day(20), BestFrom: day(-2), Best: day(4)},
		{Row: "pressing", Field: "hill", Number: 1, Stems: 1800, Rate: 60, Closes: day(2)},
	}
	got := rows.Order(ws, day(0), rows.Crew{Hours: 6, Field: "hill", At: 9}, rows.Asks{Slip: true})
	var names []string
	why := map[string]rows.Reason{}
	for _, x := range got {
		names = append(names, x.Row)
		why[x.Row] = x.Why
	}
	assert.Equal(t, []string{"pressing", "near", "far", "dry", "to come", "past"}, names)
	assert.Equal(t, map[string]rows.Reason{"past": rows.Over, "to come": rows.NotOpen, "dry": rows.TooDry, "far": rows.Open,
		"near":     rows.Best,
		"pressing": rows.Closing}, why)
	assert.Equal(t, 720, got[0].LateStems, "five crew days, of which three are there")
	assert.Equal(t, day(9), got[4].From, "not before its season")
	// Lifting does not go in mud; budding does.
	ws[2].Soil = rows.Sodden
	assert.Equal(t, "dry", rows.Order(ws, day(0), rows.Crew{Hours: 6}, rows.Asks{Slip: true})[1].Row)
	for _, x := range rows.Order(ws, day(0), rows.Crew{Hours: 6}, rows.Asks{Lift: true}) {
		if x.Row == "dry" {
			assert.Equal(t, rows.TooWet, x.Why)
		}
	}
}

func TestAWrapperBehindTwoBudders(t *testing.T) {
	assert.InDelta(t, 80, rows.Team{Budders: 1}.Pace(80, 2.0/3, 1), 1e-9)
	assert.InDelta(t, 240, rows.Team{Budders: 2, Wrappers: 1}.Pace(80, 2.0/3, 1), 1e-9, "three at work, none of them waits")
	assert.InDelta(t, 120, rows.Team{Budders: 1, Wrappers: 1}.Pace(80, 2.0/3, 1), 1e-9, "the wrapper waits")
	assert.InDelta(t, 60, rows.Team{Budders: 1, Wrappers: 1}.Pace(80, 2.0/3, 2), 1e-9, "two buds a stem")
	assert.Zero(t, rows.Team{Wrappers: 1}.Pace(80, 2.0/3, 1), "nobody cuts")
}

func TestTagsLieAlongTheRowBesideItsGaps(t *testing.T) {
	s := rows.Stretch{First: 11, Last: 30}
	gaps := []int{3, 12, 13, 20}
	assert.Equal(t, 17, rows.Plants(s, gaps))
	got := rows.Lay(s, gaps, []rows.Run{{Stems: 5}, {Stems: 4}, {Stems: 3, At: 25}, {Stems: 40}, {Stems: 2}})
	assert.Equal(t, []rows.Stretch{{11, 17}, {18, 22}, {25, 27}, {28, 30}, {0, 0}}, got)
}
