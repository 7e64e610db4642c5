// Package learning reads how people learn a cut: from first tries that were right or not, in the
// order in which they were made.
package learning

import (
	"cmp"
	"math"
	"slices"

	"unionknot/internal/core/sizing"
)

// Bar is what clears a learner: of the last Run first tries, at least Share were right.
type Bar struct {
	Share float64 // 0 to 1
	Run   int     // 1 to mostRun
}

// UsualBar is the house default.
var UsualBar = Bar{Share: 0.8, Run: 10}

const mostRun = 14

// need is how many of Run have to be right.
func (b Bar) need() int { return int(math.Ceil(b.Share*float64(b.Run) - 1e-9)) }

// rights is how many of the last Run first tries were right, after each of them.
func (b Bar) rights(first []bool) []int {
	out := make([]int, len(first))
	right := 0
	for i, ok := range first {
		if ok {
			right++
		}
		if i >= b.Run && first[i-b.Run] {
			right--
		}
		out[i] = right
	}
	return out
}

// Cleared is the first try, counted from 1, with which the bar is met; 0 where it is not. A bar
// that was met stays met.
func (b Bar) Cleared(first []bool) int {
	for i, right := range b.rights(first) {
		if i >= b.Run-1 && right >= b.need() {
			return i + 1
		}
	}
	return 0
}

// Passes is the chance that somebody who is right p of the time, and gets no better, meets the bar
// within n first tries. It walks all that the last Run tries can have been, 2^Run of them, for each
// try: Run is at most 14. A longer one is never passed.
func (b Bar) Passes(p float64, n int) float64 {
	if b.Run < 1 || b.Run > mostRun || n < b.Run {
		return 0
	}
	size := 1 << b.Run
	at, next := make([]float64, size), make([]float64, size)
	at[0] = 1
	passed := 0.0
	for k := 1; k <= n; k++ {
		clear(next)
		for s, w := range at {
			if w == 0 {
				continue
			}
			for bit, share := range [2]float64{1 - p, p} {
				to := (s<<1 | bit) & (size - 1)
				if k >= b.Run && ones(to) >= b.need() {
					passed += w * share
				} else {
					next[to] += w * share
				}
			}
		}
		at, next = next, at
	}
	return passed
}

func ones(n int) (sum int) {
	for ; n > 0; n &= n - 1 {
		sum++
	}
	return sum
}

// Running is the share right among the last Run first tries, after each of them; of fewer at first.
func (b Bar) Running(first []bool) []float64 {
	out := make([]float64, len(first))
	for i, right := range b.rights(first) {
		out[i] = float64(right) / float64(min(i+1, b.Run))
	}
	return out
}

// Prior is what learners are taken to be before any of them is seen: the logit of a first try that
// is right, and what each doubling of the tries adds, as normals.
type Prior struct{ Level, LevelSD, Gain, GainSD float64 }

// UsualPrior is the house default: even odds at the first try, four in five at about the twentieth.
var UsualPrior = Prior{Level: 0, LevelSD: 1, Gain: 0.32, GainSD: 0.3}

// The grid over a learner's level and gain: so many spreads to each side of the mean.
const (
	levels, gains = 33, 21
	reach         = 3.2
)

// Learner is what is believed of one: weights over levels and gains, which sum to 1.
type Learner struct {
	level, gain, weight []float64
}

// doublings is how often the tries doubled before a try, counted from 1.
func doublings(try int) float64 { return math.Log2(float64(try)) }

func logistic(x float64) float64 { return 1 / (1 + math.Exp(-x)) }

// Read weighs a learner's first tries against a prior.
func Read(first []bool, p Prior) Learner { return gridOf(p, len(first)).read(first) }

// grid is the levels and gains that are weighed, with the logs of being right and wrong at each try:
// they are the same for every learner.
type grid struct {
	level, gain, prior []float64
	yes, no            [][]float64 // by try, by point
}

func gridOf(p Prior, tries int) grid {
	var g grid
	for i := range levels {
		zi := reach * (2*float64(i)/(levels-1) - 1)
		for j := range gains {
			zj := reach * (2*float64(j)/(gains-1) - 1)
			g.level, g.gain = append(g.level, p.Level+p.LevelSD*zi), append(g.gain, p.Gain+p.GainSD*zj)
			g.prior = append(g.prior, -(zi*zi+zj*zj)/2)
		}
	}
	for k := range tries {
		x := doublings(k + 1)
		yes, no := make([]float64, len(g.level)), make([]float64, len(g.level))
		for i, a := range g.level {
			yes[i] = -math.Log1p(math.Exp(-a - g.gain[i]*x))
			no[i] = yes[i] - a - g.gain[i]*x
		}
		g.yes, g.no = append(g.yes, yes), append(g.no, no)
	}
	return g
}

func (g grid) read(first []bool) Learner {
	l := Learner{level: g.level, gain: g.gain, weight: slices.Clone(g.prior)}
	for k, ok := range first {
		logs := g.no[k]
		if ok {
			logs = g.yes[k]
		}
		for i, x := range logs {
			l.weight[i] += x
		}
	}
	most, total := slices.Max(l.weight), 0.0
	for i, x := range l.weight {
		l.weight[i] = math.Exp(x - most)
		total += l.weight[i]
	}
	for i := range l.weight {
		l.weight[i] /= total
	}
	return l
}

// At is the chance that a try, counted from 1, is right the first time, with its 90 % range.
func (l Learner) At(try int) sizing.Interval {
	type point struct{ p, w float64 }
	ps := make([]point, len(l.weight))
	mean := 0.0
	for i, w := range l.weight {
		ps[i] = point{logistic(l.level[i] + l.gain[i]*doublings(try)), w}
		mean += w * ps[i].p
	}
	slices.SortFunc(ps, func(a, b point) int { return cmp.Compare(a.p, b.p) })
	at := func(q float64) float64 {
		sum := 0.0
		for _, x := range ps {
			if sum += x.w; sum >= q {
				return x.p
			}
		}
		return ps[len(ps)-1].p
	}
	return sizing.Interval{Mean: mean, Low: at(0.05), High: at(0.95)}
}

// How much the house default weighs against a class, in learners, and how often the class is read
// anew.
const (
	usualWeighs = 4.0
	readings    = 8
)

// Class reads what the learners of a class have in common from their first tries: the prior that
// fits them best, by expectation and maximisation, held to the usual one as if that were four
// learners more. Learners without a try say nothing.
func Class(all [][]bool) Prior {
	p, longest := UsualPrior, 0
	for _, first := range all {
		longest = max(longest, len(first))
	}
	for range readings {
		n := usualWeighs
		level, slope := usualWeighs*UsualPrior.Level, usualWeighs*UsualPrior.Gain
		var ls []Learner
		g := gridOf(p, longest)
		for _, first := range all {
			if len(first) > 0 {
				ls = append(ls, g.read(first))
			}
		}
		for _, l := range ls {
			for i, w := range l.weight {
				level, slope = level+w*l.level[i], slope+w*l.gain[i]
			}
			n++
		}
		q := Prior{Level: level / n, Gain: slope / n}
		square := func(x float64) float64 { return x * x }
		lv := usualWeighs * (square(UsualPrior.LevelSD) + square(UsualPrior.Level-q.Level))
		gv := usualWeighs * (square(UsualPrior.GainSD) + square(UsualPrior.Gain-q.Gain))
		for _, l := range ls {
			for i, w := range l.weight {
				lv, gv = lv+w*square(l.level[i]-q.Level), gv+w*square(l.gain[i]-q.Gain)
			}
		}
		q.LevelSD, q.GainSD = math.Sqrt(lv/n), math.Sqrt(gv/n)
		p = q
	}
	return p
}

// Says is what a look at a graft comes to.
type Says string

// What a look comes to. Another try of the same graft follows a wrong one; another graft follows
// one that is right, and one whose stock was spoiled.
const (
	Right       Says = "right"
	SetOver     Says = "set over"
	NotFlat     Says = "not flat"
	UpsideDown  Says = "upside down"
	Touched     Says = "touched"
	StockSpoilt Says = "stock spoilt"
	WoodSpoilt  Says = "wood spoilt"
)

// All are those there are, in the order of their keys.
var All = []Says{Right, SetOver, NotFlat, UpsideDown, Touched, WoodSpoilt, StockSpoilt}

// Known says whether it is one.
func (s Says) Known() bool { return slices.Contains(All, s) }

// Course is what a learner's looks come to.
type Course struct {
	Graft, Try int    // that is looked at next, from 1
	First      []bool // of each graft, whether its first try was right
	Passed     int
	Reasons    map[Says]int // of what was not right
}

// Of walks a learner's looks in the order in which they were made. One that is right the first time
// is right at its first look.
func Of(looks []Says) Course {
	c := Course{Graft: 1, Try: 1, Reasons: map[Says]int{}}
	for _, s := range looks {
		if c.Try == 1 {
			c.First = append(c.First, s == Right)
		}
		if s != Right {
			c.Reasons[s]++
		} else {
			c.Passed++
		}
		if s == Right || s == StockSpoilt {
			c.Graft, c.Try = c.Graft+1, 1
		} else {
			c.Try++
		}
	}
	return c
}

// SoftWood is shoots to practise on, with the colour of their bark.
type SoftWood struct{ Genus, Bark string }

// softWoods are cheap and soft, of colours far apart. House default.
var softWoods = []SoftWood{{"willow", "yellow"}, {"dogwood", "red"}, {"lime", "olive"}, {"poplar", "grey"}, {"elder", "pale buff"}}

// barks are the colours of what is grafted; those that are not named are brown.
var barks = map[string]string{"pear": "olive", "quince": "dark brown", "apple": "red-brown", "chestnut": "olive", "maple": "red",
	"wisteria": "grey",
	"rose":     "green", "cherry": "red-brown", "plum": "dark brown", "medlar": "brown", "hawthorn": "brown"}

// Practice gives woods to practise on before stock of a genus: two at least, of bark colours that
// differ from each other and from the stock's, so that the joint shows.
func Practice(genus string) (out []SoftWood) {
	for _, w := range softWoods {
		if w.Bark != barks[genus] {
			out = append(out, w)
		}
	}
	return out[:3]
}

// practicePiece is how long a piece of practice wood is, in m, two to a union; a quarter is cut off.
// House default.
const (
	practicePiece = 0.12
	practiceWaste = 0.25
)

// PracticeMetres is how many metres of shoots so many practice unions take.
func PracticeMetres(unions int) float64 {
	return float64(2*unions) * practicePiece * (1 + practiceWaste)
}
