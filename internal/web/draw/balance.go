package draw

import (
	"html/template"
	"math"

	"unionknot/internal/core/supply"
	"unionknot/internal/words"
)

// Balance draws where an order's grafts are: alive, doubtful, healing, at the
// bench and to go along one line of grafts, each with its own pattern; the trees
// wanted as a mark, the trees to expect of what there is as a range below, and
// what died as a brick line above it.
func Balance(b supply.Balance, w float64) template.HTML {
	const h, top, bar = 27.0, 4.0, 11.0
	var p pen
	p.open(w, h, "balance", words.Balance(b))
	most := math.Max(float64(b.Wanted)*1.12, math.Max(float64(b.Alive+b.Doubtful+b.Healing+b.Bench+b.Rest+b.ToGo), b.Expected.High)*1.02)
	x := func(n float64) float64 { return (w - 4) * n / math.Max(most, 1) }
	at := 0.0
	for _, part := range []struct {
		n     int
		class string
	}{{b.Alive, "bal-alive"}, {b.Doubtful, "bal-doubtful"}, {b.Healing, "bal-healing"}, {b.Bench + b.Rest, "bal-bench"}, {b.ToGo,
		"bal-togo"}} {
		if part.n == 0 {
			continue
		}
		from, to := x(at), x(at+float64(part.n))
		p.rect(from, top, to-from, bar, part.class)
		switch part.class { // not by colour alone
		case "bal-healing":
			for s := from + 3; s < to; s += 4 {
				p.line(s, top, s, top+bar, "bal-line")
			}
		case "bal-bench":
			for s := from + 4; s < to; s += 5 {
				p.line(s, top+bar, math.Min(s+5, to), top, "bal-line")
			}
		}
		at += float64(part.n)
	}
	if b.Dead > 0 {
		p.rect(0, 0.5, math.Min(x(float64(b.Dead)), w-4), 2, "fill-brick")
	}
	p.line(x(float64(b.Wanted)), 0, x(float64(b.Wanted)), top+bar+3, "stroke-ink stroke-[2.5]")
	if b.Expected.High > 0 {
		y := top + bar + 6
		p.line(x(b.Expected.Low), y, x(b.Expected.High), y, "bal-range")
		p.line(x(b.Expected.Low), y-3, x(b.Expected.Low), y+3, "bal-range")
		p.line(x(b.Expected.High), y-3, x(b.Expected.High), y+3, "bal-range")
		p.f(`<circle cx="%.4g" cy="%.4g" r="2.6" class="fill-ink"/>`, x(b.Expected.Mean), y)
	}
	return p.html()
}
