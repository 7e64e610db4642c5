// Package house is the House stage: people, the house's ways and techniques,
// files coming in, and the record of changes.
package house

import (
	"embed"
	"errors"
	"html/template"
	"math"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/ways"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/access"
	filesstage "unionknot/internal/nursery/files"
	housestage "unionknot/internal/nursery/house"
	"unionknot/internal/outlook"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

//go:embed templates/*.html
var files embed.FS

type house struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the House stage's addresses.
func Routes(k *page.Kit) []page.Route {
	h := house{k, page.Views(files)}
	return []page.Route{
		{Method: "GET", Path: "/house", Who: page.Boss, Do: h.show},
		{Method: "POST", Path: "/house", Who: page.Boss, Do: h.settings},
		{Method: "GET", Path: "/begin", Who: page.Boss, Do: h.begin},
		{Method: "POST", Path: "/begin/grown", Who: page.Boss, Do: h.grown},
		{Method: "POST", Path: "/house/worth", Who: page.Boss, Do: h.worth},
		{Method: "POST", Path: "/house/people", Who: page.Boss, Do: h.addPerson},
		{Method: "POST", Path: "/house/people/{id}/leave", Who: page.Boss, Do: h.leave},
		{Method: "GET", Path: "/house/people/{id}", Who: page.Boss, Do: h.person},
		{Method: "POST", Path: "/house/people/{id}", Who: page.Boss, Do: h.changePerson},
		{Method: "GET", Path: "/house/people/{id}/data.json", Who: page.Boss, Do: h.personData},
		{Method: "POST", Path: "/house/tablets", Who: page.Boss, Do: h.closeTablet},
		{Method: "POST", Path: "/house/techniques", Who: page.Boss, Do: h.technique},
		{Method: "POST", Path: "/house/ways", Who: page.Boss, Do: h.way},
		{Method: "GET", Path: "/house/changes", Who: page.Boss, Do: h.changes},
		{Method: "POST", Path: "/loads/{kind}", Who: page.Boss, Do: h.read},
		{Method: "GET", Path: "/loads/{id}", Who: page.Boss, Do: h.preview},
		{Method: "POST", Path: "/loads/{id}/load", Who: page.Boss, Do: h.load},
		{Method: "POST", Path: "/loads/{id}/stop", Who: page.Boss, Do: h.stop},
		{Method: "POST", Path: "/loads/{id}/mend", Who: page.Boss, Do: h.mend},
		{Method: "POST", Path: "/loads/{id}/anew", Who: page.Boss, Do: h.readAnew},
		{Method: "GET", Path: "/loads/{id}/back", Who: page.Boss, Do: h.back},
		{Method: "POST", Path: "/loads/{id}/back", Who: page.Boss, Do: h.takeBack},
		{Method: "GET", Path: "/loads/{id}/stays.csv", Who: page.Boss, Do: h.stays},
		{Method: "POST", Path: "/loads/{id}/drop", Who: page.Boss, Do: h.drop},
		{Method: "GET", Path: "/lists/{kind}", Who: page.Readers, Do: h.browse},
		{Method: "POST", Path: "/views", Who: page.Readers, Do: h.saveView},
		{Method: "POST", Path: "/views/drop", Who: page.Readers, Do: h.dropView},
		{Method: "GET", Path: "/devices", Who: page.Boss, Do: h.devices},
		{Method: "POST", Path: "/devices/logger", Who: page.Boss, Do: h.logger},
		{Method: "POST", Path: "/devices/weather", Who: page.Boss, Do: h.feed},
		{Method: "GET", Path: "/devices/prints/{id}", Who: page.Boss, Do: h.printed},
		{Method: "GET", Path: "/export/{kind}.{format}", Who: page.Readers, Do: h.export},
		{Method: "GET", Path: "/examples/{name}", Who: page.Everyone, Do: h.example},
	}
}

type wayLine struct {
	nursery.HouseWay
	Choices []string
	Changes string // what it changes
}

type housePage struct {
	housestage.HousePage
	Ways      []wayLine
	Roles     []string
	ChancePct int
	Histories []filesstage.HistoryKind
	Kinds     []nursery.LoadKind
	Worth     []worthRow
}

// worthRow is one thing's worth, as it stands in the form.
type worthRow struct{ Key, Label, Value string }

func worthRows(w outlook.Worth) []worthRow {
	return []worthRow{
		{"wage", "An hour's wage", words.Money(w.WageCents)},
		{"tree", "A live tree", words.Money(w.TreeCents)},
		{"stem", "A stem of stock", words.Money(w.StemCents)},
		{
			"piece",
			"A piece of wood",
			words.Money(w.PieceCents),
		},
		{"delay", "A year's delay, % of a tree", strconv.Itoa(w.DelayPct)},
		{"grade", "Live trees that make the grade, %", strconv.Itoa(w.GradePct)},
	}
}

func (h house) show(w http.ResponseWriter, r *http.Request) error {
	return h.showHouse(w, r, page.NewForm("role", "bench hand"), http.StatusOK)
}

func (h house) showHouse(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	hp, err := h.Nursery.House(r.Context(), page.Actor(r))
	if err != nil {
		return err
	}
	p := housePage{HousePage: hp, Roles: []string{string(nursery.BenchHand), string(nursery.Propagator), string(nursery.Looker)},
		ChancePct: int(hp.House.Chance*100 + 0.5), Kinds: nursery.LoadKinds, Histories: filesstage.HistoryKinds,
		Worth: worthRows(outlook.WorthOf(hp.House))}
	for _, x := range hp.Ways {
		p.Ways = append(p.Ways, wayLine{x, housestage.Options(x), words.WayChanges(ways.Key(x.Key))})
	}
	return h.ShowStatus(w, r, h.views["house"], page.Frame{Title: "House", Stage: "House", Data: p, Form: f}, status)
}

// closeTablet ends a tablet that is open, and whoever is at it.
func (h house) closeTablet(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	if err := h.Nursery.EndSession(r.Context(), page.Actor(r), f.Text("session")); err != nil {
		return err
	}
	h.ForgetSessions()
	return h.done(w, r, f, nil, words.TabletClosed)
}

// done carries on after something was changed in the house.
func (h house) done(w http.ResponseWriter, r *http.Request, f *page.Typed, err error, says string) error {
	if form, ok := f.WithProblems(err); ok {
		return h.showHouse(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	h.Flash(r, "%s", says)
	return page.Go(w, r, "/house")
}

// worth keeps what things are worth.
func (h house) worth(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	cents := func(name string) int { return int(math.Round(f.Number(name) * 100)) }
	n := outlook.Worth{
		WageCents:  cents("wage"),
		TreeCents:  cents("tree"),
		StemCents:  cents("stem"),
		PieceCents: cents("piece"),
		DelayPct:   f.Int("delay"),
		GradePct:   f.Int("grade"),
	}
	if err = f.Err(); err == nil {
		err = h.Nursery.SetWorth(r.Context(), page.Actor(r), n)
	}
	return h.done(w, r, f, err, "What things are worth is kept; orders and ways out follow.")
}

func (h house) settings(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := housestage.Settings{Name: f.Text("house_name"), Place: f.Text("place"), TagSize: f.Int("tag_size"), ChancePct: f.Int("chance"),
		TimeZone: f.Text("time_zone")}
	if err = f.Err(); err == nil {
		err = h.Nursery.ChangeSettings(r.Context(), page.Actor(r), n)
	}
	return h.done(w, r, f, err, "The house's numbers are kept.")
}

func (h house) addPerson(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = h.Nursery.AddPerson(
		r.Context(),
		page.Actor(r),
		access.NewPerson{
			Name:     f.Text("name"),
			SignIn:   f.Text("sign_in"),
			Role:     f.Text("role"),
			Password: f.Values.Get("password"),
			PIN:      f.Text("pin"),
		},
	)
	return h.done(w, r, f, err, f.Text("name")+" is taken on.")
}

func (h house) leave(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	if err != nil {
		return nursery.ErrNotFound
	}
	back := f.Text("back") != ""
	says := "Their access has ended; their tags and counts stay."
	if back {
		says = "They are back."
	}
	err = h.Nursery.Leave(r.Context(), page.Actor(r), id, back)
	h.ForgetSessions()
	if err == nil {
		h.FlashBack(r, says, "/house/people/"+page.ID(id)+"/leave", "back", map[bool]string{true: "", false: "yes"}[back])
		return page.Go(w, r, "/house")
	}
	return h.done(w, r, f, err, says)
}

func (h house) way(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	was, err := h.Nursery.HouseWay(r.Context(), f.Text("key"), f.Text("chosen"))
	if err != nil && !errors.Is(err, nursery.ErrNotFound) {
		return err
	}
	if err = h.Nursery.ChooseWay(r.Context(), page.Actor(r), f.Text("key"), f.Text("chosen")); err == nil {
		h.FlashBack(r, words.WayChanged, "/house/ways", "key", f.Text("key"), "chosen", was.Chosen)
		return page.Go(w, r, "/house")
	}
	return h.done(w, r, f, err, words.WayChanged)
}

func (h house) changes(w http.ResponseWriter, r *http.Request) error {
	p := changesPage{Find: page.SieveOf(r).Find}
	var err error
	if p.Changes, err = h.Nursery.Changes(r.Context(), page.Actor(r), page.SieveOf(r), page.QueryInt(r, "before")); err != nil {
		return err
	}
	if n := len(p.Changes); n == housestage.ChangesAPage {
		p.Earlier = page.Sift{Sieve: page.SieveOf(r), Path: "/house/changes"}.More("before", p.Changes[n-1].ID)
	}
	return h.Show(w, r, h.views["changes"], page.Frame{Title: "Record of changes", Stage: "House", Data: p})
}

type changesPage struct {
	Find    string
	Changes []nursery.ChangeRow
	Earlier template.URL // where the page before this one is; "" where there is none
}

// beginPage is the first hour of a house.
type beginPage struct {
	housestage.BeginPage
	Kinds []nursery.LoadKind
}

func (h house) begin(w http.ResponseWriter, r *http.Request) error {
	if r.URL.Query().Get("leave") != "" {
		h.Sessions.Remove(r.Context(), page.Led)
		return page.Go(w, r, "/today")
	}
	h.Sessions.Put(r.Context(), page.Led, "yes")
	return h.showBegin(w, r, page.NewForm(), http.StatusOK)
}

func (h house) showBegin(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	b, err := h.Nursery.Begin(r.Context(), page.Actor(r))
	if err != nil {
		return err
	}
	p := beginPage{b, nursery.LoadKinds}
	return h.ShowStatus(w, r, h.views["begin"], page.Frame{Title: "The first hour", Stage: "House", Data: p, Form: f}, status)
}

// grown keeps what the house grows.
func (h house) grown(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = h.Nursery.SetGrown(r.Context(), page.Actor(r), f.Values["grown"])
	if form, ok := f.WithProblems(err); ok {
		return h.showBegin(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	h.Flash(r, "%s", words.GrownKept)
	return page.Go(w, r, "/begin")
}

// technique keeps whether a technique is in use, and its limits.
func (h house) technique(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := housestage.SetTechnique{Key: f.Text("key"), InUse: f.Text("in_use") != "", MinMM: f.Number("min_mm"), MaxMM: f.Number("max_mm"),
		RatioMin: f.Number("ratio_min")}
	if err = f.Err(); err == nil {
		err = h.Nursery.SetTechnique(r.Context(), page.Actor(r), n)
	} else {
		err = nursery.Problem{Field: "technique-" + n.Key, Says: words.TechniqueLimits}
	}
	return h.done(w, r, f, err, "The technique is kept: Match, orders and the weave go by it at once.")
}
