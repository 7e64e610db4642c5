package draw

import (
	"fmt"
	"html/template"
	"math"

	"unionknot/internal/core/union"
	"unionknot/internal/nursery/match"
)

// Union draws the two faces as one looks onto the cut, the scion laid the
// house's way, with the stretches where cambium meets.
func Union(p match.UnionPage) template.HTML {
	const w, h = 760.0, 250.0
	var pen pen
	pen.open(w, h, "union", fmt.Sprintf("Looking onto the cut: %.1f mm of cambium meets", p.Laid.MM))
	low, high := -p.Stems.Stock/2-0.5, p.Stems.Stock/2+0.5
	lines := p.Joint.Drawn(p.Placed)
	near, far := 0.0, p.Joint.Length
	for _, l := range lines {
		for _, q := range l.Points {
			near, far = math.Min(near, q.X), math.Max(far, q.X)
			low, high = math.Min(low, q.Y-0.5), math.Max(high, q.Y+0.5)
		}
	}
	scale := math.Min((w-40)/(far-near), (h-30)/(high-low))
	left := (w - scale*(far-near)) / 2
	at := func(q union.Point) (float64, float64) {
		return left + scale*(q.X-near), 15 + scale*(high-q.Y)
	}
	path := func(points []union.Point, class string) {
		pen.WriteString(`<path d="`)
		for i, q := range points {
			x, y := at(q)
			op := "L"
			if i == 0 {
				op = "M"
			}
			pen.f("%s%.5g %.5g", op, x, y)
		}
		pen.f(`" class="%s"/>`, class)
	}
	for _, l := range lines {
		path(l.Points, "face "+l.Of+"-"+l.Part)
	}
	for _, s := range p.Laid.Stretches {
		path(s, "meets") // placed already
	}
	if len(p.Laid.Stretches) > 0 {
		s := p.Laid.Stretches[0]
		x, y := at(s[len(s)/2])
		pen.text(x, math.Max(12, y-8), "scale", "middle", "cambium meets here")
	}
	return pen.html()
}

// Shift draws contact as the scion is moved over from the centre, and where a
// hand that aims at flush lands nine times in ten.
func Shift(p match.UnionPage) template.HTML {
	const w, h, base, top = 390.0, 150.0, 120.0, 16.0
	var pen pen
	pen.open(w, h, across, fmt.Sprintf("Contact by shift: centred %.1f mm, flush %.1f mm", p.By[union.Centred].MM, p.By[union.Flush].MM))
	most, reach := 1.0, 1.0
	for _, c := range p.Curve {
		most, reach = math.Max(most, c.MM), math.Max(reach, c.Shift)
	}
	x := func(u float64) float64 { return 6 + (w-12)*math.Max(0, math.Min(1, u/reach)) }
	const z90 = 1.6449
	lo, hi := x(p.Joint.Flush-z90*p.HandSD), x(p.Joint.Flush+z90*p.HandSD)
	pen.rect(lo, top, hi-lo, base-top, "fill-lands")
	pen.line(x(0), base, x(reach), base, "rule")
	pen.line(x(p.Joint.Flush), top-4, x(p.Joint.Flush), base, "mmline")
	pen.WriteString(`<path class="curve" d="`)
	for i, c := range p.Curve {
		op := "L"
		if i == 0 {
			op = "M"
		}
		pen.f("%s%.5g %.5g", op, x(c.Shift), base-(base-top)*c.MM/most)
	}
	pen.WriteString(`"/>`)
	pen.text(x(0), base+16, "scale", "start", "centred")
	pen.text(math.Max(x(0)+50, math.Min(x(p.Joint.Flush), w-60)), top-5, "scale", "middle", fmt.Sprintf("flush, %.2f mm", p.Joint.Flush))
	pen.text(x(reach), base+16, "scale", "end", "shaded: where a hand lands, 9 in 10")
	return pen.html()
}
