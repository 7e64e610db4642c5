package draw

import (
	"html/template"

	"unionknot/internal/core/own"
)

// LookFor draws what tells a taken graft from a dead one, side by side: how a bud's
// petiole drops clean or hangs, how a chip's edge callusses or gapes, how a union knits
// or blackens.
func LookFor(technique string, film bool) template.HTML {
	const w, h = 300.0, 96.0
	var p pen
	p.open(w, h, "block w-full max-w-76", "left: taken; right: dead")
	for i, x := range []float64{75, 225} {
		alive := i == 0
		class := "fill-stock stroke-ink"
		if alive {
			class = "fill-leaf stroke-leaf-pressed"
		}
		p.rect(x-14, 4, 28, 76, "fill-stock-pale stroke-stock")
		switch own.Base(technique) {
		case "t-bud":
			p.f(`<path class="look-shield" d="M%.4g 22 h16 q3 22 -8 34 q-11 -12 -8 -34 z"/>`, x-8)
			p.f(`<circle cx="%.4g" cy="38" r="5" class="%s"/>`, x, class)
			switch {
			case film && alive:
				p.f(`<path class="fill-none stroke-teal [stroke-dasharray:3_2]" d="M%.4g 20 h32 v40 h-32 z"/>`, x-16)
			case film:
				p.f(`<path class="fill-none stroke-teal [stroke-dasharray:3_2]" d="M%.4g 20 h32 v40 h-32 z"/>`, x-16)
			case alive: // dropped, a clean scar
				p.f(`<path class="fill-none stroke-leaf stroke-4 [stroke-linecap:round]" d="M%.4g 68 l16 6"/>`, x+16)
				p.line(x-4, 45, x+4, 45, "stroke-ink stroke-2")
			default: // hangs on, withered
				p.f(`<path class="fill-none stroke-leaf stroke-4 [stroke-linecap:round]" d="M%.4g 44 q10 2 12 22"/>`, x)
			}
		case "chip-bud":
			rim := "fill-ink stroke-ink"
			if alive {
				rim = "fill-paper stroke-ochre stroke-[2.5]"
			}
			p.f(`<path class="%s" d="M%.4g 20 q11 20 0 42 q-11 -22 0 -42 z"/>`, rim, x)
			p.f(`<path class="look-shield" d="M%.4g 25 q7 16 0 32 q-7 -16 0 -32 z"/>`, x)
			p.f(`<circle cx="%.4g" cy="40" r="4.5" class="%s"/>`, x, class)
		default:
			p.rect(x-9, 2, 18, 34, "look-shield")
			rim := "fill-ink stroke-ink"
			if alive {
				rim = "fill-paper stroke-ochre stroke-[2.5]"
			}
			p.f(`<path class="%s" d="M%.4g 44 L%.4g 30 l2 5 L%.4g 50 z"/>`, rim, x-15, x+15, x-13)
			p.f(`<circle cx="%.4g" cy="14" r="4.5" class="%s"/>`, x+10, class)
			if alive {
				p.f(`<path class="fill-none stroke-leaf stroke-4 [stroke-linecap:round]" d="M%.4g 12 q8 -2 9 -9"/>`, x+12)
			}
		}
		name := "dead"
		if alive {
			name = "taken"
		}
		p.text(x, 93, "text-[12px] fill-ink", "middle", name)
	}
	return p.html()
}
