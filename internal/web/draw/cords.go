package draw

import (
	"fmt"
	"html"
	"html/template"
	"math"
	"slices"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/outlook"
	"unionknot/internal/words"
)

// Stretch is the days that cords are drawn over, with today among them.
type Stretch struct{ From, Today, To aftercare.Day }

const (
	cordWide = 960.0
	cordHigh = 74.0
	cordMid  = 30.0 // where the rope lies
)

func (s Stretch) x(d aftercare.Day) float64 {
	return cordWide * float64(d-s.From) / math.Max(1, float64(s.To-s.From))
}

func (s Stretch) in(d aftercare.Day) bool { return d >= s.From && d <= s.To }

func (p *pen) months(s Stretch, top, bottom float64, named bool) {
	d := s.From.Date()
	for at := time.Date(d.Year(), d.Month()+1, 1, 0, 0, 0, 0, time.UTC); aftercare.DayOf(at) <= s.To; at = at.AddDate(0, 1, 0) {
		x := s.x(aftercare.DayOf(at))
		p.line(x, top, x, bottom, "stroke-rule stroke-1")
		if named {
			name := at.Format("Jan")
			if at.Month() == time.January {
				name += at.Format(" 2006")
			}
			p.text(x+4, 12, "text-[11px] fill-soft", "start", name)
		}
	}
}

// CordAxis draws the months above the cords.
func CordAxis(s Stretch) template.HTML {
	var p pen
	p.open(cordWide, 22, "block w-full min-w-160", "months from "+s.From.String()+" to "+s.To.String())
	p.months(s, 0, 22, true)
	x := s.x(s.Today)
	p.line(x, 0, x, 22, "stroke-ink stroke-[1.6]")
	p.f(`<rect x="%.4g" y="1" width="40" height="14" class="fill-ink"/>`, x-20)
	p.text(x, 12, "text-[11px] fill-sheet font-bold", "middle", "today")
	return p.html()
}

// Cord draws a batch: a rope as thick as what lives of it, a knot for each step done
// and to come, frays where trees were lost, and a shift where a knot was moved.
func Cord(c outlook.Cord, s Stretch, most int) template.HTML {
	var p pen
	p.open(cordWide, cordHigh, "block w-full min-w-160", cordTitle(c, s.Today))
	p.months(s, 0, cordHigh, false)
	thick := func(n int) float64 { return 3 + 17*math.Sqrt(float64(n)/math.Max(1, float64(most))) }
	from, now := s.x(max(c.From, s.From)), s.x(s.Today)
	turn := now // where what was lost leaves the rope
	for _, d := range c.Done {
		if words.LookIs(d.Knot) && s.in(d.On) && d.On <= s.Today {
			turn = s.x(d.On)
		}
	}
	made, alive := thick(c.Tied), thick(c.Standing)
	p.rope(from, turn, made)
	p.rope(turn, now, alive)
	end := s.x(min(s.To, max(c.Fit, s.Today)))
	p.f(`<rect x="%.4g" y="%.4g" width="%.4g" height="%.4g" class="fill-none stroke-stock stroke-1 [stroke-dasharray:4_4]"/>`, now,
		cordMid-alive/2, math.Max(0, end-now), alive)
	if c.Lost > 0 {
		p.f(`<path class="fill-none stroke-brick stroke-[1.6]"
			d="M%.4g %.4g q 4 10 12 15 M%.4g %.4g q 6 8 16 10 M%.4g %.4g q 2 9 4 17"/>`, turn, cordMid+alive/2,
			turn,
			cordMid+alive/2, turn-2, cordMid+alive/2)
		says := fmt.Sprintf("%d lost", c.Lost)
		if len(c.Causes) > 0 {
			says += ": " + c.Causes[0].Cause
		}
		if turn > cordWide-220 {
			p.text(turn-8, cordMid+34, "text-[12px] fill-brick", "end", says)
		} else {
			p.text(turn+20, cordMid+34, "text-[12px] fill-brick", "start", says)
		}
	}
	x := s.x(s.Today)
	p.line(x, 0, x, cordHigh, "stroke-ink stroke-[1.6]")
	// Shapes that would lie on each other stand side by side.
	taken := map[bool]float64{true: -100, false: -100}
	beside := func(at float64, done, round bool) float64 {
		if round {
			return at
		}
		if at < taken[done]+17 {
			at = taken[done] + 17
		}
		taken[done] = at
		return at
	}
	slices.SortStableFunc(c.Done, func(a, b aftercare.Done) int { return int(a.On - b.On) })
	for _, d := range c.Done {
		if s.in(d.On) && !d.Knot.Seen() {
			p.knot(beside(s.x(d.On), true, false), d.Knot, "done", 1, words.KnotSays(d.Knot, d.N)+", done "+d.On.Date().Format("2 January"))
		}
	}
	taken[false] = max(taken[false], taken[true])
	told := -1000.0
	for _, k := range c.Knots {
		if !s.in(k.Best) {
			continue
		}
		round := k.Name == aftercare.Suckers || k.Name == aftercare.LoosenShoot
		at := beside(s.x(k.Best), false, round)
		state := "open"
		if k.Late {
			state = "late"
		} else if k.From <= s.Today {
			state = "due"
		}
		for _, m := range k.Moves {
			was, is := s.x(k.Best-aftercare.Day(m.Days)), s.x(k.Best)
			if math.Abs(was-is) > 6 && !round {
				p.f(`<path class="fill-none stroke-teal stroke-[1.4]" d="M%.4g %.4g H%.4g m%.4g -3 l%.4g 3 l%.4g 3"/>`, was, cordMid-17,
					is, math.Copysign(4,
						was-is),
					math.Copysign(4, is-was), math.Copysign(4, was-is))
				break
			}
		}
		p.knot(at, k.Name, state, float64(k.Trees)/math.Max(1, float64(c.Standing)), words.KnotSays(k.Name, k.N)+", "+
			words.WindowSays(k.Window, s.Today))
		if name := words.KnotSays(k.Name, 0); !round && at-told > 8*float64(len([]rune(name))) &&
			at < cordWide-8*float64(len([]rune(name))) {
			p.text(at, cordMid-19, "cord-knotname", "middle", name)
			told = at
		}
	}
	return p.html()
}

// cordTitle says of a cord what it draws.
func cordTitle(c outlook.Cord, today aftercare.Day) string {
	s := fmt.Sprintf("%s on %s: %d of %d live", c.Variety, c.StockType, c.Standing, c.Tied)
	if len(c.Knots) > 0 {
		s += "; next " + words.KnotSays(c.Knots[0].Name, c.Knots[0].N) + ", " + words.WindowSays(c.Knots[0].Window, today)
	}
	return s
}

// rope draws a length of it, laid in strands.
func (p *pen) rope(from, to, thick float64) {
	if to <= from {
		return
	}
	p.rect(from, cordMid-thick/2, to-from, thick, "fill-stock-pale stroke-stock stroke-1")
	for x := from + 4; x < to; x += 8 {
		p.line(x, cordMid+thick/2, math.Min(to, x+thick/2.4), cordMid-thick/2, "stroke-stock stroke-1")
	}
}

// knot draws a step by a shape of its kind: done full, due and to come open, late in
// brick with a cross-stroke.
func (p *pen) knot(x float64, k aftercare.Name, state string, share float64, title string) {
	p.f(`<g class="knot knot-%s"><title>%s</title>`, state, html.EscapeString(title))
	y, r := cordMid, 7+3*math.Sqrt(math.Min(1, share))
	switch k {
	case aftercare.FirstLook, aftercare.TakeLook, aftercare.BudLook, aftercare.SecondLook:
		p.f(`<circle cx="%.4g" cy="%.4g" r="%.4g"/>`, x, y, r)
		p.f(`<path class="knot-mark" d="M%.4g %.4g v7 m3 -7 v7 m3 -7 v7 m-8 -1 l10 -5"/>`, x-4, y-3.5)
	case aftercare.Suckers, aftercare.LoosenShoot:
		p.f(`<circle cx="%.4g" cy="%.4g" r="2.8"/>`, x, y)
	case aftercare.Pot:
		p.f(`<path d="M%.4g %.4g h16 l-3 17 h-10 z"/>`, x-8, y-8)
		p.f(`<path class="knot-mark" d="M%.4g %.4g h13"/>`, x-6.5, y-4)
	case aftercare.LoosenTie, aftercare.Untie, aftercare.LowTieOff, aftercare.BindLow:
		p.f(`<path class="knot-open" d="M%.4g %.4g q5 9 0 18 M%.4g %.4g q-5 9 0 18"/>`, x-6, y-9, x+6, y-9)
	case aftercare.HeadBack, aftercare.CutBack, aftercare.SnagOff:
		p.f(`<path d="M%.4g %.4g l7 18 h-14 z"/>`, x, y-10)
	case aftercare.Cane, aftercare.TieShoot:
		p.f(`<path class="knot-open" d="M%.4g %.4g v22 M%.4g %.4g q7 3 7 6 q0 4 -7 4"/>`, x, y-11, x, y-5)
	case aftercare.Pinch, aftercare.ChooseShoot, aftercare.KeepBest, aftercare.CleanUp:
		p.f(`<path class="knot-open" d="M%.4g %.4g v9 M%.4g %.4g l-6 -9 M%.4g %.4g l6 -9"/>`, x, y+9, x, y, x, y)
		p.f(`<path class="knot-open" d="M%.4g %.4g v-9"/>`, x, y+9)
	case aftercare.Guard:
		p.f(`<rect x="%.4g" y="%.4g" width="14" height="16"/>`, x-7, y-8)
		p.f(`<path class="knot-mark" d="M%.4g %.4g l14 16 m0 -16 l-14 16"/>`, x-7, y-8)
	case aftercare.OpenCover, aftercare.CoverOff:
		p.f(`<path d="M%.4g %.4g q0 -17 8 -17 q8 0 8 17 z"/>`, x-8, y+8)
	case aftercare.Lift:
		p.f(`<path d="M%.4g %.4g l8 9 h-5 v9 h-6 v-9 h-5 z"/>`, x, y-10)
	default:
		p.f(`<path d="M%.4g %.4g l8 10 l-8 10 l-8 -10 z"/>`, x, y-10)
	}
	if state == "late" {
		p.f(`<path class="knot-late-mark" d="M%.4g %.4g h16"/>`, x-8, y+13)
	}
	p.WriteString("</g>")
}

// Callus draws how far grafts have callused, with the marks at which they are looked
// at and ready.
func Callus(share float64) template.HTML {
	const w, h = 120.0, 14.0
	var p pen
	p.open(w, h, "callus", "callused "+words.Callused(share))
	x := func(s float64) float64 { return w * math.Min(s, 1.35) / 1.35 }
	p.rect(0, 3, x(1.35), 8, "fill-none stroke-rule")
	p.rect(0, 3, x(share), 8, "fill-leaf-pale")
	for s := 4.0; s < x(share); s += 4 {
		p.line(s, 11, s, 3, "stroke-leaf stroke-1")
	}
	p.line(x(0.75), 0, x(0.75), h, "stroke-soft [stroke-dasharray:2_2]")
	p.line(x(1), 0, x(1), h, "stroke-ink stroke-2")
	return p.html()
}

// YearBar draws what a year's work has become: lost, gone, and what stands by how far
// it has come.
func YearBar(l outlook.YearLine, most int) template.HTML {
	const w, h = 560.0, 20.0
	var p pen
	p.open(w, h, "block w-full min-w-88", words.YearSays(l.Tied, l.Lost, l.Gone, l.Standing))
	x := 0.0
	part := func(n int, class string, stripes float64) {
		if n == 0 {
			return
		}
		wide := w * float64(n) / math.Max(1, float64(most))
		p.rect(x, 2, wide, 16, class)
		for s := x + stripes; stripes > 0 && s < x+wide; s += stripes {
			p.line(s, 18, math.Min(s+stripes/2, x+wide), 2, "bal-line")
		}
		x += wide
	}
	part(l.By[outlook.Fit], "year-fit", 0)
	part(l.By[outlook.Trained], "year-trained", 0)
	part(l.By[outlook.Moved], "year-growing", 14)
	part(l.By[outlook.Headed], "year-headed", 7)
	part(l.By[outlook.Growing1], "year-growing", 9)
	part(l.By[outlook.Asleep], "year-asleep", 5)
	part(l.By[outlook.Healing], "year-healing", 3)
	part(l.Gone, "year-gone", 0)
	part(l.Lost, "year-lost", 0)
	part(l.InRow, "year-row", 12)
	part(l.Sown, "year-sown", 3)
	return p.html()
}
