// Package trace walks from a code back to where it came from and forward to
// where it went, and finds codes and names.
package trace

import (
	"embed"
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/tagcode"
	"unionknot/internal/nursery"
	"unionknot/internal/web/page"
)

//go:embed templates/*.html
var files embed.FS

type trace struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the addresses of find and trace.
func Routes(k *page.Kit) []page.Route {
	t := trace{k, page.Views(files)}
	return []page.Route{
		{Method: "GET", Path: "/find", Who: page.Everyone, Do: t.find},
		{Method: "GET", Path: "/trace/{kind}/{code}", Who: page.Everyone, Do: t.show},
		{Method: "GET", Path: "/recall", Who: page.Readers, Do: t.recall},
		{Method: "GET", Path: "/recall/trees.csv", Who: page.Readers, Do: t.recallFile},
		{Method: "POST", Path: "/recall/hold", Who: page.Boss, Do: t.hold},
		{Method: "POST", Path: "/recall/labels", Who: page.Boss, Do: t.recallLabels},
	}
}

type foundPage struct {
	Typed string
	Found []nursery.Found
}

// findable says whether a role's stages can show what was found.
func findable(role nursery.Role, kind string) bool {
	return role != nursery.BenchHand || kind == "tag" || kind == "lot" || kind == "bundle" || kind == "plant"
}

func (t trace) find(w http.ResponseWriter, r *http.Request) error {
	// The key that leads here may leave its own sign in the field.
	typed := strings.TrimSpace(strings.TrimPrefix(r.URL.Query().Get("q"), "/"))
	if code, err := tagcode.Parse(typed); err == nil {
		typed = code
	}
	all, err := t.Nursery.Find(r.Context(), typed)
	if err != nil {
		return err
	}
	role := page.Actor(r).Role
	var found []nursery.Found
	for _, f := range all {
		if findable(role, f.Kind) {
			found = append(found, f)
		}
	}
	list := "foundlist"
	if role == nursery.BenchHand {
		list = "foundtrace"
	}
	if page.IsPart(r) {
		return t.Part(w, r, t.views["find"], list, found)
	}
	// A scanned label opens at once.
	if to, ok := opens[kindOf(found, typed)]; ok && role != nursery.BenchHand {
		return page.Go(w, r, to+strings.ToUpper(typed))
	} else if kindOf(found, typed) == "tag" {
		return page.Go(w, r, "/trace/tag/"+typed)
	}
	return t.Show(w, r, t.views["find"], page.Frame{Title: "Find", Data: foundPage{typed, found}})
}

// opens is where a code of each kind leads.
var opens = map[string]string{
	"tag":    "/trace/tag/",
	"lot":    "/stock/lots/",
	"bundle": "/wood/bundles/",
	"plant":  "/wood/plants/",
	"order":  "/orders/",
	"batch":  "/bench/batches/",
	"tree":   "/trees/",
	"class":  "/classes/",
}

// kindOf is the kind of the one thing that bears the code, or "".
func kindOf(found []nursery.Found, code string) string {
	kind := ""
	for _, f := range found {
		if strings.EqualFold(f.Code, code) {
			if kind != "" {
				return ""
			}
			kind = f.Kind
		}
	}
	return kind
}

func (t trace) show(w http.ResponseWriter, r *http.Request) error {
	tr, err := t.Nursery.Trace(r.Context(), chi.URLParam(r, "kind"), strings.ToUpper(chi.URLParam(r, "code")))
	if err != nil {
		return err
	}
	return t.Show(w, r, t.views["trace"], page.Frame{Title: "Trace " + tr.Code, Data: tr})
}
