// Package orders is the Orders stage: trees wanted, and how many grafts make
// them.
package orders

import (
	"embed"
	"net/http"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/nursery"
	ordersstage "unionknot/internal/nursery/orders"
	"unionknot/internal/outlook"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
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
		{Method: "GET", Path: "/orders/closed", Who: page.Readers, Do: o.closed},
		{Method: "POST", Path: "/orders/{code}/close", Who: page.Boss, Do: o.close},
		{Method: "GET", Path: "/orders/rehearsal", Who: page.Readers, Do: o.rehearsal},
		{Method: "GET", Path: "/orders/trainer", Who: page.Everyone, Do: o.trainer},
		{Method: "GET", Path: "/orders/rehearsal/plan", Who: page.Readers, Do: o.planPlayed},
		{Method: "GET", Path: "/orders/promises", Who: page.Readers, Do: o.promises},
		{Method: "GET", Path: "/orders/{code}/chance", Who: page.Readers, Do: o.chance},
		{Method: "GET", Path: "/orders/{code}/quotation", Who: page.Readers, Do: o.quotation},
		{Method: "POST", Path: "/orders/{code}/quotation", Who: page.Boss, Do: o.agree},
		{Method: "POST", Path: "/orders/{code}/sections", Who: page.Boss, Do: o.sections},
	}
}

type listPage struct {
	Lines             []outlook.OrderLine // those that are shown
	All               int                 // open orders
	Sieve             ordersstage.Sieve
	Views             page.ViewList
	Sorts             []ordersstage.Sort
	WhatIf            outlook.WhatIf
	Trees, Grafts     int
	ToGo, Lacking     int // grafts, and orders that lack something
	Genera            []nursery.Genus
	Varieties, Stocks []string
	Kind              nursery.LoadKind
	Open              bool
	AskSure           bool // whether a day that is over is meant
}

// whatIf reads the chance and the take that are tried out from the address.
func whatIf(r *http.Request) outlook.WhatIf {
	chance := float64(page.QueryInt(r, "chance")) / 100
	return outlook.WhatIf{Chance: chance, Points: int(page.QueryInt(r, "take"))}
}

func (o orders) list(w http.ResponseWriter, r *http.Request) error {
	return o.showList(w, r, page.NewForm("priority", "2"), http.StatusOK)
}

func (o orders) showList(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	p := listPage{Open: status != http.StatusOK, WhatIf: whatIf(r), AskSure: f.Problems["due_on"] == words.DayOver}
	var err error
	if p.Lines, err = o.Nursery.OrdersIf(r.Context(), &p.WhatIf); err != nil {
		return err
	}
	q := r.URL.Query()
	p.Sieve = ordersstage.Sieve{Find: q.Get("find"), Lacking: q.Get("lacking") != "", Sort: ordersstage.Sort(q.Get("sort"))}
	p.All, p.Sorts = len(p.Lines), ordersstage.Sorts
	p.Lines = p.Sieve.Sift(p.Lines)
	for _, l := range p.Lines {
		p.Trees, p.Grafts, p.ToGo = p.Trees+l.Order.Trees, p.Grafts+l.Need.Grafts, p.ToGo+l.ToGo
		if len(l.Means.Lacking()) > 0 {
			p.Lacking++
		}
	}
	if p.Genera, err = o.Nursery.Genera(r.Context()); err != nil {
		return err
	}
	if p.Varieties, p.Stocks, err = o.Nursery.Names(r.Context()); err != nil {
		return err
	}
	p.Kind, _ = nursery.KindOf("orders")
	if page.IsPart(r) && r.Method == http.MethodGet {
		return o.Part(w, r, o.views["list"], "lines", p)
	}
	if p.Views, err = o.ViewsOf(r, "/orders"); err != nil {
		return err
	}
	return o.ShowStatus(w, r, o.views["list"], page.Frame{Title: "Orders", Stage: "Orders", Data: p, Form: f}, status)
}

func (o orders) add(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := ordersstage.NewOrder{
		Code:       f.Text("code"),
		Genus:      f.Text("genus"),
		Variety:    f.Text("variety"),
		StockGenus: f.Text("stock_genus"),
		StockType:  f.Text("stock_type"),
		Trees:      f.Int("trees"),
		Priority:   f.Int("priority"),
		DueOn:      f.Date("due_on"),
		Buyer:      f.Text("buyer"),
		Sure:       f.Text("sure") != "",
	}
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

type closedPage struct {
	Orders []nursery.OrderRow
	Next   int64 // the id to go on from; 0 at the end
}

func (o orders) closed(w http.ResponseWriter, r *http.Request) error {
	var p closedPage
	var err error
	if p.Orders, err = o.Nursery.ClosedOrders(r.Context(), page.QueryInt(r, "after")); err != nil {
		return err
	}
	if n := len(p.Orders); n >= nursery.PageSize {
		p.Next = p.Orders[n-1].ID
	}
	return o.Show(w, r, o.views["closed"], page.Frame{Title: "Closed orders", Stage: "Orders", Data: p})
}

// close closes an order, or opens it again.
func (o orders) close(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	code, open := chi.URLParam(r, "code"), f.Text("open") == "yes"
	if f.Text("do") == "off" {
		err := o.Nursery.CallOff(r.Context(), page.Actor(r), code, f.Text("off_why"))
		if form, ok := f.WithProblems(err); ok {
			return o.showOne(w, r, form, http.StatusUnprocessableEntity)
		} else if err != nil {
			return err
		}
		o.Flash(r, "%s", words.OrderOff(code))
		return page.Go(w, r, "/orders/"+code)
	}
	if err := o.Nursery.CloseOrder(r.Context(), page.Actor(r), code, open); err != nil {
		return err
	}
	o.FlashBack(r, words.OrderClosed(code, !open), "/orders/"+code+"/close", "open", map[bool]string{true: "no", false: "yes"}[open])
	return page.Go(w, r, "/orders/"+code)
}

// sections notes which sections an order's variety and stock are of.
func (o orders) sections(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	code := chi.URLParam(r, "code")
	if err := o.Nursery.SetSections(r.Context(), page.Actor(r), code, f.Text("of"), f.Text("on")); err != nil {
		return err
	}
	o.Flash(r, "Noted, for every order of this variety and this stock.")
	return page.Go(w, r, "/orders/"+code)
}

func (o orders) one(w http.ResponseWriter, r *http.Request) error {
	return o.showOne(w, r, page.NewForm(), http.StatusOK)
}

func (o orders) showOne(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	p, err := o.Nursery.Order(r.Context(), chi.URLParam(r, "code"), whatIf(r))
	if err != nil {
		return err
	}
	if page.IsPart(r) {
		return o.Part(w, r, o.views["order"], "need", p)
	}
	right, err := o.Nursery.Corrections(r.Context(), "order", p.Line.Order.Code)
	if err != nil {
		return err
	}
	return o.ShowStatus(w, r, o.views["order"],
		page.Frame{Title: "Order " + p.Line.Order.Code, Stage: "Orders", PutRight: right, Data: p, Form: f}, status)
}
