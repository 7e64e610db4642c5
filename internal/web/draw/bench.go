package draw

import (
	"fmt"
	"html/template"
	"math"
	"time"

	"unionknot/internal/core/union"
	"unionknot/internal/core/wood"
	"unionknot/internal/nursery"
	"unionknot/internal/words"
)

// Cut draws stock and scion from the side as the technique cuts them, one
// scale both ways, with its measures in a tongue. It gives "" for two stems that cannot be cut so.
func Cut(tongue, technique string, stems union.Stems, face union.Face, manner union.Manner) template.HTML {
	side, err := union.SideBy(technique, stems, face, manner)
	if err != nil {
		return ""
	}
	const w, h, edge, notes = 390.0, 150.0, 8.0, 56.0
	left, right, low, high := math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
	for _, l := range side.Bodies {
		for _, q := range l.Points {
			left, right, low, high = math.Min(left, q.X), math.Max(right, q.X), math.Min(low, q.Y), math.Max(high, q.Y)
		}
	}
	scale := math.Min((w-2*edge)/(right-left), (h-notes-edge)/(high-low))
	x := func(mm float64) float64 { return (w-scale*(right-left))/2 + scale*(mm-left) }
	y := func(mm float64) float64 { return edge + scale*(high-mm) }
	var p pen
	p.open(w, h, "cut", words.CutOf(tongue, words.CutTitle, stems.Stock, stems.Scion, technique))
	trace := func(l union.Line, class, end string) {
		p.WriteString(`<path d="`)
		for i, q := range l.Points {
			op := "L"
			if i == 0 {
				op = "M"
			}
			p.f("%s%.5g %.5g", op, x(q.X), y(q.Y))
		}
		p.f(`%s" class="%s"/>`, end, class)
	}
	for _, b := range side.Bodies {
		trace(b, b.Of+"-body "+b.Part, "Z")
	}
	for _, c := range side.Cuts {
		trace(c, "knifecut", "")
	}
	foot := y(low) + 12
	p.text(x(left)+6, y(-stems.Stock/2)-6, "on-stock", "start", words.CutOf(tongue, words.CutStock, stems.Stock))
	last := side.Bodies[len(side.Bodies)-1]
	if last.Part == "bud" {
		last = side.Bodies[len(side.Bodies)-2]
	}
	far, near, mid := math.Inf(-1), math.Inf(1), 0.0
	for _, q := range last.Points {
		near = math.Min(near, q.X)
		if q.X > far {
			far, mid = q.X, q.Y
		} else if q.X == far {
			mid = (mid + q.Y) / 2
		}
	}
	if x(far)-x(near) > 90 {
		p.text(x(far)-6, y(mid)+5, "on-scion", "end", words.CutOf(tongue, words.CutWood, stems.Scion))
	}
	for i, m := range side.Measures {
		name := words.Cut(tongue, m)
		a, b := x(m.From), x(m.To)
		p.line(a, foot, b, foot, "measure")
		p.line(a, foot-4, a, foot+4, "measure")
		p.line(b, foot-4, b, foot+4, "measure")
		// One under the other, each kept within the picture.
		anchor, at := "middle", (a+b)/2
		reach := 3.2 * float64(len(name))
		switch {
		case at-reach < 4:
			anchor, at = "start", math.Max(4, math.Min(a, w-2*reach))
		case at+reach > w-4:
			anchor, at = "end", math.Min(w-4, math.Max(b, 2*reach))
		}
		p.text(at, foot+18+16*float64(i), "scale", anchor, name)
	}
	return p.html()
}

// Pace draws grafts in each ten minutes up to now; the stretch still running
// is drawn open.
func Pace(ps []nursery.Pace, now time.Time) template.HTML {
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
		class := "fill-ink"
		if i == n-1 {
			class = "fill-leaf-pale stroke-leaf"
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
	p.open(w, h, across, fmt.Sprintf("a stick of %.0f mm giving %d pieces", s.LengthMM, y.Pieces))
	x := func(mm float64) float64 { return left + long*mm/s.LengthMM }
	tall := 30 / s.BaseMM // px a mm across, so that taper can be seen
	b, t := s.BaseMM*tall/2, s.TipMM*tall/2
	p.f(`<path class="fill-scion-faint stroke-scion-pale" d="M%.4g %.4g L%.4g %.4g V%.4g L%.4g %.4g Z"/>`, left, mid-b, left+long, mid-t,
		mid+t, left, mid+b)
	at := func(mm float64) float64 { return s.DiameterAt(mm) * tall / 2 }
	from, to := s.Usable.From*s.LengthMM, s.Usable.To*s.LengthMM
	p.f(
		`<path class="scion-body" d="M%.4g %.4g L%.4g %.4g V%.4g L%.4g %.4g Z"/>`,
		x(from),
		mid-at(from),
		x(to),
		mid-at(to),
		mid+at(to),
		x(from),
		mid+at(from),
	)
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
		p.f(`<circle cx="%.4g" cy="%.4g" r="3.4" class="fill-scion"/>`, x(mm), mid+side*(at(mm)+2))
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
