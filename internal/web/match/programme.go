package match

import (
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"unionknot/internal/core/pairing"
	matchstage "unionknot/internal/nursery/match"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
)

type strandLine struct {
	matchstage.ProgrammeLine
	Drawing template.HTML
	Rows    []threadRow
	Weigh   []weighRow
}

// weighRow is a priority that an order could be woven with.
type weighRow struct {
	N    int
	Path string // "" for the one it has
}

type threadRow struct {
	pairing.Thread
	Higher           string // by how much its stems are cut higher
	Hold, Apart, Let string // addresses that hold it, keep it apart, or let go
}

type askedRow struct {
	Says, Let string
}

type programmePage struct {
	matchstage.ProgrammePage
	Strands []strandLine
	Ways    []wayKey
	Asking  []askedRow
	Query   template.URL
	Kept    url.Values // what is asked of the weave, for forms to carry on
	Why     url.Values
}

type wayKey struct {
	Name   string
	Sample template.HTML
}

// asking reads what is held and kept apart from the address.
func asking(v url.Values) matchstage.ProgrammeAsked {
	var a matchstage.ProgrammeAsked
	for _, s := range v["hold"] {
		if t, ok := matchstage.ThreadOf(s); ok {
			a.Held = append(a.Held, t)
		}
	}
	for _, s := range v["apart"] {
		if t, ok := matchstage.ThreadOf(s); ok {
			a.Banned = append(a.Banned, pairing.Pair{Order: t.Order, Lot: t.Lot, Bundle: t.Bundle, Stock: t.Stock, Scion: t.Scion})
		}
	}
	for _, s := range v["weigh"] {
		order, as, _ := strings.Cut(s, "~")
		if n, err := strconv.Atoi(as); err == nil && n >= 1 && n <= 3 && len(a.Weigh) < 500 {
			if a.Weigh == nil {
				a.Weigh = map[string]int{}
			}
			a.Weigh[order] = n
		}
	}
	a.Why = askedWhy(v)
	return a
}

func (m match) programme(w http.ResponseWriter, r *http.Request) error {
	return m.showProgramme(w, r, page.NewForm(), http.StatusOK)
}

func (m match) showProgramme(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	v := r.URL.Query()
	pp, err := m.Nursery.Programme(r.Context(), asking(v))
	if err != nil {
		return err
	}
	for _, no := range pp.Refused { // let go of in the addresses too
		text := matchstage.ThreadText(no.Thread)
		v["hold"] = slices.DeleteFunc(v["hold"], func(s string) bool { return s == text })
	}
	p := programmePage{ProgrammePage: pp, Query: template.URL(v.Encode())}
	low, high := draw.StrandSpan(pp.Lines)
	ways := map[string]int{}
	for _, t := range pp.Weave.Threads {
		if _, ok := ways[t.Way]; !ok {
			ways[t.Way] = len(ways)
			p.Ways = append(p.Ways, wayKey{pp.Names[t.Way], draw.ThreadSample(ways[t.Way])})
		}
	}
	kept := func() url.Values {
		return url.Values{"hold": slices.Clone(v["hold"]), "apart": slices.Clone(v["apart"]), "weigh": slices.Clone(v["weigh"])}
	}
	with := func(key, text string) string {
		n := kept()
		n.Add(key, text)
		return "/match/programme?" + n.Encode()
	}
	without := func(key, text string) string {
		n := kept()
		n[key] = slices.DeleteFunc(n[key], func(s string) bool { return s == text })
		return "/match/programme?" + n.Encode()
	}
	for _, l := range pp.Lines {
		s := strandLine{ProgrammeLine: l, Drawing: draw.Strand(l, low, high, ways)}
		code := l.Line.Order.Code
		for n := 1; n <= 3; n++ {
			row := weighRow{N: n}
			if n != l.Weight {
				q := kept()
				q["weigh"] = slices.DeleteFunc(q["weigh"], func(s string) bool { return strings.HasPrefix(s, code+"~") })
				if n != l.Line.Order.Priority {
					q.Add("weigh", code+"~"+strconv.Itoa(n))
				}
				row.Path = "/match/programme?" + q.Encode()
			}
			s.Weigh = append(s.Weigh, row)
		}
		for _, t := range l.Threads {
			text := matchstage.ThreadText(t)
			row := threadRow{Thread: t, Higher: pp.Higher[t], Hold: with("hold", text), Apart: with("apart", text)}
			if t.Held {
				row.Let = without("hold", text)
				n := kept() // who keeps it apart no longer holds it
				n["hold"] = slices.DeleteFunc(n["hold"], func(s string) bool { return s == text })
				n.Add("apart", text)
				row.Apart = "/match/programme?" + n.Encode()
			}
			s.Rows = append(s.Rows, row)
		}
		p.Strands = append(p.Strands, s)
	}
	for _, key := range []string{"hold", "apart"} {
		for _, text := range v[key] {
			if t, ok := matchstage.ThreadOf(text); ok {
				says := "held: " + t.Order + ", " + t.Lot + " " + t.Stock.String() + " mm with " + t.Bundle + " " + t.Scion.String() + " mm"
				if key == "apart" {
					says = "kept apart" + says[len("held"):]
				}
				p.Asking = append(p.Asking, askedRow{says, without(key, text)})
			}
		}
	}
	p.Kept = kept()
	p.Why = v
	frame := page.Frame{Title: "The weave of all orders", Stage: "Match", Data: p, Form: f}
	if page.IsPart(r) && r.Method == http.MethodGet {
		return m.Part(w, r, m.views["programme"], "programme", page.PartOf(r, frame))
	}
	return m.ShowStatus(w, r, m.views["programme"], frame, status)
}

func (m match) makeAll(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n, err := m.Nursery.MakeProgramme(
		r.Context(),
		page.Actor(r),
		matchstage.MakeProgramme{Asked: asking(r.URL.Query()), Print: f.Text("print"), Once: f.Text("once"), Tie: f.Text("tie")},
	)
	if form, ok := page.NewForm().WithProblems(err); ok {
		return m.showProgramme(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	m.Flash(r, "%d batches are made: their stems and wood are set aside. Share them out among the workers.", n)
	return page.Go(w, r, "/bench")
}
