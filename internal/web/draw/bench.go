package draw

import (
	"fmt"
	"html/template"
	"math"
	"time"

	"unionknot/internal/core/wood"
	"unionknot/internal/store"
)

// Cut draws stock and scion from the side as the technique cuts them, to
// scale, with the length of the face. It gives "" for a technique whose cut is
// not drawn from the side: a wrong picture would be worse than words.
func Cut(technique string, stockMM, scionMM, faceMM float64) template.HTML {
	switch technique {
	case "splice", "whip-and-tongue", "cleft-one-side", "off-centre-cleft", "chip-bud", "t-bud":
	default:
		return ""
	}
	const w, h = 390.0, 150.0
	var p pen
	p.open(w, h, "cut", fmt.Sprintf("%.1f mm stock and %.1f mm wood, cut as for %s", stockMM, scionMM, technique))
	switch technique {
	case "chip-bud", "t-bud":
		p.bud(technique, stockMM, scionMM)
	case "cleft-one-side", "off-centre-cleft":
		p.cleft(technique, stockMM, scionMM)
	default:
		p.splice(technique, stockMM, scionMM, faceMM)
	}
	return p.html()
}

// splice draws two long faces, a little apart so that both are seen.
func (p *pen) splice(technique string, stockMM, scionMM, faceMM float64) {
	scale := math.Min(66/stockMM, 120/faceMM) // px a mm, the same both ways
	s, d, f := stockMM*scale, scionMM*scale, faceMM*scale
	x0, top := 150.0, 34.0
	slope := f / s
	p.f(`<path class="stock-body" d="M8 %.4g H%.4g L%.4g %.4g H8 Z"/>`, top, x0, x0+f, top+s)
	// Flush on the near side: both barks level along the lower edge of the drawing.
	lift := 5.0
	p.f(`<path class="scion-body" d="M%.4g %.4g H382 V%.4g H%.4g Z"/>`, x0+14+(s-d)*slope, top-lift+s-d, top+s-lift, x0+14+f)
	if technique == "whip-and-tongue" {
		p.line(x0+f/3-4, top+s/3-8, x0+f/3+26, top+s/3+20, "knifecut")
		p.line(x0+14+f*2/3-26, top-lift+s*2/3-20, x0+14+f*2/3+4, top-lift+s*2/3+8, "knifecut")
	}
	p.text(16, top+s/2+5, "on-stock", "start", fmt.Sprintf("stock %.1f", stockMM))
	p.text(376, top-lift+s-d/2+5, "on-scion", "end", fmt.Sprintf("wood %.1f", scionMM))
	y := top + s + 14
	p.line(x0, y, x0+f, y, "measure")
	p.line(x0, y-4, x0, y+4, "measure")
	p.line(x0+f, y-4, x0+f, y+4, "measure")
	note := fmt.Sprintf("face %.0f mm, both alike", faceMM)
	if technique == "whip-and-tongue" {
		note = fmt.Sprintf("face %.0f mm, tongue a third down", faceMM)
	}
	p.text(x0+f/2, y+18, "scale", "middle", note)
}

// cleft draws the split from the side with the wedge above it.
func (p *pen) cleft(technique string, stockMM, scionMM float64) {
	scale := math.Min(60/stockMM, 6)
	s, d := stockMM*scale, scionMM*scale
	mid := 75.0
	off := 0.0
	if technique == "off-centre-cleft" {
		off = -(s - d) / 2
	}
	y := mid + off
	p.f(`<path class="stock-body" d="M8 %.4g H200 L110 %.4g L200 %.4g V%.4g H8 Z"/>`, mid-s/2, y, y+1, mid+s/2)
	p.line(110, y, 200, y, "knifecut")
	p.f(`<path class="scion-body" d="M382 %.4g H300 L215 %.4g L300 %.4g H382 Z"/>`, y-d/2, y, y+d/2)
	p.text(16, mid+s/2+18, "scale", "start", fmt.Sprintf("stock %.1f mm, split 25–40 mm", stockMM))
	p.text(376, mid+s/2+18, "scale", "end", fmt.Sprintf("wood %.1f mm, wedge 25 mm", scionMM))
}

// bud draws a chip or a shield beside the place cut for it.
func (p *pen) bud(technique string, stockMM, scionMM float64) {
	scale := math.Min(64/stockMM, 6)
	s := stockMM * scale
	mid := 64.0
	p.rect(8, mid-s/2, 250, s, "stock-body")
	if technique == "t-bud" {
		p.line(80, mid-s*0.3, 80, mid+s*0.3, "knifecut")
		p.line(80, mid, 180, mid, "knifecut")
		p.f(`<path class="scion-body" d="M290 %.4g q50 -22 84 0 q-34 22 -84 0 z"/>`, mid)
		p.text(8, mid+s/2+20, "scale", "start", "T 25 mm deep, a third of the girth")
	} else {
		p.f(`<path class="bed" d="M90 %.4g l12 12 q40 6 74 -12 z"/>`, mid-s/2)
		p.f(`<path class="scion-body" d="M285 %.4g l12 12 q40 6 74 -12 z"/>`, mid-6)
		p.text(8, mid+s/2+20, "scale", "start", "stop cut at 45°, chip 12–18 mm")
	}
	p.f(`<circle class="scion-body" cx="330" cy="%.4g" r="5"/>`, mid-4)
	p.text(376, mid+s/2+20, "scale", "end", fmt.Sprintf("from %.1f mm wood", scionMM))
}

// Pace draws grafts in each ten minutes up to now; the stretch still running
// is drawn open.
func Pace(ps []store.Pace, now time.Time) template.HTML {
	const w, h, n = 390.0, 84.0, 12
	var p pen
	by, tallest, total := map[int64]int{}, 1, 0
	for _, x := range ps {
		by[x.From.Unix()/600] = x.N
		tallest = max(tallest, x.N)
		total += x.N
	}
	p.open(w, h, "pace", fmt.Sprintf("%d grafts in the last two hours", total))
	last := now.Unix() / 600
	for i := range int64(n) {
		v := by[last-n+1+i]
		bar := 66 * float64(v) / float64(tallest)
		class := "pace-bar"
		if i == n-1 {
			class = "pace-now"
		}
		x := float64(i) * w / n
		p.rect(x, 68-bar, w/n-5, bar, class)
		if v > 0 {
			p.text(x+w/n/2-2.5, 80, "scale", "middle", fmt.Sprint(v))
		}
	}
	p.line(0, 68.5, w, 68.5, "rule")
	return p.html()
}

// Stick draws a budstick with its nodes, and where each piece is cut.
func Stick(s wood.Stick, y wood.Yield) template.HTML {
	const w, h, mid, left, long = 760.0, 120.0, 46.0, 20.0, 720.0
	var p pen
	p.open(w, h, "stick", fmt.Sprintf("a stick of %.0f mm giving %d pieces", s.LengthMM, y.Pieces))
	x := func(mm float64) float64 { return left + long*mm/s.LengthMM }
	tall := 30 / s.BaseMM // px a mm across, so that taper can be seen
	b, t := s.BaseMM*tall/2, s.TipMM*tall/2
	p.f(`<path class="scion-faint" d="M%.4g %.4g L%.4g %.4g V%.4g L%.4g %.4g Z"/>`, left, mid-b, left+long, mid-t, mid+t, left, mid+b)
	at := func(mm float64) float64 { return s.DiameterAt(mm) * tall / 2 }
	from, to := s.Usable.From*s.LengthMM, s.Usable.To*s.LengthMM
	p.f(`<path class="scion-body" d="M%.4g %.4g L%.4g %.4g V%.4g L%.4g %.4g Z"/>`, x(from), mid-at(from), x(to), mid-at(to), mid+at(to), x(from), mid+at(from))
	nodes := 0
	for j := 1; ; j++ {
		mm := (float64(j) - 0.5) * s.InternodeMM
		if mm > s.LengthMM {
			break
		}
		side := 1.0
		if j%2 == 0 {
			side = -1
		}
		p.f(`<circle cx="%.4g" cy="%.4g" r="3.4" class="node"/>`, x(mm), mid+side*(at(mm)+2))
		if mm < from || mm > to {
			continue
		}
		if nodes%s.BudsPerPiece == 0 && nodes/s.BudsPerPiece < y.Pieces {
			i := nodes / s.BudsPerPiece
			cut := mm
			if s.BudsPerPiece > 1 {
				cut -= s.InternodeMM / 2
			}
			p.line(x(cut), mid-at(cut)-10, x(cut), mid+at(cut)+12, "knifecut")
			if y.Pieces <= 24 || i%4 == 0 {
				p.text(x(cut)+2, mid+at(cut)+26, "scale", "start", fmt.Sprintf("%.1f", y.PieceMM[i]))
			}
		}
		nodes++
	}
	p.text(left, h-6, "scale", "start", "base")
	p.text(left+long, h-6, "scale", "end", "tip")
	p.text(left+long/2, h-6, "scale", "middle", "mm where each piece is cut")
	return p.html()
}
