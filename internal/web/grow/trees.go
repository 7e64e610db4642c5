package grow

import (
	"net/http"
	"net/url"
	"slices"
	"strings"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/growon"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

// treesPage is trees of several tags in one form.
type treesPage struct {
	growon.TreesPage
	Today aftercare.Day
	Kind  string
	Boss  bool
	Can   bool
	Back  string
}

// treesAsked reads which tags are meant.
func treesAsked(v url.Values) growon.Asked {
	return growon.Asked{Order: v.Get("of_order"), Batch: v.Get("of_batch"), Place: v.Get("of_place"), Codes: v["of_tag"]}
}

func (g grow) trees(w http.ResponseWriter, r *http.Request) error {
	f := page.NewForm()
	for _, k := range []string{"kind", "back", "cause"} {
		f.Values.Set(k, r.URL.Query().Get(k))
	}
	return g.showTrees(w, r, treesAsked(r.URL.Query()), f, http.StatusOK)
}

func (g grow) showTrees(w http.ResponseWriter, r *http.Request, asked growon.Asked, f page.Form, status int) error {
	tp, err := g.Nursery.TreesTogether(r.Context(), asked)
	if err != nil {
		return err
	}
	who := page.Actor(r).Role
	p := treesPage{TreesPage: tp, Today: aftercare.DayOf(tp.Facts.Today), Kind: f.Values.Get("kind"), Boss: who == nursery.Propagator,
		Can: who != nursery.Looker, Back: f.Values.Get("back")}
	if p.Kind == "" {
		p.Kind = growon.Moved
		if p.Boss {
			p.Kind = growon.Sold
		}
	}
	return g.ShowStatus(w, r, g.views["trees"], page.Frame{Title: "Trees", Stage: "Grow on", Data: p, Form: f, Facts: tp.Facts}, status)
}

// doTrees keeps one act on the trees of several tags, as many of each as was typed.
func (g grow) doTrees(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	act := growon.Act{ID: f.Once, Kind: f.Text("kind"), Cause: f.Text("cause"), Place: f.Text("place"), Form: f.Text("form"),
		Buyer: f.Text("buyer"), Order: f.Text("order"), On: f.Text("on"), Reason: f.Text("reason")}
	for k := range f.Values {
		code, ok := strings.CutPrefix(k, "trees:")
		if !ok || f.Text(k) == "" {
			continue
		}
		if n := f.Int(k); n != 0 {
			act.Items = append(act.Items, growon.Item{Code: code, Trees: n})
		}
	}
	slices.SortFunc(act.Items, func(a, b growon.Item) int { return strings.Compare(a.Code, b.Code) })
	asked := treesAsked(f.Values)
	err = f.Err()
	switch {
	case err != nil:
	case len(act.Items) == 0:
		err = nursery.Problem{Field: "act", Says: words.TypeTrees}
	case act.Order == growon.NoOrder && act.Kind == growon.Sold && act.Buyer == "":
		err = nursery.Problem{Field: "buyer", Says: words.BuyerNeeded}
	}
	if form, ok := f.WithProblems(err); ok {
		form.Once = page.UUID()
		return g.showTrees(w, r, asked, form, http.StatusUnprocessableEntity)
	}
	done, err := g.Nursery.Do(r.Context(), page.Actor(r), []growon.Act{act})
	if err != nil {
		return err
	}
	if len(done.Refused) > 0 {
		form := f.Form
		form.Once = page.UUID()
		form.Problems = map[string]string{"act": done.Refused[0].Why}
		if done.Refused[0].Ask {
			form.Problems["reason"] = done.Refused[0].Why
		}
		return g.showTrees(w, r, asked, form, http.StatusUnprocessableEntity)
	}
	n := 0
	for _, i := range act.Items {
		n += i.Trees
	}
	back := f.Text("back")
	if !strings.HasPrefix(back, "/orders/") && !strings.HasPrefix(back, "/bench/batches/") && !strings.HasPrefix(back, "/grow") {
		back = "/grow"
	}
	g.FlashBack(r, words.TreesDone(act.Kind, n, len(act.Items)), "/grow/do", "kind", "undo", "undoes", act.ID, "at", back)
	return page.Go(w, r, back)
}
