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

func TestCraftWritesTheReferencesAnswers(t *testing.T) {
	raw, err := os.ReadFile("../core/testdata/craft.json")
	require.NoError(t, err)
	var want, got calc.CraftQuestions
	require.NoError(t, json.Unmarshal(raw, &want))
	var out bytes.Buffer
	require.NoError(t, calc.Craft(bytes.NewReader(raw), &out))
	require.NoError(t, json.Unmarshal(out.Bytes(), &got))
	assert.Equal(t, want.Sizing, got.Sizing)
	require.Len(t, got.Yield, len(want.Yield))
	for i := range want.Yield {
		assert.InDeltaSlice(t, want.Yield[i].PieceMM, got.Yield[i].PieceMM, 0.001)
		assert.Equal(t, want.Yield[i].Pieces, got.Yield[i].Pieces)
	}
	for i := range want.Whip {
		assert.InDelta(t, want.Whip[i].Contact, got.Whip[i].Contact, 0.03+0.005*want.Whip[i].Contact)
	}
	for i := range want.Chip {
		assert.Equal(t, want.Chip[i].StockDepth == nil, got.Chip[i].StockDepth == nil)
	}
}

func TestTakeWritesTheReferencesKeys(t *testing.T) {
	raw, err := os.ReadFile("../core/take/testdata/confounded.csv")
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, calc.Take(bytes.NewReader(raw), &out))
	var got map[string]json.RawMessage
	require.NoError(t, json.Unmarshal(out.Bytes(), &got))
	for _, k := range []string{"deviance_laplace", "fixed", "fixed_se", "sd", "worker", "lot", "bundle", "cannot_tell"} {
		assert.Contains(t, got, k)
	}
	assert.JSONEq(t, `[["worker","lot"]]`, string(got["cannot_tell"]))
}

func TestBadInputSaysWhatAndWhere(t *testing.T) {
	head := "tag,worker,technique,lot,bundle,mismatch,store_days,grafts,took\n"
	for in, want := range map[string]string{
		"":                            "no line of column names",
		"tag,worker\n":                `line 1: no column "technique"`,
		head + "t,w,s,l,b,x,1,5,4\n":  "line 2, column mismatch",
		head + "t,w,s,l,b,0,1,5,6\n":  "line 2, column took: 6 took of 5",
		head + "t,w,s,l,b,0,1,-5,6\n": "line 2, column grafts",
		head + "t,w,s\n":              "wrong number of fields",
		head:                          "no grafts to learn from",
	} {
		err := calc.Take(strings.NewReader(in), &bytes.Buffer{})
		require.ErrorIs(t, err, calc.ErrInput, in)
		assert.Contains(t, err.Error(), want)
		assert.NotContains(t, err.Error(), "\n", "one line")
	}
	for in, want := range map[string]string{"{": "not the JSON", `{"whip":[{"stock_mm":8,"scion_mm":0}]}`: "whip 1",
		`{"sizing":[{"trees_wanted":5,"chance":2,"alpha":1,"beta":1}]}`: "sizing 1", `{"interval":[{"took":5,"of":4}]}`: "interval 1"} {
		err := calc.Craft(strings.NewReader(in), &bytes.Buffer{})
		require.ErrorIs(t, err, calc.ErrInput, in)
		assert.Contains(t, err.Error(), want)
	}
}

func FuzzCraft(f *testing.F) {
	f.Add(
		`{"whip":[{"stock_mm":8,"scion_mm":7,"cut_angle_deg":20,"tolerance_mm":0.5}],
		"yield":[{"length_mm":300,"base_mm":9,"tip_mm":6,"internode_mm":20,"zone":[0,1],"buds_per_piece":2}]}`,
	)
	f.Fuzz(func(t *testing.T, in string) {
		if len(in) > 4000 {
			return
		}
		err := calc.Craft(strings.NewReader(in), &bytes.Buffer{})
		if err != nil {
			require.ErrorIs(t, err, calc.ErrInput)
		}
	})
}

func FuzzTake(f *testing.F) {
	f.Add("tag,worker,technique,lot,bundle,mismatch,store_days,grafts,took\nt1,a,s,l,b,0.1,20,20,15\nt2,c,s,l,d,0.2,30,22,12\n")
	f.Fuzz(func(t *testing.T, in string) {
		if len(in) > 2000 {
			return
		}
		err := calc.Take(strings.NewReader(in), &bytes.Buffer{})
		if err != nil {
			require.ErrorIs(t, err, calc.ErrInput)
		}
	})
}
