package pairing_test

import (
	"encoding/json"
	"math"
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
	"unionknot/internal/core/technique"
)

// instance is a reference instance as it stands in testdata.
type instance struct {
	Techniques []struct {
		Name                 string
		Stock_min, Stock_max float64
		Ratio_min, Ratio_max float64
		Loss, Slope, Effort  float64
	}
	Shortage_cost map[string]float64
	Orders        []struct {
		ID, Variety, Stock string
		Grafts             int
		Priority           json.Number
	}
	Stock []pile
	Wood  []pile
}

type pile struct {
	Lot, Bundle, Type, Variety string
	Risk                       float64
	Classes                    []struct {
		MM float64
		N  int
	}
}

func read(t testing.TB, name string, into any) {
	t.Helper()
	b, err := os.ReadFile("testdata/" + name)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(b, into))
}

func programme(t testing.TB, name string) (pairing.Programme, float64) {
	t.Helper()
	var in instance
	read(t, name+".json", &in)
	var answer struct{ LP_optimum float64 }
	read(t, name+".answer.json", &answer)
	var ways []pairing.Way
	for _, k := range in.Techniques {
		ways = append(ways, pairing.Way{Key: k.Name,
			Joins: func(s, w caliper.Class) bool {
				r := w.Middle() / s.Middle()
				return s.Middle() >= k.Stock_min && s.Middle() <= k.Stock_max && r >= k.Ratio_min && r <= k.Ratio_max
			},
			Misfit: func(s, w caliper.Class) technique.Misfit { return technique.Misfit{Limit: technique.RatioLow} },
			Cost: func(s, w caliper.Class) float64 {
				return k.Loss + k.Slope*math.Abs(1-w.Middle()/s.Middle()) + k.Effort
			}})
	}
	p := pairing.Programme{}
	for _, o := range in.Orders {
		p.Orders = append(p.Orders, pairing.Order{ID: o.ID, Variety: o.Variety, Stock: o.Stock, Grafts: o.Grafts,
			Shortage: in.Shortage_cost[o.Priority.String()], Ways: ways})
	}
	for _, s := range in.Stock {
		p.Stock = append(p.Stock, s.pile(s.Lot, s.Type))
	}
	for _, s := range in.Wood {
		p.Wood = append(p.Wood, s.pile(s.Bundle, s.Variety))
	}
	return p, answer.LP_optimum
}

func (s pile) pile(id, of string) pairing.Pile {
	p := pairing.Pile{ID: id, Of: of, Risk: s.Risk}
	for _, c := range s.Classes {
		p.Classes = append(p.Classes, caliper.Count{Class: caliper.ClassOf(c.MM), N: c.N})
	}
	return p
}

var references = []string{"small", "several-stocks", "ample", "nursery", "large"}

func TestReferenceInstances(t *testing.T) {
	for _, name := range references {
		t.Run(name, func(t *testing.T) {
			p, optimum := programme(t, name)
			w, err := pairing.Solve(p)
			require.NoError(t, err)
			t.Logf("cost %.4f, bound %.4f, optimum %.4f, over by %.5f %%", w.Cost, w.Bound, optimum, (w.Cost/optimum-1)*100)
			require.InEpsilon(t, optimum, w.Bound, 1e-5, "the bound is the linear programme's optimum")
			require.GreaterOrEqual(t, w.Cost, optimum*(1-1e-6))
			require.LessOrEqual(t, w.Cost, optimum*1.001)
			conserved(t, p, w)
		})
	}
}

func BenchmarkPairing(b *testing.B) {
	for _, name := range references {
		b.Run(name, func(b *testing.B) {
			p, _ := programme(b, name)
			for b.Loop() {
				_, err := pairing.Solve(p)
				require.NoError(b, err)
			}
		})
	}
}
