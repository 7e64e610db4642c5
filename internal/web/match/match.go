// Package match is the Match stage: which stems get which wood, and how.
package match

import (
	"embed"
	"html/template"
	"net/http"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/union"
	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
)

//go:embed templates/*.html
var files embed.FS

type match struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the Match stage's addresses.
func Routes(k *page.Kit) []page.Route {
	m := match{k, page.Views(files)}
	return []page.Route{
		{Method: "GET", Path: "/match", Who: page.Readers, Do: m.list},
		{Method: "GET", Path: "/match/programme", Who: page.Readers, Do: m.programme},
		{Method: "POST", Path: "/match/programme", Who: page.Boss, Do: m.makeAll},
		{Method: "GET", Path: "/match/union", Who: page.Everyone, Do: m.union},
		{Method: "GET", Path: "/match/{code}", Who: page.Readers, Do: m.weave},
		{Method: "POST", Path: "/match/{code}", Who: page.Boss, Do: m.make},
	}
}

func (m match) list(w http.ResponseWriter, r *http.Request) error {
	lines, err := m.Nursery.Orders(r.Context())
	if err != nil {
		return err
	}
	var todo []nursery.OrderLine
	for _, l := range lines {
		if l.ToGo > 0 {
			todo = append(todo, l)
		}
	}
	return m.Show(w, r, m.views["list"], page.Frame{Title: "Match", Stage: "Match", Data: todo})
}

type weavePage struct {
	nursery.MatchPage
	Drawing template.HTML
	Samples []template.HTML
	Tie     string
	Healing string
}

func asked(grafts int, ways []string) nursery.Asked {
	a := nursery.Asked{Grafts: grafts}
	for _, w := range ways {
		if w != "" {
			a.Ways = append(a.Ways, w)
		}
	}
	return a
}

func (m match) weave(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	return m.show(w, r, asked(int(page.QueryInt(r, "grafts")), q["way"]), page.NewForm(), http.StatusOK)
}

func (m match) show(w http.ResponseWriter, r *http.Request, a nursery.Asked, f page.Form, status int) error {
	mp, err := m.Nursery.Match(r.Context(), chi.URLParam(r, "code"), a)
	if err != nil {
		return err
	}
	p := weavePage{MatchPage: mp, Drawing: draw.Weave(mp), Tie: "film", Healing: nursery.UsualHealing(mp.Genus.Key)}
	for i := range mp.Ways {
		p.Samples = append(p.Samples, draw.ThreadSample(i))
	}
	frame := page.Frame{Title: "Weave for " + mp.Order.Code, Stage: "Match", Data: p, Form: f}
	if page.IsPart(r) && r.Method == http.MethodGet {
		return m.Part(w, m.views["weave"], "weave", page.PartOf(r, frame))
	}
	return m.ShowStatus(w, r, m.views["weave"], frame, status)
}

type unionPage struct {
	nursery.UnionPage
	Side, Face, Moved template.HTML
}

// union lays any two diameters together.
func (m match) union(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	read := func(name string, other float64) float64 {
		if x, err := exchange.ParseNumber(q.Get(name)); err == nil && x > 0 && x <= 150 {
			return x
		}
		return other
	}
	s := union.Stems{Stock: read("stock", 9.5), Scion: read("scion", 7.8)}
	up, err := m.Nursery.Union(r.Context(), q.Get("kind"), s)
	if err != nil {
		return err
	}
	p := unionPage{UnionPage: up}
	if up.Cannot == "" {
		p.Side, p.Face, p.Moved = draw.Cut(up.Kind, s), draw.Union(up), draw.Shift(up)
	}
	return m.Show(w, r, m.views["union"], page.Frame{Title: "Union", Stage: "Match", Data: p})
}

func (m match) make(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	a := asked(f.Int("grafts"), f.Values["way"])
	code := ""
	if err = f.Err(); err == nil {
		code, err = m.Nursery.MakeBatch(r.Context(), page.Actor(r), chi.URLParam(r, "code"),
			nursery.MakeBatch{Asked: a, Print: f.Text("print"), Once: f.Once, Tie: f.Text("tie"), Healing: f.Text("healing")})
	}
	if form, ok := f.WithProblems(err); ok {
		form.Once = page.UUID()
		// What another planner has just made counts: ask for what is still to
		// make, not for what was to make before.
		a.Grafts = 0
		return m.show(w, r, a, form, http.StatusConflict)
	} else if err != nil {
		return err
	}
	m.Flash(r, "Batch %s is made. Its stems and wood are set aside; now share it out.", code)
	return page.Go(w, r, "/bench/batches/"+code)
}
