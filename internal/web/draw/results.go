package draw

import (
	"fmt"
	"html"
	"html/template"
	"math"
	"strings"

	"unionknot/internal/core/cost"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/take"
	resultsstage "unionknot/internal/nursery/results"
	"unionknot/internal/words"
)

// FairMark is a level of a factor as the chart of fair takes has it.
type FairMark struct {
	Name   string
	Note   string // what it lost more to, or ""
	To     string // where its tags are
	Raw    float64
	Take   sizing.Interval
	Grafts int
	Flag   int
}

// fold joins what is drawn of what holds links: that is no picture.
func fold(p *pen) template.HTML {
	return template.HTML(strings.Replace(string(p.html()), `role="img"`, `role="group"`, 1))
}

// FairChart draws fair takes, the best first: a diamond with its range, as large as its grafts
// are many, and a ring for what was counted. The line is the house's.
func FairChart(title string, ms []FairMark, house float64) template.HTML {
	const w, left, right, row, top = 600.0, 205.0, 18.0, 32.0, 8.0
	low, most := house, 1
	for _, m := range ms {
		low, most = math.Min(low, math.Min(m.Take.Low, m.Raw)), max(most, m.Grafts)
	}
	low = math.Max(0, math.Floor(low*10-0.2)/10)
	h := top + row*float64(len(ms)) + 22
	x := func(v float64) float64 { return left + (w-left-right)*(v-low)/(1-low) }
	var p pen
	p.open(w, h, "fairchart", title)
	for v := low; v <= 1.001; v += 0.1 {
		p.line(x(v), top, x(v), h-20, "gridline")
		p.text(x(v), h-6, "scale", "middle", fmt.Sprintf("%.0f", v*100))
	}
	p.line(x(house), top, x(house), h-20, "houseline")
	for i, m := range ms {
		y := top + row*(float64(i)+0.5)
		says := fmt.Sprintf("%s: fair %s, %s; counted %s of %s grafts", m.Name, words.Pct(m.Take.Mean), words.PctRange(m.Take),
			words.Pct(m.Raw),
			words.Thousands(m.Grafts))
		class, r := "fair", 3.5+5*math.Sqrt(float64(m.Grafts)/float64(most))
		switch {
		case m.Flag < 0:
			class = "fair below"
		case m.Flag > 0:
			class = "fair above"
		}
		p.f(`<a href="%s"><title>%s</title>`, html.EscapeString(m.To), html.EscapeString(says))
		p.text(0, y+4, "fairname", "start", clip(m.Name, 27))
		p.f(`</a>`)
		if m.Note != "" {
			p.text(0, y+15, "fairnote", "start", "more "+clip(m.Note, 26))
		}
		p.rect(x(m.Take.Low), y-4.5, math.Max(1.5, x(m.Take.High)-x(m.Take.Low)), 9, "fill-leaf-pale")
		p.f(`<path class="%s" d="M%.5g %.5g l%.4g %.4g l%.4g %.4g l%.4g %.4g z"/>`, class, x(m.Take.Mean), y-r, r, r, -r, r, -r, -r)
		p.f(`<circle class="fill-none stroke-ink stroke-[1.2]" cx="%.5g" cy="%.5g" r="4"/>`, x(m.Raw), y)
	}
	return fold(&p)
}

func clip(s string, n int) string {
	if r := []rune(s); len(r) > n {
		return string(r[:n-1]) + "…"
	}
	return s
}

// Funnel draws groups by their grafts and their take, in the limits within which luck and the
// ordinary spread between groups lay them.
func Funnel(title string, ms []FairMark, l take.Limits) template.HTML {
	const w, h, left, right, top, bottom = 600.0, 250.0, 34.0, 12.0, 10.0, 30.0
	few, most, low := math.Inf(1), 2.0, l.Mean
	for _, m := range ms {
		few, most, low = math.Min(few, float64(m.Grafts)), math.Max(most, float64(m.Grafts)), math.Min(low, m.Raw)
	}
	few = math.Max(1, math.Min(few, most/2))
	low = math.Max(0, math.Floor(low*10-0.5)/10)
	x := func(n float64) float64 { return left + (w-left-right)*math.Log(n/few)/math.Log(most*1.15/few) }
	y := func(v float64) float64 { return top + (h-top-bottom)*(1-math.Max(v, low))/(1-low) }
	var p pen
	p.open(w, h, "funnel", title)
	for v := low; v <= 1.001; v += 0.1 {
		p.line(left, y(v), w-right, y(v), "gridline")
		p.text(left-4, y(v)+4, "scale", "end", fmt.Sprintf("%.0f", v*100))
	}
	edge := func(of func(take.Bounds) float64, class string) {
		d := ""
		for i := range 41 {
			n := few * math.Pow(most*1.15/few, float64(i)/40)
			cmd := "L"
			if i == 0 {
				cmd = "M"
			}
			d += fmt.Sprintf("%s%.5g %.5g ", cmd, x(n), y(of(l.Of(int(math.Round(n))))))
		}
		p.f(`<path class="%s" d="%s"/>`, class, d)
	}
	edge(func(b take.Bounds) float64 { return b.Low95 }, "fill-none stroke-rule stroke-[1.5]")
	edge(func(b take.Bounds) float64 { return b.High95 }, "fill-none stroke-rule stroke-[1.5]")
	edge(func(b take.Bounds) float64 { return b.Low998 }, "fill-none stroke-soft stroke-[1.2]")
	edge(func(b take.Bounds) float64 { return b.High998 }, "fill-none stroke-soft stroke-[1.2]")
	p.line(left, y(l.Mean), w-right, y(l.Mean), "houseline")
	for _, m := range ms {
		class := "funneldot"
		if m.Flag < 0 {
			class += " below"
		} else if m.Flag > 0 {
			class += " above"
		}
		p.f(`<a href="%s"><title>%s</title>`, html.EscapeString(m.To), html.EscapeString(fmt.Sprintf("%s: %s of %s grafts", m.Name,
			words.Pct(m.Raw),
			words.Thousands(m.Grafts))))
		p.f(`<circle class="%s" cx="%.5g" cy="%.5g" r="5"/>`, class, x(float64(m.Grafts)), y(m.Raw))
		if m.Flag != 0 {
			p.text(x(float64(m.Grafts))+8, y(m.Raw)+4, "fairnote", "start", clip(m.Name, 22))
		}
		p.f(`</a>`)
	}
	p.text(left, h-6, "scale", "start", fmt.Sprintf("%.0f grafts", few))
	p.text(w-right, h-6, "scale", "end", fmt.Sprintf("%s grafts", words.Thousands(int(most))))
	return fold(&p)
}

// Flow draws how the trees went, from tied to now: what is lost in each step leaves the band.
func Flow(f resultsstage.Flow) template.HTML {
	const w, h, top, tall, left = 1200.0, 285.0, 34.0, 130.0, 16.0
	var p pen
	if len(f.Steps) == 0 || f.Steps[0].Left == 0 {
		return ""
	}
	all := float64(f.Steps[0].Left)
	says := fmt.Sprintf("%d tied", f.Steps[0].Left)
	for _, s := range f.Steps {
		says += fmt.Sprintf("; %d lost %s", s.Lost, words.FlowStep(s.Key))
	}
	says += fmt.Sprintf("; %d sold or planted, %d stand", f.Sold, f.Stands)
	p.open(w, h, "flow "+across, says)
	wide := (w - left - 200) / float64(len(f.Steps))
	for i, s := range f.Steps {
		x := left + wide*float64(i)
		tallIn := tall * float64(s.Left) / all
		after := s.Left - s.Lost
		tallOut := tall * float64(after) / all
		p.rect(x, top, wide, math.Min(tallIn, tallOut), fmt.Sprintf("flow-alive flow-%d", i))
		p.text(x+4, top-12, "heading", "start", fmt.Sprintf("%s %s", words.FlowFrom(s.Key), words.Thousands(s.Left)))
		if lost := tallIn - tallOut; lost > 0 {
			// The lost leave below, and narrow to where they are named.
			x1, y0 := x+wide*0.55, top+tallOut
			p.f(`<path class="fill-brick/80"
				d="M%.5g %.5g V%.5g C%.5g %.5g %.5g %.5g %.5g %.5g L%.5g %.5g C%.5g %.5g %.5g %.5g %.5g %.5g z"/>`,
				x, y0, y0+lost, x+wide*0.3, y0+lost, x+wide*0.35, top+tall+36, x1, top+tall+40, x1+14, top+tall+40-math.Min(lost, 8),
				x+wide*0.5, top+tall+28, x+wide*0.4, y0, x+wide*0.12, y0)
		}
		if s.Lost > 0 {
			p.text(x+wide*0.4, top+tall+62, "lost-text", "start", fmt.Sprintf("%s lost", words.Thousands(s.Lost)))
			line := ""
			for k, c := range s.Causes {
				if k == 2 {
					break
				}
				if line != "" {
					line += ", "
				}
				line += fmt.Sprintf("%d %s", c.N, words.CauseOr(c.Cause))
			}
			p.text(x+wide*0.4, top+tall+80, "scale", "start", clip(line, 46))
		}
	}
	x := left + wide*float64(len(f.Steps))
	end := float64(f.Sold + f.Stands)
	sold := tall * float64(f.Sold) / all
	p.rect(x, top, 60, sold, "fill-scion")
	p.rect(x, top+sold, 60, tall*end/all-sold, "flow-alive flow-3")
	p.text(x+68, top+14, "heading", "start", words.Thousands(f.Sold)+" sold")
	p.text(x+68, top+36, "heading", "start", words.Thousands(f.Stands)+" stand")
	return p.html()
}

// Curve draws the take over something: what the records make of it with its band, and what was
// counted, as large as its grafts are many.
func Curve(title, unit string, ps []take.CurvePoint, raw []resultsstage.Point) template.HTML {
	const w, h, left, right, top, bottom = 560.0, 230.0, 36.0, 12.0, 10.0, 34.0
	var p pen
	most, low, grafts := 0.0, 1.0, 1
	for _, c := range ps {
		most, low = math.Max(most, c.X), math.Min(low, c.Low)
	}
	for _, c := range raw {
		most, low, grafts = math.Max(most, c.X), math.Min(low, c.Take.Mean), max(grafts, c.Counted)
	}
	if most == 0 {
		return ""
	}
	low = math.Max(0, math.Floor(low*10-0.2)/10)
	x := func(v float64) float64 { return left + (w-left-right)*v/most }
	y := func(v float64) float64 { return top + (h-top-bottom)*(1-math.Max(v, low))/(1-low) }
	p.open(w, h, "takecurve", title)
	for v := low; v <= 1.001; v += 0.1 {
		p.line(left, y(v), w-right, y(v), "gridline")
		p.text(left-4, y(v)+4, "scale", "end", fmt.Sprintf("%.0f", v*100))
	}
	band, line := "", ""
	for i, c := range ps {
		cmd := "L"
		if i == 0 {
			cmd = "M"
		}
		band += fmt.Sprintf("%s%.5g %.5g ", cmd, x(c.X), y(c.High))
		line += fmt.Sprintf("%s%.5g %.5g ", cmd, x(c.X), y(c.Take))
	}
	for i := len(ps) - 1; i >= 0; i-- {
		band += fmt.Sprintf("L%.5g %.5g ", x(ps[i].X), y(ps[i].Low))
	}
	if len(ps) > 1 {
		p.f(`<path class="fill-leaf-pale/50" d="%sz"/><path class="fill-none stroke-leaf stroke-[2.2]" d="%s"/>`, band, line)
	}
	for _, c := range raw {
		p.line(x(c.X), y(c.Take.Low), x(c.X), y(c.Take.High), "stroke-soft stroke-1")
		p.f(`<circle class="fill-sheet stroke-ink stroke-[1.3]" cx="%.5g" cy="%.5g" r="%.3g"><title>%s</title></circle>`, x(c.X),
			y(c.Take.Mean),
			2.5+4*math.Sqrt(float64(c.Counted)/float64(grafts)), html.EscapeString(fmt.Sprintf("%s: %d of %d", c.Label, c.Took, c.Counted)))
	}
	step := math.Pow(10, math.Floor(math.Log10(most)))
	if most/step < 3 {
		step /= 2
	}
	for v := 0.0; v <= most*1.0001; v += step {
		p.text(x(v), h-16, "scale", "middle", fmt.Sprintf("%g", v))
	}
	p.text(w-right, h-2, "scale", "end", unit)
	return p.html()
}

// Turns draws takes over seasons, hours or the turn in the day, each with its range.
func Turns(title string, ps []resultsstage.Point) template.HTML {
	const h, left, top, bottom, each = 180.0, 36.0, 10.0, 30.0, 62.0
	if len(ps) == 0 {
		return ""
	}
	w := left + each*float64(len(ps)) + 10
	low := 1.0
	for _, c := range ps {
		low = math.Min(low, c.Take.Low)
	}
	low = math.Max(0, math.Floor(low*10)/10)
	y := func(v float64) float64 { return top + (h-top-bottom)*(1-math.Max(v, low))/(1-low) }
	var p pen
	p.open(w, h, "h-44 w-auto block", title)
	for v := low; v <= 1.001; v += 0.1 {
		p.line(left, y(v), w, y(v), "gridline")
		p.text(left-4, y(v)+4, "scale", "end", fmt.Sprintf("%.0f", v*100))
	}
	d := ""
	for i, c := range ps {
		x := left + each*(float64(i)+0.5)
		cmd := "L"
		if i == 0 {
			cmd = "M"
		}
		d += fmt.Sprintf("%s%.5g %.5g ", cmd, x, y(c.Take.Mean))
		p.rect(x-5, y(c.Take.High), 10, math.Max(1.5, y(c.Take.Low)-y(c.Take.High)), "fill-leaf-pale")
		p.text(x, h-10, "scale", "middle", c.Label)
	}
	p.f(`<path class="fill-none stroke-leaf stroke-[2.2]" d="%s"/>`, d)
	for i, c := range ps {
		p.f(`<circle class="fill-sheet stroke-ink stroke-[1.3]" cx="%.5g" cy="%.5g" r="4"><title>%s</title></circle>`,
			left+each*(float64(i)+0.5), y(c.Take.Mean),
			html.EscapeString(fmt.Sprintf("%s: %d of %d took", c.Label, c.Took, c.Counted)))
	}
	return p.html()
}

// Costs draws what live unions came to, their parts stacked, with the range of the whole.
func Costs(title string, ls []resultsstage.CostLine) template.HTML {
	const w, left, right, row, top = 600.0, 190.0, 70.0, 30.0, 6.0
	most := 0.0
	for _, l := range ls {
		if !math.IsInf(l.Sum.Live.High, 0) && !math.IsNaN(l.Sum.Live.High) {
			most = math.Max(most, l.Sum.Live.High)
		}
	}
	if most == 0 {
		return ""
	}
	h := top + row*float64(len(ls)) + 4
	x := func(c float64) float64 { return left + (w-left-right)*math.Min(c, most)/most }
	var p pen
	p.open(w, h, across, title)
	for i, l := range ls {
		y, at := top+row*float64(i), 0.0
		p.text(0, y+17, "fairname", "start", clip(l.Name, 25))
		if math.IsInf(l.Sum.Live.Mean, 0) || math.IsNaN(l.Sum.Live.Mean) {
			p.text(left, y+17, "scale", "start", words.NoCost)
			continue
		}
		for _, part := range cost.Parts {
			c := l.Sum.Each(part)
			p.rect(x(at), y+4, x(at+c)-x(at), 16, fmt.Sprintf("cost-%d", part))
			at += c
		}
		p.line(x(l.Sum.Live.Low), y+23, x(l.Sum.Live.High), y+23, "costrange")
		p.text(x(l.Sum.Live.High)+5, y+17, "fairname", "start", words.Money(int(math.Round(l.Sum.Live.Mean))))
	}
	return p.html()
}
