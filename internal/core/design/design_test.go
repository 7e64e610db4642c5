package design_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"

	"unionknot/internal/core/design"
	"unionknot/internal/core/take"
)

// few is a made-up season: workers, lots and tags of one half-day each.
func few(r *rand.Rand, workers, lots, tags int) (before *mat.SymDense, sets [][]int, ts []design.Tag) {
	n := workers + lots + 1
	before = mat.NewSymDense(n, nil)
	sets = [][]int{nil, nil}
	for i := range n {
		v := 0.3 + r.Float64()
		switch {
		case i < workers:
			sets[0] = append(sets[0], i)
		case i < workers+lots:
			sets[1] = append(sets[1], i)
		}
		before.SetSym(i, i, v)
	}
	before.SetSym(0, 1, 0.05)
	for range tags {
		ts = append(ts, design.Tag{Worker: r.IntN(workers), Others: []int{workers + r.IntN(lots), n - 1}, Weight: 2 + 8*r.Float64()})
	}
	return before, sets, ts
}

// total reckons what New does by plain inversion.
func total(before *mat.SymDense, sets [][]int, ts []design.Tag) float64 {
	var m mat.Dense
	if m.Inverse(before) != nil {
		return math.NaN()
	}
	for _, t := range ts {
		row := append([]int{t.Worker}, t.Others...)
		for _, a := range row {
			for _, b := range row {
				m.Set(a, b, m.At(a, b)+t.Weight)
			}
		}
	}
	var v mat.Dense
	if v.Inverse(&m) != nil {
		return math.NaN()
	}
	sum := 0.0
	for _, s := range sets {
		pairs, of := 0.0, 0.0
		for i, a := range s {
			for _, b := range s[:i] {
				of += v.At(a, a) + v.At(b, b) - 2*v.At(a, b)
				pairs++
			}
		}
		if pairs > 0 {
			sum += of / pairs
		}
	}
	return sum
}

func TestAnExchangeGainsWhatItSaid(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 60 {
		before, sets, ts := few(r, 2+r.IntN(4), 2+r.IntN(5), 4+r.IntN(12))
		d, err := design.New(before, sets, ts)
		require.NoError(t, err)
		require.InDelta(t, total(before, sets, ts), d.Total(), 1e-6)
		a, b := r.IntN(len(ts)), r.IntN(len(ts))
		if ts[a].Worker == ts[b].Worker {
			continue
		}
		gain := d.Gain([]int{a}, []int{b})
		was := d.Total()
		d.Exchange([]int{a}, []int{b})
		ts[a].Worker, ts[b].Worker = ts[b].Worker, ts[a].Worker
		assert.InDelta(t, total(before, sets, ts), d.Total(), 1e-6, "after an exchange it is what it is anew")
		assert.InDelta(t, was-d.Total(), gain, 1e-6)
	}
}

// free lets every tag of one half-day change hands.
type free struct{ n int }

func (f free) Places() int { return 1 }
func (f free) Lots(int) (out [][]int) {
	for i := range f.n {
		out = append(out, []int{i})
	}
	return out
}
func (f free) May(_, _ []int) bool { return true }
func (f free) Exchange(_, _ []int) {}

func TestItComesNearTheBestThereIs(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 20 {
		before, sets, ts := few(r, 2, 3, 8)
		least, n := math.Inf(1), 0
		for _, x := range ts {
			n += x.Worker
		}
		for mask := range 1 << len(ts) {
			some := append([]design.Tag(nil), ts...)
			m := 0
			for i := range some {
				some[i].Worker = mask >> i & 1
				m += some[i].Worker
			}
			if m == n { // as many tags each as before
				least = math.Min(least, total(before, sets, some))
			}
		}
		d, err := design.New(before, sets, ts)
		require.NoError(t, err)
		was := d.Total()
		d.Improve(free{len(ts)})
		assert.LessOrEqual(t, d.Total(), was+1e-9)
		assert.LessOrEqual(t, d.Total(), least*1.05, "exchanges come within a twentieth of the best of all ways to share out")
	}
}

// What the design promises must be seen in counts: where each worker had a lot of their own,
// the workers are told apart better after the tags changed hands.
func TestCountsTellMoreAfterIt(t *testing.T) {
	const workers, lots, tags, grafts = 4, 4, 24, 30
	r := rand.New(rand.NewPCG(5, 6))
	var of []take.Named
	for w := range workers {
		of = append(of, take.Named{Factor: take.Worker, Level: string(rune('a' + w))})
	}
	for l := range lots {
		of = append(of, take.Named{Factor: take.Lot, Level: string(rune('A' + l))})
	}
	of = append(of, take.Named{Factor: take.Intercept})
	before := take.Learned{}.Joint(of)
	sets := [][]int{{0, 1, 2, 3}, {4, 5, 6, 7}}
	var own []design.Tag
	for i := range tags {
		own = append(own, design.Tag{Worker: i % workers, Others: []int{workers + i%lots, workers + lots}, Weight: grafts * 0.8 * 0.2})
	}
	d, err := design.New(before, sets, own)
	require.NoError(t, err)
	was := d.Difference(0)
	require.Positive(t, d.Improve(free{tags}))
	now := d.Difference(0)
	require.Less(t, now, was*0.75, "a lot of one's own cannot be told from oneself")

	wrong := func(share []design.Tag) (mean float64) {
		n := 0
		for range 40 {
			effect := make([]float64, workers+lots)
			for i := range effect {
				effect[i] = r.NormFloat64() * map[bool]float64{true: take.UsualSpreads.Worker, false: take.UsualSpreads.Lot}[i < workers]
			}
			var rs []take.Record
			for _, x := range share {
				p := 1 / (1 + math.Exp(-1.4-effect[x.Worker]-effect[x.Others[0]]))
				took := 0
				for range grafts {
					if r.Float64() < p {
						took++
					}
				}
				rs = append(rs, take.Record{Worker: of[x.Worker].Level, Lot: of[x.Others[0]].Level, Bundle: "b", Technique: "t",
					Grafts: grafts, Took: took})
			}
			l, err := take.Learn(rs)
			require.NoError(t, err)
			for i := range workers {
				for j := range i {
					diff := l.Effect(take.Worker, of[i].Level).Mode - l.Effect(take.Worker, of[j].Level).Mode
					mean += math.Pow(diff-(effect[i]-effect[j]), 2)
					n++
				}
			}
		}
		return mean / float64(n)
	}
	shared := d.Tags()
	before1, after := wrong(own), wrong(shared)
	assert.Less(t, after, before1, "differences between workers are nearer the truth")
	assert.InDelta(t, was, before1, 0.35*was, "by about what was promised before")
	assert.InDelta(t, now, after, 0.35*now, "and after")
}
