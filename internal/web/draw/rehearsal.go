package draw

import (
	"fmt"
	"html/template"
	"math"

	"unionknot/internal/core/rehearsal"
	rehearsestage "unionknot/internal/nursery/rehearse"
	"unionknot/internal/words"
)

// Seasons draws an order's trees over the seasons that were played: below the promise in red,
// from it on in green. The promise stands at the same place for every order; the stretch from
// two fifths of it to four fifths more is drawn.
func Seasons(o rehearsal.Outcome, want int, says string) template.HTML {
	const w, h, bins = 430.0, 46.0, 54
	low, high := 0.4*float64(want), 1.8*float64(want)
	if want == 0 {
		low, high = 0, 1
	}
	x := func(t float64) float64 { return w * (t - low) / (high - low) }
	sums := make([]float64, bins)
	most := 0.0
	// A count stands for the stretch half a tree either way, shared by the strips that it touches;
	// what lies below the drawing stands at its edge, what lies above it is left out.
	strip := (high - low) / bins
	for n, k := range o.Trees {
		if k == 0 {
			continue
		}
		from, to := (float64(n)-0.5-low)/strip, (float64(n)+0.5-low)/strip
		if to <= 0.5 {
			sums[0] += float64(k)
			continue
		}
		for i := max(0, int(from)); i < min(bins, int(math.Ceil(to))); i++ {
			sums[i] += float64(k) * math.Max(0, math.Min(to, float64(i+1))-math.Max(from, float64(i))) / (to - from)
		}
	}
	for _, s := range sums {
		most = math.Max(most, s)
	}
	var p pen
	p.open(w, h, "seasons", says)
	line := x(float64(want))
	if most > 0 {
		side := func(class string, is func(i int) bool) {
			d, open := "", false
			for i, s := range sums {
				if !is(i) || s == 0 && !open {
					continue
				}
				left, right, y := w*float64(i)/bins, w*float64(i+1)/bins, h-2-(h-8)*s/most
				if !open {
					d, open = fmt.Sprintf("M%.4g %.4g ", left, h-2), true
				}
				d += fmt.Sprintf("L%.4g %.4g L%.4g %.4g ", left, y, right, y)
			}
			if open {
				last := bins - 1
				for last > 0 && !is(last) {
					last--
				}
				p.f(`<path class="%s" d="%sL%.4g %.4g z"/>`, class, d, w*float64(last+1)/bins, h-2)
			}
		}
		middle := func(i int) float64 { return w * (float64(i) + 0.5) / bins }
		side("fill-brick/85", func(i int) bool { return middle(i) < line })
		side("fill-leaf/85", func(i int) bool { return middle(i) >= line })
	}
	p.line(0, h-2, w, h-2, "gridline")
	p.line(line, 0, line, h, "stroke-ink stroke-2")
	return p.html()
}

// HeldBack draws what holds a season back.
func HeldBack(hs []rehearsestage.Holds) template.HTML {
	const w, left, row = 760.0, 330.0, 26.0
	var p pen
	p.open(w, row*float64(len(hs))+4, "heldback", words.HeldBackSays)
	for i, h := range hs {
		y := row * float64(i)
		p.text(0, y+17, "fairname", "start", words.HoldsBack(h.What))
		wide := (w - left - 220) * math.Min(1, h.Share)
		p.rect(left, y+5, math.Max(1, wide), 15, "fill-teal")
		p.text(left+wide+8, y+17, "scale", "start", words.OfShortage(h.Share))
	}
	return p.html()
}

// Kept draws promises beside what came: on the line is what was said.
func Kept(ss []rehearsestage.Step) template.HTML {
	const w, h, left, bottom, top = 360.0, 260.0, 40.0, 34.0, 8.0
	x := func(v float64) float64 { return left + (w-left-12)*v }
	y := func(v float64) float64 { return top + (h-top-bottom)*(1-v) }
	var p pen
	p.open(w, h, "keptpromises", words.KeptSays)
	for v := 0.0; v <= 1.001; v += 0.2 {
		p.line(left, y(v), w-12, y(v), "gridline")
		p.text(left-5, y(v)+4, "scale", "end", fmt.Sprintf("%.0f", 100*v))
		p.text(x(v), h-bottom+16, "scale", "middle", fmt.Sprintf("%.0f", 100*v))
	}
	p.line(x(0), y(0), x(1), y(1), "houseline")
	for _, s := range ss {
		at := x(s.Said)
		p.line(at, y(s.Came.Low), at, y(s.Came.High), "costrange")
		p.f(`<circle class="funneldot" cx="%.5g" cy="%.5g" r="%.4g"/>`, at, y(float64(s.Met)/float64(s.N)), 3+2*math.Sqrt(float64(s.N)))
	}
	p.text(w-12, h-4, "scale", "end", words.KeptAcross)
	return p.html()
}
