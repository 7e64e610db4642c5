package rehearsal

import (
	"math"
	"math/rand/v2"
	"runtime"
	"sync"
	"sync/atomic"

	"unionknot/internal/core/sizing"
)

// pairs is how many pairs of seasons a share of the work has. A pair are two seasons of
// opposite luck: what is drawn for one lies as far on the other side of its middle in the other,
// so that their mean strays less than that of two drawn apart.
const pairs = 128

// Play plays a season so many times, two of opposite luck each. What is certain is not drawn;
// all else is drawn the same as without it.
func Play(s Season, seasons int, seed uint64, certain Certain) (Answer, error) {
	return playing(s, seasons, seed, certain, false)
}

// playing plays; alone leaves out the second of each pair.
func playing(s Season, seasons int, seed uint64, certain Certain, alone bool) (Answer, error) {
	if err := s.check(); err != nil {
		return Answer{}, err
	}
	root, err := s.root()
	if err != nil {
		return Answer{}, err
	}
	most := 0
	ceiling := make([]int, len(s.Orders))
	for _, j := range s.Jobs {
		most = max(most, j.Grafts)
		ceiling[j.Order] += j.Grafts
	}
	t := &table{s: &s, root: root, certain: certain, alone: alone, lf: factorials(most), seed: seed, seasons: max(2, seasons+seasons%2),
		ceiling: ceiling}
	t.ready()
	n := (t.seasons/2 + pairs - 1) / pairs
	shares := make([]share, n)
	var next atomic.Int64
	var all sync.WaitGroup
	for range min(n, runtime.GOMAXPROCS(0)) {
		all.Go(func() {
			p := t.player()
			for {
				i := int(next.Add(1)) - 1
				if i >= n {
					return
				}
				shares[i] = p.play(i)
			}
		})
	}
	all.Wait()
	return t.sum(shares), nil
}

// table is a season made ready to be played.
type table struct {
	s       *Season
	root    [][]float64
	certain Certain
	alone   bool // of each pair only the first is played
	lf      logFactorial
	seed    uint64
	seasons int
	ceiling []int
	sd      []float64 // of effects that are drawn together
	mean    []float64 // of stages
	stage   []*curve
	touch   [][]int // by order: the effects of its jobs
	base    []int   // by order: where its touched effects begin
	touched int
}

func (t *table) ready() {
	for _, l := range t.s.Later {
		t.mean, t.stage = append(t.mean, l.A/(l.A+l.B)), append(t.stage, curveOf(l))
	}
	for i := range t.root {
		t.sd = append(t.sd, math.Sqrt(t.s.Joint.At(i, i)+jitter))
	}
	t.touch, t.base = make([][]int, len(t.s.Orders)), make([]int, len(t.s.Orders))
	seen := map[[2]int]bool{}
	for _, j := range t.s.Jobs {
		for _, e := range j.Effects {
			if k := [2]int{j.Order, e}; !seen[k] {
				seen[k] = true
				t.touch[j.Order] = append(t.touch[j.Order], e)
			}
		}
	}
	for o := range t.touch {
		t.base[o] = t.touched
		t.touched += len(t.touch[o])
	}
}

// share is what some pairs of seasons came to. Sums are kept by share and added in their order.
type share struct {
	seasons                  int
	met                      []int
	mean, short, late        []float64
	trees                    [][]int
	all                      int
	hang                     []float64 // by order and touched effect: Σ z × met
	window, hand             []float64 // Σ of how much worse × orders met
	windowAt, handAt, handSq []float64 // Σ of it, and of its square
	metSum                   float64
}

// player plays seasons in a corner of its own.
type player struct {
	t               *table
	z               []float64 // of effects, before they are put together
	dev             []float64 // of effects, in units of their spread
	effect          []float64
	later           []float64
	shut            []int
	day             [][]int // of hands: the days that are not missed
	missed          []float64
	pace, paceZ     []float64 // of hands, times the one that is planned with
	live            []float64
	late            []float64
	u               []float64
	jobZ            []float64
	windowZ, laterZ []float64
	absentU         [][]float64
	streams         [4]*rand.Rand
	hands           []*rand.Rand
	sources         [4]*rand.PCG
	handSources     []*rand.PCG
	eachStage       []float64 // Π of the stages from one on
}

func (t *table) player() *player {
	s := t.s
	p := &player{t: t, z: make([]float64, len(s.Effects)), dev: make([]float64, len(s.Effects)), effect: make([]float64, len(s.Effects)),
		later: make([]float64, len(s.Later)),
		shut:  make([]int, len(s.Windows)), day: make([][]int, len(s.Hands)),
		missed: make([]float64, len(s.Hands)), pace: make([]float64, len(s.Hands)), paceZ: make([]float64, len(s.Hands)),
		live: make([]float64, len(s.Orders)), late: make([]float64, len(s.Orders)),
		u: make([]float64, len(s.Jobs)), jobZ: make([]float64, len(s.Jobs)), windowZ: make([]float64, len(s.Windows)),
		laterZ: make([]float64, len(s.Later)), absentU: make([][]float64, len(s.Hands)), eachStage: make([]float64, len(s.Later)+1)}
	for h := range s.Hands {
		p.absentU[h] = make([]float64, len(s.Hands[h].Days))
		p.day[h] = make([]int, 0, len(s.Hands[h].Days))
	}
	for i := range p.streams {
		p.sources[i] = &rand.PCG{}
		p.streams[i] = rand.New(p.sources[i])
	}
	for range s.Hands {
		src := &rand.PCG{}
		p.handSources, p.hands = append(p.handSources, src), append(p.hands, rand.New(src))
	}
	return p
}

// Streams of chance, each of its own, so that what is added to a season does not move the rest.
const (
	ofEffects = iota
	ofLater
	ofWindows
	ofJobs
)

func (p *player) play(no int) share {
	t, s := p.t, p.t.s
	out := share{met: make([]int, len(s.Orders)), mean: make([]float64, len(s.Orders)), short: make([]float64, len(s.Orders)),
		late: make([]float64, len(s.Orders)), trees: make([][]int, len(s.Orders)), hang: make([]float64, t.touched),
		window: make([]float64, len(s.Windows)), hand: make([]float64, len(s.Hands)), windowAt: make([]float64, len(s.Windows)),
		handAt: make([]float64, len(s.Hands)), handSq: make([]float64, len(s.Hands))}
	for o := range out.trees {
		out.trees[o] = make([]int, t.ceiling[o]+1)
	}
	for i, src := range p.sources {
		src.Seed(t.seed, uint64(no)<<8|uint64(i))
	}
	for h, src := range p.handSources {
		src.Seed(t.seed+uint64(h+1)*0x9e3779b97f4a7c15, uint64(no)<<8|0xff)
	}
	for range min(pairs, t.seasons/2-no*pairs) {
		p.draw()
		p.season(1, &out)
		if !t.alone {
			p.season(-1, &out)
		}
	}
	return out
}

// draw draws what a pair of seasons shares but for its sign.
func (p *player) draw() {
	for i := range p.z {
		p.z[i] = p.streams[ofEffects].NormFloat64()
	}
	for i := range p.laterZ {
		p.laterZ[i] = p.streams[ofLater].NormFloat64()
	}
	for i := range p.windowZ {
		p.windowZ[i] = p.streams[ofWindows].NormFloat64()
	}
	for h := range p.absentU {
		p.paceZ[h] = p.hands[h].NormFloat64()
		for d := range p.absentU[h] {
			p.absentU[h][d] = p.hands[h].Float64()
		}
	}
	for j := range p.u {
		p.u[j] = p.streams[ofJobs].Float64()
		p.jobZ[j] = p.streams[ofJobs].NormFloat64()
	}
}

// side gives u, or its opposite.
func side(sign, u float64) float64 {
	if sign < 0 {
		return 1 - u
	}
	return u
}

// season plays one of a pair, and adds it to a share.
func (p *player) season(sign float64, out *share) {
	t, s := p.t, p.t.s
	p.set(sign)
	clear(p.live)
	clear(p.late)
	for i := range s.Jobs {
		j := &s.Jobs[i]
		if j.Hand != Made {
			days, at := p.day[j.Hand], j.Day
			if pace := p.pace[j.Hand]; pace != 1 {
				at = int((float64(j.Day)+math.Min(j.Part, 1-1e-9))/pace + 1e-9)
			}
			if at >= len(days) || j.Window >= 0 && days[at] > p.shut[j.Window] {
				p.late[j.Order] += float64(j.Grafts)
				continue
			}
		}
		chance := 1.0
		if !j.Sure {
			eta := j.Eta
			for _, e := range j.Effects {
				eta += p.effect[e]
			}
			if t.certain&Takes == 0 {
				eta += sign * j.EtaSD * p.jobZ[i]
			}
			chance = 1 / (1 + math.Exp(-eta))
			if j.Buds > 1 {
				chance, _ = sizing.OneOfTwo(chance)
			}
		}
		chance *= p.eachStage[j.From]
		if t.certain&Luck != 0 {
			p.live[j.Order] += float64(j.Grafts) * chance
			continue
		}
		p.live[j.Order] += float64(t.lf.binomial(j.Grafts, chance, side(sign, p.u[i])))
	}
	p.add(sign, out)
}

// set readies effects, stages, windows and days for one of a pair.
func (p *player) set(sign float64) {
	t, s := p.t, p.t.s
	for i, e := range s.Effects {
		dev, sd := p.z[i], e.SD
		if i < len(t.root) {
			dev, sd = 0, t.sd[i]
			for k, l := range t.root[i] {
				dev += l * p.z[k]
			}
			if sd > 0 {
				dev /= sd
			}
		}
		p.dev[i] = sign * dev
		p.effect[i] = e.Mean
		if t.certain&Takes == 0 {
			p.effect[i] += p.dev[i] * sd
		}
	}
	for i := range s.Later {
		p.later[i] = t.mean[i]
		if t.certain&Takes == 0 {
			p.later[i] = t.stage[i].at(sign * p.laterZ[i])
		}
	}
	p.eachStage[len(s.Later)] = 1
	for i := len(s.Later) - 1; i >= 0; i-- {
		p.eachStage[i] = p.eachStage[i+1] * p.later[i]
	}
	for i, w := range s.Windows {
		p.shut[i] = w.Day
		if t.certain&Windows == 0 {
			p.shut[i] = int(math.Round(float64(w.Day) + sign*w.SD*p.windowZ[i]))
		}
	}
	for h := range s.Hands {
		hand := &s.Hands[h]
		days := p.day[h][:0]
		p.missed[h], p.pace[h] = 0, 1
		if hand.PaceSD > 0 && t.certain&Hands == 0 {
			p.pace[h] = math.Exp(sign * hand.PaceSD * p.paceZ[h])
		}
		for d, day := range hand.Days {
			if t.certain&Hands == 0 && side(sign, p.absentU[h][d]) < hand.Absent {
				p.missed[h]++
				continue
			}
			days = append(days, day)
		}
		p.day[h] = days
	}
}

// add adds a season to a share.
func (p *player) add(sign float64, out *share) {
	t, s := p.t, p.t.s
	out.seasons++
	met := 0.0
	for o, want := range s.Orders {
		live := p.live[o]
		out.mean[o] += live
		out.late[o] += p.late[o]
		out.trees[o][min(int(live+1e-9), t.ceiling[o])]++
		if live >= float64(want)-1e-9 {
			out.met[o]++
			met++
			at := t.base[o]
			for k, e := range t.touch[o] {
				out.hang[at+k] += p.dev[e]
			}
			continue
		}
		out.short[o] += float64(want) - live
	}
	if int(met) == len(s.Orders) {
		out.all++
	}
	out.metSum += met
	for w := range s.Windows {
		out.window[w] += sign * p.windowZ[w] * met
	}
	for h := range s.Hands {
		out.hand[h] += p.missed[h] * met
		out.handAt[h] += p.missed[h]
		out.handSq[h] += p.missed[h] * p.missed[h]
	}
}

// sum adds the shares up, in their order.
func (t *table) sum(shares []share) Answer {
	s := t.s
	a := Answer{Orders: make([]Outcome, len(s.Orders)), Effects: make([]float64, len(s.Effects)), Windows: make([]float64, len(s.Windows)),
		Hands: make([]float64, len(s.Hands)), Of: make([]map[int]float64, len(s.Orders))}
	hang := make([]float64, t.touched)
	met := make([]int, len(s.Orders))
	window, hand, handAt, handSq := make([]float64, len(s.Windows)), make([]float64, len(s.Hands)), make([]float64, len(s.Hands)),
		make([]float64, len(s.Hands))
	all, metSum := 0, 0.0
	for o := range a.Orders {
		a.Orders[o].Trees = make([]int, t.ceiling[o]+1)
	}
	for _, x := range shares {
		a.Seasons += x.seasons
		all += x.all
		metSum += x.metSum
		for o := range a.Orders {
			y := &a.Orders[o]
			met[o] += x.met[o]
			y.Mean, y.Short, y.Late = y.Mean+x.mean[o], y.Short+x.short[o], y.Late+x.late[o]
			for n, k := range x.trees[o] {
				y.Trees[n] += k
			}
		}
		for i, v := range x.hang {
			hang[i] += v
		}
		for w := range window {
			window[w] += x.window[w]
		}
		for h := range hand {
			hand[h], handAt[h], handSq[h] = hand[h]+x.hand[h], handAt[h]+x.handAt[h], handSq[h]+x.handSq[h]
		}
	}
	n := float64(a.Seasons)
	a.AllMet = float64(all) / n
	for o := range a.Orders {
		y := &a.Orders[o]
		y.Met, y.Mean, y.Short, y.Late = float64(met[o])/n, y.Mean/n, y.Short/n, y.Late/n
		y.Low, y.High = quantile(y.Trees, a.Seasons, 0.05), quantile(y.Trees, a.Seasons, 0.95)
		a.Of[o] = map[int]float64{}
		for k, e := range t.touch[o] {
			// The draws have mean 0 over pairs and variance 1: the mean product is the slope.
			by := hang[t.base[o]+k] / n
			a.Of[o][e] = by
			a.Effects[e] += by
		}
	}
	for w := range a.Windows {
		a.Windows[w] = window[w] / n
	}
	for h := range a.Hands {
		mean := handAt[h] / n
		if sd := math.Sqrt(math.Max(0, handSq[h]/n-mean*mean)); sd > 0 {
			a.Hands[h] = -(hand[h]/n - mean*metSum/n) / sd
		}
	}
	return a
}

// quantile is the least count that at least a share of seasons do not exceed.
func quantile(trees []int, seasons int, share float64) int {
	need := share * float64(seasons)
	sum := 0
	for n, k := range trees {
		sum += k
		if float64(sum) >= need-1e-9 {
			return n
		}
	}
	return len(trees) - 1
}
