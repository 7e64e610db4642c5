// Package draw makes the product's drawings as SVG. Colours come from the
// stylesheet by class, so that print and contrast are settled in one place;
// each drawing has a title, and the numbers stand in a table beside it.
package draw

import (
	"fmt"
	"html"
	"html/template"
	"math"
	"strings"
	"time"

	"github.com/skip2/go-qrcode"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/sizing"
	"unionknot/internal/nursery/season"
	"unionknot/internal/outlook"
	"unionknot/internal/words"
)

// across is the look of a drawing that takes the width it has.
const across = "block h-auto w-full"

// pen writes SVG.
type pen struct{ strings.Builder }

func (p *pen) f(format string, args ...any) { fmt.Fprintf(&p.Builder, format, args...) }

func (p *pen) open(w, h float64, class, title string) {
	p.f(
		`<svg class="%s" viewBox="0 0 %.4g %.4g" role="img" aria-label="%s" xmlns="http://www.w3.org/2000/svg">`,
		class,
		w,
		h,
		html.EscapeString(title),
	)
}

func (p *pen) text(x, y float64, class, anchor, s string) {
	p.f(`<text x="%.4g" y="%.4g" class="%s" text-anchor="%s">%s</text>`, x, y, class, anchor, html.EscapeString(s))
}

func (p *pen) rect(x, y, w, h float64, class string) {
	p.f(`<rect x="%.4g" y="%.4g" width="%.4g" height="%.4g" class="%s"/>`, x, y, math.Max(w, 0), math.Max(h, 0), class)
}

func (p *pen) line(x1, y1, x2, y2 float64, class string) {
	p.f(`<line x1="%.4g" y1="%.4g" x2="%.4g" y2="%.4g" class="%s"/>`, x1, y1, x2, y2, class)
}

func (p *pen) html() template.HTML {
	p.WriteString("</svg>")
	return template.HTML(p.String()) // every string in it is escaped by text and open
}

// Band draws the twelve months of stock state with today's mark and the
// windows that are open.
func Band(b season.Band, tongue string) template.HTML {
	const w, h, top, bar = 720.0, 37.0, 14.0, 9.0
	var p pen
	open := words.Tell(tongue, words.NoWindowOpen)
	if names := b.Open(); len(names) > 0 {
		told := make([]string, len(names))
		for i, n := range names {
			told[i] = words.Tell(tongue, n)
		}
		open = fmt.Sprintf(words.Tell(tongue, words.WindowsOpen), strings.Join(told, ", "))
	}
	p.open(w, h, "band", fmt.Sprintf(words.Tell(tongue, words.StocksYear), words.Tell(tongue, b.Now.State), open))
	if len(b.Spans) > 0 {
		year := b.Spans[0].From
		end := year.AddDate(1, 0, 0)
		x := func(t time.Time) float64 { return w * t.Sub(year).Hours() / end.Sub(year).Hours() }
		for _, s := range b.Spans {
			p.rect(x(s.From), top, x(s.To)-x(s.From), bar, "state-"+s.State)
			if x(s.To)-x(s.From) > 60 {
				p.text((x(s.From)+x(s.To))/2, top+bar+9, "band-state", "middle", words.Tell(tongue, s.State))
			}
		}
		for m := 0; m < 12; m++ {
			at := year.AddDate(0, m, 0)
			p.line(x(at), top, x(at), top+bar, "stroke-black/25")
			p.text(x(at)+4, 10, "band-name", "start", strings.ToUpper(string([]rune(words.On(tongue, at, "Jan"))[:1])))
		}
		t := x(b.Today)
		p.f(`<path class="fill-white" d="M%.4g 4 h10 v7 l-5 5 l-5 -5 z"/>`, t-5)
		p.line(t, 12, t, top+bar+4, "stroke-white stroke-2")
	}
	return p.html()
}

// TagShape draws a code in the shape of a tag.
func TagShape(code string) template.HTML {
	var p pen
	w := 34 + 15.5*float64(len(code))
	p.open(w, 40, "tagshape", "tag "+code)
	p.f(`<path d="M10 1 H%.4g V39 H10 L1 26 V14 Z"/><circle cx="12" cy="20" r="3"/>`, w-1)
	p.text(w/2+8, 27.5, "tagshape-code", "middle", code)
	return p.html()
}

// QR draws a code that a scanner reads as the text given.
func QR(text string) template.HTML {
	q, err := qrcode.New(text, qrcode.Medium)
	if err != nil { // only for text too long to fit, which a tag's code is not
		return ""
	}
	q.DisableBorder = true
	bits := q.Bitmap()
	var p pen
	p.open(float64(len(bits)), float64(len(bits)), "qr", "QR of "+text)
	p.WriteString(`<path d="`)
	for y, row := range bits {
		for x := 0; x < len(row); x++ {
			if row[x] {
				n := 1
				for x+n < len(row) && row[x+n] {
					n++
				}
				p.f("M%d %dh%dv1h-%dz", x, y, n, n)
				x += n - 1
			}
		}
	}
	p.WriteString(`"/>`)
	return p.html()
}

// most gives the largest count, at least 1.
func most(cs []caliper.Count) int {
	m := 1
	for _, c := range cs {
		m = max(m, c.N)
	}
	return m
}

func countOf(cs []caliper.Count, c caliper.Class) int {
	for _, x := range cs {
		if x.Class == c {
			return x.N
		}
	}
	return 0
}

// span gives the classes that hold anything, over several lists.
func span(lists ...[]caliper.Count) (low, high caliper.Class, ok bool) {
	low, high = math.MaxInt32, 0
	for _, cs := range lists {
		for _, c := range cs {
			low, high, ok = min(low, c.Class), max(high, c.Class), true
		}
	}
	return low, high, ok
}

// Diameters draws a lot's or a bundle's classes standing on a mm scale: the
// whole bar is what there was, its dark part what is free. material is
// "stock" or "scion".
func Diameters(d outlook.Diameters, material, title string) template.HTML {
	const w, h, base, top = 760.0, 250.0, 210.0, 42.0
	const letter = 8.2 // how wide a figure of a count is
	var p pen
	p.open(w, h, across, title)
	low, high, ok := span(d.All)
	if !ok {
		p.text(w/2, h/2, "quiet", "middle", "not measured and not graded yet")
		return p.html()
	}
	n := float64(high-low) + 3
	step := math.Min(64, (w-20)/n)
	left := (w - step*n) / 2
	tallest := float64(most(d.All))
	x := func(c caliper.Class) float64 { return left + step*(float64(c-low)+1) }
	for c := low - 1; c <= high+2; c++ {
		if c >= 0 && int(c)%2 == 0 {
			p.line(x(c), base, x(c), base+6, "rule")
			p.text(x(c), base+22, "scale", "middle", fmt.Sprintf("%g", c.Low()))
		}
	}
	p.line(left, base, left+step*n, base, "rule")
	p.text(left+step*n, base+38, "scale", "end", "mm at the cut")
	for c := low; c <= high; c++ {
		all, free := countOf(d.All, c), countOf(d.Free, c)
		if all == 0 {
			continue
		}
		hAll, hFree := (base-top)*float64(all)/tallest, (base-top)*float64(free)/tallest
		p.rect(x(c)+1, base-hAll, step-2, hAll, material+"-spent")
		p.rect(x(c)+1, base-hFree, step-2, hFree, material+"-bar")
		mid, foot, label := x(c)+step/2, base-hAll-6, fmt.Sprint(free)
		if of := fmt.Sprintf("of %d", all); free != all && letter*float64(len(label)+1+len(of)) < step {
			label += " " + of
		} else if free != all { // one over the other, so that neighbours do not meet
			p.text(mid, foot, "count", "middle", of)
			foot -= 16
		}
		p.text(mid, foot, "count", "middle", label)
	}
	return p.html()
}

// Spark draws the same small, for a list.
func Spark(d outlook.Diameters, material string) template.HTML {
	const w, h = 120.0, 26.0
	var p pen
	low, high, ok := span(d.All)
	if !ok {
		return template.HTML(`<span class="quiet">not measured</span>`)
	}
	p.open(w, h, "w-30 h-6.5 block", fmt.Sprintf("from %g to %g mm", low.Low(), high.High()))
	step := math.Min(10, w/float64(high-low+1))
	tallest := float64(most(d.All))
	for c := low; c <= high; c++ {
		all, free := h*float64(countOf(d.All, c))/tallest, h*float64(countOf(d.Free, c))/tallest
		p.rect(step*float64(c-low), h-all, step-1, all, material+"-spent")
		p.rect(step*float64(c-low), h-free, step-1, free, material+"-bar")
	}
	return p.html()
}

// Whisker draws a raw take with its 90 % range on a scale from 0 to 1, and
// under it the fair one where there is one. A wide raw range is drawn open and
// dashed.
func Whisker(raw sizing.Interval, uncertain bool, fair *sizing.Interval) template.HTML {
	const w, h = 220.0, 26.0
	var p pen
	title := fmt.Sprintf("raw %.0f percent, range %.0f to %.0f", raw.Mean*100, raw.Low*100, raw.High*100)
	if fair != nil {
		title += fmt.Sprintf("; fair %.0f percent, range %.0f to %.0f", fair.Mean*100, fair.Low*100, fair.High*100)
	}
	p.open(w, h, "whisker", title)
	x := func(v float64) float64 { return 4 + (w-8)*v }
	for _, v := range []float64{0, 0.25, 0.5, 0.75, 1} {
		p.line(x(v), 3, x(v), h-3, "gridline")
	}
	class := "sure"
	if uncertain {
		class = "unsure"
	}
	y := h / 2
	if fair != nil {
		y = 8
		p.line(x(fair.Low), 18, x(fair.High), 18, "range fair")
		p.f(`<path d="M%.5g 13 l4.5 5 l-4.5 5 l-4.5 -5 z" class="dot fair"/>`, x(fair.Mean))
	}
	p.line(x(raw.Low), y, x(raw.High), y, "range "+class)
	p.f(`<circle cx="%.5g" cy="%.4g" r="4" class="dot %s"/>`, x(raw.Mean), y, class)
	return p.html()
}
