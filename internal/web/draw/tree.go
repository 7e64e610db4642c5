package draw

import (
	"fmt"
	"html/template"
	"math"
	"strings"
	"time"

	"unionknot/internal/nursery/trees"
	"unionknot/internal/words"
)

// The drawing of a tree: how large it is, where its trunk stands, and where ground is.
const (
	treeW, treeH = 660.0, 560.0
	treeX        = treeW / 2
	treeGround   = treeH - 16
	treeTop      = 62.0
)

func treeAt(x, y int) (px, py float64) {
	return 30 + (treeW-60)*float64(x)/1000, treeGround - (treeGround-treeTop)*float64(y)/1000
}

// limbPath is the line of a limb from the trunk to its tip. What drags a tip draws it so too.
func limbPath(fromY, tipX, tipY int) string {
	_, fy := treeAt(0, fromY)
	x, y := treeAt(tipX, tipY)
	return fmt.Sprintf("M%.4g %.4g Q%.4g %.4g %.4g %.4g", treeX, fy, treeX+0.75*(x-treeX), fy-0.25*(fy-y), x, y)
}

// along is a point of a limb's line, 0 at the trunk and 1 at its tip, and its direction.
func along(fromY, tipX, tipY int, t float64) (x, y, dx, dy float64) {
	_, fy := treeAt(0, fromY)
	ex, ey := treeAt(tipX, tipY)
	cx, cy := treeX+0.75*(ex-treeX), fy-0.25*(fy-ey)
	x = (1-t)*(1-t)*treeX + 2*(1-t)*t*cx + t*t*ex
	y = (1-t)*(1-t)*fy + 2*(1-t)*t*cy + t*t*ey
	dx, dy = 2*(1-t)*(cx-treeX)+2*t*(ex-cx), 2*(1-t)*(cy-fy)+2*t*(ey-cy)
	n := math.Max(1e-9, math.Hypot(dx, dy))
	return x, y, dx / n, dy / n
}

// mostTicks is how many grafts of a limb are drawn one by one.
const mostTicks = 12

// Tree draws a tree with its limbs, and on each its grafts: taken, dead, healing, cut. move says
// that limbs can be dragged.
func Tree(p trees.Page, move bool) template.HTML {
	var s pen
	s.open(treeW, treeH, "tree", words.TreeDrawn(p.Code, p.Tree.Limbs))
	s.line(20, treeGround, treeW-20, treeGround, "stroke-rule stroke-2")
	top := 0
	for _, v := range p.Limbs {
		if v.RemovedOn == nil {
			top = max(top, v.FromY)
		}
	}
	_, ty := treeAt(0, max(120, top))
	wide := 15.0
	if p.GirthMM != nil {
		wide = math.Max(9, math.Min(34, float64(*p.GirthMM)/math.Pi/9))
	}
	s.f(`<path class="fill-stock" d="M%.4g %.4g L%.4g %.4g L%.4g %.4g L%.4g %.4g z"/>`, treeX-wide*0.75, ty-6, treeX+wide*0.75, ty-6,
		treeX+wide, treeGround,
		treeX-wide, treeGround)
	for _, v := range p.Limbs {
		if v.RemovedOn != nil {
			continue
		}
		thick := 9.0
		if v.MM != nil {
			thick = math.Max(5, math.Min(22, *v.MM/3))
		}
		s.f(`<path id="limb-%s" class="treelimb%s" d="%s" stroke-width="%.3g"/>`, v.Letter, map[bool]string{true: " treenurse"}[v.Nurse],
			limbPath(v.FromY, v.TipX, v.TipY), thick)
	}
	for _, v := range p.Limbs {
		if v.RemovedOn == nil {
			s.limb(p, v, move)
		}
	}
	if move { // its limbs are pressed and moved: not one picture
		return template.HTML(strings.Replace(string(s.html()), `role="img"`, `role="group"`, 1))
	}
	return s.html()
}

// limb draws a limb's grafts, its letter, and what stands on it.
func (p *pen) limb(of trees.Page, v trees.LimbView, move bool) {
	p.f(`<g id="on-%s" class="treegrafts">`, v.Letter)
	if of.Trees == 1 {
		var kinds []string
		for _, k := range []struct {
			n    int
			kind string
		}{{v.Alive, "alive"}, {v.Doubtful, "doubt"}, {v.Healing, "heals"}, {v.Dead, "dead"}, {v.Cut, "cut"}} {
			for range k.n {
				kinds = append(kinds, k.kind)
			}
		}
		for i, kind := range kinds[:min(len(kinds), mostTicks)] {
			x, y, dx, dy := along(v.FromY, v.TipX, v.TipY, 0.88-0.5*float64(i)/math.Max(4, float64(len(kinds))))
			side := float64(1 - 2*(i%2)) // to either side in turn
			nx, ny := -dy*side, dx*side
			p.f(`<path class="tick tick-%s" d="M%.4g %.4g L%.4g %.4g M%.4g %.4g L%.4g %.4g"/>`, kind, x-8*nx, y-8*ny, x+8*nx, y+8*ny,
				x+2*nx, y+2*ny,
				x+13*nx+15*dx, y+13*ny+15*dy)
		}
	}
	p.f("</g>")
	x, y := treeAt(v.TipX, v.TipY)
	attrs := ""
	if move {
		attrs = fmt.Sprintf(` tabindex="0" role="button" aria-label="Limb %s: drag it, or move it with the arrow keys" data-letter="%s"
			data-from="%d" data-x="%d" data-y="%d"`,
			v.Letter, v.Letter, v.FromY, v.TipX, v.TipY)
	}
	p.f(`<g class="limbtip tip-%s" transform="translate(%.4g %.4g)"%s>`, tipClass(v.State), x, y, attrs)
	p.f(`<circle r="17"/>`)
	p.text(0, 5.5, "[font:700_17px_var(--font-sans)] fill-ink", "middle", v.Letter)
	p.f("</g>")
	p.f(`<g class="pointer-events-none" id="says-%s" transform="translate(%.4g %.4g)">`, v.Letter, x, y)
	name, says := v.Variety, words.LimbCounts(v.Alive, v.Doubtful, v.Healing, v.Bench, v.Dead, v.Cut)
	switch {
	case v.Nurse:
		name, says = "nurse limb", ""
	case name == "":
		name, says = v.Name, "nothing wanted yet"
	}
	// Beside the tip where there is room, above it where not.
	anchor, tx, up := "start", 24.0, 0.0
	if x < treeX {
		anchor, tx = "end", -24
	}
	if long := 7.6 * float64(max(len([]rune(clip(name, 20))), len([]rune(clip(says, 26))))); anchor == "end" && x-24-long < 4 ||
		anchor == "start" && x+24+long > treeW-4 {
		anchor, tx, up = "middle", math.Max(long/2+4-x, math.Min(treeW-4-long/2-x, 0)), -36
	}
	p.text(tx, -2+up, "fairname", anchor, clip(name, 20))
	p.text(tx, 14+up, "scale", anchor, clip(says, 26))
	p.f("</g>")
}

func tipClass(s trees.State) string {
	switch s {
	case trees.Lives:
		return "lives"
	case trees.Choose, trees.Healing, trees.AtBench:
		return "heals"
	case trees.Again, trees.NoRoom, trees.NoWood:
		return "lacks"
	}
	return "bare"
}

// Flowers draws when varieties flower in a year: as noted, or paler by the mean of the years noted.
func Flowers(fs []trees.Flower, year int) template.HTML {
	var first, last time.Time
	n := 0
	for _, f := range fs {
		if !f.Known {
			continue
		}
		if n++; n == 1 || f.This.First.Before(first) {
			first = f.This.First
		}
		if n == 1 || f.This.Last.After(last) {
			last = f.This.Last
		}
	}
	if n == 0 {
		return ""
	}
	first, last = first.AddDate(0, 0, -2), last.AddDate(0, 0, 3)
	const w, left, top, row = 640.0, 150.0, 26.0, 28.0
	h := top + row*float64(n) + 6
	days := last.Sub(first).Hours() / 24
	x := func(d time.Time) float64 { return left + (w-left-6)*d.Sub(first).Hours()/24/days }
	var p pen
	p.open(w, h, "flowers", words.FlowerSays(n, year))
	step := 7
	if days > 70 {
		step = 14
	}
	for d := first; d.Before(last); d = d.AddDate(0, 0, step) {
		p.line(x(d), top-4, x(d), h-4, "gridline")
		p.text(x(d), 14, "scale", "middle", d.Format("2 Jan"))
	}
	i := 0
	for _, f := range fs {
		if !f.Known {
			continue
		}
		y := top + row*float64(i)
		i++
		p.text(0, y+18, "fairname", "start", clip(f.Variety.Name, 19))
		class := "flowerbar fill-scion"
		if !f.Noted {
			class += " flowerusual"
		}
		p.rect(x(f.This.First), y+5, math.Max(3, x(f.This.Last.AddDate(0, 0, 1))-x(f.This.First)), 16, class)
	}
	return p.html()
}
