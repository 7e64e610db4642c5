package trees

import (
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"unionknot/internal/core/pollen"
	"unionknot/internal/nursery"
	treestage "unionknot/internal/nursery/trees"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

func gapSays(g pollen.Gap) string {
	var names []string
	for i, c := range g.Closes {
		if i < 3 {
			names = append(names, fmt.Sprintf("%s (%.0f days)", c.Name, c.Mean))
		}
	}
	return words.GapSays(g.Of.Name, g.Beside, g.Why, g.Days, names)
}

// pollinators are the varieties on a tree that pollinate a limb's.
func pollinators(p treestage.Page, v treestage.LimbView) string {
	var of pollen.Variety
	for _, f := range p.Flowers {
		if f.Variety.Name == v.Variety {
			of = f.Variety
		}
	}
	var out []string
	for _, f := range p.Flowers {
		if m := pollen.On(of, f.Variety); of.Name != "" && m.Good() && f.Variety.Name != of.Name {
			out = append(out, f.Variety.Name)
		}
	}
	return strings.Join(out, ", ")
}

type flowerLine struct {
	treestage.Flower
	In    bool // the set that is looked at
	Says  string
	Years string
}

type flowersPage struct {
	treestage.FlowersPage
	Chart template.HTML
	Lines []flowerLine
	Gaps  []string
	Boss  bool
}

func (t trees) flowers(w http.ResponseWriter, r *http.Request) error {
	return t.showFlowers(w, r, page.NewForm(), http.StatusOK)
}

func (t trees) showFlowers(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	q := r.URL.Query()
	p, err := t.Nursery.Flowers(r.Context(), cmpOr(q.Get("genus"), f.Values.Get("genus")), q["set"], q.Get("buyer"))
	if err != nil {
		return err
	}
	fp := flowersPage{FlowersPage: p, Chart: draw.Flowers(p.Flowers, p.Year), Boss: page.Actor(r).Role == nursery.Propagator}
	for _, x := range p.Flowers {
		l := flowerLine{Flower: x, In: slices.Contains(p.Set, x.Variety.Name)}
		var from, years []string
		for i, c := range x.From {
			if i < 4 {
				from = append(from, fmt.Sprintf("%s (%.0f days)", c.Name, c.Mean))
			}
		}
		l.Says = words.SetsWith(x.Needs, x.Known, from)
		for _, y := range x.Years() {
			years = append(years, fmt.Sprint(y))
		}
		l.Years = strings.Join(years, ", ")
		fp.Lines = append(fp.Lines, l)
	}
	for _, g := range p.Gaps {
		fp.Gaps = append(fp.Gaps, gapSays(g))
	}
	return t.ShowStatus(w, r, t.views["flowers"], page.Frame{Title: "Who pollinates whom", Stage: "Grow on", Form: f, Data: fp}, status)
}

func cmpOr(a, b string) string {
	if a != "" {
		return a
	}
	return b
}

func (t trees) noteFlower(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := treestage.NewFlower{Variety: f.Text("variety"), Genus: f.Text("genus"), Year: f.Int("year"), Ploidy: optional(f, "ploidy"),
		Group: f.Text("group"), Alone: f.Text("alone")}
	if f.Text("first") != "" {
		n.First = f.Date("first")
	}
	if f.Text("last") != "" {
		n.Last = f.Date("last")
	}
	if err = f.Err(); err == nil {
		err = t.Nursery.NoteFlower(r.Context(), page.Actor(r), n)
	}
	if form, ok := f.WithProblems(err); ok {
		return t.showFlowers(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	t.Flash(r, "The flowers of %s are noted.", n.Variety)
	return page.Go(w, r, "/flowers?genus="+url.QueryEscape(n.Genus))
}

func (t trees) noteSpot(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := treestage.Spot{Place: f.Text("place"), East: f.Number("east"), North: f.Number("north")}
	if err = f.Err(); err == nil {
		err = t.Nursery.NoteSpot(r.Context(), page.Actor(r), n)
	}
	if form, ok := f.WithProblems(err); ok {
		return t.showFlowers(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	t.Flash(r, "%s", words.SpotNoted(n.Place))
	return page.Go(w, r, "/flowers?genus="+url.QueryEscape(f.Text("genus")))
}
