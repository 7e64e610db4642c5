package results

import (
	"html/template"
	"math"
	"net/http"
	"strconv"
	"strings"

	"unionknot/internal/core/sizing"
	resultsstage "unionknot/internal/nursery/results"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

type aheadPage struct {
	resultsstage.Ahead
	Name                          string
	Typed, Problem                string
	Trees, Hours, Cost, CostRange string
	Dates                         []string
	Drawing                       template.HTML
}

// ahead shows what the next season is likely to take.
func (s results) ahead(w http.ResponseWriter, r *http.Request) error {
	typed := strings.TrimSpace(r.URL.Query().Get("more"))
	more, err := strconv.Atoi(strings.TrimSpace(strings.TrimSuffix(strings.TrimPrefix(typed, "+"), "%")))
	p, status := aheadPage{Typed: typed}, http.StatusOK
	if typed != "" && (err != nil || more < resultsstage.LeastMore || more > resultsstage.MostMore) {
		more, status = 0, http.StatusUnprocessableEntity
		p.Problem = words.MoreBetween(resultsstage.LeastMore, resultsstage.MostMore)
	}
	if p.Ahead, err = s.Nursery.Ahead(r.Context(), page.Actor(r), more); err != nil {
		return err
	}
	from, to := resultsstage.SeasonDays(p.Year)
	p.Name = from.Format("2006") + "–" + to.Format("06")
	trees := 0.0
	for _, g := range p.Guesses {
		trees += g.Trees.Mean
	}
	hours := sizing.Interval{}
	for _, x := range p.Weeks {
		hours = sizing.Interval{Mean: hours.Mean + x.Hours.Mean, Low: hours.Low + x.Hours.Low, High: hours.High + x.Hours.High}
	}
	p.Trees, p.Hours = words.Thousands(int(math.Round(trees))), words.Spanned(hours)
	p.Cost, p.CostRange = words.Cents(p.Money.Mean), words.Cents(p.Money.Low)+"–"+words.Cents(p.Money.High)
	for _, d := range p.Ahead.Dates {
		p.Dates = append(p.Dates, words.AheadSays(d.What, d.From, d.To, s.Nursery.Today()))
	}
	p.Drawing = draw.Weeks(p.Weeks)
	return s.ShowStatus(w, r, s.views["ahead"], page.Frame{Title: "Season " + p.Name + ", ahead", Stage: "Results", Data: p}, status)
}
