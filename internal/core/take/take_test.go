package take_test

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/take"
)

type answer struct {
	Deviance float64                               `json:"deviance_laplace"`
	Fixed    map[string]float64                    `json:"fixed"`
	FixedSE  map[string]float64                    `json:"fixed_se"`
	SD       map[string]float64                    `json:"sd"`
	Worker   map[string]struct{ Mode, SD float64 } `json:"worker"`
	Lot      map[string]struct{ Mode, SD float64 } `json:"lot"`
	Bundle   map[string]struct{ Mode, SD float64 } `json:"bundle"`
}

func set(t testing.TB, name string) (take.Data, answer) {
	t.Helper()
	f, err := os.Open("testdata/" + name + ".csv")
	require.NoError(t, err)
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	require.NoError(t, err)
	var rs []take.Record
	num := func(s string) float64 { x, err := strconv.ParseFloat(s, 64); require.NoError(t, err); return x }
	for _, r := range rows[1:] {
		rs = append(
			rs,
			take.Record{
				Worker:    r[1],
				Technique: r[2],
				Lot:       r[3],
				Bundle:    r[4],
				Mismatch:  num(r[5]),
				StoreDays: num(r[6]),
				Grafts:    int(num(r[7])),
				Took:      int(num(r[8])),
			},
		)
	}
	raw, err := os.ReadFile("testdata/" + name + ".answer.json")
	require.NoError(t, err)
	var a answer
	require.NoError(t, json.Unmarshal(raw, &a))
	return take.FromRecords(rs, "whip-and-tongue"), a
}

func TestFitsMatchTheReference(t *testing.T) {
	for _, name := range []string{"small", "season", "years", "confounded"} {
		t.Run(name, func(t *testing.T) {
			d, want := set(t, name)
			got, err := take.Solve(d)
			require.NoError(t, err)
			assert.InDelta(t, want.Deviance, got.Deviance, 0.05)
			require.Len(t, want.Fixed, len(d.Fixed))
			for j, n := range d.Fixed {
				w := want.Fixed[n]
				assert.InDelta(t, w, got.Fixed[j], 0.01+0.01*math.Abs(w), n)
				assert.InDelta(t, want.FixedSE[n], got.FixedSE[j], 0.05*want.FixedSE[n], "standard error of %s", n)
			}
			bound := name == "confounded"
			for k, f := range d.Factors {
				if !bound || f.Name == take.Bundle {
					assert.InDelta(t, want.SD[f.Name], got.SD[k], 0.02*want.SD[f.Name], f.Name)
				}
				modes := map[string]map[string]struct{ Mode, SD float64 }{take.Worker: want.Worker, take.Lot: want.Lot,
					take.Bundle: want.Bundle}[f.Name]
				require.Len(t, modes, len(f.Levels))
				for l, level := range f.Levels {
					if !bound || f.Name == take.Bundle {
						assert.InDelta(t, modes[level].Mode, got.Effects[k][l].Mode, 0.03, "%s %s", f.Name, level)
						assert.InDelta(t, modes[level].SD, got.Effects[k][l].SD, 0.03, "%s %s", f.Name, level)
					}
				}
			}
			if !bound {
				assert.Empty(t, got.Separate)
				return
			}
			// Worker and lot always go together: only their sum is known, and
			// that is said.
			assert.Equal(t, []take.Bound{{A: take.Worker, B: take.Lot}}, got.Separate)
			assert.InDelta(t, math.Hypot(want.SD[take.Worker], want.SD[take.Lot]), math.Hypot(got.SD[0], got.SD[1]), 0.02)
			for l := range d.Factors[0].Levels {
				w := d.Factors[0].Levels[l]
				lot := d.Factors[1].Levels[0]
				for _, r := range d.Rows {
					if r.Levels[0] == l {
						lot = d.Factors[1].Levels[r.Levels[1]]
					}
				}
				k := 0
				for i, n := range d.Factors[1].Levels {
					if n == lot {
						k = i
					}
				}
				assert.InDelta(
					t,
					want.Worker[w].Mode+want.Lot[lot].Mode,
					got.Effects[0][l].Mode+got.Effects[1][k].Mode,
					0.03,
					"%s with %s",
					w,
					lot,
				)
			}
		})
	}
}

func record(worker, lot, bundle string, n, k int) take.Record {
	return take.Record{Worker: worker, Technique: "splice", Lot: lot, Bundle: bundle, Grafts: n, Took: k}
}

func TestDegenerateRecordsHaveAnAnswer(t *testing.T) {
	for name, rs := range map[string][]take.Record{
		"one tag":    {record("a", "l", "b", 20, 15)},
		"all taken":  {record("a", "l", "b", 20, 20), record("c", "m", "b", 30, 30)},
		"none taken": {record("a", "l", "b", 20, 0), record("c", "m", "d", 30, 0)},
		"one worker": {record("a", "l", "b", 20, 15), record("a", "m", "d", 25, 20), record("a", "l", "d", 22, 12)},
		"empty tag":  {record("a", "l", "b", 0, 0), record("a", "m", "b", 20, 11)},
	} {
		f, err := take.Solve(take.FromRecords(rs, take.Base(rs, "whip-and-tongue")))
		require.NoError(t, err, name)
		for _, b := range f.Fixed {
			assert.False(t, math.IsNaN(b) || math.IsInf(b, 0), "%s: %v", name, f.Fixed)
		}
		x := []float64{1, 0, 0}
		mean, low, high := f.Predict(x, []int{-1, -1, -1})
		assert.True(t, low <= mean && mean <= high && low >= 0 && high <= 1, "%s: %g %g %g", name, low, mean, high)
	}
	_, err := take.Solve(take.FromRecords([]take.Record{record("a", "l", "b", 0, 0)}, "splice"))
	assert.ErrorIs(t, err, take.ErrEmpty)
	_, err = take.Solve(take.FromRecords([]take.Record{record("a", "l", "b", 3, 5)}, "splice"))
	assert.ErrorIs(t, err, take.ErrShape)
	_, err = take.Solve(take.Data{})
	assert.ErrorIs(t, err, take.ErrEmpty)
}

func TestSmallSamplesAreShrunk(t *testing.T) {
	d, _ := set(t, "season")
	rs := d.Rows
	d.Factors[0].Levels = append(d.Factors[0].Levels, "new")
	lucky := append([]float64(nil), rs[0].X...)
	d.Rows = append(rs, take.Row{X: lucky, Levels: []int{len(d.Factors[0].Levels) - 1, 0, 0}, Grafts: 3, Took: 3})
	f, err := take.Solve(d)
	require.NoError(t, err)
	e := f.Effects[0][len(d.Factors[0].Levels)-1]
	assert.InDelta(t, 0, e.Mode, 0.2, "three of three says little")
	assert.Greater(t, e.SD, 0.8*f.SD[0])
}

func TestAKnownHandIsPredictedCloser(t *testing.T) {
	d, _ := set(t, "season")
	f, err := take.Solve(d)
	require.NoError(t, err)
	x := d.Rows[0].X
	_, low, high := f.Predict(x, []int{-1, -1, -1})
	_, l2, h2 := f.Predict(x, []int{0, 0, 0})
	assert.Less(t, h2-l2, high-low)
}

func BenchmarkYears(b *testing.B) {
	d, _ := set(b, "years")
	for b.Loop() {
		if _, err := take.Solve(d); err != nil {
			b.Fatal(err)
		}
	}
}

func ExampleSolve() {
	var rs []take.Record
	for i := range 30 {
		hand, k := "a", 18
		if i%2 == 0 {
			hand, k = "b", 14
		}
		rs = append(rs, record(hand, fmt.Sprintf("lot %d", i%5), fmt.Sprintf("bundle %d", i%7), 20, k))
	}
	d := take.FromRecords(rs, "splice")
	f, _ := take.Solve(d)
	fmt.Printf("a %+.1f, b %+.1f on the logit scale\n", f.Effects[0][0].Mode, f.Effects[0][1].Mode)
	// Output: a +0.6, b -0.6 on the logit scale
}

func BenchmarkDecade(b *testing.B) {
	t := decade.draw(rand.New(rand.NewPCG(10, 10)))
	d := take.FromRecords(t.records, "whip-and-tongue")
	for b.Loop() {
		if _, err := take.Solve(d); err != nil {
			b.Fatal(err)
		}
	}
}
