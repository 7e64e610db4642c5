// Package correct shows what was typed and lets it be put right.
package correct

import (
	"embed"
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/nursery"
	correctstage "unionknot/internal/nursery/correct"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

//go:embed templates/*.html
var files embed.FS

type correct struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the addresses where things are put right.
func Routes(k *page.Kit) []page.Route {
	c := correct{k, page.Views(files)}
	return []page.Route{
		{Method: "GET", Path: "/correct/{kind}/{ref}", Who: page.Boss, Do: c.show},
		{Method: "POST", Path: "/correct/{kind}/{ref}", Who: page.Boss, Do: c.keep},
		{Method: "GET", Path: "/house/tables", Who: page.Boss, Do: c.tables},
		{Method: "GET", Path: "/house/names", Who: page.Boss, Do: c.names},
		{Method: "POST", Path: "/house/names/merge", Who: page.Boss, Do: c.merge},
	}
}

// back is the page on which a thing is shown.
func back(kind, ref string) string {
	switch kind {
	case "order":
		return "/orders/" + ref
	case "lot":
		return "/stock/lots/" + ref
	case "plant":
		return "/wood/plants/" + ref
	case "bundle":
		return "/wood/bundles/" + ref
	case "batch":
		return "/bench/batches/" + ref
	}
	if kind == "technique" || kind == "tie" || kind == "genus" || kind == "pair" {
		return "/house/tables"
	}
	return "/house/names"
}

// stageOf is under which stage a thing is shown.
var stageOf = map[string]string{"order": "Orders", "lot": "Stock", "plant": "Wood", "bundle": "Wood", "batch": "Bench"}

// line is a field as the form has it.
type line struct {
	correctstage.Field
	Label string
	Yours string // what was typed, where another put it right meanwhile
	// Problem is what is wrong with what was sent for a field that cannot be put right.
	Problem string
}

// fixed is what cannot be put right for one reason.
type fixed struct {
	Why   string
	Lines []line
}

type correctPage struct {
	correctstage.Page
	Lines   []line
	Fixed   []fixed
	Back    string
	AskSure bool
	Ships   bool // something of it was shipped with another value
}

func (c correct) show(w http.ResponseWriter, r *http.Request) error {
	return c.page(w, r, page.NewForm(), http.StatusOK)
}

func (c correct) page(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	kind, ref := chi.URLParam(r, "kind"), chi.URLParam(r, "ref")
	p, err := c.Nursery.Correctable(r.Context(), page.Actor(r), kind, ref)
	if err != nil {
		return err
	}
	out := correctPage{Page: p, Back: back(kind, p.Ref), AskSure: f.Problems["due_on"] == words.DayOver}
	for _, x := range p.Fields {
		l := line{Field: x, Label: words.FieldName(x.Key)}
		out.Ships = out.Ships || x.Ships && x.Default != x.Value
		switch typed, ok := f.Values[x.Key]; {
		case !ok:
			f.Values.Set(x.Key, x.Value)
		case typed[0] != x.Value:
			l.Yours = typed[0]
		}
		if x.Fixed == "" {
			out.Lines = append(out.Lines, l)
			continue
		}
		l.Problem = f.Problems[x.Key]
		i := slices.IndexFunc(out.Fixed, func(g fixed) bool { return g.Why == x.Fixed })
		if i < 0 {
			i, out.Fixed = len(out.Fixed), append(out.Fixed, fixed{Why: x.Fixed})
		}
		out.Fixed[i].Lines = append(out.Fixed[i].Lines, l)
	}
	stage := stageOf[kind]
	if stage == "" {
		stage = "House"
	}
	return c.ShowStatus(w, r, c.views["correct"], page.Frame{Title: p.Title, Stage: stage, Data: out, Form: f}, status)
}

func (c correct) keep(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	kind, ref := chi.URLParam(r, "kind"), chi.URLParam(r, "ref")
	n := correctstage.Correction{Values: map[string]string{}, Why: f.Text("why"), Seen: f.Text("seen"), Sure: f.Text("sure") != "",
		Default: f.Text("default") != ""}
	if n.Default && n.Why == "" {
		n.Why = words.BackToDefault
	}
	for k := range f.Values {
		n.Values[k] = f.Text(k)
	}
	err = c.Nursery.Correct(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), kind, ref, n)
	if form, ok := f.WithProblems(err); ok {
		form.Once = page.UUID()
		return c.page(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	c.Flash(r, "%s", words.PutRight)
	return page.Go(w, r, back(kind, ref))
}

// namesPage is the names of varieties and of stocks.
type namesPage struct{ Tables []nameTable }

// nameTable is names, what they are of, and what bears them.
type nameTable struct {
	Title, Of, Bears string
	Names            []correctstage.Name
}

func (c correct) tables(w http.ResponseWriter, r *http.Request) error {
	if scion, stock := r.URL.Query().Get("scion"), r.URL.Query().Get("stock"); scion != "" && stock != "" {
		return page.Go(w, r, "/correct/pair/"+url.PathEscape(scion+" on "+stock))
	}
	p, err := c.Nursery.Tables(r.Context(), page.Actor(r))
	if err != nil {
		return err
	}
	return c.Show(w, r, c.views["tables"], page.Frame{Title: "Tables of the craft", Stage: "House", Data: p, Form: page.NewForm()})
}

func (c correct) names(w http.ResponseWriter, r *http.Request) error {
	return c.showNames(w, r, page.NewForm(), http.StatusOK)
}

func (c correct) showNames(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	p, err := c.Nursery.AllNames(r.Context(), page.Actor(r))
	if err != nil {
		return err
	}
	tables := namesPage{[]nameTable{{"Varieties", "variety", "Mother plants", p.Varieties}, {"Stocks", "stock", "Lots", p.Stocks}}}
	return c.ShowStatus(w, r, c.views["names"], page.Frame{Title: "Names", Stage: "House", Data: tables, Form: f}, status)
}

func (c correct) merge(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	from, into := int64(f.Int("from")), int64(f.Int("into"))
	if err = f.Err(); err == nil {
		err = c.Nursery.Merge(r.Context(), page.Actor(r), f.Text("of") == "stock", from, into, f.Text("why"))
	}
	if form, ok := f.WithProblems(err); ok {
		return c.showNames(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	c.Flash(r, "%s", words.NamesJoined)
	return page.Go(
		w,
		r,
		"/correct/"+map[bool]string{true: "stock", false: "variety"}[f.Text("of") == "stock"]+"/"+strconv.FormatInt(into, 10),
	)
}
