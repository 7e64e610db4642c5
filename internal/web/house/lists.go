package house

import (
	"bytes"
	"errors"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	filesstage "unionknot/internal/nursery/files"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

// listsPage is a list as somebody looks at it.
type listsPage struct {
	Kind     string
	Kinds    []filesstage.HistoryKind // that this person may look at
	Find     string
	From, To string
	Columns  []listColumn
	Shown    []listColumn
	Rows     [][]any
	Count    int
	Sums     []string // under the columns shown; "" where there is none
	More     template.URL
	CSV      template.URL
	XLSX     template.URL
	Sort     string // of the form, with its turn
	Views    page.ViewList
}

// listColumn is a column's heading.
type listColumn struct {
	Key, Name string
	Shown     bool
	Number    bool
	Sorted    string       // ascending, descending or ""
	By        template.URL // sorts by it, or turns the order
}

// browsed reads how a list is looked at from its address.
func browsed(r *http.Request) (b filesstage.Browse, err error) {
	q := r.URL.Query()
	b = filesstage.Browse{Find: strings.TrimSpace(q.Get("find")), After: q.Get("after"), Columns: q["col"]}
	b.Sort, b.Desc = strings.CutPrefix(q.Get("sort"), "-")
	for _, x := range []struct {
		name string
		to   *time.Time
	}{{"from", &b.From}, {"to", &b.To}} {
		if s := q.Get(x.name); s != "" {
			t, err := exchange.ParseDate(s)
			if err != nil {
				return b, nursery.Problem{Field: x.name, Says: words.Capital(err.Error()) + "."}
			}
			*x.to = time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, time.Local)
		}
	}
	return b, nil
}

func (h house) browse(w http.ResponseWriter, r *http.Request) error {
	kind := chi.URLParam(r, "kind")
	a := page.Actor(r)
	if err := filesstage.MayBrowse(a, kind); err != nil {
		return err
	}
	f := page.NewForm()
	b, err := browsed(r)
	var out filesstage.Browsed
	if err == nil {
		out, err = h.Nursery.Browse(r.Context(), a, kind, b)
		if errors.Is(err, filesstage.ErrAfter) {
			h.Flash(r, "%s", words.RowIsGone)
			b.After = ""
			out, err = h.Nursery.Browse(r.Context(), a, kind, b)
		}
	}
	status := http.StatusOK
	if form, ok := f.WithProblems(err); ok {
		f, status = form, http.StatusUnprocessableEntity
	} else if err != nil {
		return err
	}
	q := r.URL.Query()
	with := func(path, key, value string) template.URL {
		to := url.Values{}
		for k, vs := range q {
			if k != "after" && k != key {
				to[k] = vs
			}
		}
		if value != "" {
			to.Set(key, value)
		}
		return template.URL(path + "?" + to.Encode())
	}
	path := "/lists/" + kind
	p := listsPage{Kind: kind, Find: b.Find, From: q.Get("from"), To: q.Get("to"), Rows: out.Rows, Count: out.Count, Sort: q.Get("sort"),
		CSV: with("/export/"+kind+".csv", "whole", "no"), XLSX: with("/export/"+kind+".xlsx", "whole", "no")}
	for _, k := range filesstage.HistoryKinds {
		if filesstage.MayBrowse(a, k.Key) == nil {
			p.Kinds = append(p.Kinds, k)
		}
	}
	for _, n := range out.Names {
		c := listColumn{Key: n, Name: words.ColumnName(n), Shown: slices.Contains(out.Shown, n), By: with(path, "sort", n)}
		if n == out.Sort {
			if c.Sorted = "ascending"; out.Desc {
				c.Sorted = "descending"
			} else {
				c.By = with(path, "sort", "-"+n)
			}
		}
		p.Columns = append(p.Columns, c)
		if c.Shown {
			i := len(p.Shown)
			c.Number = len(out.Rows) > 0 && isNumber(out.Rows[0][i])
			p.Shown = append(p.Shown, c)
			says := ""
			if s, ok := out.Sums[n]; ok {
				says = words.Figure(s)
			}
			p.Sums = append(p.Sums, says)
		}
	}
	if len(out.Rows) == nursery.PageSize {
		p.More = with(path, "after", out.Keys[len(out.Keys)-1])
	}
	if p.Views, err = h.ViewsOf(r, path); err != nil {
		return err
	}
	return h.ShowStatus(w, r, h.views["lists"], page.Frame{Title: words.ListName(kind), Stage: "House", Data: p, Form: f}, status)
}

func isNumber(x any) bool {
	switch x.(type) {
	case int64, int32, float64:
		return true
	}
	return false
}

// exportBrowsed writes a list as it is looked at.
func (h house) exportBrowsed(w http.ResponseWriter, r *http.Request, kind string, format exchange.Format) error {
	b, err := browsed(r)
	if err != nil {
		return err
	}
	var out bytes.Buffer
	if err := h.Nursery.ExportBrowsed(r.Context(), page.Actor(r), kind, b, format, &out); err != nil {
		return err
	}
	_, err = out.WriteTo(h.listFile(w, kind, format))
	return err
}

// viewable are the pages of which somebody can keep views.
func viewable(path string) bool {
	return path == "/orders" || path == "/stock" || path == "/wood" || strings.HasPrefix(path, "/lists/")
}

// saveView keeps a page as somebody looks at it.
func (h house) saveView(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	path := f.Text("path")
	if !viewable(path) {
		return nursery.ErrNotFound
	}
	q, err := url.ParseQuery(strings.TrimPrefix(f.Values.Get("query"), "?"))
	if err != nil {
		return nursery.ErrNotFound
	}
	for _, k := range []string{"after", "plants", "bundles"} { // where a page of it began
		q.Del(k)
	}
	err = h.Nursery.SaveView(r.Context(), page.Actor(r), filesstage.View{Path: path, Name: f.Text("name"), Query: q.Encode()})
	if form, ok := f.WithProblems(err); ok {
		h.Flash(r, "%s", form.Problems["view"])
	} else if err != nil {
		return err
	} else {
		h.Flash(r, "%s", words.ViewKept)
	}
	return page.Go(w, r, path+"?"+q.Encode())
}

// dropView lets go of a view.
func (h house) dropView(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	v, err := h.Nursery.DropView(r.Context(), page.Actor(r), int64(f.Int("id")))
	if errors.Is(err, nursery.ErrNotFound) {
		return page.Go(w, r, "/today")
	} else if err != nil {
		return err
	}
	h.FlashBack(r, words.ViewGone, "/views", "path", v.Path, "name", v.Name, "query", v.Query)
	return page.Go(w, r, v.Path)
}
