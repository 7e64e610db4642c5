package season

import (
	"html/template"
	"net/http"

	core "unionknot/internal/core/season"
	"unionknot/internal/nursery"
	seasonstage "unionknot/internal/nursery/season"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

type sitePage struct {
	seasonstage.SitePage
	Map      template.HTML
	Climates []climate
	Side     string
}

// climate is one to choose, with its year drawn.
type climate struct {
	Key, Name, Is string
	Year          template.HTML
	Chosen        bool
}

func siteOf(climate, side string) core.Site {
	return core.Site{Climate: core.Climate(climate), South: side == "south"}
}

func (s season) showSite(w http.ResponseWriter, r *http.Request, asked core.Site, f page.Form, status int) error {
	sp, err := s.Nursery.Site(r.Context(), page.Actor(r), asked, r.Method == http.MethodGet)
	if err != nil {
		return err
	}
	p := sitePage{SitePage: sp, Side: "north"}
	if asked.South {
		p.Side = "south"
	}
	p.Map = draw.ClimateMap(asked)
	for _, y := range sp.Years {
		k := string(y.Site.Climate)
		p.Climates = append(p.Climates, climate{k, words.ClimateName(k), words.ClimateIs(k), draw.ClimateYear(y),
			y.Site.Climate == asked.Climate})
	}
	return s.ShowStatus(w, r, s.views["site"], page.Frame{Title: "This site", Data: p, Form: f}, status)
}

func (s season) site(w http.ResponseWriter, r *http.Request) error {
	return s.showSite(w, r, siteOf(r.URL.Query().Get("climate"), r.URL.Query().Get("side")), page.NewForm(), http.StatusOK)
}

func (s season) setSite(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	asked := siteOf(f.Text("climate"), f.Text("side"))
	err = s.Nursery.SetSite(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), asked)
	if form, ok := f.WithProblems(err); ok {
		return s.showSite(w, r, asked, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	s.Flash(r, "%s", words.SiteSet)
	return page.Go(w, r, "/season/site?climate="+string(asked.Climate)+"&side="+f.Text("side"))
}

func (s season) siteBack(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = s.Nursery.TakeSiteBack(r.Context(), page.Actor(r), int64(f.Int("id")))
	if form, ok := f.WithProblems(err); ok {
		return s.showSite(w, r, core.Site{}, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	s.Flash(r, "%s", words.SiteBack)
	return page.Go(w, r, "/season/site")
}
