package calc_test

import (
	"bytes"
	"encoding/json"
	"math"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/calc"
)

type rehearsed struct {
	Orders map[string]struct{ Met, Mean, Low, High, Short, Late float64 }
	AllMet float64 `json:"all_met"`
}

func rehearse(t *testing.T, q map[string]any) (a rehearsed) {
	t.Helper()
	in, err := json.Marshal(q)
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, calc.Rehearse(bytes.NewReader(in), &out))
	require.NoError(t, json.Unmarshal(out.Bytes(), &a))
	return a
}

// TestRehearsalIsTheReferences holds each reference instance to its tolerances. Low and high
// may stand at a gap, so they are held within one tree where the reference's own share there is
// near.
func TestRehearsalIsTheReferences(t *testing.T) {
	text, err := os.ReadFile("../core/rehearsal/testdata/rehearse.json")
	require.NoError(t, err)
	var cases []map[string]any
	require.NoError(t, json.Unmarshal(text, &cases))
	require.Len(t, cases, 8)
	for _, c := range cases {
		var want rehearsed
		b, err := json.Marshal(c["answer"])
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(b, &want))
		delete(c, "answer")
		c["seasons"] = 100_000
		got := rehearse(t, c)
		assert.InDelta(t, want.AllMet, got.AllMet, 0.014)
		require.Len(t, got.Orders, len(want.Orders))
		for id, w := range want.Orders {
			g := got.Orders[id]
			assert.InDelta(t, w.Met, g.Met, 0.014, id)
			assert.InDelta(t, w.Mean, g.Mean, math.Max(0.4, 0.015*w.Mean), id)
			assert.InDelta(t, w.Short, g.Short, math.Max(0.5, 0.04*w.Short), id)
			assert.InDelta(t, w.Late, g.Late, math.Max(0.5, 0.04*w.Late), id)
			assert.InDelta(t, w.Low, g.Low, 2, id)
			assert.InDelta(t, w.High, g.High, 2, id)
		}
	}
}

func TestABadSeasonIsRefused(t *testing.T) {
	good := `{"orders":[{"id":"a","trees":5}],"factors":{"worker":{"w":{"mean":0,"sd":0}},"lot":{"l":{"mean":0,"sd":0}},
		"bundle":{"b":{"mean":0,"sd":0}}},"days":{"w":["2027-02-01"]},"windows":{"x":{"mean":"2027-03-01","sd":1}},
		"jobs":[{"order":"a","grafts":9,"eta":1,"eta_sd":0,"worker":"w","lot":"l","bundle":"b","day":0,"window":"x"}],"seasons":100}`
	var out bytes.Buffer
	require.NoError(t, calc.Rehearse(strings.NewReader(good), &out))
	assert.Contains(t, out.String(), `"all_met"`)
	for from, to := range map[string]string{
		`"trees":5`: `"trees":-1`, `"grafts":9`: `"grafts":1.5`, `"worker":"w","lot"`: `"worker":"v","lot"`, `"lot":"l"`: `"lot":"m"`,
		`"window":"x"`: `"window":"y"`, `"order":"a"`: `"order":"b"`, `"sd":1`: `"sd":-1`, `"2027-03-01"`: `"soon"`,
		`["2027-02-01"]`: `["2027-02-01","2027-02-01"]`,
		`"day":0`:        `"day":-1`, `"seasons":100`: `"seasons":0`, `"eta":1,`: ``, `"seasons":100}`: `"seasons":100,"absent":2}`,
		`"id":"a"`: `"id":""`, `"windows":{`: `"later":[{"name":"x","a":0,"b":1}],"windows":{`, `"orders"`: `"order"`,
		`"factors":{"worker"`: `"factors":{"workers"`,
	} {
		bad := strings.Replace(good, from, to, 1)
		require.NotEqual(t, good, bad, from)
		assert.ErrorIs(t, calc.Rehearse(strings.NewReader(bad), &out), calc.ErrInput, "%s", to)
	}
	for _, bad := range []string{"", "null", "[]", "{}", `{"orders":[]}`} {
		assert.ErrorIs(t, calc.Rehearse(strings.NewReader(bad), &out), calc.ErrInput, bad)
	}
}
