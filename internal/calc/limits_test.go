package calc_test

import (
	"bytes"
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/calc"
)

func TestLimitsAnswersEveryCaseInOrder(t *testing.T) {
	raw, err := os.ReadFile("../core/take/testdata/funnel.json")
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, calc.Limits(bytes.NewReader(raw), &out))
	var want []struct {
		Answer struct{ Mean, Phi, Tau float64 }
		Groups []struct{ Grafts int }
	}
	var got []struct {
		Mean, Phi, Tau float64
		Groups         []struct{ Z, Flag *float64 }
	}
	require.NoError(t, json.Unmarshal(raw, &want))
	require.NoError(t, json.Unmarshal(out.Bytes(), &got))
	require.Len(t, got, len(want))
	for i := range want {
		assert.InDelta(t, want[i].Answer.Mean, got[i].Mean, 0.001)
		assert.InDelta(t, want[i].Answer.Phi, got[i].Phi, 0.001)
		assert.InDelta(t, want[i].Answer.Tau, got[i].Tau, 0.001)
		assert.Len(t, got[i].Groups, len(want[i].Groups))
	}
	out.Reset()
	require.NoError(t, calc.Limits(strings.NewReader("[]"), &out))
	assert.JSONEq(t, "[]", out.String())
}

func TestLimitsRefusesWhatIsNoGroup(t *testing.T) {
	for in, says := range map[string]string{
		"":              "not the JSON",
		"null":          "no array",
		`{"groups":[]}`: "not the JSON",
		`[{}]`:          "case 1, groups",
		`[{"groups":[{"grafts":3,"took":1}]},{"groups":[{"grafts":0,"took":0}]}]`: "case 2, group 1, grafts",
		`[{"groups":[{"grafts":3}]}]`:               "case 1, group 1, took",
		`[{"groups":[{"grafts":3,"took":4}]}]`:      "took",
		`[{"groups":[{"grafts":2.5,"took":1}]}]`:    "grafts",
		`[{"groups":[{"grafts":"3","took":1}]}]`:    "not the JSON",
		`[{"groups":[{"grafts":3,"took":1}]}] more`: "behind it",
	} {
		t.Run(in, func(t *testing.T) {
			var out bytes.Buffer
			err := calc.Limits(strings.NewReader(in), &out)
			require.ErrorIs(t, err, calc.ErrInput)
			assert.ErrorContains(t, err, says)
			assert.Empty(t, out.String())
		})
	}
}

func FuzzLimits(f *testing.F) {
	f.Add(`[{"groups":[{"grafts":30,"took":21},{"grafts":3,"took":0}]}]`)
	f.Fuzz(func(t *testing.T, in string) {
		var out bytes.Buffer
		if err := calc.Limits(strings.NewReader(in), &out); err != nil {
			require.ErrorIs(t, err, calc.ErrInput)
			return
		}
		var any []map[string]any
		require.NoError(t, json.Unmarshal(out.Bytes(), &any))
	})
}

func TestTakeWritesStandardisedTakes(t *testing.T) {
	raw, err := os.ReadFile("../core/take/testdata/small.csv")
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, calc.Take(bytes.NewReader(raw), &out))
	var got struct{ Standard map[string]any }
	require.NoError(t, json.Unmarshal(out.Bytes(), &got))
	wantRaw, err := os.ReadFile("../core/take/testdata/small.standard.json")
	require.NoError(t, err)
	var want map[string]any
	require.NoError(t, json.Unmarshal(wantRaw, &want))
	require.Len(t, got.Standard, len(want))
	for k, w := range want {
		if x, ok := w.(float64); ok {
			assert.InDelta(t, x, got.Standard[k], 0.001, k)
			continue
		}
		for level, x := range w.(map[string]any) {
			assert.InDelta(t, x, got.Standard[k].(map[string]any)[level], 0.004, level)
		}
	}
}
