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
	With string // who in the house pollinates it, where it needs another
	N    int
	Each []struct{}
}

// mostWith is how many pollinators a label names. House default.
const mostWith = 3

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
	fs, err := g.Nursery.Flowers(r.Context(), tp.Genus, nil, "")
	if err != nil {
		return err
	}
	with := ""
	for _, f := range fs.Flowers {
		if f.Variety.Name != tp.GrowTag.Variety || !f.Needs {
			continue
		}
		for i, c := range f.From[:min(len(f.From), mostWith)] {
			if i > 0 {
				with += ", "
			}
			with += c.Name
		}
	}
	return g.Show(w, r, g.views["buyer"], page.Frame{Title: "Labels for the buyer of " + tp.Code, Bare: true,
		Data: buyerPage{tp, with, n, make([]struct{}, n)}})
}
