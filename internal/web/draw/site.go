package draw

import (
	"fmt"
	"html/template"
	"math"
	"strings"
	"time"

	"unionknot/internal/core/season"
	seasonstage "unionknot/internal/nursery/season"
	"unionknot/internal/words"
)

// ClimateMap is a small map of where sites lie, from the cold to the frost-free and from the
// sea inland; each climate leads to itself, and the chosen one is outlined.
func ClimateMap(chosen season.Site) template.HTML {
	const w, h = 420.0, 250.0
	side, cold, warm := "north", "pole", "the line"
	if chosen.South {
		side = "south"
	}
	var p pen
	p.open(w, h, "climates", "A map of climates: cold above, frost-free below, the sea on the left, inland on the right")
	zones := map[season.Climate][4]float64{season.Cold: {0, 0, w, 52}, season.Maritime: {0, 52, 190, 72}, season.Inland: {190, 52,
		w - 190, 72},
		season.Mild: {0, 124, w, 60}, season.FrostFree: {0, 184, w, h - 184}}
	for _, c := range season.Climates {
		z := zones[c]
		class := "climate"
		if c == chosen.Climate {
			class += " climate-chosen"
		}
		p.f(`<a href="/season/site?climate=%s&amp;side=%s" class="%s">`, c, side, class)
		p.rect(z[0]+2, z[1]+2, z[2]-4, z[3]-4, "climate-"+string(c))
		p.text(z[0]+z[2]/2, z[1]+z[3]/2+5, "heading", "middle", words.ClimateName(string(c)))
		p.f(`</a>`)
	}
	for y := 14.0; y < h-8; y += 26 { // the sea
		p.f(`<path class="fill-none stroke-teal stroke-[1.5] pointer-events-none" d="M6 %.4g q5 -6 10 0 t10 0"/>`, y+6)
	}
	p.text(w-8, 16, "scale", "end", cold)
	p.text(w-8, h-8, "scale", "end", warm)
	// What holds links is no picture.
	return template.HTML(strings.Replace(string(p.html()), `role="img"`, `role="group"`, 1))
}

// ClimateYear is a climate's year of apples and pears: the stock's states, with the months'
// mean temperatures over them.
func ClimateYear(y seasonstage.ClimateYear) template.HTML {
	const w, h, top, bar = 420.0, 62.0, 36.0, 12.0
	var p pen
	low, high := y.Normals[0], y.Normals[0]
	for _, c := range y.Normals {
		low, high = math.Min(low, c), math.Max(high, c)
	}
	p.open(w, h, "w-full max-w-104 h-auto block", fmt.Sprintf("%s: months from %g to %g °C", words.ClimateName(string(y.Site.Climate)),
		low, high))
	at := func(c float64) float64 { return 30 - (c+10)*26/36 } // -10 to 26 °C
	d := ""
	for m, c := range y.Normals {
		cmd := "L"
		if m == 0 {
			cmd = "M"
		}
		d += fmt.Sprintf("%s%.4g %.4g ", cmd, w*(float64(m)+0.5)/12, at(c))
	}
	p.line(0, at(0), w, at(0), "stroke-black/25")
	p.f(`<path class="fill-none stroke-teal stroke-2" d="%s"/>`, d)
	p.text(w-2, at(0)+11, "scale", "end", "0 °C")
	if y.Site.Rests() && len(y.Spans) > 0 {
		year := y.Spans[0].From
		x := func(t time.Time) float64 { return w * t.Sub(year).Hours() / year.AddDate(1, 0, 0).Sub(year).Hours() }
		for _, s := range y.Spans {
			p.rect(x(s.From), top, x(s.To)-x(s.From), bar, "state-"+s.State)
		}
	} else {
		p.rect(0, top, w, bar, "state-"+season.Running)
	}
	for m := range 12 {
		p.text(w*(float64(m)+0.5)/12, h-2, "scale", "middle", time.Month(m + 1).String()[:1])
	}
	return p.html()
}
