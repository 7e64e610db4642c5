// Package today shows what is due, what is going on and what is short.
package today

import (
	"embed"
	"net/http"

	"unionknot/internal/web/page"
)

//go:embed templates/*.html
var files embed.FS

// Routes are the Today stage's addresses.
func Routes(k *page.Kit) []page.Route {
	views := page.Views(files)
	return []page.Route{{Method: "GET", Path: "/today", Who: page.Everyone, Do: func(w http.ResponseWriter, r *http.Request) error {
		p, err := k.Nursery.TodayPage(r.Context(), page.Actor(r))
		if err != nil {
			return err
		}
		return k.Show(w, r, views["today"], page.Frame{Title: "Today", Stage: "Today", Data: p, Facts: p.Facts})
	}}}
}
