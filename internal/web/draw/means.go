package draw

import (
	"fmt"
	"html/template"
	"math"

	"unionknot/internal/outlook"
)

// meansClass is the colour of each of an order's means.
var meansClass = map[outlook.Kind]string{
	outlook.KindWood: "scion", outlook.KindStock: "stock", outlook.KindWorkers: "ink", outlook.KindWindow: "leaf",
}

// Means draws one of an order's means: what there is of what is wanted, the
// mark where it would suffice, what lacks hatched, and what is over pale.
func Means(b outlook.Bar, w float64) template.HTML {
	const h, top, bar = 17.0, 2.0, 11.0
	var p pen
	says := fmt.Sprintf("%s: %s", b.Name, b.Says)
	if b.Lack() > 0 {
		says += ", not enough"
	}
	p.open(w, h, "block h-4.25 w-auto max-w-full", says)
	most := math.Max(b.Want, math.Min(b.Have, 1.35*b.Want)) // plenty is not drawn out
	x := func(v float64) float64 { return (w - 4) * math.Min(v, most) / math.Max(most, 1e-9) }
	class := meansClass[b.Kind]
	p.rect(0, top, x(math.Min(b.Have, b.Want)), bar, class+"-bar")
	if b.Have > b.Want {
		p.rect(x(b.Want), top, x(b.Have)-x(b.Want), bar, class+"-spent")
	}
	if b.Lack() > 0 {
		from := x(b.Have)
		p.rect(from, top, x(b.Want)-from, bar, "lacks")
		for at := from + 4; at < x(b.Want); at += 5 {
			p.line(at, top+bar, math.Min(at+5, x(b.Want)), top, "stroke-brick")
		}
	}
	p.line(x(b.Want), 0, x(b.Want), h, "stroke-ink stroke-[2.5]")
	return p.html()
}

// HoursBar draws how much of a half-day's hours are used; what is over is
// brick.
func HoursBar(used, hours float64) template.HTML {
	if hours == 0 && used == 0 {
		return ""
	}
	const w, h = 100.0, 6.0
	var p pen
	p.f(`<svg class="hours" viewBox="0 0 %g %g" preserveAspectRatio="none" aria-hidden="true" xmlns="http://www.w3.org/2000/svg">`, w, h)
	most := math.Max(hours, used)
	p.rect(0, 0, w*hours/most, h, "fill-hours")
	p.rect(0, 0, w*math.Min(used, hours)/most, h, "fill-soft")
	if used > hours {
		p.rect(w*hours/most, 0, w*(used-hours)/most, h, "hours-over fill-brick")
	}
	return p.html()
}
