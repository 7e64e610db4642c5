package rehearsal_test

import (
	"math"
	"math/rand/v2"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/stat/distuv"

	"unionknot/internal/core/rehearsal"
)

func play(t testing.TB, s rehearsal.Season, seasons int, c rehearsal.Certain) rehearsal.Answer {
	t.Helper()
	a, err := rehearsal.Play(s, seasons, rehearsal.Seed, c)
	require.NoError(t, err)
	return a
}

func logistic(x float64) float64 { return 1 / (1 + math.Exp(-x)) }

// TestOneJobIsABinomialMixture holds an order of one job, with nothing shared, to its closed
// form: the binomial over a normal spread of the logit, by quadrature.
func TestOneJobIsABinomialMixture(t *testing.T) {
	for _, x := range []struct {
		grafts, want int
		eta, sd      float64
	}{{80, 60, 1.2, 0.5}, {25, 22, 2, 0.8}, {300, 250, 1.5, 0.2}, {12, 6, 0, 1}, {40, 1, -3, 0.6}} {
		met, mean := 0.0, 0.0
		const n = 4000
		for i := range n {
			z := distuv.UnitNormal.Quantile((float64(i) + 0.5) / n)
			b := distuv.Binomial{N: float64(x.grafts), P: logistic(x.eta + x.sd*z)}
			met += (1 - b.CDF(float64(x.want-1))) / n
			mean += b.Mean() / n
		}
		a := play(t, rehearsal.Season{Orders: []int{x.want}, Jobs: []rehearsal.Job{{Grafts: x.grafts, Eta: x.eta, EtaSD: x.sd,
			Hand: rehearsal.Made, Window: -1}}}, 200_000, rehearsal.Nothing)
		assert.InDelta(t, met, a.Orders[0].Met, 0.004, "%+v", x)
		assert.InDelta(t, mean, a.Orders[0].Mean, 0.05+0.001*mean, "%+v", x)
		assert.InDelta(t, met, a.AllMet, 0.004)
		sum := 0
		for _, k := range a.Orders[0].Trees {
			sum += k
		}
		assert.Equal(t, a.Seasons, sum, "every season is in the drawing")
	}
}

// TestNothingUnknownIsAComparison: without any uncertainty an order is met or is not.
func TestNothingUnknownIsAComparison(t *testing.T) {
	s := rehearsal.Season{Orders: []int{10, 11, 5, 5}, Windows: []rehearsal.Window{{Day: 20}}, Hands: []rehearsal.Hand{{Days: []int{18,
		20, 21}}},
		Jobs: []rehearsal.Job{
			{Order: 0, Grafts: 10, Sure: true, Hand: rehearsal.Made, Window: -1},
			{Order: 1, Grafts: 10, Sure: true, Hand: rehearsal.Made, Window: -1},
			{Order: 2, Grafts: 5, Sure: true, Hand: 0, Day: 1, Window: 0},
			{Order: 3, Grafts: 5, Sure: true, Hand: 0, Day: 2, Window: 0},
		}}
	a := play(t, s, 1000, rehearsal.Nothing)
	assert.Equal(t, []float64{1, 0, 1, 0}, []float64{a.Orders[0].Met, a.Orders[1].Met, a.Orders[2].Met, a.Orders[3].Met})
	assert.InDelta(t, 1, a.Orders[1].Short, 1e-12)
	assert.InDelta(t, 5, a.Orders[3].Late, 1e-12, "a day after the window shut; the day itself is in time")
	assert.Zero(t, a.AllMet)
	assert.InDelta(t, 2, a.Met(), 1e-12)
	s.Jobs[3].Day = 9
	a = play(t, s, 100, rehearsal.Nothing)
	assert.InDelta(t, 5, a.Orders[3].Late, 1e-12, "there are not so many days")
	s.Hands[0].Absent = 1
	a = play(t, s, 100, rehearsal.Nothing)
	assert.InDelta(t, 5, a.Orders[2].Late, 1e-12)
	a = play(t, s, 100, rehearsal.Hands)
	assert.Zero(t, a.Orders[2].Late, "nobody away")
}

// TestDaysMoveWithWhatIsMissed: a job of the second day is made on the second day that is not
// missed; its chance to be in time is the binomial's.
func TestDaysMoveWithWhatIsMissed(t *testing.T) {
	days := []int{1, 2, 3, 4, 5, 6, 7, 8}
	s := rehearsal.Season{Orders: []int{1}, Windows: []rehearsal.Window{{Day: 5}}, Hands: []rehearsal.Hand{{Days: days, Absent: 0.3}},
		Jobs: []rehearsal.Job{{Grafts: 1, Sure: true, Hand: 0, Day: 2, Window: 0}}}
	a := play(t, s, 100_000, rehearsal.Nothing)
	// In time where at least three of the first five days are worked.
	want := 1 - distuv.Binomial{N: 5, P: 0.7}.CDF(2)
	assert.InDelta(t, want, a.Orders[0].Met, 0.004)
	assert.Positive(t, a.Hands[0], "a day more away costs")
	s.Windows[0].SD = 3
	shut := 0.0
	for d := -30; d < 50; d++ {
		p := distuv.UnitNormal.CDF((float64(d)+0.5-5)/3) - distuv.UnitNormal.CDF((float64(d)-0.5-5)/3)
		if open := min(8, d); open >= 3 {
			shut += p * (1 - distuv.Binomial{N: float64(open), P: 0.7}.CDF(2))
		}
	}
	a = play(t, s, 200_000, rehearsal.Nothing)
	assert.InDelta(t, shut, a.Orders[0].Met, 0.004)
	assert.Positive(t, a.Windows[0])
	assert.InDelta(t, want, play(t, s, 100_000, rehearsal.Windows).Orders[0].Met, 0.004, "the window on its mean day")
}

// TestASlowHandComesLater: a job at the middle of the second day is made on the third where the
// pace is under three quarters of the one planned with.
func TestASlowHandComesLater(t *testing.T) {
	s := rehearsal.Season{Orders: []int{1}, Windows: []rehearsal.Window{{Day: 2}}, Hands: []rehearsal.Hand{{Days: []int{1, 2, 3, 4, 5},
		PaceSD: 0.2}},
		Jobs: []rehearsal.Job{{Grafts: 1, Sure: true, Hand: 0, Day: 1, Part: 0.5, Window: 0}}}
	a := play(t, s, 100_000, rehearsal.Nothing)
	assert.InDelta(t, 1-distuv.UnitNormal.CDF(math.Log(0.75)/0.2), a.Orders[0].Met, 0.004)
	assert.InDelta(t, 1, play(t, s, 100, rehearsal.Hands).Orders[0].Met, 0)
}

func random(r *rand.Rand, jobs, orders int) rehearsal.Season {
	s := rehearsal.Season{Later: []rehearsal.Stage{{A: 60, B: 4}, {A: 90, B: 3}},
		Windows: []rehearsal.Window{{Day: 25, SD: 4}, {Day: 40, SD: 5}}}
	for range orders {
		s.Orders = append(s.Orders, 0)
	}
	hands, lots, bundles := max(3, jobs/30), max(5, jobs/8), max(6, jobs/6)
	for range hands {
		h := rehearsal.Hand{Absent: 0.04}
		for d := range 42 {
			if d%7 < 5 {
				h.Days = append(h.Days, d)
			}
		}
		s.Hands = append(s.Hands, h)
	}
	for range hands + lots + bundles {
		s.Effects = append(s.Effects, rehearsal.Belief{Mean: 0.3 * r.NormFloat64(), SD: 0.15 + 0.25*r.Float64()})
	}
	for i := range jobs {
		j := rehearsal.Job{Order: i % orders, Grafts: 15 + r.IntN(80), Eta: 1 + 1.2*r.Float64(), EtaSD: 0.2, Hand: r.IntN(hands),
			Window: r.IntN(2)}
		j.Day = r.IntN(24)
		j.Effects = []int{j.Hand, hands + r.IntN(lots), hands + lots + r.IntN(bundles)}
		s.Jobs = append(s.Jobs, j)
		s.Orders[j.Order] += int(0.62 * float64(j.Grafts))
	}
	return s
}

func TestThreadsDoNotMoveIt(t *testing.T) {
	s := random(rand.New(rand.NewPCG(1, 1)), 30, 8)
	many := play(t, s, 3001, rehearsal.Nothing)
	was := runtime.GOMAXPROCS(1)
	one := play(t, s, 3001, rehearsal.Nothing)
	runtime.GOMAXPROCS(was)
	assert.Equal(t, one, many)
	assert.Equal(t, 3002, many.Seasons, "in pairs")
	other, err := rehearsal.Play(s, 3001, 2, rehearsal.Nothing)
	require.NoError(t, err)
	assert.NotEqual(t, many.Orders[0].Mean, other.Orders[0].Mean)
}

// TestWhatIsAddedMovesNothingElse: the same luck falls on what was there, so that differences
// are what the change does.
func TestWhatIsAddedMovesNothingElse(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 1))
	s := random(r, 20, 5)
	before := play(t, s, 4000, rehearsal.Nothing)
	s.Orders = append(s.Orders, 30)
	s.Effects = append(s.Effects, rehearsal.Belief{SD: 0.3})
	s.Hands = append(s.Hands, rehearsal.Hand{Days: []int{1, 2, 3}, Absent: 0.2})
	s.Windows = append(s.Windows, rehearsal.Window{Day: 9, SD: 2})
	s.Jobs = append(s.Jobs, rehearsal.Job{Order: 5, Grafts: 40, Eta: 1.5, Effects: []int{len(s.Effects) - 1}, Hand: len(s.Hands) - 1,
		Day: 1, Window: 2})
	after := play(t, s, 4000, rehearsal.Nothing)
	// Draws of effects and jobs come one after another within a season: with one more of each the
	// next season's are others, so it is to luck that they agree.
	for o := range before.Orders {
		assert.InDelta(t, before.Orders[o].Met, after.Orders[o].Met, 0.035)
	}
	more := s
	more.Jobs = append([]rehearsal.Job(nil), s.Jobs...)
	more.Jobs[0].Grafts += 10
	grown := play(t, more, 4000, rehearsal.Nothing)
	for o := range after.Orders {
		if o == more.Jobs[0].Order {
			assert.GreaterOrEqual(t, grown.Orders[o].Met, after.Orders[o].Met, "ten more grafts never harm it")
			continue
		}
		assert.Equal(t, after.Orders[o], grown.Orders[o], "and touch no other")
	}
}

func TestCertainTakesAwaySpread(t *testing.T) {
	s := random(rand.New(rand.NewPCG(3, 1)), 40, 10)
	as := play(t, s, 20_000, rehearsal.Nothing)
	all := play(t, s, 2000, rehearsal.Takes|rehearsal.Hands|rehearsal.Windows|rehearsal.Luck)
	for _, o := range all.Orders {
		assert.True(t, o.Met == 0 || o.Met == 1, "with all of it known it is so or it is not")
		assert.Equal(t, o.Low, o.High)
	}
	for _, c := range []rehearsal.Certain{rehearsal.Takes, rehearsal.Hands, rehearsal.Windows, rehearsal.Luck} {
		x := play(t, s, 20_000, c)
		assert.NotEqual(t, as.Short(), x.Short())
	}
	assert.Less(t, play(t, s, 20_000, rehearsal.Hands).Short(), as.Short(), "days away only cost")
}

// TestEffectsDrawnTogetherLeanOnEachOther: two effects of which only the sum is known well
// spread a job that has both little, and jobs that have one each much.
func TestEffectsDrawnTogetherLeanOnEachOther(t *testing.T) {
	v := mat.NewSymDense(2, []float64{0.25, -0.24, -0.24, 0.25})
	one := func(effects ...int) rehearsal.Job {
		return rehearsal.Job{Grafts: 400, Eta: 1, Effects: effects, Hand: rehearsal.Made, Window: -1}
	}
	spread := func(joint *mat.SymDense, j rehearsal.Job) int {
		a := play(t, rehearsal.Season{Effects: []rehearsal.Belief{{SD: 0.5}, {SD: 0.5}}, Joint: joint, Orders: []int{290},
			Jobs: []rehearsal.Job{j}},
			40_000, rehearsal.Nothing)
		return a.Orders[0].High - a.Orders[0].Low
	}
	assert.Less(t, spread(v, one(0, 1)), spread(nil, one(0, 1))/3)
	assert.InDelta(t, spread(nil, one(0)), spread(v, one(0)), 4)
	a := play(t, rehearsal.Season{Effects: []rehearsal.Belief{{SD: 0.5}, {SD: 0.5}}, Joint: v, Orders: []int{290, 290},
		Jobs: []rehearsal.Job{one(0), {Order: 1, Grafts: 400, Eta: 1, Effects: []int{1}, Hand: rehearsal.Made, Window: -1}}}, 20_000,
		rehearsal.Nothing)
	assert.InDelta(t, a.Of[0][0], a.Effects[0], 1e-12, "of the orders that have it")
	assert.Positive(t, a.Of[0][0])
	assert.Less(t, a.AllMet, a.Orders[0].Met*a.Orders[1].Met, "what helps the one harms the other")
}

// TestPairsOfOppositeLuckStrayLess measures what pairs buy: the variance of the mean trees and
// of the chance, over many seeds, beside as many seasons drawn apart (one of each pair).
func TestPairsOfOppositeLuckStrayLess(t *testing.T) {
	s := random(rand.New(rand.NewPCG(4, 1)), 12, 4)
	var met, mean [2][]float64
	for seed := range uint64(60) {
		a, err := rehearsal.Play(s, 400, seed, rehearsal.Nothing)
		require.NoError(t, err)
		met[0], mean[0] = append(met[0], a.Met()), append(mean[0], a.Orders[0].Mean)
		b, err := rehearsal.PlayApart(s, 400, seed)
		require.NoError(t, err)
		met[1], mean[1] = append(met[1], b.Met()), append(mean[1], b.Orders[0].Mean)
	}
	variance := func(xs []float64) float64 {
		m, v := 0.0, 0.0
		for _, x := range xs {
			m += x / float64(len(xs))
		}
		for _, x := range xs {
			v += (x - m) * (x - m)
		}
		return v
	}
	t.Logf("seasons apart for the same accuracy: chance %.1f times as many, trees %.1f times", variance(met[1])/variance(met[0]),
		variance(mean[1])/variance(mean[0]))
	assert.Less(t, variance(met[0]), 0.8*variance(met[1]))
	assert.Less(t, variance(mean[0]), 0.8*variance(mean[1]))
}

func TestAStageIsItsBeta(t *testing.T) {
	for _, s := range []rehearsal.Stage{{A: 60, B: 4}, {A: 2, B: 5}, {A: 0.7, B: 0.6}, {A: 400, B: 9}, {A: 1, B: 1}} {
		b := distuv.Beta{Alpha: s.A, Beta: s.B}
		for z := -3.03; z < 3.1; z += 0.07 {
			assert.InDelta(t, b.Quantile(distuv.UnitNormal.CDF(z)), rehearsal.Share(s, z), 1e-3, "%+v at %g", s, z)
		}
	}
}

func TestBadSeasonsAreRefused(t *testing.T) {
	good := rehearsal.Job{Grafts: 1, Hand: rehearsal.Made, Window: -1}
	for name, s := range map[string]rehearsal.Season{
		"no order":  {Jobs: []rehearsal.Job{good}},
		"no hand":   {Orders: []int{1}, Jobs: []rehearsal.Job{{Grafts: 1, Hand: 2}}},
		"no effect": {Orders: []int{1}, Jobs: []rehearsal.Job{{Grafts: 1, Hand: rehearsal.Made, Window: -1, Effects: []int{0}}}},
		"bad stage": {Orders: []int{1}, Later: []rehearsal.Stage{{A: 0, B: 1}}},
		"days":      {Orders: []int{1}, Hands: []rehearsal.Hand{{Days: []int{2, 1}}}},
		"a spread":  {Orders: []int{1}, Effects: []rehearsal.Belief{{SD: math.NaN()}}},
		"together":  {Orders: []int{1}, Effects: []rehearsal.Belief{{}, {}}, Joint: mat.NewSymDense(2, []float64{1, 5, 5, 1})},
	} {
		_, err := rehearsal.Play(s, 10, 1, rehearsal.Nothing)
		assert.ErrorIs(t, err, rehearsal.ErrSeason, name)
	}
	a := play(t, rehearsal.Season{}, 10, rehearsal.Nothing)
	assert.InDelta(t, 1, a.AllMet, 0, "no orders are all met")
}

func benchmarkSeason(b *testing.B, jobs, orders int) {
	s := random(rand.New(rand.NewPCG(9, 9)), jobs, orders)
	b.ResetTimer()
	for b.Loop() {
		play(b, s, 20_000, rehearsal.Nothing)
	}
	b.ReportMetric(20_000*float64(jobs)*float64(b.N)/b.Elapsed().Seconds(), "jobs/s")
}

func BenchmarkPlay40Jobs(b *testing.B)   { benchmarkSeason(b, 40, 10) }
func BenchmarkPlay2000Jobs(b *testing.B) { benchmarkSeason(b, 2000, 300) }

// BenchmarkPlainLoop is the rule written down as it stands, on one core, with a library's own
// draws: what the others are set beside.
func BenchmarkPlainLoop40Jobs(b *testing.B) {
	s := random(rand.New(rand.NewPCG(9, 9)), 40, 10)
	src := rand.NewPCG(1, 1)
	r := rand.New(src)
	for b.Loop() {
		for range 20_000 {
			effect := make([]float64, len(s.Effects))
			for i, e := range s.Effects {
				effect[i] = e.Mean + e.SD*r.NormFloat64()
			}
			stage := 1.0
			for _, l := range s.Later {
				stage *= distuv.Beta{Alpha: l.A, Beta: l.B, Src: src}.Rand()
			}
			live := make([]float64, len(s.Orders))
			for _, j := range s.Jobs {
				eta := j.Eta + j.EtaSD*r.NormFloat64()
				for _, e := range j.Effects {
					eta += effect[e]
				}
				live[j.Order] += distuv.Binomial{N: float64(j.Grafts), P: stage * logistic(eta), Src: src}.Rand()
			}
		}
	}
	b.ReportMetric(20_000*40*float64(b.N)/b.Elapsed().Seconds(), "jobs/s")
}
