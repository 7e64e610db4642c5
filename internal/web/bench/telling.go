package bench

import (
	"errors"
	"html/template"
	"net/http"

	"unionknot/internal/core/ways"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/days"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

type tellingPage struct {
	days.Telling
	Problem string
	Drawing template.HTML
}

func (b bench) telling(w http.ResponseWriter, r *http.Request) error {
	return b.showTelling(w, r, "", http.StatusOK)
}

func (b bench) showTelling(w http.ResponseWriter, r *http.Request, problem string, status int) error {
	t, err := b.Nursery.Telling(r.Context())
	if err != nil {
		return err
	}
	if page.IsPart(r) {
		return b.Part(w, r, b.views["telling"], "tellingline", t)
	}
	return b.ShowStatus(w, r, b.views["telling"], page.Frame{Title: "Sharing out so that counts tell", Stage: "Bench", Form: page.NewForm(),
		Data: tellingPage{t, problem, draw.Meetings(t)}}, status)
}

// setTelling says whether the days are planned so that counts tell, and plans them anew.
func (b bench) setTelling(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	chosen := words.AsFree
	if f.Text("tell") == "yes" {
		chosen = words.SoThatCountsTell
	}
	ctx := nursery.WithOnce(r.Context(), f.Once)
	if err = b.Nursery.ChooseWay(ctx, page.Actor(r), string(ways.Sharing), chosen); err != nil {
		return err
	}
	done, err := b.Nursery.PlanDays(ctx, page.Actor(r))
	var bad nursery.Problem
	if errors.As(err, &bad) {
		return b.showTelling(w, r, bad.Says, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	b.Flash(r, "%s.", planSays(done))
	return page.Go(w, r, "/bench/days")
}
