package draw

import (
	"fmt"
	"html"
	"html/template"
	"math"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
	seasonstage "unionknot/internal/nursery/season"
)

// yearAxis lays a year's days along a drawing.
type yearAxis struct {
	from, to    time.Time
	left, right float64
}

func (a yearAxis) x(t time.Time) float64 {
	share := t.Sub(a.from).Hours() / a.to.Sub(a.from).Hours()
	return a.left + (a.right-a.left)*math.Max(0, math.Min(1, share))
}

// Season draws a group's year: the stock's states with this year's dates over
// their usual ones, the wood that is at hand, each technique's windows, and
// the seasons behind this one. The usual dates are flags that can be moved.
func Season(s seasonstage.SeasonPage, edit bool) template.HTML {
	const w, left, right, row = 920.0, 150.0, 912.0, 22.0
	top := 96.0
	wood := top + 34
	rows := wood + 52
	past := rows + row*float64(len(s.Rows)) + 14
	h := past + 18*float64(len(s.Past)) + 8
	a := yearAxis{s.From, s.From.AddDate(1, 0, 0), left, right}
	var p pen
	role := "img"
	if edit { // its flags are controls
		role = "group"
	}
	p.f(`<svg class="season" viewBox="0 0 %.4g %.4g" role="%s" aria-label="%s" xmlns="http://www.w3.org/2000/svg">`, w, h, role,
		html.EscapeString(fmt.Sprintf("The year of %s: stock is %s today.", s.Name, s.Now.State)))
	for m := range 12 {
		at := a.from.AddDate(0, m, 0)
		p.line(a.x(at), 18, a.x(at), h-6, "mmline")
		p.text(a.x(at)+3, 14, "scale", "start", at.Format("Jan"))
	}
	p.stockRow(s, a, top)
	p.woodRow(s, a, wood)
	for i, r := range s.Rows {
		p.windowRow(r, a, rows+row*float64(i), row)
	}
	for i, y := range s.Past {
		at := past + 18*float64(i)
		p.text(left-8, at+10, "scale", "end", fmt.Sprint(y.Year))
		shift := y.Year - s.From.Year()
		for _, sp := range y.Spans {
			p.rect(
				a.x(sp.From.AddDate(-shift, 0, 0)),
				at,
				a.x(sp.To.AddDate(-shift, 0, 0))-a.x(sp.From.AddDate(-shift, 0, 0)),
				11,
				"state-"+sp.State,
			)
		}
	}
	t := a.x(s.Today)
	p.line(t, 18, t, h-4, "stroke-ink stroke-2")
	p.f(`<path class="fill-ink" d="M%.4g 2 h12 v9 l-6 6 l-6 -6 z"/>`, t-6)
	p.flags(s, a, top, edit)
	return p.html()
}

func (p *pen) stockRow(s seasonstage.SeasonPage, a yearAxis, top float64) {
	const bar = 22.0
	p.text(a.left-8, top+15, "stock-word heading", "end", "Stock")
	for _, sp := range s.Spans {
		p.rect(a.x(sp.From), top, a.x(sp.To)-a.x(sp.From), bar, "state-"+sp.State)
		if a.x(sp.To)-a.x(sp.From) > 52 {
			p.text((a.x(sp.From)+a.x(sp.To))/2, top+15, "season-state", "middle", sp.State)
		}
	}
	// How sure each turn of this year is.
	for _, l := range s.Anchors {
		if d := l.This; l.Has && !d.Low.IsZero() &&
			(l.Kind == season.RestBegins || l.Kind == season.BudSwell || l.Kind == season.SlipBegins || l.Kind == season.SlipEnds) {
			x1, x2, x := a.x(d.Low), a.x(d.High), a.x(d.On)
			p.line(x1, top-5, x2, top-5, "season-range")
			p.line(x1, top-8, x1, top-2, "season-range")
			p.line(x2, top-8, x2, top-2, "season-range")
			p.f(`<circle cx="%.4g" cy="%.4g" r="3.6" class="fill-ink"/>`, x, top-5)
		}
	}
}

func (p *pen) woodRow(s seasonstage.SeasonPage, a yearAxis, at float64) {
	p.text(a.left-8, at+13, "scion-word heading", "end", "Wood")
	for i, state := range []string{season.Resting, season.RipeGreen} {
		y := at + 16*float64(i)
		for _, sp := range s.Wood[state] {
			x1, x2 := a.x(sp.From), a.x(sp.To)
			if x2-x1 < 1 {
				continue
			}
			class, says := "scion-bar", "ripe green"
			if state == season.Resting {
				class, says = "scion-spent", "cut at rest, in the store"
			}
			p.rect(x1, y, x2-x1, 13, class)
			if x2-x1 > 150 || state == season.RipeGreen && x2-x1 > 60 {
				p.text(x1+6, y+10.5, "wood-word-"+class, "start", says)
			}
		}
	}
}

func (p *pen) windowRow(r seasonstage.SeasonRow, a yearAxis, at, tall float64) {
	mid := at + tall/2
	p.text(a.left-8, mid+4, "text-[12.5px]", "end", r.Technique.Name)
	p.line(a.left, mid, a.right, mid, "mmline")
	for _, w := range r.Windows {
		x1, x2 := a.x(w.From), a.x(w.To)
		title := fmt.Sprintf("%s, %s: %s to %s", r.Technique.Name, w.Use, season.Say(w.From), season.Say(w.To.AddDate(0, 0, -1)))
		p.f(`<g><title>%s</title>`, html.EscapeString(title))
		p.rect(x1, mid-3, x2-x1, 6, "window-open")
		if !w.BestFrom.IsZero() {
			to := w.BestTo
			if c := w.ClosingFrom(); c.Before(to) {
				to = c
			}
			p.rect(a.x(w.BestFrom), mid-7, a.x(to)-a.x(w.BestFrom), 14, "window-best")
		}
		if c := a.x(w.ClosingFrom()); w.To.Before(a.to) && w.Closes != "" {
			p.rect(c, mid-3, x2-c, 6, "window-closing")
			p.line(x2, mid-6, x2, mid+6, "stroke-ochre stroke-2")
		}
		p.WriteString(`</g>`)
	}
}

// flags draws the usual dates over the stock's row, in up to three lines so
// that their names do not run into each other.
func (p *pen) flags(s seasonstage.SeasonPage, a yearAxis, top float64, edit bool) {
	lanes := [3]float64{}
	lanesOf := func(x float64) int {
		for i, end := range lanes {
			if x >= end {
				return i
			}
		}
		return 2
	}
	for _, l := range sortedAnchors(s.Anchors) {
		x := a.x(l.Usual)
		lane := lanesOf(x)
		lanes[lane] = x + 20 + 6.4*float64(len(l.Kind))
		y := 27 + 19*float64(lane)
		focus := ""
		if edit {
			focus = fmt.Sprintf(
				` tabindex="0" role="slider" aria-label="Usual day of %s" aria-valuemin="1" aria-valuemax="366" aria-valuenow="%d"
					aria-valuetext="%s"`,
				l.Kind,
				l.Usual.YearDay(),
				season.Say(l.Usual),
			)
		}
		p.f(
			`<g class="usual" data-anchor="%d" data-x="%.5g" data-left="%.4g" data-right="%.4g" data-year="%d"%s>`,
			l.Index,
			x,
			a.left,
			a.right,
			a.from.Year(),
			focus,
		)
		p.line(x, y, x, top, "stroke-ink [stroke-dasharray:2_2]")
		p.f(`<path class="usual-flag" d="M%.4g %.4g h9 v9 h-9 z"/>`, x, y)
		p.text(x+12, y+9, "scale", "start", l.Kind)
		p.WriteString(`</g>`)
	}
}

func sortedAnchors(ls []seasonstage.AnchorLine) []seasonstage.AnchorLine {
	var out []seasonstage.AnchorLine
	for _, l := range ls {
		if l.Has {
			out = append(out, l)
		}
	}
	for i := range out {
		for j := i; j > 0 && out[j].Usual.Before(out[j-1].Usual); j-- {
			out[j], out[j-1] = out[j-1], out[j]
		}
	}
	return out
}

// Warmth draws the season's degree-days beside a usual year's.
func Warmth(s seasonstage.SeasonPage) template.HTML {
	const w, h, left, right, top, foot = 340.0, 150.0, 34.0, 6.0, 10.0, 122.0
	if len(s.Warm) == 0 {
		return ""
	}
	n := min(len(s.Usual), len(s.Warm)+45)
	most := math.Max(10, math.Max(s.Usual[n-1], s.Warm[len(s.Warm)-1]))
	x := func(i int) float64 { return left + (w-left-right)*float64(i)/float64(max(1, n-1)) }
	y := func(v float64) float64 { return foot - (foot-top)*v/most }
	var p pen
	p.open(
		w,
		h,
		"w-full max-w-96 h-auto block",
		fmt.Sprintf("%.0f degree-days so far, %.0f in a usual year", s.Warm[len(s.Warm)-1], s.Usual[min(len(s.Warm), len(s.Usual))-1]),
	)
	p.line(left, foot, w-right, foot, "rule")
	step := 50.0
	for most/step > 5 {
		step *= 2
	}
	for v := step; v <= most; v += step {
		p.line(left, y(v), w-right, y(v), "mmline")
		p.text(left-5, y(v)+4, "scale", "end", fmt.Sprintf("%.0f", v))
	}
	for i := range n {
		if d := s.WarmFrom.AddDate(0, 0, i); d.Day() == 1 {
			p.line(x(i), foot, x(i), foot+4, "rule")
			p.text(x(i)+2, foot+17, "scale", "start", d.Format("Jan"))
		}
	}
	trace := func(class string, vs []float64) {
		p.f(`<polyline class="%s" points="`, class)
		for i, v := range vs {
			p.f("%.4g,%.4g ", x(i), y(v))
		}
		p.WriteString(`"/>`)
	}
	trace("fill-none stroke-soft [stroke-dasharray:4_4] stroke-[1.6]", s.Usual[:n])
	trace("fill-none stroke-ochre stroke-[2.6]", s.Warm)
	return p.html()
}

// verdictMark gives a verdict its class for the list beside the drawing.
var verdictMark = map[string]string{technique.Best: "good", technique.Open: "good", technique.Closing: "wait", technique.Shut: "shut"}

// Verdict writes how a technique stands.
func Verdict(s technique.Standing) template.HTML {
	return template.HTML(fmt.Sprintf(`<span class="state %s">%s</span>`, verdictMark[s.Verdict], html.EscapeString(s.Verdict)))
}
