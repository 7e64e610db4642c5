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

func TestKnotsMatchTheReference(t *testing.T) {
	raw, err := os.ReadFile("../core/aftercare/testdata/knots.json")
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, calc.Knots(bytes.NewReader(raw), &out))
	var cases []struct{ Answer json.RawMessage }
	require.NoError(t, json.Unmarshal(raw, &cases))
	var got []json.RawMessage
	require.NoError(t, json.Unmarshal(out.Bytes(), &got))
	require.Len(t, got, len(cases))
	require.NotEmpty(t, cases)
	for i := range cases {
		assert.JSONEq(t, string(cases[i].Answer), string(got[i]), "case %d", i+1)
	}
}

func TestBadKnotsAreRefusedWithTheirPlace(t *testing.T) {
	good := `{"technique":"splice","wood":"resting","healing":"cold callus","tie":"film","buds":2,"finished":"2027-02-20","group":"pome"}`
	with := func(more string) string { return "[" + good + ", " + strings.TrimSuffix(good, "}") + "," + more + "}]" }
	require.NoError(t, calc.Knots(strings.NewReader("["+good+"]"), &bytes.Buffer{}))
	require.NoError(
		t,
		calc.Knots(strings.NewReader(with(`"cover":null,"calendar":null,"readings":null,"ways":null,"done":null`)), &bytes.Buffer{}),
	)
	for name, c := range map[string]struct{ in, says string }{
		"not JSON":              {`[`, "not the JSON"},
		"null":                  {`null`, "null is no array"},
		"null case":             {`[null]`, "case 1"},
		"a wood that is none":   {with(`"wood":"dry"`), "case 2, wood"},
		"a missing key":         {`[{}]`, "case 1"},
		"a tie that is none":    {with(`"tie":"string"`), "case 2, tie"},
		"buds and a half":       {with(`"buds":1.5`), "case 2, buds"},
		"a date that is none":   {with(`"finished":"2027-02-30"`), "case 2, finished"},
		"dates that fall":       {with(`"calendar":{"bud swell":["2027-03-01","2026-03-01"]}`), "case 2, calendar, bud swell"},
		"a reading alone":       {with(`"readings":[["2027-02-20T00:00:00Z"]]`), "case 2, readings, 1"},
		"a reading of no time":  {with(`"readings":[["today",4]]`), "case 2, readings, 1"},
		"a way nobody asks":     {with(`"ways":{"tongue":"from half-way"}`), "case 2, ways"},
		"a way not to be had":   {with(`"ways":{"tie off":"never"}`), "case 2, ways, tie off"},
		"a step that is none":   {with(`"done":[{"knot":"dance","on":"2027-03-01"}]`), "case 2, done, 1, knot"},
		"a step without a day":  {with(`"done":[{"knot":"pot"}]`), "case 2, done, 1, on"},
		"a step minus one":      {with(`"done":[{"knot":"suckers","on":"2027-03-01","n":-1}]`), "case 2, done, 1, n"},
		"a cover that is a tie": {with(`"cover":"film"`), "case 2"},
	} {
		t.Run(name, func(t *testing.T) {
			var out bytes.Buffer
			err := calc.Knots(strings.NewReader(c.in), &out)
			require.ErrorIs(t, err, calc.ErrInput)
			assert.Contains(t, err.Error(), c.says)
			assert.NotContains(t, err.Error(), "\n")
			assert.Empty(t, out.String())
		})
	}
}
