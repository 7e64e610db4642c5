package draw

import (
	"fmt"
	"html/template"
	"math"

	"unionknot/internal/core/learning"
	"unionknot/internal/core/union"
	"unionknot/internal/nursery/learners"
	"unionknot/internal/nursery/practice"
	"unionknot/internal/words"
)

// Running draws a learner's share right the first time, over the bar's run, with the bar as a dashed
// line. Its width stands for all their cans.
func Running(running []float64, cans int, bar learning.Bar) template.HTML {
	const w, h, base, top = 100.0, 46.0, 42.0, 6.0
	var s pen
	s.f(`<svg class="running" viewBox="0 0 %.4g %.4g" aria-hidden="true" xmlns="http://www.w3.org/2000/svg">`, w, h)
	y := func(share float64) float64 { return base - (base-top)*share }
	s.line(0, y(bar.Share), w, y(bar.Share), "stroke-ochre [stroke-dasharray:3_3] stroke-1")
	step := w / float64(max(cans, len(running), 1))
	if len(running) == 1 {
		s.f(`<circle cx="%.4g" cy="%.4g" r="2.4" class="rundot"/>`, step/2, y(running[0]))
	} else if len(running) > 1 {
		s.WriteString(`<path class="fill-none stroke-leaf stroke-2" d="`)
		for i, share := range running {
			op := "L"
			if i == 0 {
				op = "M"
			}
			s.f("%s%.4g %.4g", op, step*(float64(i)+0.5), y(share))
		}
		s.WriteString(`"/>`)
	}
	return s.html()
}

// LearningCurve draws how likely a try is right the first time: the curve with its range, and what
// was counted.
func LearningCurve(title string, curve []learners.CurvePoint, tried []learners.Tried, bar learning.Bar) template.HTML {
	const w, h, left, base, top = 420.0, 190.0, 40.0, 158.0, 12.0
	var s pen
	s.open(w, h, "learncurve", title)
	if len(curve) == 0 {
		return s.html()
	}
	most := float64(curve[len(curve)-1].Try)
	x := func(try float64) float64 { return left + (w-left-10)*(try-1)/math.Max(1, most-1) }
	y := func(share float64) float64 { return base - (base-top)*share }
	for _, share := range []float64{0, 0.5, 1} {
		s.line(left, y(share), w-10, y(share), "rule")
		s.text(left-5, y(share)+4, "scale", "end", fmt.Sprintf("%.0f", 100*share))
	}
	s.WriteString(`<path class="band" d="`)
	for i, p := range curve {
		op := "L"
		if i == 0 {
			op = "M"
		}
		s.f("%s%.4g %.4g", op, x(float64(p.Try)), y(p.Right.High))
	}
	for i := len(curve) - 1; i >= 0; i-- {
		s.f("L%.4g %.4g", x(float64(curve[i].Try)), y(curve[i].Right.Low))
	}
	s.WriteString(`z"/><path class="curve" d="`)
	for i, p := range curve {
		op := "L"
		if i == 0 {
			op = "M"
		}
		s.f("%s%.4g %.4g", op, x(float64(p.Try)), y(p.Right.Mean))
	}
	s.WriteString(`"/>`)
	s.line(left, y(bar.Share), w-10, y(bar.Share), "stroke-ochre [stroke-dasharray:3_3] stroke-1")
	s.text(w-10, y(bar.Share)-4, "scale", "end", "the bar")
	for _, t := range tried {
		at := x(math.Min(most, float64(t.From+t.To)/2))
		s.line(at, y(t.Right.Low), at, y(t.Right.High), "whisker")
		s.f(`<circle cx="%.4g" cy="%.4g" r="3.4" class="rundot"/>`, at, y(float64(t.N)/float64(t.Of)))
	}
	s.text(left, base+18, "scale", "start", "graft 1")
	s.text(w-10, base+18, "scale", "end", fmt.Sprintf("graft %.0f", most))
	return s.html()
}

// What a step's picture shows.
const (
	StepStock = "stock"
	StepScion = "scion"
	StepLay   = "lay"
	StepLook  = "look"
	StepBind  = "bind"
	StepSeal  = "seal"
)

// seated is how much of a wedge's 25 mm goes into its cleft, in mm: the rest of the face shows.
const seated = 22

// Step draws one step of a graft from the side: the cut stock, the cut scion, both laid together,
// bound, and sealed.
func Step(side union.Side, step, title string) template.HTML {
	const w, h = 420.0, 120.0
	var s pen
	s.open(w, h, "w-full bg-sheet border border-rule", title)
	near, far, low, high := math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
	for _, b := range side.Bodies {
		for _, q := range b.Points {
			near, far, low, high = math.Min(near, q.X), math.Max(far, q.X), math.Min(low, q.Y), math.Max(high, q.Y)
		}
	}
	if math.IsInf(near, 1) {
		return s.html()
	}
	scale := math.Min((w-20)/(far-near), (h-24)/(high-low))
	at := func(q union.Point) (float64, float64) {
		return (w-scale*(far-near))/2 + scale*(q.X-near), (h-scale*(high-low))/2 + scale*(high-q.Y)
	}
	// From the third step on the scion sits where it belongs: in a cleft all but its shown face, and
	// over to the near side.
	seatX, seatY := 0.0, 0.0
	if step != StepStock && step != StepScion {
		ends, tips, stockTop, scionTop := math.Inf(-1), math.Inf(1), math.Inf(-1), math.Inf(-1)
		for _, b := range side.Bodies {
			for _, q := range b.Points {
				if b.Of == "stock" {
					ends, stockTop = math.Max(ends, q.X), math.Max(stockTop, q.Y)
				} else {
					tips, scionTop = math.Min(tips, q.X), math.Max(scionTop, q.Y)
				}
			}
		}
		if tips > ends-0.5 {
			seatX, seatY = ends-tips-seated, stockTop-scionTop
		}
	}
	shows := func(of string) bool { return step != StepStock && step != StepScion || of == step }
	path := func(points []union.Point, class, end string, dx, dy float64) {
		s.WriteString(`<path d="`)
		for i, q := range points {
			px, py := at(union.Point{X: q.X + dx, Y: q.Y + dy})
			op := "L"
			if i == 0 {
				op = "M"
			}
			s.f("%s%.4g %.4g", op, px, py)
		}
		s.f(`%s" class="%s"/>`, end, class)
	}
	for _, b := range side.Bodies {
		class := "side " + b.Of + "-" + b.Part
		if !shows(b.Of) {
			class = "side faint"
		}
		if b.Of == "stock" {
			path(b.Points, class, "z", 0, 0)
		} else {
			path(b.Points, class, "z", seatX, seatY)
		}
	}
	for _, c := range side.Cuts {
		if shows(c.Of) {
			path(c.Points, "knifecut", "", 0, 0)
		}
	}
	// Where the union is: the reach that both share.
	from, to := near+(far-near)*0.28, near+(far-near)*0.56
	switch step {
	case StepBind:
		for k := range 9 {
			px, py := at(union.Point{X: from + (to-from)*float64(k)/8, Y: high})
			s.line(px-5, py-3, px+5, py+scale*(high-low)+3, "stroke-ink stroke-4 opacity-55")
		}
	case StepSeal:
		px, py := at(union.Point{X: from, Y: high})
		qx, _ := at(union.Point{X: far + seatX, Y: high})
		s.rect(px-8, py-4, qx-px+14, scale*(high-low)+8, "fill-sky-state opacity-70 stroke-soft [stroke-dasharray:5_3]")
	case StepLook:
		px, py := at(union.Point{X: from, Y: high})
		qx, _ := at(union.Point{X: to, Y: high})
		s.f(`<ellipse cx="%.4g" cy="%.4g" rx="%.4g" ry="%.4g" class="fill-none stroke-leaf stroke-3"/>`, (px+qx)/2, py+3, (qx-px)/2, 11.0)
		s.text((px+qx)/2, math.Max(11, py-12), "scale", "middle", "the near side meets, top and bottom")
	}
	return s.html()
}

// PracticeDays draws the share of flat cuts and of unions that fitted, by day of practice.
func PracticeDays(ds []practice.Day) template.HTML {
	const w, h, left, base, top = 640.0, 190.0, 40.0, 158.0, 12.0
	var s pen
	s.open(w, h, "learncurve", "Flat cuts and unions that met, by day of practice")
	y := func(share float64) float64 { return base - (base-top)*share }
	for _, share := range []float64{0, 0.5, 1} {
		s.line(left, y(share), w-10, y(share), "rule")
		s.text(left-5, y(share)+4, "scale", "end", fmt.Sprintf("%.0f", 100*share))
	}
	step := (w - left - 20) / float64(max(1, len(ds)))
	for i, d := range ds {
		at := left + 10 + step*(float64(i)+0.5)
		s.line(at-4, y(d.Flat.Low), at-4, y(d.Flat.High), "whisker")
		s.f(`<circle cx="%.4g" cy="%.4g" r="4" class="rundot"/>`, at-4, y(d.Flat.Mean))
		s.line(at+4, y(d.Fit.Low), at+4, y(d.Fit.High), "whisker")
		s.f(`<rect x="%.4g" y="%.4g" width="7" height="7" class="fill-scion" transform="rotate(45 %.4g %.4g)"/>`, at+0.5, y(d.Fit.Mean)-3.5,
			at+4, y(d.Fit.Mean))
		if len(ds) <= 12 || i%(len(ds)/12+1) == 0 {
			s.text(at, base+16, "scale", "middle", d.On.Format("2 Jan"))
		}
	}
	return s.html()
}

// Trainer draws the stock's cut face, and the scion's on it as it is laid: in the middle at first.
// The scion is a group that is moved by its shift, in the drawing's units of so many a mm.
func Trainer(t practice.Task, shift, best float64, told bool) (out template.HTML, perMM float64) {
	const w, h = 640.0, 300.0
	var s pen
	s.open(w, h, "union trainer", words.TrainerDrawn(t.Stems.Stock, t.Stems.Scion))
	low, high, near, far := -t.Stems.Stock/2-0.6, t.Stems.Stock/2+0.6, 0.0, t.Joint.Length
	lines := t.Joint.Drawn(union.Placement{})
	for _, l := range lines {
		for _, q := range l.Points {
			near, far = math.Min(near, q.X), math.Max(far, q.X)
			low, high = math.Min(low, q.Y-0.6), math.Max(high, q.Y+0.6)
		}
	}
	scale := math.Min((w-30)/(far-near), (h-20)/(high-low))
	left := (w - scale*(far-near)) / 2
	path := func(points []union.Point, dy float64, class string) {
		s.WriteString(`<path d="`)
		for i, q := range points {
			op := "L"
			if i == 0 {
				op = "M"
			}
			s.f("%s%.5g %.5g", op, left+scale*(q.X-near), 10+scale*(high-q.Y-dy))
		}
		s.f(`" class="%s"/>`, class)
	}
	for _, l := range lines {
		if l.Of == "stock" {
			path(l.Points, 0, "face stock-"+l.Part)
		}
	}
	if told {
		for _, l := range lines {
			if l.Of == "scion" {
				path(l.Points, best, "face bestlay")
			}
		}
	}
	s.f(`<g id="laidscion" transform="translate(0 %.5g)">`, -scale*shift)
	for _, l := range lines {
		if l.Of == "scion" {
			path(l.Points, 0, "face scion-"+l.Part)
		}
	}
	s.WriteString(`</g>`)
	if told {
		for _, m := range t.Joint.At(union.Placement{Shift: shift}, union.Tolerance).Stretches {
			path(m, 0, "meets")
		}
	}
	return s.html(), scale
}
