package sizing

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// oneByOne folds by the definition.
func oneByOne(a, b []float64) []float64 {
	out := make([]float64, len(a)+len(b)-1)
	for i, x := range a {
		for j, y := range b {
			out[i+j] += x * y
		}
	}
	return out
}

func chancesOf(r *rand.Rand, n int) []float64 {
	out, sum := make([]float64, n), 0.0
	for i := range out {
		out[i] = r.ExpFloat64()
		sum += out[i]
	}
	for i := range out {
		out[i] /= sum
	}
	return out
}

// TestFoldsAreAsTheirDefinition, by products and by transforms, of like and of very unlike lengths.
func TestFoldsAreAsTheirDefinition(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	for _, n := range [][2]int{{1, 1}, {3, 5}, {511, 513}, {512, 513}, {900, 1300}, {2, 200_000}, {7, 60_001}} {
		a, b := chancesOf(r, n[0]), chancesOf(r, n[1])
		want := oneByOne(a, b)
		got := fold(a, b)
		assert.Len(t, got, len(want))
		for i := range want {
			assert.InDelta(t, want[i], got[i], 1e-15, "%v: %d", n, i)
			assert.GreaterOrEqual(t, got[i], 0.0)
		}
	}
}

// TestAMeanAlongValues is the sum at each place, however many there are.
func TestAMeanAlongValues(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 4))
	for _, n := range [][2]int{{1, 1}, {4, 4}, {6, 40}, {700, 1500}, {900, 901}} {
		chances, values := chancesOf(r, n[0]), make([]float64, n[1])
		for i := range values {
			values[i] = r.Float64()
		}
		got := along(chances, values)
		assert.Len(t, got, n[1]-n[0]+1)
		for k := range got {
			sum := 0.0
			for j, p := range chances {
				sum += p * values[k+j]
			}
			assert.InDelta(t, sum, got[k], 1e-12, "%v: %d", n, k)
		}
	}
}
