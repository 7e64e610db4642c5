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

func TestPairWritesAWeaveThatHoldsTogether(t *testing.T) {
	raw, err := os.ReadFile("../core/pairing/testdata/several-stocks.json")
	require.NoError(t, err)
	var q calc.PairQuestion
	require.NoError(t, json.Unmarshal(raw, &q))
	var out bytes.Buffer
	require.NoError(t, calc.Pair(bytes.NewReader(raw), &out))
	var a calc.PairAnswer
	require.NoError(t, json.Unmarshal(out.Bytes(), &a))

	left := map[string]int{}
	for _, s := range q.Stock {
		for _, c := range s.Classes {
			left[key(s.Lot, c.MM)] = c.N
		}
	}
	for _, b := range q.Wood {
		for _, c := range b.Classes {
			left[key(b.Bundle, c.MM)] = c.N
		}
	}
	got := map[string]int{}
	for _, p := range a.Pairs {
		left[key(p.Lot, p.StockMM)] -= p.N
		left[key(p.Bundle, p.ScionMM)] -= p.N
		got[p.Order] += p.N
	}
	for k, n := range left {
		assert.GreaterOrEqual(t, n, 0, k)
	}
	for _, o := range q.Orders {
		assert.Equal(t, o.Grafts, got[o.ID]+a.Short[o.ID], o.ID)
	}
	assert.InEpsilon(t, 1151.0417, a.Cost, 0.001)
}

func key(pile string, mm float64) string { b, _ := json.Marshal([]any{pile, mm}); return string(b) }

func TestPairSaysWhatIsWrongAndWhere(t *testing.T) {
	for in, want := range map[string]string{
		"[": "not the JSON",
		`{"orders":[{"id":"a","grafts":2,"priority":1}]}`: "order 1: no shortage_cost for " +
			"priority",
		`{"shortage_cost":{"1":2},"orders":[{"id":"a","grafts":-2,"priority":1}]}`:                        "order a: -2 grafts wanted",
		`{"stock":[{"lot":"l","classes":[{"mm":-7,"n":1}]}]}`:                                             "stock 1: class 1",
		`{"wood":[{"bundle":"l","risk":-1}]}`:                                                             "wood 1: risk -1",
		`{"techniques":[{"loss":-1}]}`:                                                                    "technique 1: loss -1",
		`{"shortage_cost":{"1":2},"orders":[{"id":"a","priority":1},{"id":"a","priority":1,"grafts":1}]}`: "order a stands twice",
	} {
		err := calc.Pair(strings.NewReader(in), &bytes.Buffer{})
		require.ErrorIs(t, err, calc.ErrInput, in)
		assert.Contains(t, err.Error(), want)
		assert.NotContains(t, err.Error(), "\n", "one line")
	}
}

func FuzzPair(f *testing.F) {
	f.Add(
		`{"techniques":[{"name":"w","stock_min":5,"stock_max":15,"ratio_min":0.8,"ratio_max":1.02,"loss":0.1,"slope":0.6}],
		"shortage_cost":{"1":9,"2":3},
"orders":[{"id":"a","variety":"V","stock":"T","grafts":5,"priority":1},{"id":"b","variety":"V","stock":"U","grafts":5,"priority":2}],
"stock":[{"lot":"l","type":"T","classes":[{"mm":8.25,"n":4}]},{"lot":"k","type":"U","classes":[{"mm":8.25,"n":4}]}],
		"wood":[{"bundle":"x","variety":"V","risk":0.1,"classes":[{"mm":7.75,"n":6}]}]}`,
	)
	f.Fuzz(func(t *testing.T, in string) {
		if len(in) > 3000 {
			return
		}
		var out bytes.Buffer
		if err := calc.Pair(strings.NewReader(in), &out); err != nil {
			require.ErrorIs(t, err, calc.ErrInput)
			return
		}
		var a calc.PairAnswer
		require.NoError(t, json.Unmarshal(out.Bytes(), &a))
		assert.GreaterOrEqual(t, a.Cost+1e-3*(1+a.Cost), a.Bound)
	})
}
