package draw

import (
	"fmt"
	"html/template"
	"math"

	"unionknot/internal/nursery/days"
	"unionknot/internal/words"
)

// Meetings draws who makes how much of which lot: a ring for the plan as hands are free, a
// disc for the plan whose counts tell, each as large as its grafts are many.
func Meetings(t days.Telling) template.HTML {
	const left, top, row = 120.0, 30.0, 46.0
	col := max(66, (640-left)/float64(max(1, len(t.Workers))))
	most := 1
	for _, ws := range t.Meet {
		for _, m := range ws {
			most = max(most, m.As, m.So)
		}
	}
	w, h := left+col*float64(len(t.Workers))+4, top+row*float64(len(t.Lots))+4
	r := func(n int) float64 { return 20 * math.Sqrt(float64(n)/float64(most)) }
	var p pen
	p.open(w, h, "meetings", words.MeetingsSay)
	for i, name := range t.Workers {
		p.text(left+col*(float64(i)+0.5), 16, "fairname", "middle", clip(words.FirstName(name), 9))
	}
	for l, lot := range t.Lots {
		y := top + row*(float64(l)+0.5)
		p.line(0, y+row/2, w, y+row/2, "gridline")
		p.text(0, y+4, "fairname", "start", clip(lot, 14))
		for i, m := range t.Meet[l] {
			x := left + col*(float64(i)+0.5)
			if m.So > 0 {
				p.f(`<circle class="fill-stock-pale" cx="%.5g" cy="%.5g" r="%.4g"/>`, x, y, r(m.So))
			}
			if m.As > 0 {
				p.f(`<circle class="fill-none stroke-ink stroke-[1.2] [stroke-dasharray:3_2]" cx="%.5g" cy="%.5g" r="%.4g"/>`, x, y,
					r(m.As))
			}
			if m.So > 0 {
				p.text(x, y+4, "fill-ink text-[11px]", "middle", fmt.Sprint(m.So))
			}
		}
	}
	return p.html()
}
