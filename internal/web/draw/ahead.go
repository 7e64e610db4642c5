package draw

import (
	"fmt"
	"html/template"
	"math"

	resultsstage "unionknot/internal/nursery/results"
	"unionknot/internal/words"
)

// Weeks draws hours a week with their ranges beside the hours of those at the bench.
func Weeks(ws []resultsstage.AheadWeek) template.HTML {
	const h, left, top, bottom, col = 210.0, 44.0, 8.0, 30.0, 44.0
	most := 1.0
	for _, w := range ws {
		most = math.Max(most, math.Max(w.Hours.High, math.Min(w.Have, 3*w.Hours.High)))
	}
	wide := math.Max(640, left+col*float64(len(ws))+8)
	each := (wide - left - 8) / float64(max(1, len(ws)))
	y := func(v float64) float64 { return top + (h-top-bottom)*(1-math.Min(v, most)/most) }
	var p pen
	p.open(wide, h, "max-w-184", words.AheadWeeksSay)
	for i := range 5 {
		v := most * float64(i) / 4
		p.line(left, y(v), wide-8, y(v), "gridline")
		p.text(left-5, y(v)+4, "scale", "end", fmt.Sprintf("%.0f", v))
	}
	for i, w := range ws {
		at := left + each*float64(i)
		bar := math.Min(26, each*0.6)
		x := at + (each-bar)/2
		class := "aheadbar"
		if w.Hours.High > w.Have {
			class += " over"
		}
		p.rect(x, y(w.Hours.Mean), bar, y(0)-y(w.Hours.Mean), class)
		p.line(x+bar/2, y(w.Hours.Low), x+bar/2, y(w.Hours.High), "costrange")
		p.line(at, y(w.Have), at+each, y(w.Have), "houseline")
		p.text(x+bar/2, h-bottom+15, "scale", "middle", w.Monday.Format("2 Jan"))
	}
	return p.html()
}
