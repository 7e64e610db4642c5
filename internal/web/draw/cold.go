package draw

import (
	"fmt"
	"html/template"
	"math"
	"time"

	"unionknot/internal/outlook"
)

// Cold draws a store's readings against its safe band: a line through each
// stretch's mean, and how far it swung. Harm is hatched, and stretches without
// readings stay open.
func Cold(c outlook.ColdPage) template.HTML {
	const w, h, left, right, top, foot = 780.0, 210.0, 44.0, 8.0, 12.0, 180.0
	var p pen
	p.open(
		w,
		h,
		"cold",
		fmt.Sprintf("%s, %s to %s, now %.1f °C", c.Place.Name, c.From.Format("2 January"), c.To.Format("2 January"), c.NowC),
	)
	low, high := math.Min(-4, c.Place.LowC-1), math.Max(8, c.Place.HighC+2)
	for _, r := range c.Readings {
		low, high = math.Min(low, r.C-0.5), math.Max(high, r.C+0.5)
	}
	span := c.To.Sub(c.From).Seconds()
	x := func(t time.Time) float64 {
		return left + (w-left-right)*math.Max(0, math.Min(1, t.Sub(c.From).Seconds()/span))
	}
	y := func(v float64) float64 { return top + (foot-top)*(high-v)/(high-low) }
	p.rect(left, y(c.Place.HighC), w-left-right, y(c.Place.LowC)-y(c.Place.HighC), "safe")
	p.text(left+6, y(c.Place.LowC)-4, "scale", "start", fmt.Sprintf("safe, %g to %g °C", c.Place.LowC, c.Place.HighC))
	for v := math.Ceil(low/2) * 2; v <= high; v += 2 {
		p.line(left, y(v), w-right, y(v), "mmline")
		p.text(left-6, y(v)+4, "scale", "end", fmt.Sprintf("%g°", v))
	}
	for d := time.Date(c.From.Year(), c.From.Month(), c.From.Day(), 0, 0, 0, 0, c.From.Location()); d.Before(c.To); d = d.AddDate(0, 0, 1) {
		if d.Before(c.From) || d.Day() != 1 && d.Day() != 15 {
			continue
		}
		p.line(x(d), foot, x(d), foot+5, "rule")
		p.text(x(d), foot+19, "scale", "middle", d.Format("2 Jan"))
	}
	p.line(left, foot, w-right, foot, "rule")
	for _, harm := range c.Harms {
		p.rect(x(harm.From), top, math.Max(3, x(harm.To)-x(harm.From)), foot-top, "fill-brick/18")
		p.text((x(harm.From)+x(harm.To))/2, foot-6, "harm-word", "middle", harm.Kind)
	}
	p.swing(c, x, y)
	return p.html()
}

// swing draws the readings, gathered into stretches of two pixels.
func (p *pen) swing(c outlook.ColdPage, x func(time.Time) float64, y func(float64) float64) {
	type stretch struct {
		x, low, high, sum float64
		n                 int
		last              time.Time
	}
	var ss []stretch
	for _, r := range c.Readings {
		at := math.Floor(x(r.At)/2) * 2
		if len(ss) == 0 || ss[len(ss)-1].x != at {
			ss = append(ss, stretch{x: at, low: r.C, high: r.C})
		}
		s := &ss[len(ss)-1]
		s.low, s.high, s.sum, s.n, s.last = math.Min(s.low, r.C), math.Max(s.high, r.C), s.sum+r.C, s.n+1, r.At
	}
	for _, s := range ss {
		if s.high-s.low > 0.3 {
			p.line(s.x+1, y(s.high), s.x+1, y(s.low), "stroke-swing stroke-2")
		}
	}
	if len(ss) == 0 {
		return
	}
	p.WriteString(`<path class="cold-line fill-none stroke-teal stroke-2" d="`)
	for i, s := range ss {
		op := "L"
		if i == 0 || s.x-ss[i-1].x > 18 {
			op = "M"
		}
		p.f("%s%.5g %.5g", op, s.x+1, y(s.sum/float64(s.n)))
	}
	p.WriteString(`"/>`)
}

// Life draws how much of a bundle's life is used.
func Life(k outlook.Kept) template.HTML {
	const w, h = 120.0, 16.0
	var p pen
	used := math.Max(0, math.Min(1, k.Keeping.Used))
	p.open(w, h, "w-30 h-4 inline-block align-middle", fmt.Sprintf("%.0f percent of its life used", k.Keeping.Used*100))
	p.rect(0.5, 2.5, w-1, h-5, "fill-none stroke-ink")
	class := "scion-bar"
	if k.Keeping.Used > 0.85 {
		class = "fill-brick"
	}
	p.rect(0.5, 2.5, (w-1)*used, h-5, class)
	return p.html()
}
