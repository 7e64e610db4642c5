package draw

import (
	"fmt"
	"html/template"
	"math"

	"unionknot/internal/core/benchday"
	"unionknot/internal/nursery/days"
	"unionknot/internal/words"
)

// Team draws three minutes of the bench: each person's cuts and ties one after
// another, and where one side waits for the other; the best team above, all
// alone beneath.
func Team(t days.TeamPage) template.HTML {
	const w, left, row, gap = 760.0, 150.0, 24.0, 34.0
	seconds := math.Max(180, 4*(t.Asked.CutSeconds+t.Asked.TieSeconds))
	n := t.Asked.People
	h := gap*2 + 2*float64(n)*row + 46
	x := func(s float64) float64 { return left + (w-left-6)*math.Min(s, seconds)/seconds }
	var p pen
	p.open(w, h, "team", t.Says)
	at := 18.0
	lanes := func(title string, s benchday.Split) {
		p.text(0, at, "heading", "start", fmt.Sprintf("%s: %.0f an hour, %s a graft", title, s.PerHour, words.Money(int(s.Cents+0.5))))
		at += 10
		for i := range n {
			name, cuts, ties := "alone", true, true
			if !s.Solo {
				name, cuts, ties = "cuts", i < s.Cutters, i >= s.Cutters
				if ties {
					name = "ties"
				}
			}
			p.text(left-10, at+15, "scale", "end", fmt.Sprintf("%d, %s", i+1, name))
			p.line(left, at+row-3, w-6, at+row-3, "mmline")
			p.lane(t, s, x, at, seconds, cuts, ties, i)
			at += row
		}
		at += gap
	}
	lanes(fmt.Sprintf("%d cutting, %d tying", t.Best.Cutters, t.Best.Tiers), t.Best)
	lanes("All working alone", t.Solo)
	for m := 0.0; m <= seconds; m += 60 {
		anchor := "middle"
		if x(m) > w-40 {
			anchor = "end"
		}
		p.text(x(m), h-4, "scale", anchor, fmt.Sprintf("%.0f min", m/60))
	}
	return p.html()
}

// lane draws one person's work: every graft comes at the pace of the slower
// side.
func (p *pen) lane(t days.TeamPage, s benchday.Split, x func(float64) float64, at, seconds float64, cuts, ties bool, i int) {
	const tall = 17.0
	cut, tie := t.Asked.CutSeconds, t.Asked.TieSeconds
	busy := 0.0
	if cuts {
		busy += cut
	}
	if ties {
		busy += tie
	}
	each := busy // alone, nobody waits
	start := 0.0
	if !s.Solo {
		side := s.Cutters
		if !cuts {
			side, start = s.Tiers, cut+float64(i-s.Cutters)*3
		}
		each = 3600 / s.PerHour * float64(side)
	}
	for from := start; from < seconds; from += each {
		to := from
		if cuts {
			p.rect(x(to), at, x(to+cut)-x(to)-1, tall, "stock-bar")
			to += cut
		}
		if ties {
			p.rect(x(to), at, x(to+tie)-x(to)-1, tall, "fill-leaf")
			to += tie
		}
		if from+each-to > 0.5 && to < seconds {
			p.rect(x(to), at, x(from+each)-x(to)-1, tall, "fill-paper stroke-rule")
		}
	}
}
