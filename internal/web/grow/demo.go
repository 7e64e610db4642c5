package grow

import (
	"net/http"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/web/page"
)

// demoPage is the demo's own: its day, and to where it can be moved on.
type demoPage struct {
	Today time.Time
	Next  time.Time // the day on which the next step opens; zero for none
	What  aftercare.Knot
	Where string
	Boss  bool
}

func (g grow) demo(w http.ResponseWriter, r *http.Request) error {
	return g.showDemo(w, r, page.NewForm(), http.StatusOK)
}

func (g grow) showDemo(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	gp, err := g.Nursery.Grow(r.Context())
	if err != nil {
		return err
	}
	if gp.Facts.House.DemoDay == nil {
		return nursery.ErrNotFound
	}
	p := demoPage{Today: g.Nursery.Today(), Boss: page.Actor(r).Role == nursery.Propagator}
	p.Next, p.What, p.Where = next(outlook.NursingOf(gp.Facts))
	return g.ShowStatus(w, r, g.views["demo"], page.Frame{Title: "The demo's day", Stage: "Grow on", Data: p, Form: f, Facts: gp.Facts},
		status)
}

// next is the first day after today on which a step opens.
func next(n *outlook.Nursing) (day time.Time, what aftercare.Knot, where string) {
	for _, x := range n.All() {
		for _, k := range n.Asked(x) {
			if k.From > n.Today && (day.IsZero() || k.From < what.From) {
				day, what, where = k.From.Date(), k, x.Stands()
			}
		}
	}
	return day, what, where
}

func (g grow) moveDay(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	to := g.Nursery.Today()
	switch f.Text("by") {
	case "day":
		to = to.AddDate(0, 0, 1)
	case "week":
		to = to.AddDate(0, 0, 7)
	case "month":
		to = to.AddDate(0, 1, 0)
	case "next":
		gp, err := g.Nursery.Grow(r.Context())
		if err != nil {
			return err
		}
		to, _, _ = next(outlook.NursingOf(gp.Facts))
	}
	err = g.Nursery.MoveDemoDay(r.Context(), page.Actor(r), to)
	if form, ok := f.WithProblems(err); ok {
		return g.showDemo(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	g.Flash(r, "It is %s now.", to.Format("Monday 2 January 2006"))
	return page.Go(w, r, "/demo")
}
