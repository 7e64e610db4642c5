// Package season is the page of the year: the stock's states, each technique's
// window, what moved this year's dates, and the site's usual ones.
package season

import (
	"embed"
	"fmt"
	"html/template"
	"net/http"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	core "unionknot/internal/core/season"
	"unionknot/internal/nursery"
	seasonstage "unionknot/internal/nursery/season"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

//go:embed templates/*.html
var files embed.FS

type season struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the season's addresses.
func Routes(k *page.Kit) []page.Route {
	s := season{k, page.Views(files)}
	return []page.Route{
		{Method: "GET", Path: "/season", Who: page.Everyone, Do: s.first},
		{Method: "GET", Path: "/season/{group}", Who: page.Everyone, Do: s.one},
		{Method: "POST", Path: "/season/{group}", Who: page.Boss, Do: s.usual},
		{Method: "POST", Path: "/season/{group}/seen", Who: page.Hands, Do: s.seen},
		{Method: "POST", Path: "/season/{group}/rest", Who: page.Boss, Do: s.rest},
		{Method: "POST", Path: "/season/seen/{id}/drop", Who: page.Boss, Do: s.drop},
		{Method: "GET", Path: "/season/site", Who: page.Boss, Do: s.site},
		{Method: "POST", Path: "/season/site", Who: page.Boss, Do: s.setSite},
		{Method: "POST", Path: "/season/site/back", Who: page.Boss, Do: s.siteBack},
		{Method: "POST", Path: "/season/normals", Who: page.Boss, Do: s.normals},
	}
}

// first shows the group whose band is shown.
func (s season) first(w http.ResponseWriter, r *http.Request) error {
	b, err := s.Nursery.SeasonBand(r.Context(), s.Sessions.GetString(r.Context(), "group"))
	if err != nil {
		return err
	}
	return s.show(w, r, b.Group, "", page.NewForm(), http.StatusOK)
}

type seasonPage struct {
	seasonstage.SeasonPage
	Drawing, Warmth template.HTML
	Sent            string // which form was sent
	Kind            nursery.LoadKind
}

func (s season) one(w http.ResponseWriter, r *http.Request) error {
	return s.show(w, r, chi.URLParam(r, "group"), "", page.NewForm(), http.StatusOK)
}

func (s season) show(w http.ResponseWriter, r *http.Request, group, sent string, f page.Form, status int) error {
	sp, err := s.Nursery.Season(r.Context(), group)
	if err != nil {
		return err
	}
	s.Sessions.Put(r.Context(), "group", group)
	p := seasonPage{SeasonPage: sp, Sent: sent}
	p.Drawing = draw.Season(sp, page.Actor(r).Role == nursery.Propagator)
	p.Warmth = draw.Warmth(sp)
	p.Kind, _ = nursery.KindOf("weather")
	return s.ShowStatus(w, r, s.views["season"], page.Frame{Title: "Season of " + strings.ToLower(sp.Name), Data: p, Form: f}, status)
}

// done goes back to the group's page, or shows the form with what was wrong.
func (s season) done(w http.ResponseWriter, r *http.Request, group, sent string, f *page.Typed, err error, says string) error {
	if form, ok := f.WithProblems(err); ok {
		return s.show(w, r, group, sent, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	s.Flash(r, "%s", says)
	return page.Go(w, r, "/season/"+group)
}

func (s season) usual(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	var ds []seasonstage.UsualDate
	kinds := core.Kinds
	if f.Text("norest") != "" {
		kinds = core.KindsNoRest
	}
	for i, k := range kinds {
		ds = append(ds, seasonstage.UsualDate{Kind: k, Text: f.Text(fmt.Sprintf("on-%d", i)), Spread: f.Int(fmt.Sprintf("spread-%d", i))})
	}
	if err = f.Err(); err == nil {
		err = s.Nursery.SetUsual(r.Context(), page.Actor(r), chi.URLParam(r, "group"), ds)
	}
	return s.done(w, r, chi.URLParam(r, "group"), "usual", f, err, "The usual dates are kept. Windows and orders follow them.")
}

func (s season) seen(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := seasonstage.NewSeen{
		Says:  f.Text("says"),
		On:    f.Date("on"),
		Place: f.Text("place"),
		Note:  f.Text("note"),
		Soil:  f.Text("soil"),
		Sure:  f.Text("sure") != "",
	}
	if err = f.Err(); err == nil {
		err = s.Nursery.NoteSeen(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), chi.URLParam(r, "group"), n)
	}
	return s.done(w, r, chi.URLParam(r, "group"), "seen", f, err, capital(n.Says)+" is noted, and the dates follow it.")
}

func capital(s string) string {
	if s == "" {
		return "It"
	}
	return words.Capital(s)
}

func (s season) drop(w http.ResponseWriter, r *http.Request) error {
	id, err := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	if err != nil {
		return nursery.ErrNotFound
	}
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	if f.Text("back") != "" {
		group, err := s.Nursery.KeepSeen(r.Context(), page.Actor(r), id)
		if err != nil {
			return err
		}
		s.Flash(r, "%s", words.SeenStands)
		return page.Go(w, r, "/season/"+group)
	}
	group, err := s.Nursery.DropSeen(r.Context(), page.Actor(r), id)
	if err != nil {
		return err
	}
	s.FlashBack(r, words.SeenDropped, "/season/seen/"+page.ID(id)+"/drop", "back", "yes")
	return page.Go(w, r, "/season/"+group)
}

func (s season) rest(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	group, rests := chi.URLParam(r, "group"), f.Text("rests") == "yes"
	says := "This group takes no rest here: note its flushes of fresh shoots, and give the dry spell's dates."
	if rests {
		says = "This group rests here, by its usual dates."
	}
	err = s.Nursery.SetRests(r.Context(), page.Actor(r), group, rests)
	if err == nil {
		s.FlashBack(r, says, "/season/"+group+"/rest", "rests", map[bool]string{true: "no", false: "yes"}[rests])
		return page.Go(w, r, "/season/"+group)
	}
	return s.done(w, r, group, "rest", f, err, says)
}

func (s season) normals(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	var n [12]float64
	for m := range n {
		n[m] = f.Number(fmt.Sprintf("c-%d", m+1))
	}
	b, err := s.Nursery.SeasonBand(r.Context(), f.Text("group"))
	if err != nil {
		return err
	}
	if err = f.Err(); err == nil {
		err = s.Nursery.SetNormals(r.Context(), page.Actor(r), n)
	}
	return s.done(w, r, b.Group, "normals", f, err, "The usual temperatures are kept.")
}
