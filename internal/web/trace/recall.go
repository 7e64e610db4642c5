package trace

import (
	"html/template"
	"net/http"
	"net/url"
	"time"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	tracestage "unionknot/internal/nursery/trace"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

type recallPage struct {
	tracestage.Recall
	Kinds    []string
	Names    []string
	Kind     string
	Key      string
	From, To string
	Query    template.URL
	Found    bool // something was asked for
}

// askedOf reads what is recalled from an address or a form.
func askedOf(v url.Values) (a tracestage.Asked, err error) {
	a = tracestage.Asked{Kind: v.Get("kind"), Key: v.Get("key")}
	for _, x := range []struct {
		name string
		to   *time.Time
	}{{"from", &a.From}, {"to", &a.To}} {
		if s := v.Get(x.name); s != "" {
			t, err := exchange.ParseDate(s)
			if err != nil {
				return a, nursery.Problem{Field: x.name, Says: words.Capital(err.Error()) + "."}
			}
			*x.to = time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, time.Local)
		}
	}
	return a, nil
}

func queryOf(v url.Values) url.Values {
	q := url.Values{}
	for _, k := range []string{"kind", "key", "from", "to"} {
		if x := v.Get(k); x != "" {
			q.Set(k, x)
		}
	}
	return q
}

func (t trace) recall(w http.ResponseWriter, r *http.Request) error {
	return t.showRecall(w, r, r.URL.Query(), page.NewForm(), http.StatusOK)
}

func (t trace) showRecall(w http.ResponseWriter, r *http.Request, v url.Values, f page.Form, status int) error {
	p := recallPage{Kinds: tracestage.Kinds, Kind: v.Get("kind"), Key: v.Get("key"), From: v.Get("from"), To: v.Get("to"),
		Query: template.URL(queryOf(v).Encode())}
	var err error
	if p.Kind != "" {
		var asked tracestage.Asked
		if asked, err = askedOf(v); err == nil {
			p.Recall, err = t.Nursery.Recall(r.Context(), page.Actor(r), asked)
		}
		if form, ok := f.WithProblems(err); ok {
			f, status = form, http.StatusUnprocessableEntity
		} else if err != nil {
			return err
		} else {
			p.Found = true
		}
	}
	if p.Names, err = t.Nursery.RecallNames(r.Context()); err != nil {
		return err
	}
	return t.ShowStatus(w, r, t.views["recall"], page.Frame{Title: "Recall", Stage: "Results", Data: p, Form: f}, status)
}

func (t trace) hold(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	release := f.Text("do") == "release"
	asked, err := askedOf(f.Values)
	n := 0
	if err == nil && release {
		n, err = t.Nursery.Release(r.Context(), page.Actor(r), asked, f.Text("reason"))
	} else if err == nil {
		n, err = t.Nursery.Hold(r.Context(), page.Actor(r), asked, f.Text("reason"))
	}
	if form, ok := f.WithProblems(err); ok {
		return t.showRecall(w, r, f.Values, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	t.Flash(r, "%s", words.HeldNow(n, !release))
	return page.Go(w, r, "/recall?"+queryOf(f.Values).Encode())
}

func (t trace) recallLabels(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	asked, err := askedOf(f.Values)
	if err != nil {
		return err
	}
	re, err := t.Nursery.Recall(r.Context(), page.Actor(r), asked)
	if err != nil {
		return err
	}
	id, err := t.Nursery.PrintLabels(r.Context(), page.Actor(r), "Held", re.RecallLabels())
	if form, ok := f.WithProblems(err); ok {
		return t.showRecall(w, r, f.Values, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	return page.Go(w, r, "/devices/prints/"+page.ID(id))
}

// recallFile writes every tag of a recall, all of them.
func (t trace) recallFile(w http.ResponseWriter, r *http.Request) error {
	asked, err := askedOf(r.URL.Query())
	if err != nil {
		return err
	}
	re, err := t.Nursery.Recall(r.Context(), page.Actor(r), asked)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "text/csv; charset=utf-8")
	w.Header().Set("Content-Disposition", `attachment; filename="recall.csv"`)
	return exchange.Write(w, exchange.CSV, []string{"tag", "order", "buyer", "variety", "stock", "plant", "bundle", "lot", "supplier",
		"worker", "day",
		"place", "form", "tied", "stand", "gone", "dead", "sold", "held_since", "held_why"}, func(add func(...any) error) error {
		for _, x := range re.Tags {
			held := ""
			if x.HeldAt != nil {
				held = x.HeldAt.Local().Format(time.RFC3339)
			}
			if err := add(x.Tag, x.Order, x.Buyer, x.Variety, x.StockType, x.Plant, x.Bundle, x.Lot, x.Supplier, x.Worker,
				x.Day.Format(time.DateOnly),
				x.Place, x.Form, x.Tied, x.Standing, x.Gone, x.Dead, x.Sold, held, x.HeldWhy); err != nil {
				return err
			}
		}
		return nil
	})
}
