package draw

import (
	"fmt"
	"html"
	"html/template"
	"math"

	"unionknot/internal/core/rows"
	rowstage "unionknot/internal/nursery/rows"
	"unionknot/internal/words"
)

// FieldMap draws the rows of a field, one below the other, each from its first plant: what is
// budded, what waits, gaps, and an arrow for the way in which it is walked.
func FieldMap(f rowstage.Field) template.HTML {
	const w, left, right, each, top = 900.0, 88.0, 60.0, 30.0, 10.0
	var s pen
	h := top + each*float64(len(f.Rows)) + 6
	// Its rows are links, so that it is a group and no picture.
	s.f(`<svg class="w-full min-w-208" viewBox="0 0 %.4g %.4g" role="group" aria-label="%s" xmlns="http://www.w3.org/2000/svg">`, w, h,
		html.EscapeString(fmt.Sprintf("%s, %d rows", f.Name, len(f.Rows))))
	most := 1
	for _, r := range f.Rows {
		for _, x := range r.Stands {
			most = max(most, x.Last)
		}
	}
	x := func(plant float64) float64 { return left + (w-left-right)*(plant-1)/float64(most) }
	for i, r := range f.Rows {
		y := top + each*float64(i) + 12
		s.f(`<a href="/rows/%d">`, r.ID)
		s.text(left-10, y+4, "text-[13px] fill-ink underline", "end", fmt.Sprintf("row %d", r.Number))
		s.WriteString(`</a>`)
		s.line(left, y, w-right, y, "stroke-rule stroke-[1.5]")
		for _, st := range r.Stands {
			s.rect(x(float64(st.First)), y-6, x(float64(st.Last+1))-x(float64(st.First)), 12, "fill-stock-pale stroke-stock stroke-1")
		}
		for _, t := range rowstage.LaidOut(r.Row) {
			if t.Stretch.First == 0 {
				continue
			}
			from, to := x(float64(t.Stretch.First)), x(float64(t.Stretch.Last+1))
			s.rect(from, y-6, to-from, 12, "fill-scion-faint stroke-scion stroke-1")
			if done := float64(t.Tied) / math.Max(1, float64(t.Planned)); t.Tied > 0 {
				if !t.Open {
					done = 1
				}
				s.rect(from, y-6, (to-from)*math.Min(1, done), 12, "fill-leaf")
			}
		}
		for _, g := range r.Gaps {
			s.rect(x(float64(g.At)), y-8, math.Max(2, x(float64(g.At+1))-x(float64(g.At))), 16, "fill-paper stroke-brick stroke-[0.7]")
		}
		a, b, d := w-right+12, w-right+46, 6.0
		if r.Backward {
			a, b, d = b, a, -d
		}
		s.f(`<path class="fill-none stroke-ink stroke-[1.6]" d="M%.4g %.4gH%.4gm%.4g -4l%.4g 4l%.4g 4"/>`, a, y, b, -d, d, -d)
	}
	return s.html()
}

// RowLine draws one row: each tag a stretch with its code, gaps, and where the work stands.
func RowLine(p rowstage.RowPage) template.HTML {
	const w, h, left, y = 900.0, 84.0, 10.0, 40.0
	var s pen
	s.open(w, h, "w-full min-w-208", words.RowDrawn(p.Place, p.Plants))
	most := 1
	for _, x := range p.Stands {
		most = max(most, x.Last)
	}
	x := func(plant float64) float64 { return left + (w-2*left)*(plant-1)/float64(most) }
	for _, st := range p.Stands {
		s.rect(x(float64(st.First)), y-10, x(float64(st.Last+1))-x(float64(st.First)), 20, "fill-stock-pale stroke-stock stroke-1")
		s.text(x(float64(st.First))+2, y+26, "scale", "start", st.Lot)
	}
	for _, t := range p.Laid {
		if t.Stretch.First == 0 {
			continue
		}
		from, to := x(float64(t.Stretch.First)), x(float64(t.Stretch.Last+1))
		s.rect(from, y-10, to-from, 20, "fill-scion-faint stroke-scion stroke-1")
		done := 1.0
		if t.Open {
			done = float64(t.Tied) / math.Max(1, float64(t.Planned))
		}
		if t.Tied > 0 {
			s.rect(from, y-10, (to-from)*math.Min(1, done), 20, "fill-leaf")
		}
		if to-from > 56 {
			s.text((from+to)/2, y-15, "scale", "middle", t.Code)
		}
	}
	for _, g := range p.Gaps {
		s.rect(x(float64(g.At)), y-13, math.Max(2, x(float64(g.At+1))-x(float64(g.At))), 26, "fill-paper stroke-brick stroke-[0.7]")
	}
	if p.At > 0 && p.At <= most {
		s.f(`<path class="fill-ochre" d="M%.4g %.4gl-6 12h12z"/>`, x(float64(p.At)), y+12)
	}
	s.text(left, 14, "scale", "start", "plant 1")
	s.text(w-left, 14, "scale", "end", fmt.Sprintf("plant %d", most))
	return s.html()
}

// RowSide draws, from above, somebody who walks a row, and on which side of the stem the bud sits.
func RowSide(side rows.Side, told string) template.HTML {
	const w, h = 150.0, 120.0
	var s pen
	s.open(w, h, "rowside", told)
	s.line(75, 8, 75, 112, "stroke-rule stroke-[1.5]")
	for _, y := range []float64{24, 60, 96} {
		s.f(`<circle cx="75" cy="%.4g" r="10" class="stem"/>`, y)
	}
	dx, dy := 0.0, 0.0
	switch side {
	case rows.Left:
		dx = -10
	case rows.Right:
		dx = 10
	case rows.Ahead:
		dy = -10
	case rows.Behind:
		dy = 10
	}
	if side != "" {
		for _, y := range []float64{24, 60, 96} {
			s.f(`<circle cx="%.4g" cy="%.4g" r="4.5" class="budspot"/>`, 75+dx, y+dy)
		}
	}
	s.WriteString(`<path class="fill-none stroke-ink stroke-[1.6]" d="M118 100V40m-6 8l6 -8l6 8"/>`)
	s.text(118, 114, "scale", "middle", "you")
	return s.html()
}
