// Package results is the Results stage: what took, by whom, how and of what.
package results

import (
	"embed"
	"html/template"
	"net/http"
	"net/url"
	"time"

	"unionknot/internal/exchange"
	resultsstage "unionknot/internal/nursery/results"
	"unionknot/internal/store"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
)

//go:embed templates/*.html
var files embed.FS

type results struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the Results stage's addresses.
func Routes(k *page.Kit) []page.Route {
	s := results{k, page.Views(files)}
	return []page.Route{
		{Method: "GET", Path: "/results", Who: page.Everyone, Do: s.show},
		{Method: "GET", Path: "/results/tags", Who: page.Everyone, Do: s.tags},
	}
}

type line struct {
	resultsstage.ResultLine
	Drawing template.HTML
	Query   template.URL
	Fair    *resultsstage.FairLine
}

type group struct {
	Key, Title string
	Lines      []line
	All        int          // how many there are
	Link       template.URL // to all of them, where not all are shown
}

type resultsPage struct {
	resultsstage.ResultsPage
	AllDrawing template.HTML
	Sets       []group
	Seasons    []season
	Most       int
}

type season struct {
	Year int
	Name string
	On   bool
}

func filter(r *http.Request) resultsstage.ResultsFilter {
	q := r.URL.Query()
	f := resultsstage.ResultsFilter{Genus: q.Get("genus"), Whole: q.Get("all"), Later: q.Get("look") == "later", Now: q.Get("look") == "now"}
	if y := int(page.QueryInt(r, "season")); y > 1900 && y < 2200 {
		f.From, f.To = resultsstage.SeasonDays(y)
	}
	if t, err := exchange.ParseDate(q.Get("from")); err == nil {
		f.From = t
	}
	if t, err := exchange.ParseDate(q.Get("to")); err == nil {
		f.To = t
	}
	return f
}

var titles = map[string]string{"worker": "By worker", "tier": "By who tied", "technique": "By technique", "lot": "By stock lot",
	"bundle": "By wood bundle",
	"part":   "By part of the shoot"}

func (s results) show(w http.ResponseWriter, r *http.Request) error {
	f := filter(r)
	rp, err := s.Nursery.Results(r.Context(), page.Actor(r), f)
	if err != nil {
		return err
	}
	p := resultsPage{ResultsPage: rp, AllDrawing: draw.Whisker(rp.AllTake, false, nil)}
	for _, g := range rp.Order {
		set := group{Key: g, Title: titles[g]}
		for _, l := range rp.Groups[g] {
			q := url.Values{"by": {g}, "key": {l.Key}}
			if !f.From.IsZero() {
				q.Set("from", f.From.Format(time.DateOnly))
				q.Set("to", f.To.Format(time.DateOnly))
			}
			if f.Genus != "" {
				q.Set("genus", f.Genus)
			}
			if f.Later {
				q.Set("look", "later")
			} else if f.Now {
				q.Set("look", "now")
			}
			x := line{ResultLine: l, Query: template.URL(q.Encode())}
			if fair, ok := rp.Fair.Lines[g][l.Key]; ok {
				x.Fair = &fair
				x.Drawing = draw.Whisker(l.Take, l.Uncertain, &fair.Take)
			} else {
				x.Drawing = draw.Whisker(l.Take, l.Uncertain, nil)
			}
			set.Lines = append(set.Lines, x)
		}
		if set.All = rp.Counted[g]; set.All > len(set.Lines) {
			q := r.URL.Query()
			q.Set("all", g)
			set.Link = template.URL(q.Encode())
		}
		p.Sets = append(p.Sets, set)
	}
	for _, y := range s.Nursery.Seasons() {
		from, to := resultsstage.SeasonDays(y)
		p.Seasons = append(p.Seasons, season{y, from.Format("2006") + "–" + to.Format("06"), f.From.Equal(from)})
	}
	p.Most = 1
	for _, c := range rp.Causes {
		p.Most = max(p.Most, c.N)
	}
	return s.Show(w, r, s.views["results"], page.Frame{Title: "Results", Stage: "Results", Data: p, Facts: rp.Facts})
}

type tagsPage struct {
	By, Key string
	Tags    []store.Tag
}

func (s results) tags(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	ts, err := s.Nursery.GroupTags(r.Context(), page.Actor(r), q.Get("by"), q.Get("key"), filter(r))
	if err != nil {
		return err
	}
	p := tagsPage{By: q.Get("by"), Key: q.Get("key"), Tags: ts}
	if page.IsPart(r) {
		return s.Part(w, s.views["tags"], "tags", p)
	}
	return s.Show(w, r, s.views["tags"], page.Frame{Title: "Tags behind a figure", Stage: "Results", Data: p})
}
