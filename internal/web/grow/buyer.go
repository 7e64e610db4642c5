package grow

import (
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/nursery/growon"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

type buyerPage struct {
	growon.TagPage
	N    int
	Each []struct{}
}

// buyerLabels prints labels for whoever buys trees of a tag: one for each that stands,
// or as many as are asked for.
func (g grow) buyerLabels(w http.ResponseWriter, r *http.Request) error {
	code := chi.URLParam(r, "code")
	tp, err := g.Nursery.Grown(r.Context(), code)
	if err != nil {
		return err
	}
	n := tp.Standing
	if asked := r.URL.Query().Get("n"); asked != "" {
		if n, err = strconv.Atoi(asked); err != nil || n < 1 || n > tp.Tied {
			g.Flash(r, "%s", words.LabelsAsked(tp.Tied))
			return page.Go(w, r, "/grow/tags/"+tp.Code)
		}
	}
	return g.Show(w, r, g.views["buyer"], page.Frame{Title: "Labels for the buyer of " + tp.Code, Bare: true,
		Data: buyerPage{tp, n, make([]struct{}, n)}})
}
