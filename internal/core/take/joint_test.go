package take_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"

	"unionknot/internal/core/take"
)

func TestJointIsTheModelsOwn(t *testing.T) {
	var rs []take.Record
	for i := range 40 {
		rs = append(rs, take.Record{Worker: string(rune('a' + i%4)), Lot: string(rune('A' + i%3)), Bundle: string(rune('p' + i%5)),
			Technique: []string{"whip", "cleft"}[i/2%2], Mismatch: float64(i%7) / 50, StoreDays: float64(20 + i%9), Grafts: 30, Took: 18 +
				i%10})
	}
	l, err := take.Learn(rs)
	require.NoError(t, err)
	of := []take.Named{{Factor: take.Intercept}, {Factor: take.Technique, Level: "cleft"}, {Factor: take.Technique, Level: "whip"},
		{Factor: take.Worker, Level: "a"}, {Factor: take.Worker, Level: "b"}, {Factor: take.Lot, Level: "A"}, {Factor: take.Lot,
			Level: "new"},
		{Factor: take.Technique, Level: "chip"}}
	v := l.Joint(of)
	for _, i := range []int{3, 4, 5} {
		assert.GreaterOrEqual(t, v.At(i, i), squared(l.Effect(of[i].Factor, of[i].Level).SD)-1e-9,
			"with what is not known of the fixed effects it is no less than without")
		assert.Less(t, v.At(i, i), 1.0)
	}
	assert.InDelta(t, squared(l.Spreads.Lot), v.At(6, 6), 1e-12, "a lot that was never counted has the spread of lots")
	assert.Zero(t, v.At(6, 3))
	assert.InDelta(t, 1, v.At(7, 7), 1e-12)
	base := take.Base(rs, "")
	for i := range of {
		if of[i] == (take.Named{Factor: take.Technique, Level: base}) {
			assert.Zero(t, v.At(i, i), "the base is the intercept's")
		}
	}
	assert.Negative(t, v.At(3, 0), "where the mean is not known, a worker's own part is not known the other way round")
	var c mat.Cholesky
	for i := range of {
		v.SetSym(i, i, v.At(i, i)+1e-9)
	}
	assert.True(t, c.Factorize(v), "it is a covariance")

	none := take.Learned{}.Joint(of)
	assert.InDelta(t, squared(take.UsualSpreads.Worker), none.At(3, 3), 1e-12)
	assert.InDelta(t, 1.6449*0.5*0.8*0.2, take.HalfWidth90(0.8, 0.25), 1e-9)
	assert.False(t, math.IsNaN(mat.Sum(v)))
}

func squared(x float64) float64 { return x * x }
