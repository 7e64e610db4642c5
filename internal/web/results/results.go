// Package results is the Results stage: what took, what moved it, what it cost, and what to
// do with that.
package results

import (
	"embed"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/cost"
	"unionknot/internal/core/take"
	"unionknot/internal/core/working"
	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	resultsstage "unionknot/internal/nursery/results"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
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
		{Method: "GET", Path: "/results/takes.csv", Who: page.Readers, Do: s.file},
		{Method: "GET", Path: "/results/costs.csv", Who: page.Readers, Do: s.costFile},
		{Method: "GET", Path: "/results/worker/{id}", Who: page.Everyone, Do: s.worker},
		{Method: "GET", Path: "/results/ahead", Who: page.Readers, Do: s.ahead},
		{Method: "GET", Path: "/results/report", Who: page.Readers, Do: s.report},
	}
}

type line struct {
	resultsstage.ResultLine
	Query template.URL
	Fair  *resultsstage.FairLine
}

type group struct {
	Key, Title string
	Chart      template.HTML
	Lines      []line
	All        int          // how many there are
	Between    int          // that the chart leaves out, between the best and the poorest
	Link       template.URL // to all of them, where not all are shown
	File       template.URL
}

type resultsPage struct {
	resultsstage.ResultsPage
	Sets            []group
	Lots            template.HTML // the funnel
	Flow            template.HTML
	Mismatch, Store template.HTML
	Over            []drawing // seasons, hours, turns of the day
	Costs           []drawing
	CostParts       []string
	Ties            []tieLine
	Teams           []teamLine
	Advice          []advice
	Seasons         []season
	Before          []resultsstage.Point // earlier seasons
	Filter          url.Values
	Workers         []nursery.Person
	Techniques      []nursery.Technique
}

type drawing struct {
	Title, Says string
	Drawing     template.HTML
	Points      []resultsstage.Point
	Lines       []costLine
	File        template.URL // of all the lines
	All         int          // how many there are
}

type costLine struct {
	Working                         working.Working
	Name, Live, Range, Tree, Brings string
	Parts                           []string
}

type tieLine struct {
	Name                              string
	Grafts                            int
	Material, Bind, Off, Loses, Comes string
}

type teamLine struct {
	Name, Says string
	Sides      []teamSide
}

type teamSide struct {
	resultsstage.TeamSide
	Who string
}

type advice struct {
	Says, Trees, Money, Do, Path string
	Sure                         string
}

type season struct {
	Year int
	Name string
	On   bool
}

func filter(r *http.Request) resultsstage.ResultsFilter {
	q := r.URL.Query()
	f := resultsstage.ResultsFilter{Genus: q.Get("genus"), Whole: q.Get("all"), Later: q.Get("look") == "later",
		Now:       q.Get("look") == "now",
		Technique: q.Get("technique"), Place: q.Get("place"), WorkerID: page.QueryInt(r, "worker")}
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

// kept is what of an address narrows Results.
func kept(r *http.Request) url.Values {
	q := url.Values{}
	for _, k := range []string{"season", "genus", "look", "technique", "place", "worker", "from", "to"} {
		if v := r.URL.Query().Get(k); v != "" {
			q.Set(k, v)
		}
	}
	return q
}

var titles = map[string]string{"worker": "By worker", "tier": "By who tied", "technique": "By technique", "lot": "By stock lot",
	"bundle": "By wood bundle", "variety": "By variety", "genus": "By genus", "tie": "By tie", "healing": "By way to heal",
	"part": "By part of the shoot"}

// mostMarks is how many levels a chart draws: the best and the poorest of more.
const mostMarks = 12

func (s results) show(w http.ResponseWriter, r *http.Request) error {
	f := filter(r)
	a := page.Actor(r)
	rp, err := s.Nursery.Results(r.Context(), a, f)
	if err != nil {
		return err
	}
	p := resultsPage{ResultsPage: rp, Filter: kept(r)}
	pic := rp.Pictures
	for _, g := range rp.Order {
		set := group{Key: g, Title: titles[g]}
		var marks []draw.FairMark
		var groups []take.Group
		for _, l := range rp.Groups[g] {
			q := kept(r)
			q.Set("by", g)
			q.Set("key", l.Key)
			x := line{ResultLine: l, Query: template.URL(q.Encode())}
			m := draw.FairMark{Name: l.Name, To: "/results/tags?" + q.Encode(), Raw: float64(l.Taken) / float64(max(1, l.Counted)),
				Take:   l.Take,
				Grafts: l.Counted, Flag: l.Flag}
			if fair, ok := rp.Fair.Lines[g][l.Key]; ok {
				x.Fair, m.Take = &fair, fair.Take
			}
			if len(l.More) > 0 {
				m.Note = l.More[0].Cause
			}
			set.Lines, marks, groups = append(set.Lines, x), append(marks, m), append(groups, take.Group{Grafts: l.Counted, Took: l.Taken})
		}
		if len(marks) == 0 {
			continue
		}
		if g == "lot" {
			p.Lots = draw.Funnel("Stock lots by their grafts and take, in the limits of luck and of the spread between lots", marks,
				take.LimitsOf(groups))
		}
		slices.SortStableFunc(marks, func(a, b draw.FairMark) int {
			switch {
			case a.Take.Mean > b.Take.Mean:
				return -1
			case a.Take.Mean < b.Take.Mean:
				return 1
			}
			return 0
		})
		if n := len(marks); n > mostMarks {
			set.Between = n - mostMarks
			marks = slices.Concat(marks[:mostMarks/2], marks[n-mostMarks/2:])
		}
		set.Chart = draw.FairChart(titles[g]+": fair takes with their ranges, raw as rings", marks, float64(rp.All.Taken)/float64(max(1,
			rp.All.Counted)))
		if set.All = rp.Counted[g]; set.All > len(set.Lines) {
			q := kept(r)
			q.Set("all", g)
			set.Link = template.URL(q.Encode())
		}
		q := kept(r)
		q.Set("by", g)
		if !rp.Hand { // files are for those who plan
			set.File = template.URL(q.Encode())
		}
		p.Sets = append(p.Sets, set)
	}
	p.Flow = draw.Flow(pic.Flow)
	p.Mismatch = draw.Curve("Take over how much thinner the wood was than the stock", "% thinner than the stock", rp.Fair.Mismatch,
		pic.Mismatch)
	p.Store = draw.Curve("Take over the days from cutting to grafting", "days from cutting to grafting", rp.Fair.Store, pic.Store)
	for _, x := range []drawing{
		{"Over seasons", "as counted, with 90 % ranges", draw.Turns("Take by season", pic.Seasons), pic.Seasons, nil, "", 0},
		{"By the hour it was finished", "the hour of the house's day", draw.Turns("Take by hour", pic.Hours), pic.Hours, nil, "", 0},
		{"By the turn in a worker's day", "their first tag, their second …", draw.Turns("Take by turn in the day", pic.Nths), pic.Nths,
			nil, "", 0},
	} {
		if len(x.Points) > 1 {
			p.Over = append(p.Over, x)
		}
	}
	if !rp.Hand {
		p.costs(pic, kept(r))
	}
	p.Advice = adviceOf(rp.Advice)
	if p.Seasons, err = s.seasons(r, f.From); err != nil {
		return err
	}
	if f.From.IsZero() && len(pic.Seasons) > 1 {
		p.Before = pic.Seasons
		slices.Reverse(p.Before)
	}
	p.Workers, p.Techniques = rp.Facts.Workers(), rp.Facts.AllWays
	return s.Show(w, r, s.views["results"], page.Frame{Title: "Results", Stage: "Results", Data: p, Facts: rp.Facts})
}

// adviceOf puts advice into words.
func adviceOf(as []resultsstage.Advice) (out []advice) {
	for _, x := range as {
		out = append(out, advice{words.AdviceSays(x.Kind, x.Name, x.Cause), words.Gain(x.Trees), words.Money(int(x.Cents)),
			words.AdviceDo(x.Kind), x.Path, string(x.Sure)})
	}
	return out
}

// seasons are those that there are counts of, the last first; one is on.
func (s results) seasons(r *http.Request, on time.Time) (out []season, err error) {
	ys, err := s.Nursery.Seasons(r.Context())
	for _, y := range ys {
		from, to := resultsstage.SeasonDays(y)
		out = append(out, season{y, from.Format("2006") + "–" + to.Format("06"), on.Equal(from)})
	}
	return out, err
}

// mostCosts is how many lines a table of costs has; all are in its file.
const mostCosts = 24

func (p *resultsPage) costs(pic resultsstage.Pictures, kept url.Values) {
	for i := range cost.Parts {
		p.CostParts = append(p.CostParts, words.CostPart(i))
	}
	cents := func(c float64) string { return words.Cents(c) }
	for _, g := range resultsstage.CostBy {
		ls := pic.Costs[g]
		if len(ls) == 0 || g == "team" && len(ls) < 2 {
			continue
		}
		d := drawing{Title: words.CostGroup(g), Drawing: draw.Costs(words.CostGroup(g)+": what a live union came to, by its parts",
			ls[:min(len(ls), mostMarks)])}
		kept.Set("by", g)
		d.File, d.All = template.URL(kept.Encode()), len(ls)
		for _, l := range ls[:min(len(ls), mostCosts)] {
			c := costLine{Working: l.Working, Name: l.Name, Live: cents(l.Sum.Live.Mean), Range: cents(l.Sum.Live.Low) + "–" +
				cents(l.Sum.Live.High), Tree: cents(l.Sum.Tree.Mean)}
			for _, part := range cost.Parts {
				c.Parts = append(c.Parts, cents(l.Sum.Each(part)))
			}
			if l.Brings > 0 {
				c.Brings = words.OverUnder(l.Brings - l.Sum.Live.Mean*float64(l.Made.Alive))
			}
			d.Lines = append(d.Lines, c)
		}
		p.Costs = append(p.Costs, d)
	}
	for _, t := range pic.Teams {
		l := teamLine{Name: t.Name, Says: words.PairsSay(t.Cheaper)}
		for i, who := range []string{words.Alone, words.Paired} {
			l.Sides = append(l.Sides, teamSide{t.Sides[i], who})
		}
		p.Teams = append(p.Teams, l)
	}
	for _, t := range pic.Ties {
		p.Ties = append(p.Ties, tieLine{t.Name, t.Grafts, cents(t.Binding.Material), fmt.Sprintf("%.1f", t.Binding.BindMinutes),
			fmt.Sprintf("%.1f", t.Binding.OffMinutes), words.Pct1(t.Binding.Loses), cents(t.PerLive)})
	}
}

// file writes the takes of a group, all of them, as they are shown.
func (s results) file(w http.ResponseWriter, r *http.Request) error {
	f := filter(r)
	g := r.URL.Query().Get("by")
	f.Whole = g
	if titles[g] == "" {
		return nursery.ErrNotFound
	}
	rp, err := s.Nursery.Results(r.Context(), page.Actor(r), f)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "text/csv; charset=utf-8")
	w.Header().Set("Content-Disposition", `attachment; filename="takes-by-`+g+`.csv"`)
	return exchange.Write(w, exchange.CSV, []string{g, "name", "tags", "grafts", "took", "doubtful", "dead", "take", "low", "high",
		"fair", "fair_low",
		"fair_high", "flag"}, func(add func(...any) error) error {
		for _, l := range rp.Groups[g] {
			row := []any{l.Key, l.Name, l.Tags, l.Counted, l.Taken, l.Doubtful, l.Dead, share(l.Take.Mean), share(l.Take.Low),
				share(l.Take.High)}
			if x, ok := rp.Fair.Lines[g][l.Key]; ok {
				row = append(row, share(x.Take.Mean), share(x.Take.Low), share(x.Take.High))
			} else {
				row = append(row, "", "", "")
			}
			if err := add(append(row, l.Flag)...); err != nil {
				return err
			}
		}
		return nil
	})
}

// costFile writes what live unions of a group came to, all of them, in the house's money.
func (s results) costFile(w http.ResponseWriter, r *http.Request) error {
	g := r.URL.Query().Get("by")
	if !slices.Contains(resultsstage.CostBy, g) {
		return nursery.ErrNotFound
	}
	rp, err := s.Nursery.Results(r.Context(), page.Actor(r), filter(r))
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "text/csv; charset=utf-8")
	w.Header().Set("Content-Disposition", `attachment; filename="costs-by-`+g+`.csv"`)
	head := []string{g, "name", "grafts", "alive", "counted", "hours", "live_union", "low", "high", "tree"}
	for i := range cost.Parts {
		head = append(head, words.CostPart(i))
	}
	money := func(cents float64) any {
		if math.IsNaN(cents) || math.IsInf(cents, 0) {
			return ""
		}
		return math.Round(cents) / 100
	}
	return exchange.Write(w, exchange.CSV, append(head, "brings"), func(add func(...any) error) error {
		for _, l := range rp.Pictures.Costs[g] {
			row := []any{l.Key, l.Name, l.Made.Grafts, l.Made.Alive, l.Made.Counted, math.Round(l.Made.Hours*10) / 10,
				money(l.Sum.Live.Mean),
				money(l.Sum.Live.Low), money(l.Sum.Live.High), money(l.Sum.Tree.Mean)}
			for _, part := range cost.Parts {
				row = append(row, money(l.Sum.Each(part)))
			}
			if err := add(append(row, money(l.Brings))...); err != nil {
				return err
			}
		}
		return nil
	})
}

func share(x float64) float64 { return float64(int(x*10_000+0.5)) / 10_000 }

type tagsPage struct {
	By, Key string
	Tags    []nursery.TagRow
	More    bool // than are shown
}

func (s results) tags(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	ts, err := s.Nursery.GroupTags(r.Context(), page.Actor(r), q.Get("by"), q.Get("key"), filter(r))
	if err != nil {
		return err
	}
	p := tagsPage{By: q.Get("by"), Key: q.Get("key"), Tags: ts[:min(len(ts), resultsstage.TagsShown)],
		More: len(ts) > resultsstage.TagsShown}
	if page.IsPart(r) {
		return s.Part(w, r, s.views["tags"], "tags", p)
	}
	return s.Show(w, r, s.views["tags"], page.Frame{Title: "Tags behind a figure", Stage: "Results", Data: p})
}

// workerPage is somebody's own season.
type workerPage struct {
	resultsstage.WorkerPage
	Seasons, Hours, Nths template.HTML
	Chart                template.HTML
	PracticeDrawing      template.HTML
	PracticeSays         string
	Tongues              []words.Tongue
	Own                  bool
}

func (s results) worker(w http.ResponseWriter, r *http.Request) error {
	id, err := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	if err != nil {
		return nursery.ErrNotFound
	}
	wp, err := s.Nursery.WorkerResults(r.Context(), page.Actor(r), id)
	if err != nil {
		return err
	}
	t := wp.Tongue
	p := workerPage{WorkerPage: wp, Own: page.Actor(r).ID == id, Tongues: words.Tongues,
		Seasons: draw.Turns(words.In(t, words.SeasonTitle), wp.Pictures.Seasons),
		Hours:   draw.Turns(words.In(t, words.HourTitle), wp.Pictures.Hours), Nths: draw.Turns(words.In(t, words.TurnTitle),
			wp.Pictures.Nths)}
	if len(wp.Practice.Curve) > 0 {
		p.PracticeDrawing = draw.Curve(words.In(t, words.PracticeTitle), words.In(t, words.PracticeUnit), wp.Practice.Curve,
			wp.Practice.Raw)
		p.PracticeSays = words.PracticeMoves(t, wp.Practice.By.Low, wp.Practice.By.High)
	}
	var marks []draw.FairMark
	for _, l := range wp.Techniques {
		marks = append(marks, draw.FairMark{Name: l.Name, Raw: float64(l.Taken) / float64(max(1, l.Counted)), Take: l.Take,
			Grafts: l.Counted,
			To:     "/results/tags?" + url.Values{"by": {"technique"}, "key": {l.Key}, "worker": {strconv.FormatInt(id, 10)}}.Encode()})
	}
	if len(marks) > 0 {
		p.Chart = draw.FairChart(words.In(t, words.OwnTitle), marks, wp.House)
	}
	return s.Show(w, r, s.views["worker"], page.Frame{Title: wp.Person.Name, Stage: "Results", Data: p})
}
