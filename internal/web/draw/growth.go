package draw

import (
	"fmt"
	"html/template"
	"math"
	"time"

	"unionknot/internal/nursery/stock"
)

// Growth draws a lot's dated samples, the line through their means with its
// range, and the day on which the mean comes to the wanted caliper.
func Growth(g stock.Grown) template.HTML {
	if !g.Known {
		return ""
	}
	const w, h, left, right, top, foot = 780.0, 190.0, 40.0, 12.0, 14.0, 156.0
	var p pen
	from, to := g.Samples[0].On, g.Growth.Last.AddDate(0, 0, 28)
	if g.Reaches && g.Reach.On.After(to) && g.Reach.On.Before(to.AddDate(1, 0, 0)) {
		to = g.Reach.On.AddDate(0, 0, 14)
	}
	low, high := g.Want, g.Want
	for _, s := range g.Samples {
		for _, d := range s.MM {
			low, high = math.Min(low, d), math.Max(high, d)
		}
	}
	_, _, top90 := g.Growth.On(to)
	high = math.Max(high, math.Min(top90, high+4)) + 0.5
	low -= 0.5
	p.open(w, h, across, fmt.Sprintf("%.2f mm a week", g.Growth.PerWeek))
	x := func(t time.Time) float64 {
		return left + (w-left-right)*t.Sub(from).Hours()/math.Max(24, to.Sub(from).Hours())
	}
	y := func(mm float64) float64 {
		return math.Max(top, math.Min(foot, top+(foot-top)*(high-mm)/(high-low)))
	}
	for v := math.Ceil(low); v <= high; v++ {
		p.line(left, y(v), w-right, y(v), "mmline")
		p.text(left-6, y(v)+4, "scale", "end", fmt.Sprintf("%g", v))
	}
	p.WriteString(`<path class="fill-stock-pale/40" d="`)
	days := int(to.Sub(from).Hours() / 24)
	step := max(1, days/60)
	for d := 0; d <= days; d += step {
		_, _, hi := g.Growth.On(from.AddDate(0, 0, d))
		p.f("%s%.5g %.5g", map[bool]string{true: "M", false: "L"}[d == 0], x(from.AddDate(0, 0, d)), y(hi))
	}
	for d := days / step * step; d >= 0; d -= step {
		_, lo, _ := g.Growth.On(from.AddDate(0, 0, d))
		p.f("L%.5g %.5g", x(from.AddDate(0, 0, d)), y(lo))
	}
	p.WriteString(`Z"/>`)
	a, _, _ := g.Growth.On(from)
	b, _, _ := g.Growth.On(to)
	p.line(x(from), y(a), x(to), y(b), "stroke-stock stroke-[2.5]")
	for _, s := range g.Samples {
		for i, d := range s.MM {
			p.f(`<circle cx="%.5g" cy="%.5g" r="1.8" class="growth-stem fill-stock opacity-60"/>`, x(s.On)+float64(i%7-3), y(d))
		}
		p.text(math.Max(left+14, x(s.On)), foot+18, "scale", "middle", s.On.Format("2 Jan"))
	}
	p.line(left, y(g.Want), w-right, y(g.Want), "stroke-leaf [stroke-dasharray:6_4] stroke-[1.6]")
	p.text(left+6, y(g.Want)-4, "scale", "start", fmt.Sprintf("%g mm wanted", g.Want))
	if g.Reaches && g.Reach.On.After(from) && g.Reach.On.Before(to) {
		p.line(x(g.Reach.On), y(g.Want), x(g.Reach.On), foot, "rule")
		p.text(math.Min(w-60, x(g.Reach.On)), foot+32, "count", "middle", g.Reach.On.Format("2 January"))
	}
	p.line(left, foot, w-right, foot, "rule")
	return p.html()
}
