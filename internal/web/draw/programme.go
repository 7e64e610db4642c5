package draw

import (
	"fmt"
	"html/template"
	"math"

	"unionknot/internal/core/caliper"
	"unionknot/internal/nursery/match"
)

// Strand draws one order of a programme on a mm scale that all its orders
// share: stems above, pieces below, a thread straight down an even match, the
// slope the mismatch.
func Strand(l match.ProgrammeLine, low, high caliper.Class, ways map[string]int) template.HTML {
	const w, h, left, right, top, foot, tall = 960.0, 84.0, 4.0, 4.0, 22.0, 62.0, 18.0
	var p pen
	p.open(w, h, across, fmt.Sprintf("%s: %d of %d grafts paired", l.Line.Order.Code, l.Paired, l.Paired+l.Short))
	step := (w - left - right) / float64(high-low+1)
	x := func(c caliper.Class) float64 { return left + step*float64(c-low) }
	usedS, usedW := map[caliper.Class]int{}, map[caliper.Class]int{}
	for _, t := range l.Threads {
		usedS[t.Stock] += t.N
		usedW[t.Scion] += t.N
	}
	for c := low; c <= high+1; c++ {
		if int(c)%4 == 0 {
			p.line(x(c), 2, x(c), h-2, "mmline")
			p.text(x(c)+3, (top+foot)/2+4, "scale", "start", fmt.Sprintf("%g", c.Low()))
		}
	}
	// Both sides share one measure of height, so that plenty shows as plenty.
	scale := tall / float64(max(1, most(l.Stock), most(l.Wood)))
	for _, c := range l.Stock {
		all, used := float64(c.N)*scale, float64(usedS[c.Class])*scale
		p.rect(x(c.Class)+0.7, top-all, step-1.4, all, "fill-stock-pale")
		p.rect(x(c.Class)+0.7, top-used, step-1.4, used, "stock-bar")
	}
	for _, c := range l.Wood {
		all, used := float64(c.N)*scale, float64(usedW[c.Class])*scale
		p.rect(x(c.Class)+0.7, foot, step-1.4, all, "scion-spent")
		p.rect(x(c.Class)+0.7, foot, step-1.4, used, "scion-bar")
	}
	type pair struct {
		s, c caliper.Class
		way  string
		held bool
	}
	by, order := map[pair]int{}, []pair{}
	for _, t := range l.Threads {
		k := pair{t.Stock, t.Scion, t.Way, t.Held}
		if by[k] == 0 {
			order = append(order, k)
		}
		by[k] += t.N
	}
	for _, k := range order {
		thick := math.Max(1.2, math.Min(step*0.8, 9*float64(by[k])/float64(max(1, l.Paired))+1))
		class := ThreadClass(ways[k.way])
		if k.held {
			class += " held"
		}
		p.f(
			`<line x1="%.5g" y1="%.4g" x2="%.5g" y2="%.4g" class="thread %s" stroke-width="%.3g">`+
				`<title>%d: %s mm stock with %s mm wood</title></line>`,
			x(k.s)+step/2,
			top,
			x(k.c)+step/2,
			foot,
			class,
			thick,
			by[k],
			k.s,
			k.c,
		)
	}
	return p.html()
}

// StrandSpan is the classes that a programme's orders have stems or wood in.
func StrandSpan(ls []match.ProgrammeLine) (low, high caliper.Class) {
	low, high = math.MaxInt, 0
	for _, l := range ls {
		for _, cs := range [][]caliper.Count{l.Stock, l.Wood} {
			for _, c := range cs {
				low, high = min(low, c.Class), max(high, c.Class)
			}
		}
	}
	if low > high {
		return 10, 24
	}
	return low, high
}
