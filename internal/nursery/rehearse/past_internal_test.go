package rehearse

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/take"
	"unionknot/internal/core/technique"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// TestPromisesAreKept draws houses: a season of records, and another that is promised from
// them. Of orders given 90 in 100, 87 to 93 are met; and so at other chances.
func TestPromisesAreKept(t *testing.T) {
	if testing.Short() {
		t.Skip("plays many houses")
	}
	r := rand.New(rand.NewPCG(31, 90))
	way := technique.Technique{Key: "splice", Name: "splice", PriorTake: 0.78, PriorWeight: 6}
	f := &snapshot.Snapshot{Settings: &snapshot.Settings{Techniques: []technique.Technique{way}}}
	spread := take.UsualSpreads
	steps := map[int][2]float64{} // by tenths of what was said: orders, met
	ninety := [2]float64{}
	for range 260 {
		worker := make([]float64, 5)
		for i := range worker {
			worker[i] = spread.Worker * r.NormFloat64()
		}
		// The house's own middle is about what is believed before any count.
		base := math.Log(way.PriorTake/(1-way.PriorTake)) + 0.45*r.NormFloat64()
		season := func(year int) (rs []store.TakeRecord, ds []store.TagDetail, alive map[string]int, made map[string]int) {
			alive, made = map[string]int{}, map[string]int{}
			for o := range 8 {
				lot, code := spread.Lot*r.NormFloat64(), fmt.Sprintf("O%d-%d", year, o)
				for b := range 2 {
					bundle := spread.Bundle * r.NormFloat64()
					for range 2 {
						w, n, took := r.IntN(len(worker)), 15+r.IntN(12), 0
						p := 1 / (1 + math.Exp(-base-worker[w]-lot-bundle))
						for range n {
							if r.Float64() < p {
								took++
							}
						}
						live := 0
						later := 0.97 // of live trees that live on, as the default has it
						for range took {
							if r.Float64() < later {
								live++
							}
						}
						alive[code], made[code] = alive[code]+live, made[code]+n
						l, bd := fmt.Sprint("L", year, o), fmt.Sprint("B", year, o, b)
						rs = append(rs, store.TakeRecord{Worker: fmt.Sprint(w), Technique: "splice", Lot: l, Bundle: bd, Grafts: n,
							Took: took})
						ds = append(ds, store.TagDetail{Order: code, Worker: fmt.Sprint(w), Technique: "splice", Lot: l, Bundle: bd,
							Tied: n, Buds: 1})
					}
				}
			}
			return rs, ds, alive, made
		}
		before, _, _, _ := season(1)
		_, ds, alive, made := season(2)
		var orders []store.PastOrder
		for code, n := range made {
			orders = append(orders, store.PastOrder{Code: code, Season: 2, Trees: int(float64(n) * (0.45 + 0.4*r.Float64())),
				Alive: alive[code]})
		}
		ps, err := promised(f, orders, before, ds)
		require.NoError(t, err)
		for _, p := range ps {
			s := steps[int(p.Said*10)]
			s[0]++
			in := p.Said >= 0.85 && p.Said < 0.95
			if in {
				ninety[0]++
			}
			if p.Came {
				s[1]++
				if in {
					ninety[1]++
				}
			}
			steps[int(p.Said*10)] = s
		}
	}
	require.Greater(t, ninety[0], 150.0)
	t.Logf("given 85 to 95 in 100: %.0f orders, %.1f in 100 met", ninety[0], 100*ninety[1]/ninety[0])
	assert.InDelta(t, 0.90, ninety[1]/ninety[0], 0.05)
	for k, s := range steps {
		if s[0] > 100 {
			said, came := (float64(k)+0.5)/10, s[1]/s[0]
			assert.InDelta(t, said, came, 0.05+2*math.Sqrt(said*(1-said)/s[0]), "said %d0 to %d0", k, k+1)
		}
	}
}
