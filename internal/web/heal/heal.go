// Package heal is the Heal stage: what stands healing, and the counts of what
// took.
package heal

import (
	"embed"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/tagcode"
	"unionknot/internal/nursery"
	healstage "unionknot/internal/nursery/heal"
	"unionknot/internal/outlook"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

//go:embed templates/*.html
var files embed.FS

type heal struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the Heal stage's addresses.
func Routes(k *page.Kit) []page.Route {
	h := heal{k, page.Views(files)}
	return []page.Route{
		{Method: "GET", Path: "/heal", Who: page.Everyone, Do: h.list},
		{Method: "GET", Path: "/heal/place", Who: page.Everyone, Do: h.showPlace},
		{Method: "POST", Path: "/heal/place", Who: page.Hands, Do: h.keepPlace, HandsIn: true},
		{Method: "POST", Path: "/heal/place/right", Who: page.Hands, Do: h.putRight},
		{Method: "POST", Path: "/heal/place/read", Who: page.Hands, Do: h.readPlace},
		{Method: "POST", Path: "/heal/place/set", Who: page.Boss, Do: h.setPlace},
		{Method: "GET", Path: "/heal/{code}", Who: page.Everyone, Do: h.count},
		{Method: "POST", Path: "/heal/{code}", Who: page.Hands, Do: h.keep, HandsIn: true},
		{Method: "POST", Path: "/heal/places", Who: page.Hands, Do: h.place},
	}
}

func (h heal) list(w http.ResponseWriter, r *http.Request) error {
	if typed := r.URL.Query().Get("tag"); typed != "" {
		code, err := tagcode.Parse(typed)
		if err == nil {
			return page.Go(w, r, "/heal/"+code)
		}
		h.Flash(r, "%s: %s.", typed, errors.Unwrap(err))
		return page.Go(w, r, "/heal")
	}
	return h.showList(w, r, page.NewForm(), http.StatusOK)
}

func (h heal) showList(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	hp, err := h.Nursery.Heal(r.Context())
	if err != nil {
		return err
	}
	p := listPage{HealPage: hp, Chosen: map[string]bool{}, Can: page.Actor(r).Role != nursery.Looker}
	if p.Counted, err = h.Nursery.CountedLately(r.Context()); err != nil {
		return err
	}
	if p.Stores, err = h.Nursery.ColdNames(r.Context()); err != nil {
		return err
	}
	for _, x := range hp.Places {
		if !slices.Contains(p.Stores, x.Name) {
			p.Stores = append(p.Stores, x.Name)
		}
		p.Tags += x.Tags
	}
	for _, c := range f.Values["tag"] {
		p.Chosen[c] = true
	}
	return h.ShowStatus(w, r, h.views["list"], page.Frame{Title: "Heal", Stage: "Heal", Data: p, Form: f}, status)
}

type listPage struct {
	outlook.HealPage
	Counted []nursery.TagRow
	Stores  []string        // to choose a place from
	Chosen  map[string]bool // tags that were ticked, by code
	Tags    int
	Can     bool
}

type causeRow struct {
	Cause string
	N     string
}

type countPage struct {
	healstage.CountPage
	Rows   []causeRow
	Looks  []string
	Can    bool
	Theirs string // who counted, where it is not the one who looks who may correct it
	Checks []check
	// OpenCauses where some are keyed, or were keyed wrong.
	OpenCauses bool
}

func (h heal) count(w http.ResponseWriter, r *http.Request) error {
	return h.show(w, r, r.URL.Query().Get("look"), page.NewForm(), http.StatusOK)
}

func (h heal) show(w http.ResponseWriter, r *http.Request, look string, f page.Form, status int) error {
	cp, err := h.Nursery.Count(r.Context(), chi.URLParam(r, "code"), look)
	if err != nil {
		return err
	}
	p := countPage{CountPage: cp, Looks: healstage.Looks, Can: page.Actor(r).Role != nursery.Looker, Checks: checks(f)}
	if a := page.Actor(r); cp.Now != nil && a.Role == nursery.BenchHand && cp.Now.PersonID != a.ID {
		p.Can, p.Theirs = false, words.AnothersCount(cp.Now.Person)
	}
	if status == http.StatusOK && cp.Now != nil {
		f.Values.Set("taken", fmt.Sprint(cp.Now.Taken))
		f.Values.Set("doubtful", fmt.Sprint(cp.Now.Doubtful))
		f.Values.Set("dead", fmt.Sprint(cp.Now.Dead))
		f.Values.Set("both", fmt.Sprint(cp.Now.Both))
		if cp.Now.Missed > 0 {
			f.Values.Set("rest", healstage.RestLeft)
		}
		for _, c := range cp.Of[cp.Now.ID] {
			f.Values.Set("cause:"+c.Cause, fmt.Sprint(c.N))
		}
	}
	for _, k := range []string{"taken", "doubtful", "dead", "both"} {
		if f.Values.Get(k) == "" {
			f.Values.Set(k, "0")
		}
	}
	for _, c := range cp.Causes {
		n := f.Values.Get("cause:" + c)
		p.Rows = append(p.Rows, causeRow{c, n})
		p.OpenCauses = p.OpenCauses || n != "" && n != "0"
	}
	return h.ShowStatus(w, r, h.views["count"], page.Frame{Title: "Count " + cp.Tag.Code, Stage: "Heal", Data: p, Form: f}, status)
}

func (h heal) keep(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	code := chi.URLParam(r, "code")
	n := healstage.NewCount{
		ID:       f.Text("once"),
		Look:     f.Text("look"),
		Taken:    f.Int("taken"),
		Doubtful: f.Int("doubtful"),
		Dead:     f.Int("dead"),
		Both:     f.Int("both"),
		Replaces: f.Text("replaces"),
		Sure:     f.Text("sure") != "",
		Rest:     f.Text("rest"),
		Causes:   map[string]int{},
		Ago:      f.Ago(),
	}
	for k := range f.Values {
		if c, ok := strings.CutPrefix(k, "cause:"); ok {
			n.Causes[c] = f.Int(k)
		}
	}
	if err = f.Err(); err == nil {
		err = h.Nursery.KeepCount(r.Context(), page.Actor(r), code, n)
	}
	if ticked := f.Values["amiss"]; err == nil && len(ticked) > 0 {
		err = h.Nursery.KeepAmiss(r.Context(), page.Actor(r), f.Text("stands"), ticked)
	}
	if form, ok := f.WithProblems(err); ok {
		form.Once = page.UUID()
		return h.show(w, r, n.Look, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	h.Flash(r, "%s: %s saved.", code, words.CountNames[n.Look])
	if next := f.Text("next"); next != "" && f.Values.Has("go-next") {
		return page.Go(w, r, "/heal/"+next)
	}
	return page.Go(w, r, "/heal/"+code+"?look="+strings.ReplaceAll(n.Look, " ", "+"))
}

func (h heal) place(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	codes := slices.DeleteFunc(slices.Clone(f.Values["tag"]), func(c string) bool { return c == "" })
	err = h.Nursery.SetHealPlace(r.Context(), page.Actor(r), codes, f.Text("place"))
	one := f.Text("back") == "tag" && len(codes) == 1
	if form, ok := f.WithProblems(err); ok {
		if one {
			h.Flash(r, "%s", form.Problems["place"])
			return page.Go(w, r, "/heal/"+codes[0])
		}
		return h.showList(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	if one {
		h.Flash(r, "%s stands in %s.", codes[0], f.Text("place"))
		return page.Go(w, r, "/heal/"+codes[0])
	}
	if len(codes) == 1 {
		h.Flash(r, "%s stands in %s.", codes[0], f.Text("place"))
	} else {
		h.Flash(r, "%d tags stand in %s.", len(codes), f.Text("place"))
	}
	return page.Go(w, r, "/heal")
}
