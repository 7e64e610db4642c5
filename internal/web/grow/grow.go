// Package grow is the Grow on stage: cords of what lives, the walk, a tag as it grows,
// the pipeline of years, rounds, the days of what follows, and calendars.
package grow

import (
	"embed"
	"encoding/json"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/growon"
	"unionknot/internal/outlook"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

//go:embed templates/*.html
var files embed.FS

type grow struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the Grow on stage's addresses.
func Routes(k *page.Kit) []page.Route {
	g := grow{k, page.Views(files)}
	return []page.Route{
		{Method: "GET", Path: "/grow", Who: page.Everyone, Do: g.list},
		{Method: "GET", Path: "/grow/walk", Who: page.Everyone, Do: g.walk},
		{Method: "GET", Path: "/grow/week", Who: page.Everyone, Do: g.week},
		{Method: "GET", Path: "/grow/years", Who: page.Readers, Do: g.years},
		{Method: "GET", Path: "/grow/days", Who: page.Boss, Do: g.rules},
		{Method: "POST", Path: "/grow/days", Who: page.Boss, Do: g.setRule},
		{Method: "GET", Path: "/grow/trees", Who: page.Everyone, Do: g.trees},
		{Method: "POST", Path: "/grow/trees", Who: page.Hands, Do: g.doTrees},
		{Method: "GET", Path: "/grow/tags/{code}", Who: page.Everyone, Do: g.tag},
		{Method: "GET", Path: "/grow/tags/{code}/buyer-labels", Who: page.Everyone, Do: g.buyerLabels},
		{Method: "POST", Path: "/grow/acts", Who: page.Hands, Do: g.acts, HandsIn: true},
		{Method: "POST", Path: "/grow/do", Who: page.Hands, Do: g.do},
		{Method: "POST", Path: "/grow/rain", Who: page.Hands, Do: g.rain},
		{Method: "POST", Path: "/grow/rounds", Who: page.Boss, Do: g.addRound},
		{Method: "POST", Path: "/grow/rounds/end", Who: page.Boss, Do: g.endRound},
		{Method: "POST", Path: "/grow/calendar", Who: page.Hands, Do: g.newFeed},
		{Method: "GET", Path: "/demo", Who: page.Everyone, Do: g.demo},
		{Method: "POST", Path: "/demo", Who: page.Boss, Do: g.moveDay},
		{Method: "GET", Path: "/calendar/{secret}", Who: page.Anybody, Do: g.calendar},
	}
}

// cordLine is a cord with its drawing.
type cordLine struct {
	outlook.Cord
	Drawing template.HTML
	Callus  template.HTML
}

type listPage struct {
	growon.GrowPage
	Axis   template.HTML
	Lines  []cordLine
	Rounds []roundLine
	Kinds  []string
	Secret string // a calendar's new address, shown once
	From   string // the first day drawn
	Back   string
	On     string
	Can    bool
	Boss   bool
	Worst  []lateRow // what is late, what costs most first
	Rest   []lateRow
}

type lateRow struct {
	outlook.Late
	Today aftercare.Day
}

// worstFew is how many late steps stand above the cords.
const worstFew = 4

type roundLine struct {
	ID                int64
	Place, What, Note string
	Every, Reentry    int
	Last              string
}

// Days that cords are drawn over, about the first.
const (
	drawnBack  = 60
	drawnAhead = 150
)

func (g grow) list(w http.ResponseWriter, r *http.Request) error {
	return g.showList(w, r, page.NewForm("every", "7"), http.StatusOK, "")
}

func (g grow) showList(w http.ResponseWriter, r *http.Request, f page.Form, status int, secret string) error {
	gp, err := g.Nursery.Grow(r.Context())
	if err != nil {
		return err
	}
	who := page.Actor(r).Role
	p := listPage{GrowPage: gp, Kinds: growon.RoundKinds, Secret: secret, Can: who != nursery.Looker, Boss: who == nursery.Propagator}
	for i, l := range outlook.LateOf(gp.Beds) {
		if i < worstFew {
			p.Worst = append(p.Worst, lateRow{l, gp.Today})
		} else {
			p.Rest = append(p.Rest, lateRow{l, gp.Today})
		}
	}
	s := draw.Stretch{From: gp.Today - drawnBack, Today: gp.Today, To: gp.Today + drawnAhead}
	if from, err := time.Parse(time.DateOnly, r.URL.Query().Get("from")); err == nil {
		s.From = aftercare.DayOf(from)
		s.To = s.From + drawnBack + drawnAhead
	}
	p.From, p.Back, p.On = s.From.String(), (s.From - 90).String(), (s.From + 90).String()
	p.Axis = draw.CordAxis(s)
	most := 1
	for _, c := range gp.Cords {
		most = max(most, c.Standing)
	}
	for _, c := range gp.Cords {
		l := cordLine{Cord: c, Drawing: draw.Cord(c, s, most)}
		if c.Callused >= 0 && c.Callused < 1.35 {
			l.Callus = draw.Callus(c.Callused)
		}
		p.Lines = append(p.Lines, l)
	}
	for _, x := range gp.Facts.Rounds {
		l := roundLine{ID: x.ID, Place: x.Place, What: x.What, Note: x.Note, Every: x.Every, Reentry: x.Reentry}
		if x.LastAt != nil {
			l.Last = x.LastAt.Local().Format("2 Jan 15:04") + " by " + *x.LastBy
		}
		p.Rounds = append(p.Rounds, l)
	}
	return g.ShowStatus(w, r, g.views["list"], page.Frame{Title: "Grow on", Stage: "Grow on", Data: p, Form: f, Facts: gp.Facts}, status)
}

// stop is a bed of the walk.
type stop struct {
	outlook.Bed
	Rows   []stopStep
	Tags   []outlook.Standing // of which something stands, to choose one
	All    string             // its tags, as the device sends them
	Causes []string
	Can    bool
	Today  aftercare.Day
}

type stopStep struct {
	outlook.BedStep
	Items string
	How   string
	Moves bool // it asks where to
	Lifts bool // trees are graded as they come out
}

type walkPage struct {
	Stops     []stop
	Others    []stop
	RainedOff bool
	Can       bool
	At        time.Time
	Today     aftercare.Day
}

// commonest are the causes with a button of their own on a walk. House default.
var commonest = []string{"dried out", "knocked or broken", "tie girdled"}

// commonFirst puts the commonest of some causes first.
func commonFirst(causes []string) (out []string) {
	for _, c := range slices.Concat(commonest, causes) {
		if slices.Contains(causes, c) && !slices.Contains(out, c) {
			out = append(out, c)
		}
	}
	return out
}

func (g grow) stops(wp growon.WalkPage, beds []outlook.Bed, can bool) []stop {
	var out []stop
	for _, b := range beds {
		if wp.RainedOff {
			b.Rounds = nil
		}
		st := stop{Bed: b, Tags: b.Tags, All: items(b.Labels, nil), Causes: commonFirst(b.Causes), Can: can,
			Today: aftercare.DayOf(g.Nursery.Today())}
		for _, s := range b.Steps {
			if wp.RainedOff && !s.MustNow {
				continue // it waits for a dry day
			}
			n := s.N
			if n == 0 && len(s.Items) > 0 && s.Name == aftercare.HeadBack {
				n = s.Items[0].N
			}
			st.Rows = append(st.Rows, stopStep{BedStep: s, Items: items(nil, s.Items), How: strings.TrimSpace(wp.Ways(s.Name, n) + " " +
				words.KeepBetter(s.Both, false)),
				Moves: s.Name == aftercare.Pot || s.Name == aftercare.Lift, Lifts: s.Name == aftercare.Lift})
		}
		if can && wp.RainedOff && len(st.Rows) == 0 && b.Due() > 0 {
			continue
		}
		out = append(out, st)
	}
	return out
}

// items writes tags as the device sends them.
func items(codes []string, is []outlook.Item) string {
	out := make([]growon.Item, 0, len(codes)+len(is))
	for _, c := range codes {
		out = append(out, growon.Item{Code: c})
	}
	for _, i := range is {
		out = append(out, growon.Item{Code: i.Code, N: i.N})
	}
	b, _ := json.Marshal(out)
	return string(b)
}

func (g grow) walk(w http.ResponseWriter, r *http.Request) error {
	wp, err := g.Nursery.Walk(r.Context())
	if err != nil {
		return err
	}
	p := walkPage{RainedOff: wp.RainedOff, At: wp.At, Can: page.Actor(r).Role != nursery.Looker,
		Today: aftercare.DayOf(wp.Facts.Today)}
	p.Stops, p.Others = g.stops(wp, wp.Beds, p.Can), g.stops(wp, wp.Whole, p.Can)
	return g.Show(w, r, g.views["walk"], page.Frame{Title: "The walk", Stage: "Grow on", Data: p, Facts: wp.Facts})
}

func (g grow) week(w http.ResponseWriter, r *http.Request) error {
	wp, err := g.Nursery.Walk(r.Context())
	if err != nil {
		return err
	}
	p := walkPage{At: wp.At, Today: aftercare.DayOf(wp.Facts.Today)}
	for _, b := range append(slices.Clone(wp.Beds), wp.Whole...) {
		if len(b.Steps)+len(b.Coming)+len(b.Rounds) > 0 {
			p.Stops = append(p.Stops, g.stops(wp, []outlook.Bed{b}, false)...)
		}
	}
	return g.Show(w, r, g.views["week"], page.Frame{Title: "A week's walk", Stage: "Grow on", Data: p, Facts: wp.Facts})
}

// maxActBody bounds what a device may send at once.
const maxActBody = 1 << 20

func (g grow) acts(w http.ResponseWriter, r *http.Request) error {
	var in struct {
		Acts []growon.Act `json:"acts"`
	}
	if !page.Sent(w, r, maxActBody, &in) {
		return nil
	}
	done, err := g.Nursery.Do(r.Context(), page.Actor(r), in.Acts)
	return page.Kept(w, done, err)
}

// do keeps one act of a form, and goes back to where it was.
func (g grow) do(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	act := growon.Act{ID: f.Once, Kind: f.Text("kind"), Knot: f.Text("knot"), Cause: f.Text("cause"), Place: f.Text("place"),
		Form:  f.Text("form"),
		Buyer: f.Text("buyer"), Order: f.Text("order"), On: f.Text("on"), Reason: f.Text("reason"), Undoes: f.Text("undoes")}
	if f.Text("n") != "" {
		act.N = f.Int("n")
	}
	if id := f.Text("round"); id != "" {
		act.Round, _ = strconv.ParseInt(id, 10, 64)
	}
	for _, s := range f.Values["item"] {
		code, n, _ := strings.Cut(s, ":")
		k, _ := strconv.Atoi(n)
		act.Items = append(act.Items, growon.Item{Code: code, N: k})
	}
	back := "/grow"
	if at := f.Text("at"); at == "/today" || strings.HasPrefix(at, "/grow/") || strings.HasPrefix(at, "/orders/") ||
		strings.HasPrefix(at, "/bench/batches/") {
		back = at
	}
	if c := f.Text("back"); c != "" {
		back = "/grow/tags/" + c
	}
	if err := f.Err(); err != nil {
		g.Flash(r, "%s", err)
		return page.Go(w, r, back)
	}
	done, err := g.Nursery.Do(r.Context(), page.Actor(r), []growon.Act{act})
	switch {
	case err != nil:
		return err
	case len(done.Refused) > 0 && f.Text("back") != "":
		form := f.Form
		form.Once = page.UUID()
		form.Problems = map[string]string{"act": done.Refused[0].Why}
		if done.Refused[0].Ask {
			form.Problems["reason"] = done.Refused[0].Why
		}
		return g.showTag(w, r, f.Text("back"), form, http.StatusUnprocessableEntity)
	case len(done.Refused) > 0:
		g.Flash(r, "%s", done.Refused[0].Why)
	case len(done.Notes) > 0:
		g.Flash(r, "%s", done.Notes[0])
	case act.Kind == growon.Undo:
		g.Flash(r, "That is taken back.")
	default:
		g.FlashBack(r, "That is kept.", "/grow/do", "kind", "undo", "undoes", act.ID, "at", back)
	}
	return page.Go(w, r, back)
}

func (g grow) rain(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	off := f.Text("off") == "yes"
	if err := g.Nursery.RainOff(r.Context(), page.Actor(r), off); err != nil {
		return err
	}
	g.FlashBack(r, words.RainedOff(off), "/grow/rain", "off", map[bool]string{true: "no", false: "yes"}[off])
	return page.Go(w, r, "/grow")
}

func (g grow) addRound(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := growon.NewRound{Place: f.Text("place"), What: f.Text("what"), Note: f.Text("note"), Every: f.Int("every")}
	if f.Text("reentry") != "" {
		n.Reentry = f.Int("reentry")
	}
	if err = f.Err(); err == nil {
		err = g.Nursery.AddRound(r.Context(), page.Actor(r), n)
	}
	if form, ok := f.WithProblems(err); ok {
		return g.showList(w, r, form, http.StatusUnprocessableEntity, "")
	} else if err != nil {
		return err
	}
	g.Flash(r, "The round is kept: %s, %s.", n.Place, n.What)
	return page.Go(w, r, "/grow#rounds")
}

func (g grow) endRound(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	id := f.Text("round")
	if f.Text("back") != "" {
		if err := g.Nursery.ResumeRound(r.Context(), page.Actor(r), int64(f.Int("round"))); err != nil {
			return err
		}
		g.Flash(r, "%s", words.RoundGoesOn)
		return page.Go(w, r, "/grow#rounds")
	}
	if err := g.Nursery.EndRound(r.Context(), page.Actor(r), int64(f.Int("round"))); err != nil {
		return err
	}
	g.FlashBack(r, words.RoundEnded, "/grow/rounds/end", "round", id, "back", "yes")
	return page.Go(w, r, "/grow#rounds")
}

type yearsPage struct {
	growon.YearsPage
	Lines []yearLine
}

type yearLine struct {
	outlook.YearLine
	Drawing template.HTML
}

func (g grow) years(w http.ResponseWriter, r *http.Request) error {
	yp, err := g.Nursery.Years(r.Context())
	if err != nil {
		return err
	}
	p := yearsPage{YearsPage: yp}
	most := 1
	for _, l := range yp.Years {
		most = max(most, l.Tied+l.InRow+l.Sown)
	}
	for _, l := range yp.Years {
		p.Lines = append(p.Lines, yearLine{l, draw.YearBar(l, most)})
	}
	return g.Show(w, r, g.views["years"], page.Frame{Title: "The pipeline", Stage: "Grow on", Data: p, Facts: yp.Facts})
}

func (g grow) rules(w http.ResponseWriter, r *http.Request) error {
	return g.showRules(w, r, page.NewForm(), http.StatusOK)
}

func (g grow) showRules(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	ls, err := g.Nursery.Rules(r.Context())
	if err != nil {
		return err
	}
	return g.ShowStatus(w, r, g.views["rules"], page.Frame{Title: "Days of what follows", Stage: "Grow on", Data: ls, Form: f}, status)
}

func (g grow) setRule(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	back := f.Values.Has("default")
	var days [3]int
	if !back {
		days = [3]int{f.Int("from"), f.Int("best"), f.Int("by")}
	}
	if err = f.Err(); err == nil {
		err = g.Nursery.SetRule(r.Context(), page.Actor(r), f.Text("rule"), days, back)
	}
	if form, ok := f.WithProblems(err); ok {
		return g.showRules(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	name, _ := words.RuleSays(aftercare.Rule(f.Text("rule")))
	g.Flash(r, "%s: the days are kept, and all that hangs on them has moved.", name)
	return page.Go(w, r, "/grow/days")
}

type tagPage struct {
	growon.TagPage
	Callus template.HTML
	Can    bool
	Boss   bool
}

func (g grow) tag(w http.ResponseWriter, r *http.Request) error {
	return g.showTag(w, r, chi.URLParam(r, "code"), page.NewForm(), http.StatusOK)
}

func (g grow) showTag(w http.ResponseWriter, r *http.Request, code string, f page.Form, status int) error {
	tp, err := g.Nursery.Grown(r.Context(), code)
	if err != nil {
		return err
	}
	who := page.Actor(r).Role
	p := tagPage{TagPage: tp, Can: who != nursery.Looker, Boss: who == nursery.Propagator}
	if tp.Callused >= 0 {
		p.Callus = draw.Callus(tp.Callused)
	}
	return g.ShowStatus(w, r, g.views["tag"], page.Frame{Title: tp.Code + " grows on", Stage: "Grow on", Data: p, Form: f}, status)
}
