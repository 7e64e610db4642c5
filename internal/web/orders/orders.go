// Package orders is the Orders stage: trees wanted, and how many grafts make
// them.
package orders

import (
	"embed"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/web/page"
)

//go:embed templates/*.html
var files embed.FS

type orders struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the Orders stage's addresses.
func Routes(k *page.Kit) []page.Route {
	o := orders{k, page.Views(files)}
	return []page.Route{
		{Method: "GET", Path: "/orders", Who: page.Readers, Do: o.list},
		{Method: "POST", Path: "/orders", Who: page.Boss, Do: o.add},
		{Method: "GET", Path: "/orders/{code}", Who: page.Readers, Do: o.one},
	}
}

type listPage struct {
	Lines             []nursery.OrderLine
	Genera            []store.Genus
	Varieties, Stocks []string
	Kind              nursery.LoadKind
	Open              bool
}

func (o orders) list(w http.ResponseWriter, r *http.Request) error {
	return o.showList(w, r, page.NewForm("priority", "2"), http.StatusOK)
}

func (o orders) showList(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	p := listPage{Open: status != http.StatusOK}
	var err error
	if p.Lines, err = o.Nursery.Orders(r.Context()); err != nil {
		return err
	}
	if p.Genera, err = o.Nursery.Genera(r.Context()); err != nil {
		return err
	}
	if p.Varieties, p.Stocks, err = o.Nursery.Names(r.Context()); err != nil {
		return err
	}
	p.Kind, _ = nursery.KindOf("orders")
	return o.ShowStatus(w, r, o.views["list"], page.Frame{Title: "Orders", Stage: "Orders", Data: p, Form: f}, status)
}

func (o orders) add(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := nursery.NewOrder{Code: f.Text("code"), Genus: f.Text("genus"), Variety: f.Text("variety"), StockGenus: f.Text("stock_genus"), StockType: f.Text("stock_type"),
		Trees: f.Int("trees"), Priority: f.Int("priority"), DueOn: f.Date("due_on"), Buyer: f.Text("buyer")}
	if err = f.Err(); err == nil {
		err = o.Nursery.AddOrder(r.Context(), page.Actor(r), n)
	}
	if form, ok := f.WithProblems(err); ok {
		return o.showList(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	o.Flash(r, "Order %s is taken.", n.Code)
	return page.Go(w, r, "/orders")
}

func (o orders) one(w http.ResponseWriter, r *http.Request) error {
	chance, _ := strconv.ParseFloat(r.URL.Query().Get("chance"), 64)
	p, err := o.Nursery.Order(r.Context(), chi.URLParam(r, "code"), chance/100)
	if err != nil {
		return err
	}
	if page.IsPart(r) {
		return o.Part(w, o.views["order"], "need", p)
	}
	return o.Show(w, r, o.views["order"], page.Frame{Title: "Order " + p.Line.Order.Code, Stage: "Orders", Data: p, Form: page.NewForm()})
}
