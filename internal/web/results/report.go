package results

import (
	"html/template"
	"math"
	"net/http"
	"strconv"
	"strings"

	resultsstage "unionknot/internal/nursery/results"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

type reportPage struct {
	resultsstage.Report
	Name     string
	Flow     template.HTML
	Seasons  []season
	Advice   []advice
	Learned  []resultsstage.Moved // what the counts tell
	Money    string               // that all of it came to
	Made     int                  // stocks tied
	For      string               // how many trees it is worked out for
	Tables   []needTable
	Problems map[string]string
	Typed    string
}

type needTable struct {
	Title, Unit string
	Needs       []resultsstage.Need
}

// report shows a season for the nursery's owner, on one page.
func (s results) report(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	typed := strings.TrimSpace(q.Get("more"))
	more, err := strconv.Atoi(strings.TrimSpace(strings.TrimSuffix(strings.TrimPrefix(typed, "+"), "%")))
	p, status := reportPage{Typed: typed}, http.StatusOK
	if typed != "" && (err != nil || more < resultsstage.LeastMore || more > resultsstage.MostMore) {
		more, status = 0, http.StatusUnprocessableEntity
		p.Problems = map[string]string{"more": words.MoreBetween(resultsstage.LeastMore, resultsstage.MostMore)}
	}
	if p.Report, err = s.Nursery.SeasonReport(r.Context(), page.Actor(r), int(page.QueryInt(r, "season")), more); err != nil {
		return err
	}
	from, to := resultsstage.SeasonDays(p.Year)
	p.Name = from.Format("2006") + "–" + to.Format("06")
	p.Flow = draw.Flow(p.Results.Pictures.Flow)
	if p.Seasons, err = s.seasons(r, from); err != nil {
		return err
	}
	p.Advice = adviceOf(p.Results.Advice)
	for _, m := range p.Results.Fair.Moves {
		if m.By.Low > 0 || m.By.High < 0 {
			p.Learned = append(p.Learned, m)
		}
	}
	if steps := p.Results.Pictures.Flow.Steps; len(steps) > 0 {
		p.Made = steps[0].Left
	}
	p.For = words.ReportFor(p.More)
	p.Tables = []needTable{{"Stock", "Stems", p.Stock}, {"Wood", "Pieces", p.Wood}, {"Hands, by technique", "Hours", p.Hands}}
	if sum := 0.0; p.Results.All.Counted > 0 {
		for _, c := range p.Results.Pictures.House.Parts {
			sum += c
		}
		p.Money = words.Thousands(int(math.Round(sum / 100)))
	}
	return s.ShowStatus(w, r, s.views["report"], page.Frame{Title: "Season " + p.Name, Stage: "Results", Data: p, Facts: p.Results.Facts},
		status)
}
