package take_test

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/take"
)

func TestLimitsMatchTheReference(t *testing.T) {
	var ref []struct {
		Groups []struct{ Grafts, Took int }
		Answer struct {
			Mean, Phi, Tau float64
			Groups         []struct {
				Z    float64
				Flag int
			}
		}
	}
	raw, err := os.ReadFile("testdata/funnel.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(raw, &ref))
	require.NotEmpty(t, ref)
	for i, c := range ref {
		t.Run(fmt.Sprint(i+1), func(t *testing.T) {
			var gs []take.Group
			for _, g := range c.Groups {
				gs = append(gs, take.Group(g))
			}
			l := take.LimitsOf(gs)
			assert.InDelta(t, c.Answer.Mean, l.Mean, 0.001)
			assert.InDelta(t, c.Answer.Phi, l.Phi, 0.001*math.Max(1, c.Answer.Phi))
			assert.InDelta(t, c.Answer.Tau, l.Tau, 0.001)
			for j, g := range c.Answer.Groups {
				assert.InDelta(t, g.Z, l.Groups[j].Z, 0.005, "group %d", j+1)
				assert.Equal(t, g.Flag, l.Groups[j].Flag, "group %d", j+1)
			}
		})
	}
}

// page draws the groups of a page of results: usual spread, nothing wrong.
func page(r *rand.Rand, spread float64) []take.Group {
	out := make([]take.Group, 8+r.IntN(22))
	for i := range out {
		n := 30 + r.IntN(500)
		p := 1 / (1 + math.Exp(-(1.8 + spread*r.NormFloat64())))
		out[i].Grafts = n
		for range n {
			if r.Float64() < p {
				out[i].Took++
			}
		}
	}
	return out
}

func TestWithNothingToFindFewPagesFlag(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 5))
	for _, spread := range []float64{0.3, 0.5, 0.7} {
		pages, runs := 0, 600
		for range runs {
			for _, g := range take.LimitsOf(page(r, spread)).Groups {
				if g.Flag != 0 {
					pages++
					break
				}
			}
		}
		share := float64(pages) / float64(runs)
		t.Logf("spread %.1f: %.1f pages in 100 flag", spread, share*100)
		assert.InDelta(t, 0.06, share, 0.04, "spread %g", spread)
	}
}

func TestAWeakLotIsFound(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 5))
	found, runs := 0, 200
	for range runs {
		gs := page(r, 0.3)
		const p = 0.5
		gs[0] = take.Group{Grafts: 300}
		for range 300 {
			if r.Float64() < p {
				gs[0].Took++
			}
		}
		if take.LimitsOf(gs).Groups[0].Flag == -1 {
			found++
		}
	}
	assert.Greater(t, float64(found)/float64(runs), 0.85)
}

func TestDrawnLimitsNarrowAndStayWithinReason(t *testing.T) {
	l := take.LimitsOf(page(rand.New(rand.NewPCG(1, 1)), 0.4))
	wide := l.Of(10)
	for n := 20; n < 5000; n *= 2 {
		b := l.Of(n)
		assert.Less(t, b.High95-b.Low95, wide.High95-wide.Low95)
		assert.True(
			t,
			0 < b.Low998 && b.Low998 < b.Low95 && b.Low95 < l.Mean && l.Mean < b.High95 && b.High95 < b.High998 && b.High998 < 1,
			"%+v",
			b,
		)
		wide = b
	}
	for _, gs := range [][]take.Group{nil, {{30, 30}}, {{30, 0}, {20, 0}}, {{30, 30}, {20, 20}}} {
		b := take.LimitsOf(gs).Of(30)
		assert.True(t, b.Low95 >= 0 && b.High95 <= 1 && b.Low95 <= b.High95, "%+v", b)
	}
}

func TestCausesAreSetBesideTheOthers(t *testing.T) {
	grafts := map[string]int{"a": 100, "b": 100, "c": 5}
	losses := []take.Loss{
		{"a", "dried out", 30},
		{"a", "mix-up", 2},
		{"b", "dried out", 4},
		{"b", "mix-up", 2},
		{"b", "mix-up", 1},
		{"c", "none there", 9},
	}
	for i := range 12 { // others, among whom little dries out
		g := fmt.Sprint("d", i)
		grafts[g] = 100
		losses = append(losses, take.Loss{Group: g, Cause: "dried out", N: 3 + i%3}, take.Loss{Group: g, Cause: "mix-up", N: 2})
	}
	got := take.CausesByGroup(losses, grafts)
	require.Len(t, got["a"], 2)
	dry := got["a"][0]
	assert.Equal(t, "dried out", dry.Cause)
	assert.InDelta(t, 0.30, dry.Share.Mean, 1e-9)
	assert.InDelta(t, (4+48)/1305.0, dry.Rest, 1e-9)
	assert.True(t, dry.More)
	assert.False(t, got["a"][1].More)
	assert.Equal(t, 3, got["b"][1].N)
	assert.Empty(t, got["c"], "more dead than looked at is no share")
}

// TestCausesWithNothingToFind draws pages on which every group loses alike, up
// to the spread there is between groups.
func TestCausesWithNothingToFind(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	pages, runs := 0, 300
	for range runs {
		grafts := map[string]int{}
		var losses []take.Loss
		for g := range 20 {
			name := fmt.Sprint(g)
			grafts[name] = 100 + r.IntN(300)
			for _, cause := range []string{"dried out", "cambium missed", "knocked or broken"} {
				p := 1 / (1 + math.Exp(-(-3 + 0.4*r.NormFloat64())))
				l := take.Loss{Group: name, Cause: cause}
				for range grafts[name] {
					if r.Float64() < p {
						l.N++
					}
				}
				losses = append(losses, l)
			}
		}
		flags := 0
		for _, cs := range take.CausesByGroup(losses, grafts) {
			for _, c := range cs {
				if c.More {
					flags++
				}
			}
		}
		if flags > 0 {
			pages++
		}
	}
	assert.Less(t, float64(pages)/float64(runs), 0.12)
}

func ExampleLimitsOf() {
	l := take.LimitsOf([]take.Group{{300, 270}, {280, 240}, {310, 268}, {300, 180}, {400, 352}, {260, 226}, {290, 258}, {240, 205},
		{310, 276}, {350, 303}, {180, 158}, {220, 187}})
	for _, n := range []int{20, 100, 1000} {
		b := l.Of(n)
		fmt.Printf("%d grafts: %.2f to %.2f\n", n, b.Low95, b.High95)
	}
	fmt.Println("the fourth:", l.Groups[3].Flag)
	// Output:
	// 20 grafts: 0.63 to 0.95
	// 100 grafts: 0.75 to 0.92
	// 1000 grafts: 0.80 to 0.89
	// the fourth: -1
}
