// Package correct shows what was typed and lets it be put right.
package correct

import (
	"embed"
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/ways"
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
		{Method: "POST", Path: "/correct/{kind}/{ref}/try", Who: page.Boss, Do: c.try},
		{Method: "GET", Path: "/house/tables", Who: page.Boss, Do: c.tables},
		{Method: "POST", Path: "/house/tables/own", Who: page.Boss, Do: c.addOwn},
		{Method: "POST", Path: "/house/tables/off", Who: page.Boss, Do: c.takeOff},
		{Method: "POST", Path: "/house/tables/offer", Who: page.Boss, Do: c.offer},
		{Method: "GET", Path: "/house/ways/try", Who: page.Boss, Do: c.tryWay},
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
	if kind == "variety" || kind == "stock" || kind == "place" {
		return "/house/names"
	}
	return "/house/tables"
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
	Effect  *nursery.Effect
}

func (c correct) show(w http.ResponseWriter, r *http.Request) error {
	return c.page(w, r, page.NewForm(), nil, http.StatusOK)
}

func (c correct) page(w http.ResponseWriter, r *http.Request, f page.Form, e *nursery.Effect, status int) error {
	kind, ref := chi.URLParam(r, "kind"), page.Name(r, "ref")
	p, err := c.Nursery.Correctable(r.Context(), page.Actor(r), kind, ref)
	if err != nil {
		return err
	}
	out := correctPage{Page: p, Back: back(kind, p.Ref), Effect: e, AskSure: f.Problems["due_on"] == words.DayOver}
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
	kind, ref, n := corrected(r, f)
	err = c.Nursery.Correct(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), kind, ref, n)
	if form, ok := f.WithProblems(err); ok {
		form.Once = page.UUID()
		return c.page(w, r, form, nil, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	c.Flash(r, "%s", words.PutRight)
	return page.Go(w, r, back(kind, ref))
}

// corrected reads what was typed.
func corrected(r *http.Request, f *page.Typed) (kind, ref string, n correctstage.Correction) {
	n = correctstage.Correction{Values: map[string]string{}, Why: f.Text("why"), Seen: f.Text("seen"), Sure: f.Text("sure") != "",
		Default: f.Text("default") != ""}
	if n.Default && n.Why == "" {
		n.Why = words.BackToDefault
	}
	for k := range f.Values {
		n.Values[k] = f.Text(k)
	}
	return chi.URLParam(r, "kind"), page.Name(r, "ref"), n
}

// try shows what it would change, above the form as it was typed.
func (c correct) try(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	kind, ref, n := corrected(r, f)
	e, err := c.Nursery.Try(r.Context(), page.Actor(r), kind, ref, n)
	if form, ok := f.WithProblems(err); ok {
		return c.page(w, r, form, nil, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	form := page.NewForm()
	form.Values = f.Values
	return c.page(w, r, form, &e, http.StatusOK)
}

// wayPage is another answer to one of the house's ways, and what it would change.
type wayPage struct {
	Key, Question, Was, Chosen string
	Changes                    string
	Effect                     nursery.Effect
}

func (c correct) tryWay(w http.ResponseWriter, r *http.Request) error {
	key, chosen := r.URL.Query().Get("key"), r.URL.Query().Get("chosen")
	was, err := c.Nursery.HouseWay(r.Context(), key, chosen)
	if err != nil {
		return err
	}
	if was.Chosen == chosen {
		return page.Go(w, r, "/house#ways")
	}
	p := wayPage{Key: key, Question: was.Question, Was: was.Chosen, Chosen: chosen, Changes: words.WayChanges(ways.Key(key))}
	if p.Effect, err = c.Nursery.TryWay(r.Context(), page.Actor(r), key, chosen); err != nil {
		return err
	}
	return c.Show(w, r, c.views["way"], page.Frame{Title: was.Question, Stage: "House", Data: p, Form: page.NewForm()})
}

// tabled carries on after the craft's tables were added to or taken from.
func (c correct) tabled(w http.ResponseWriter, r *http.Request, f *page.Typed, err error, to, says string) error {
	if form, ok := f.WithProblems(err); ok {
		return c.showTables(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	c.Flash(r, "%s", says)
	return page.Go(w, r, to)
}

func (c correct) addOwn(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	kind, to := f.Text("kind"), "/house/tables"
	key, err := c.Nursery.AddOwn(r.Context(), page.Actor(r), kind, f.Text("like"), f.Text("name"))
	if kind != "cause" {
		to = "/correct/" + kind + "/" + url.PathEscape(key)
	}
	return c.tabled(w, r, f, err, to, words.OwnAdded(kind != "cause"))
}

func (c correct) takeOff(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = c.Nursery.TakeOff(r.Context(), page.Actor(r), f.Text("kind"), f.Text("ref"))
	return c.tabled(w, r, f, err, "/house/tables", words.OwnGone)
}

func (c correct) offer(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	offered := f.Text("offered") == "yes"
	err = c.Nursery.Offer(r.Context(), page.Actor(r), f.Text("kind"), f.Text("ref"), offered)
	if err == nil {
		c.FlashBack(r, words.OfferedNow(offered), "/house/tables/offer", "kind", f.Text("kind"), "ref", f.Text("ref"), "offered",
			map[bool]string{true: "no", false: "yes"}[offered])
		return page.Go(w, r, "/house/tables")
	}
	return c.tabled(w, r, f, err, "/house/tables", words.OfferedNow(offered))
}

// namesPage is the names of varieties and of stocks.
type namesPage struct {
	Tables []nameTable
	Places []correctstage.Place
}

// nameTable is names, what they are of, and what bears them.
type nameTable struct {
	Title, Of, Bears string
	Names            []correctstage.Name
}

func (c correct) tables(w http.ResponseWriter, r *http.Request) error {
	if scion, stock := r.URL.Query().Get("scion"), r.URL.Query().Get("stock"); scion != "" && stock != "" {
		return page.Go(w, r, "/correct/pair/"+url.PathEscape(scion+" on "+stock))
	}
	if scion, stock := r.URL.Query().Get("scion_part"), r.URL.Query().Get("stock_part"); scion != "" && stock != "" {
		return page.Go(w, r, "/correct/section/"+url.PathEscape(scion+" on "+stock))
	}
	return c.showTables(w, r, page.NewForm(), http.StatusOK)
}

func (c correct) showTables(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	p, err := c.Nursery.Tables(r.Context(), page.Actor(r))
	if err != nil {
		return err
	}
	return c.ShowStatus(w, r, c.views["tables"], page.Frame{Title: "Tables of the craft", Stage: "House", Data: p, Form: f}, status)
}

func (c correct) names(w http.ResponseWriter, r *http.Request) error {
	return c.showNames(w, r, page.NewForm(), http.StatusOK)
}

func (c correct) showNames(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	p, err := c.Nursery.AllNames(r.Context(), page.Actor(r))
	if err != nil {
		return err
	}
	tables := namesPage{[]nameTable{{"Varieties", "variety", "Mother plants", p.Varieties}, {"Stocks", "stock", "Lots", p.Stocks}},
		p.Places}
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
