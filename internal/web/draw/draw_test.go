package draw_test

import (
	"encoding/xml"
	"errors"
	"html/template"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
	"unionknot/internal/core/season"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/union"
	"unionknot/internal/core/wood"
	"unionknot/internal/nursery/match"
	seasonstage "unionknot/internal/nursery/season"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/web/draw"
)

// sound says that a drawing is well-formed, titled, and holds no number that
// is none.
func sound(t *testing.T, name string, svg template.HTML) {
	t.Helper()
	s := string(svg)
	require.True(t, strings.HasPrefix(s, "<svg "), name)
	assert.NotContains(t, s, "NaN", name)
	assert.NotContains(t, s, "Inf", name)
	assert.NotContains(t, s, "style=", "%s: the content policy forbids it", name)
	d := xml.NewDecoder(strings.NewReader(s))
	for {
		_, err := d.Token()
		if errors.Is(err, io.EOF) {
			return
		}
		require.NoError(t, err, "%s: %s", name, s)
	}
}

func TestEveryDrawingIsSoundWhateverItShows(t *testing.T) {
	some := outlook.Diameters{All: []caliper.Count{{Class: 14, N: 20}, {Class: 17, N: 3}}, Free: []caliper.Count{{Class: 14, N: 7}}}
	for name, d := range map[string]outlook.Diameters{"nothing": {}, "one class": {All: []caliper.Count{{Class: 0, N: 1}}}, "some": some} {
		sound(t, name, draw.Diameters(d, "stock", `<b>"lot" & co</b>`))
	}
	sound(t, "spark", draw.Spark(some, "scion"))
	assert.Contains(t, draw.Spark(outlook.Diameters{}, "stock"), "not measured")
	sound(t, "tag", draw.TagShape("R4-KMTE"))
	sound(t, "qr", draw.QR("R4-KMTE"))
	sound(t, "key", draw.ThreadSample(2))
	i := sizing.Interval{Mean: 0.8, Low: 0.7, High: 1}
	sound(t, "whisker", draw.Whisker(i, true, nil))
	sound(t, "both", draw.Whisker(i, false, &i))
	sound(t, "no band", draw.Band(seasonstage.Band{}, "es"))
	sound(t, "no weave", draw.Weave(match.MatchPage{}))
	sound(t, "no pace", draw.Pace(nil, time.Now()))
	now := time.Now()
	sound(t, "pace", draw.Pace([]store.Pace{{From: now.Add(-25 * time.Minute), N: 7}, {From: now, N: 2}}, now))
	for _, k := range []string{"splice", "whip-and-tongue", "cleft-one-side", "off-centre-cleft", "saddle", "tool-cut", "side-veneer",
		"bark-flap", "chip-bud", "t-bud"} {
		assert.Contains(t, draw.Cut("", k, union.Stems{Stock: 9.5, Scion: 7.8}, union.Long, union.Manner{}), "stock 9.5", k)
		sound(t, k, draw.Cut("", k, union.Stems{Stock: 9.5, Scion: 7.8}, union.Long, union.Manner{}))
		sound(t, k, draw.Cut("", k, union.Stems{Stock: 24, Scion: 12}, union.Long, union.Manner{}))
	}
	assert.Empty(t, draw.Cut("", "no such", union.Stems{Stock: 9, Scion: 9}, union.Long, union.Manner{}),
		"no picture rather than another technique's")
	for _, s := range []wood.Stick{{LengthMM: 540, BaseMM: 9, TipMM: 5, InternodeMM: 22, Usable: wood.Zone{To: 0.5}, BudsPerPiece: 3},
		{LengthMM: 900, BaseMM: 6, TipMM: 6, InternodeMM: 8, Usable: wood.Zone{From: 0.1, To: 0.9}, BudsPerPiece: 1}} {
		y, err := s.Of()
		require.NoError(t, err)
		sound(t, "stick", draw.Stick(s, y))
	}
}

func TestTheBandShowsTheYearAndToday(t *testing.T) {
	year := season.Year{Anchors: []season.Anchor{{Kind: season.RestBegins, Month: 11, Day: 5}, {Kind: season.BudSwell, Month: 3, Day: 5},
		{Kind: season.SlipBegins, Month: 4, Day: 8}, {Kind: season.SlipEnds, Month: 9, Day: 5}}}
	on := time.Date(2027, 2, 23, 0, 0, 0, 0, time.UTC)
	b := seasonstage.Band{
		Today: on,
		Spans: year.Band(2027),
		Windows: []seasonstage.Window{
			{Technique: "splice", Standing: technique.Standing{Verdict: technique.Best}},
			{Technique: "T-bud", Standing: technique.Standing{Verdict: technique.Shut}},
		},
	}
	b.Now, _ = year.StockOn(on)
	svg := draw.Band(b, "")
	sound(t, "band", svg)
	assert.Equal(t, 5, strings.Count(string(svg), "<rect"), "rest, waking, running, hardening, rest")
	assert.Contains(t, svg, "Today it is resting; windows open: splice.")
}

func TestTheWeaveDrawsEachThreadOnceAndEscapesNames(t *testing.T) {
	m := match.MatchPage{
		Order:    store.Order{StockType: `<i>"Q3"`, Variety: "Dowager's & Bun"},
		WayNames: map[string]string{"whip": "whip <tongue>"},
		Stock:    []caliper.Count{{Class: 16, N: 10}, {Class: 20, N: 4}},
		Wood:     []caliper.Count{{Class: 15, N: 12}},
		Ways:     []match.WayLine{{Technique: technique.Technique{Key: "whip"}}},
		Weave: pairing.Weave{Paired: 12, Threads: []pairing.Thread{
			{
				Lot:    "A",
				Stock:  16,
				Bundle: "B",
				Scion:  15,
				Way:    "whip",
				N:      5,
			}, {Lot: "A2", Stock: 16, Bundle: "B", Scion: 15, Way: "whip", N: 3},
			{Lot: "A", Stock: 20, Bundle: "B", Scion: 15, Way: "whip", N: 4}}},
	}
	svg := draw.Weave(m)
	sound(t, "weave", svg)
	assert.Equal(t, 2, strings.Count(string(svg), `class="thread thread-a"`), "lots of one class share a thread")
	assert.Contains(t, svg, "<title>8: 8–8.5 mm stock with 7.5–8 mm wood")
	assert.NotContains(t, svg, "<i>")
}

func TestTheUnionIsDrawnForEveryTechnique(t *testing.T) {
	for _, k := range []string{"splice", "cleft-one-side", "off-centre-cleft", "saddle", "tool-cut", "side-veneer", "bark-flap",
		"chip-bud", "t-bud"} {
		s := union.Stems{Stock: 12, Scion: 9}
		j, err := union.For(k, s, union.Long)
		require.NoError(t, err)
		p := match.UnionPage{
			Kind:   k,
			Stems:  s,
			Joint:  j,
			HandSD: 0.4,
			Placed: union.Placement{Shift: j.Flush},
			Laid:   j.At(union.Placement{Shift: j.Flush}, union.Tolerance),
			Curve:  []match.ShiftPoint{{Shift: 0, MM: 0}, {Shift: 1, MM: 9}},
		}
		svg := draw.Union(p)
		sound(t, k, svg)
		assert.Contains(t, svg, `class="meets"`, k)
		sound(t, k+" by shift", draw.Shift(p))
	}
}
