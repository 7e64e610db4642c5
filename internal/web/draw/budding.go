package draw

import (
	"fmt"
	"html/template"
	"math"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/outlook"
)

// Budding draws the budding weeks: a row a species with its window, the better part
// of it darker, and the days in which the crew is at it; in brick where they come
// too late.
func Budding(bs []outlook.Budding, today time.Time) template.HTML {
	if len(bs) == 0 {
		return ""
	}
	const w, left, right, row, top = 920.0, 210.0, 912.0, 30.0, 24.0
	a := yearAxis{from: today, to: today, left: left, right: right}
	for i, b := range bs {
		if i == 0 || b.Window.From.Before(a.from) {
			a.from = b.Window.From
		}
		for _, t := range []time.Time{b.Window.To, b.Done} {
			if t.After(a.to) {
				a.to = t
			}
		}
	}
	a.from, a.to = a.from.AddDate(0, 0, -7), a.to.AddDate(0, 0, 7)
	var p pen
	p.open(w, top+row*float64(len(bs))+6, "w-full min-w-176 h-auto block", fmt.Sprintf("The budding weeks: %d species in their turn",
		len(bs)))
	for m := time.Date(a.from.Year(), a.from.Month(), 1, 0, 0, 0, 0, time.UTC); m.Before(a.to); m = m.AddDate(0, 0, 7) {
		if !m.Before(a.from) {
			p.line(a.x(m), top-4, a.x(m), top+row*float64(len(bs)), "mmline")
			p.text(a.x(m)+2, 14, "scale", "start", m.Format("2 Jan"))
		}
	}
	for i, b := range bs {
		y := top + row*float64(i)
		p.text(left-10, y+16, "label-text", "end", fmt.Sprintf("%s, %s", b.Genus, b.Technique))
		p.rect(a.x(b.Window.From), y+2, a.x(b.Window.To)-a.x(b.Window.From), 20, "fill-leaf-pale")
		if b.Window.BestFrom.Before(b.Window.BestTo) {
			p.rect(a.x(b.Window.BestFrom), y+2, a.x(b.Window.BestTo)-a.x(b.Window.BestFrom), 20, "fill-leaf")
		}
		if b.PerDay > 0 {
			class := "bud-crew fill-ink"
			if b.Late {
				class = "bud-late fill-brick stroke-ink"
			}
			p.rect(a.x(b.From), y+8, math.Max(3, a.x(b.Done)-a.x(b.From)), 8, class)
		}
		p.text(a.x(b.Window.To)-3, y+18, "scale", "end", season.Say(b.Window.To.AddDate(0, 0, -1)))
	}
	return p.html()
}
