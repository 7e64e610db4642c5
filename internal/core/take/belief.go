package take

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/mathext"
	"gonum.org/v1/gonum/stat/distuv"

	"unionknot/internal/core/sizing"
)

// Spreads are how far groups differ from each other, as standard deviations on
// the logit scale: what one order made of one lot and one bundle by one worker
// is uncertain by, however well the mean is known.
// Tier is 0 where nobody ties for another.
type Spreads struct{ Worker, Lot, Bundle, Tier float64 }

// between is the variance of all of them together.
func (s Spreads) between() float64 {
	return s.Worker*s.Worker + s.Lot*s.Lot + s.Bundle*s.Bundle + s.Tier*s.Tier
}

// UsualSpreads stand where own records cannot tell yet. House default.
var UsualSpreads = Spreads{Worker: 0.35, Lot: 0.55, Bundle: 0.45}

// usualWeight is how many groups of a kind the usual spread counts for beside
// those of the records. House default.
const usualWeight = 8

// Shares is how an order lies on its groups: for each factor the sum of the
// squares of its groups' shares, 1 when it all lies on one.
type Shares struct{ Worker, Lot, Bundle float64 }

// OneOfEach is an order made by one worker from one lot and one bundle.
var OneOfEach = Shares{1, 1, 1}

// SharesOf gives the sum of squared shares of so much of each.
func SharesOf(parts []int) float64 {
	sum, squares := 0.0, 0.0
	for _, n := range parts {
		sum += float64(n)
		squares += float64(n) * float64(n)
	}
	if sum == 0 {
		return 1
	}
	return squares / (sum * sum)
}

// Expected is what is believed of the take of a job: its mean over groups, how
// well that is known, and how far groups differ.
type Expected struct {
	Mean     float64 // 0 to 1, over groups of every kind
	Variance float64 // of what is not known of it, on the logit scale
	Mismatch float64 // at which the mean stands: 0, or what the records had
	Spreads  Spreads
}

// Middle is the take of a middling worker, lot and bundle on the logit scale: spread by how far
// those differ, it has the mean.
func (e Expected) Middle() float64 {
	return middle(math.Max(1e-4, math.Min(1-1e-4, e.Mean)), e.Spreads.between())
}

// Long is the belief of the mean take over many groups.
func (e Expected) Long() sizing.Beta { return e.beta(e.Variance) }

// On is the belief of an order that lies on its groups like this.
func (e Expected) On(s Shares) sizing.Beta {
	sp := e.Spreads
	return e.beta(e.Variance + (sp.Worker*sp.Worker+sp.Tier*sp.Tier)*s.Worker + sp.Lot*sp.Lot*s.Lot + sp.Bundle*sp.Bundle*s.Bundle)
}

// beta is the beta belief of the mean and the spread that a normal of the given
// variance on the logit scale has, its middle set so that the mean is kept.
func (e Expected) beta(variance float64) sizing.Beta {
	mean := math.Max(1e-4, math.Min(1-1e-4, e.Mean))
	mu := middle(mean, variance)
	_, square := moments(mu, variance)
	v := math.Max(1e-12, square-mean*mean)
	return sizing.Prior(mean, math.Max(1e-3, mean*(1-mean)/v-1))
}

// nodes cut a normal into strips of equal chance, by their middles: moments of
// a logistic by them are good to four figures for spreads to 2.
var nodes = func() []float64 {
	const n = 64
	out := make([]float64, n)
	for i := range out {
		out[i] = distuv.UnitNormal.Quantile((float64(i) + 0.5) / n)
	}
	return out
}()

// moments gives the mean and the mean square of logistic(N(mu, variance)).
func moments(mu, variance float64) (mean, square float64) {
	s := math.Sqrt(variance)
	for _, z := range nodes {
		p := logistic(mu + s*z)
		mean += p
		square += p * p
	}
	return mean / float64(len(nodes)), square / float64(len(nodes))
}

// middle finds the mu at which logistic(N(mu, variance)) has the mean.
func middle(mean, variance float64) float64 {
	lo, hi := -30.0, 30.0
	for range 60 {
		mu := (lo + hi) / 2
		if m, _ := moments(mu, variance); m < mean {
			lo = mu
		} else {
			hi = mu
		}
	}
	return (lo + hi) / 2
}

// FromBeta is what a beta belief of the mean take says on the logit scale.
func FromBeta(b sizing.Beta) (logit, variance float64) {
	return mathext.Digamma(b.Alpha) - mathext.Digamma(b.Beta), mathext.Zeta(2, b.Alpha) + mathext.Zeta(2, b.Beta)
}

// Prior is the belief before any count.
func Prior(b sizing.Beta) Expected {
	_, v := FromBeta(b)
	return Expected{Mean: b.Mean(), Variance: v, Spreads: UsualSpreads}
}

// Learned is what the records of a genus say, for jobs still to come.
type Learned struct {
	Spreads    Spreads
	Tags       int
	d          Data
	at         *point
	fit        Fit
	techniques map[string]*typical
	levels     []map[string]int
}

// typical is a technique's usual job.
type typical struct {
	x            []float64
	grafts, took int
}

// Learn weighs records for what is to come. It is the fit of Solve, but that
// the spreads lean on the usual ones as far as the records have few groups, so
// that it has an answer from the first tag on.
func Learn(rs []Record) (Learned, error) {
	base := Base(rs, "")
	d := FromRecords(rs, base)
	f, err := Solve(d)
	if err != nil {
		return Learned{}, err
	}
	l := Learned{d: d, fit: f, Tags: len(rs), techniques: map[string]*typical{}}
	m := f.at.m
	sigma := slices.Clone(f.at.n.sigma)
	// Tiers, the fourth factor where there are any, are taken to differ as workers do.
	usual := []float64{UsualSpreads.Worker, UsualSpreads.Lot, UsualSpreads.Bundle, UsualSpreads.Worker}
	for i, k := range m.order {
		told := float64(len(m.column[k]))
		for _, c := range m.column[k] {
			told -= f.at.n.variance(int(c))
		}
		own := f.SD[k]
		sigma[i] = math.Sqrt((usualWeight*usual[k]*usual[k] + told*own*own) / (usualWeight + told))
		usual[k] = sigma[i]
	}
	l.Spreads = Spreads{Worker: usual[0], Lot: usual[1], Bundle: usual[2]}
	if len(d.Factors) > 3 {
		l.Spreads.Tier = usual[3]
	}
	p, _, ok := m.jointly(f.at.beta, sigma)
	if !ok {
		p = f.at
	}
	l.at = p
	for i, r := range d.Rows {
		if r.Grafts == 0 {
			continue
		}
		t := l.techniques[rs[i].Technique]
		if t == nil {
			t = &typical{x: make([]float64, len(d.Fixed))}
			l.techniques[rs[i].Technique] = t
		}
		for j, x := range r.X {
			t.x[j] += x * float64(r.Grafts)
		}
		t.grafts, t.took = t.grafts+r.Grafts, t.took+r.Took
	}
	for _, t := range l.techniques {
		for j := range t.x {
			t.x[j] /= float64(t.grafts)
		}
	}
	for _, f := range d.Factors {
		at := map[string]int{}
		for i, n := range f.Levels {
			at[n] = i
		}
		l.levels = append(l.levels, at)
	}
	return l, nil
}

// Expect is the belief of a technique's take: the prior, outweighed by the
// records where there are any. Of a technique without own records the prior
// alone is known.
func (l Learned) Expect(technique string, prior sizing.Beta) Expected {
	e := Prior(prior)
	if l.at == nil {
		return e
	}
	e.Spreads = l.Spreads
	t := l.techniques[technique]
	if t == nil || l.at.cov == nil {
		return e
	}
	eta := dot(l.at.beta, t.x)
	own := l.at.spread(t.x, make([]float64, l.at.m.q))
	// Both are beliefs of the middle; what is said of the mean is turned into
	// one by the groups' own spread.
	between := l.Spreads.between()
	before := middle(e.Mean, between)
	precision := 1/e.Variance + 1/own
	mu := (before/e.Variance + eta/own) / precision
	e.Variance = 1 / precision
	e.Mean, _ = moments(mu, between)
	if j := slices.Index(l.d.Fixed, Mismatch); j >= 0 {
		e.Mismatch = t.x[j] * (1 / own) / precision
	}
	return e
}

// Counted is how many grafts of a technique the records hold, and how many
// took.
func (l Learned) Counted(technique string) (took, grafts int) {
	if t := l.techniques[technique]; t != nil {
		return t.took, t.grafts
	}
	return 0, 0
}

// Effect is what is known of a level of a factor (Worker, Lot or Bundle) on the
// logit scale: nothing beyond the spread where it was never counted.
func (l Learned) Effect(factor, level string) Effect {
	for k, f := range l.d.Factors {
		if f.Name != factor {
			continue
		}
		i, ok := l.levels[k][level]
		if !ok {
			break
		}
		c := l.at.m.columnOf(k, i)
		s := l.at.n.sigma[slices.Index(l.at.m.order, k)]
		return Effect{s * l.at.b[c], s * math.Sqrt(l.at.n.variance(c))}
	}
	return Effect{SD: map[string]float64{Worker: l.Spreads.Worker, Lot: l.Spreads.Lot, Bundle: l.Spreads.Bundle,
		Tier: l.Spreads.Tier}[factor]}
}

// slopeSD is how far the slope of a covariate may lie from the house's, on the
// logit scale: in a whole unit of mismatch, and in ten days in store.
const (
	mismatchSD = 1.5
	store10SD  = 0.05
	partSD     = 0.3 // of wood from a part of the shoot, beside its base
)

// Slope is what a unit of a covariate (Mismatch, Store10 or a PartColumn) does on the logit
// scale: the house's own figure, outweighed by the records.
func (l Learned) Slope(covariate string, house float64) float64 {
	sd := map[string]float64{Mismatch: mismatchSD, Store10: store10SD}[covariate]
	if strings.HasPrefix(covariate, partPrefix) {
		sd = partSD
	}
	j := slices.Index(l.d.Fixed, covariate)
	if l.at == nil || j < 0 || l.at.cov == nil {
		return house
	}
	own := l.at.cov.At(j, j)
	return (house/(sd*sd) + l.at.beta[j]/own) / (1/(sd*sd) + 1/own)
}

// Part is so many grafts of a weave: their take's mean, and whose they are.
type Part struct {
	Grafts      int
	Buds        int     // on each, of which one suffices; 0 is 1
	Take        float64 // of one, 0 to 1
	Variance    float64 // of what is not known of its technique's mean, on the logit scale
	Technique   string
	Lot, Bundle string
	LotSD       float64 // what is not known of the lot, on the logit scale
	BundleSD    float64
}

// Outcome is how many grafts of a weave are expected to take, with the middle
// 90 %, when what is shared (a technique's mean, a lot, a bundle, a worker) goes
// up or down together. workers is how many share the work alike, and workerSD
// how far they differ.
func Outcome(parts []Part, workers int, workerSD float64) sizing.Interval {
	mean, luck := 0.0, 0.0
	shared := map[string]float64{} // what a unit on the logit scale of each moves
	weight := map[string]float64{}
	total := 0
	move := func(key string, by, variance float64) {
		shared[key] += by
		weight[key] = variance
	}
	all := 0.0
	for _, p := range parts {
		n := float64(p.Grafts)
		total += p.Grafts
		takes, slope := p.Take, 1.0
		if p.Buds > 1 {
			takes, slope = sizing.OneOfTwo(p.Take)
		}
		mean += n * takes
		luck += n * takes * (1 - takes)
		by := n * slope * p.Take * (1 - p.Take)
		all += by
		move("technique "+p.Technique, by, p.Variance)
		move("lot "+p.Lot, by, p.LotSD*p.LotSD)
		move("bundle "+p.Bundle, by, p.BundleSD*p.BundleSD)
	}
	v := luck + all*all*workerSD*workerSD/float64(max(1, workers))
	for k, by := range shared {
		v += by * by * weight[k]
	}
	if total == 0 {
		return sizing.Interval{}
	}
	// A beta of the same mean and spread keeps the range among the grafts there
	// are.
	n := float64(total)
	m := mean / n
	b := sizing.Prior(m, math.Max(1e-3, m*(1-m)/(v/(n*n))-1))
	return sizing.Interval{Mean: mean, Low: n * b.Quantile(0.05), High: n * b.Quantile(0.95)}
}

// FewestThatSuffice is how an order of n would lie on piles that have so many
// free: the fullest first.
func FewestThatSuffice(free []int, n int) []int {
	free = slices.Clone(free)
	slices.SortFunc(free, func(a, b int) int { return cmp.Compare(b, a) })
	var out []int
	for _, f := range free {
		if n <= 0 || f <= 0 {
			break
		}
		out = append(out, min(f, n))
		n -= f
	}
	return out
}
