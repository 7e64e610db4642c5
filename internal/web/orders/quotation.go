package orders

import (
	"fmt"
	"math"
	"net/http"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/cost"
	"unionknot/internal/core/sizing"
	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	resultsstage "unionknot/internal/nursery/results"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

// holdsDays is for how long a quotation holds. House default.
const holdsDays = 30

type quotationPage struct {
	resultsstage.Quote
	Typed    string // margin
	Problems map[string]string
	NotSized string
	Asks     int // for a tree, in cents
	All      int
	Agreed   string
	Until    time.Time
	Parts    []quotePart
	Leaves   sizing.Interval // cents, over the cost
}

type quotePart struct {
	Part      int
	Name      string
	All, Tree float64
}

func (o orders) quotation(w http.ResponseWriter, r *http.Request) error {
	return o.showQuotation(w, r, page.NewForm(), http.StatusOK)
}

func (o orders) showQuotation(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	p := quotationPage{Problems: map[string]string{}, NotSized: words.NotSized, Typed: r.FormValue("margin")}
	margin := resultsstage.UsualMargin
	if p.Typed != "" {
		n, err := exchange.ParseWhole(p.Typed)
		if err != nil || n < resultsstage.LeastMargin || n > resultsstage.MostMargin {
			p.Problems["margin"] = words.MarginBetween(resultsstage.LeastMargin, resultsstage.MostMargin)
			status = http.StatusUnprocessableEntity
		} else {
			margin = n
		}
	} else {
		p.Typed = strconv.Itoa(margin)
	}
	var err error
	if p.Quote, err = o.Nursery.Quote(r.Context(), page.Actor(r), chi.URLParam(r, "code"), margin); err != nil {
		return err
	}
	p.Asks, p.Agreed = p.Price, words.MoneyOr(p.Order.TreeCents)
	p.All = p.Asks * p.Order.Trees
	p.Until = o.Nursery.Today().AddDate(0, 0, holdsDays)
	brings := float64(p.All)
	p.Leaves = sizing.Interval{Mean: brings - p.Sum.Cost.Mean, Low: brings - p.Sum.Cost.High, High: brings - p.Sum.Cost.Low}
	for i, part := range cost.Parts {
		p.Parts = append(p.Parts, quotePart{i, words.Capital(words.CostPart(i)), p.Sum.Parts[part], p.Sum.Parts[part] / float64(max(1,
			p.Order.Trees))})
	}
	return o.ShowStatus(w, r, o.views["quotation"], page.Frame{Title: "Quotation, order " + p.Order.Code, Stage: "Orders", Data: p,
		Form: f}, status)
}

// agree keeps what was agreed for a tree.
func (o orders) agree(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	code, cents := chi.URLParam(r, "code"), int(math.Round(f.Number("price")*100))
	if err = f.Err(); err == nil && cents <= 0 {
		err = nursery.Problem{Field: "price", Says: words.PriceWanted}
	}
	if err == nil {
		err = o.Nursery.SetPrice(r.Context(), page.Actor(r), code, cents)
	}
	if form, ok := f.WithProblems(err); ok {
		return o.showQuotation(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	o.Flash(r, "%s", fmt.Sprintf("%s a tree is agreed for order %s.", words.Money(cents), nursery.CleanCode(code)))
	return page.Go(w, r, "/orders/"+code+"/quotation?margin="+f.Text("margin"))
}
