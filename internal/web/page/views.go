package page

import (
	"html/template"
	"net/http"
)

// ViewList is a page's own views of whoever looks at it.
type ViewList struct {
	Path, Query string
	Views       []ViewLink
}

// ViewLink leads to a view.
type ViewLink struct {
	ID   int64
	Name string
	To   template.URL
	Here bool
}

// ViewsOf gives the views that somebody kept of a page.
func (k *Kit) ViewsOf(r *http.Request, path string) (l ViewList, err error) {
	vs, err := k.Nursery.Views(r.Context(), Actor(r), path)
	l = ViewList{Path: path, Query: r.URL.RawQuery}
	here := r.URL.Query().Encode()
	for _, v := range vs {
		l.Views = append(l.Views, ViewLink{v.ID, v.Name, template.URL(v.Path + "?" + v.Query), v.Query == here})
	}
	return l, err
}
