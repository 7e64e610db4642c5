package draw

import (
	"fmt"
	"html/template"
	"math"
	"sort"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
	"unionknot/internal/nursery/match"
)

// patterns tell techniques' threads apart by more than colour: the class of
// the n-th technique in use.
var patterns = []string{"thread-a", "thread-b", "thread-c", "thread-d"}

// ThreadClass is how the n-th technique's threads are drawn.
func ThreadClass(n int) string { return patterns[n%len(patterns)] }

// ThreadSample draws a short thread for a table's key.
func ThreadSample(n int) template.HTML {
	var p pen
	p.f(`<svg class="w-10 h-2.75 inline-block align-middle mr-1.5" viewBox="0 0 40 10" aria-hidden="true"
		xmlns="http://www.w3.org/2000/svg">`)
	p.f(`<path d="M1 5 H39" class="thread %s" stroke-width="6"/>`, ThreadClass(n))
	return p.html()
}

type ribbon struct {
	stock, scion caliper.Class
	way          string
	n            int
}

// Weave draws stems on the left and pieces on the right on one mm scale, and
// the threads between them: level is an even match, the steeper the thinner
// the wood.
func Weave(m match.MatchPage) template.HTML {
	const w, gapL, gapR, top, widest = 780.0, 250.0, 560.0, 34.0, 180.0
	var p pen
	low, high, ok := span(m.Stock, m.Wood)
	if !ok {
		p.open(w, 120, "weave", "no stock and no wood")
		p.text(w/2, 60, "quiet", "middle", "no stock and no wood free for this order")
		return p.html()
	}
	rows := float64(high-low) + 1
	step := math.Min(34, math.Max(14, 540/rows))
	h := top + step*rows + 16
	p.open(
		w,
		h,
		"weave",
		fmt.Sprintf(
			"%d grafts paired between %d stems and %d pieces of wood",
			m.Weave.Paired,
			caliper.Total(m.Stock),
			caliper.Total(m.Wood),
		),
	)
	y := func(c caliper.Class) float64 { return top + step*float64(high-c) } // top edge of a class
	p.text(gapL, 16, "heading stock-word", "end", "Rootstock, "+m.Order.StockType)
	p.text(gapR, 16, "heading scion-word", "start", "Wood, "+m.Order.Variety)
	for c := low; c <= high+1; c++ {
		if int(c)%2 == 0 {
			edge := y(c) + step
			p.line(gapL, edge, gapR, edge, "mmline")
			p.text((gapL+gapR)/2, edge-3, "scale", "middle", fmt.Sprintf("%g mm", c.Low()))
		}
	}
	usedS, usedW := map[caliper.Class]int{}, map[caliper.Class]int{}
	for _, t := range m.Weave.Threads {
		usedS[t.Stock] += t.N
		usedW[t.Scion] += t.N
	}
	scale := widest / float64(max(most(m.Stock), most(m.Wood)))
	barH := step - 3
	for _, c := range m.Stock {
		all, used := float64(c.N)*scale, float64(usedS[c.Class])*scale
		p.rect(gapL-all, y(c.Class)+1.5, all, barH, "fill-stock-pale")
		p.rect(gapL-used, y(c.Class)+1.5, used, barH, "stock-bar")
		p.text(gapL-all-7, y(c.Class)+step/2+4.5, "count", "end", fmt.Sprint(c.N))
	}
	for _, c := range m.Wood {
		all, used := float64(c.N)*scale, float64(usedW[c.Class])*scale
		p.rect(gapR, y(c.Class)+1.5, all, barH, "scion-spent")
		p.rect(gapR, y(c.Class)+1.5, used, barH, "scion-bar")
		p.text(gapR+all+7, y(c.Class)+step/2+4.5, "count", "start", fmt.Sprint(c.N))
	}
	p.ribbons(m, ribbons(m.Weave), y, barH, gapL, gapR)
	return p.html()
}

// ribbons gathers threads of the same classes and technique over lots and
// bundles.
func ribbons(w pairing.Weave) []ribbon {
	by := map[ribbon]int{}
	for _, t := range w.Threads {
		by[ribbon{t.Stock, t.Scion, t.Way, 0}] += t.N
	}
	out := make([]ribbon, 0, len(by))
	for r, n := range by {
		r.n = n
		out = append(out, r)
	}
	// Thickest first on both sides, so that ribbons leave a class in the order
	// in which they arrive and do not cross without need.
	sort.Slice(out, func(i, j int) bool {
		a, b := out[i], out[j]
		if a.stock != b.stock {
			return a.stock > b.stock
		}
		if a.scion != b.scion {
			return a.scion > b.scion
		}
		return a.way < b.way
	})
	return out
}

func (p *pen) ribbons(m match.MatchPage, rs []ribbon, y func(caliper.Class) float64, barH, gapL, gapR float64) {
	order := map[string]int{}
	for i, l := range m.Ways {
		order[l.Technique.Key] = i
	}
	sums := func(of func(ribbon) caliper.Class) map[caliper.Class]int {
		s := map[caliper.Class]int{}
		for _, r := range rs {
			s[of(r)] += r.n
		}
		return s
	}
	stock, scion := func(r ribbon) caliper.Class { return r.stock }, func(r ribbon) caliper.Class { return r.scion }
	sumS, sumW := sums(stock), sums(scion)
	atS, atW := map[caliper.Class]float64{}, map[caliper.Class]float64{}
	perGraft := barH / float64(maxOf(sumS, sumW))
	mid := (gapL + gapR) / 2
	for _, r := range rs {
		// A class's threads stack up, centred on its bar.
		thick := math.Max(1.2, float64(r.n)*perGraft)
		place := func(at map[caliper.Class]float64, c caliper.Class, sum int) float64 {
			start := y(c) + 1.5 + (barH-float64(sum)*perGraft)/2
			mine := start + at[c] + float64(r.n)*perGraft/2
			at[c] += float64(r.n) * perGraft
			return mine
		}
		y1, y2 := place(atS, r.stock, sumS[r.stock]), place(atW, r.scion, sumW[r.scion])
		p.f(
			`<path d="M%.5g %.5g C%.5g %.5g %.5g %.5g %.5g %.5g" class="thread %s" stroke-width="%.3g">`+
				`<title>%d: %s mm stock with %s mm wood, %s</title></path>`,
			gapL,
			y1,
			mid,
			y1,
			mid,
			y2,
			gapR,
			y2,
			ThreadClass(order[r.way]),
			thick,
			r.n,
			r.stock,
			r.scion,
			template.HTMLEscapeString(m.WayNames[r.way]),
		)
	}
}

func maxOf(ms ...map[caliper.Class]int) int {
	n := 1
	for _, m := range ms {
		for _, v := range m {
			n = max(n, v)
		}
	}
	return n
}
