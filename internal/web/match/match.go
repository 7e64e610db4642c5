// Package match is the Match stage: which stems get which wood, and how.
package match

import (
	"embed"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/union"
	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	matchstage "unionknot/internal/nursery/match"
	"unionknot/internal/outlook"
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
		{Method: "POST", Path: "/match/undo", Who: page.Boss, Do: m.undo},
		{Method: "GET", Path: "/match/union", Who: page.Everyone, Do: m.union},
		{Method: "POST", Path: "/match/union", Who: page.Boss, Do: m.measure},
		{Method: "GET", Path: "/match/{code}", Who: page.Readers, Do: m.weave},
		{Method: "POST", Path: "/match/{code}", Who: page.Boss, Do: m.make},
	}
}

func (m match) list(w http.ResponseWriter, r *http.Request) error {
	lines, err := m.Nursery.Orders(r.Context())
	if err != nil {
		return err
	}
	var todo []outlook.OrderLine
	for _, l := range lines {
		if l.ToGo > 0 {
			todo = append(todo, l)
		}
	}
	p := listPage{Todo: todo}
	if p.Fresh, err = m.Nursery.FreshBatches(r.Context()); err != nil {
		return err
	}
	return m.Show(w, r, m.views["list"], page.Frame{Title: "Match", Stage: "Match", Data: p})
}

type listPage struct {
	Todo  []outlook.OrderLine
	Fresh []nursery.BatchRow // made today, and not begun
}

// undo takes batches back that were made today.
func (m match) undo(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	if len(f.Values["batch"]) == 0 {
		m.Flash(r, "Tick the batches to take back.")
		return page.Go(w, r, "/match")
	}
	if err := m.Nursery.UndoBatches(r.Context(), page.Actor(r), f.Values["batch"]); err != nil {
		return err
	}
	m.Flash(r, "Taken back: %d batches. Their stems and wood are free again.", len(f.Values["batch"]))
	return page.Go(w, r, "/match")
}

// askedWhy reads a stem and a piece to ask after: which lot and bundle, and
// their diameters in mm.
func askedWhy(v url.Values) *pairing.Pair {
	stock, err1 := exchange.ParseNumber(v.Get("why_stock"))
	wood, err2 := exchange.ParseNumber(v.Get("why_wood"))
	if err1 != nil || err2 != nil || stock <= 0 || wood <= 0 || stock > 150 || wood > 150 || v.Get("why_lot") == "" ||
		v.Get("why_bundle") == "" {
		return nil
	}
	code := func(name string) string { return strings.ToUpper(strings.TrimSpace(v.Get(name))) }
	return &pairing.Pair{
		Order:  code("why_order"),
		Lot:    code("why_lot"),
		Bundle: code("why_bundle"),
		Stock:  caliper.ClassOf(stock),
		Scion:  caliper.ClassOf(wood),
	}
}

type weavePage struct {
	matchstage.MatchPage
	Drawing template.HTML
	Samples []template.HTML
	Tie     string
	Healing string
	Why     url.Values // what is asked after
	InRow   []string   // lots that could be lifted, where not all can be paired
}

func asked(grafts int, ways, against []string) matchstage.Asked {
	a := matchstage.Asked{Grafts: grafts, Against: against}
	for _, w := range append(slices.Clone(ways), against...) {
		if w != "" {
			a.Ways = append(a.Ways, w)
		}
	}
	return a
}

func (m match) weave(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	a := asked(int(page.QueryInt(r, "grafts")), q["way"], q["against"])
	a.Why = askedWhy(q)
	return m.show(w, r, a, page.NewForm(), http.StatusOK)
}

func (m match) show(w http.ResponseWriter, r *http.Request, a matchstage.Asked, f page.Form, status int) error {
	mp, err := m.Nursery.Match(r.Context(), chi.URLParam(r, "code"), a)
	if err != nil {
		return err
	}
	p := weavePage{MatchPage: mp, Drawing: draw.Weave(mp), Tie: mp.Tie, Healing: mp.Healing, Why: r.URL.Query()}
	if status != http.StatusOK && f.Values.Get("tie") != "" { // what was sent stands
		p.Tie, p.Healing = f.Values.Get("tie"), f.Values.Get("healing")
	}
	for _, l := range mp.Lots {
		if outlook.GroundOf(l.Lot.Form) == technique.InRow && l.Lot.Form != supply.Limb && mp.Weave.Paired < mp.Asked.Grafts {
			p.InRow = append(p.InRow, l.Lot.Code)
		}
	}
	for i := range mp.Ways {
		p.Samples = append(p.Samples, draw.ThreadSample(i))
	}
	frame := page.Frame{Title: "Weave for " + mp.Order.Code, Stage: "Match", Data: p, Form: f}
	if page.IsPart(r) && r.Method == http.MethodGet {
		return m.Part(w, r, m.views["weave"], "weave", page.PartOf(r, frame))
	}
	return m.ShowStatus(w, r, m.views["weave"], frame, status)
}

type unionPage struct {
	matchstage.UnionPage
	Side, Face, Moved template.HTML
	Workers           []nursery.Person
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
	return m.showUnion(w, r, q.Get("kind"), s, q.Get("as"), page.NewForm(), http.StatusOK)
}

func (m match) showUnion(w http.ResponseWriter, r *http.Request, kind string, s union.Stems, as string, f page.Form, status int) error {
	up, err := m.Nursery.Union(r.Context(), kind, s, as)
	if err != nil {
		return err
	}
	p := unionPage{UnionPage: up}
	if p.Workers, err = m.Nursery.Workers(r.Context()); err != nil {
		return err
	}
	if up.Cannot == "" {
		p.Side, p.Face, p.Moved = draw.Cut("", up.Kind, s, up.Face, up.Manner), draw.Union(up), draw.Shift(up)
	}
	return m.ShowStatus(w, r, m.views["union"], page.Frame{Title: "Union", Stage: "Match", Data: p, Form: f}, status)
}

// measure keeps how far a hand's placing strayed.
func (m match) measure(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(f.Text("person"), 10, 64)
	if err != nil {
		return nursery.ErrNotFound
	}
	var mm []float64
	for _, x := range strings.Fields(f.Text("strays")) {
		v, e := exchange.ParseNumber(x)
		if e != nil {
			err = nursery.Problem{Field: "strays", Says: x + " is no number. Type strays in mm with spaces between, such as 0.3 -0.1 0.5."}
			break
		}
		mm = append(mm, v)
	}
	if err == nil {
		err = m.Nursery.MeasureHand(r.Context(), page.Actor(r), id, mm)
	}
	if form, ok := f.WithProblems(err); ok {
		return m.showUnion(w, r, "", union.Stems{Stock: 9.5, Scion: 7.8}, "", form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	m.Flash(r, "Kept: unions can be looked at as this hand from now on.")
	return page.Go(w, r, "/match/union?as="+f.Text("person"))
}

func (m match) make(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	a := asked(f.Int("grafts"), f.Values["way"], f.Values["against"])
	code := ""
	if err = f.Err(); err == nil {
		code, err = m.Nursery.MakeBatch(
			r.Context(),
			page.Actor(r),
			chi.URLParam(r, "code"),
			matchstage.MakeBatch{
				Asked:   a,
				Print:   f.Text("print"),
				Once:    f.Once,
				Tie:     f.Text("tie"),
				Healing: f.Text("healing"),
				Why:     f.Text("why"),
			},
		)
	}
	if form, ok := f.WithProblems(err); ok {
		form.Once = page.UUID()
		// What another planner has just made counts: ask for what is still to
		// make, not for what was to make before.
		if len(form.Problems["why"]) == 0 {
			a.Grafts = 0
		}
		return m.show(w, r, a, form, http.StatusConflict)
	} else if err != nil {
		return err
	}
	m.Flash(r, "Batch %s is made. Its stems and wood are set aside; now share it out.", code)
	return page.Go(w, r, "/bench/batches/"+code)
}
