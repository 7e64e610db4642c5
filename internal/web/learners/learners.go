// Package learners shows classes of people who learn to graft, and practice.
package learners

import (
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/learning"
	"unionknot/internal/nursery"
	classes "unionknot/internal/nursery/learners"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

//go:embed templates/*.html
var files embed.FS

type learners struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the addresses of classes and of practice.
func Routes(k *page.Kit) []page.Route {
	l := learners{k, page.Views(files)}
	return []page.Route{
		{Method: "GET", Path: "/classes", Who: page.Everyone, Do: l.list},
		{Method: "POST", Path: "/classes", Who: page.Boss, Do: l.add},
		{Method: "POST", Path: "/looks", Who: page.Hands, Do: l.judge, HandsIn: true},
		{Method: "GET", Path: "/classes/{code}", Who: page.Everyone, Do: l.board},
		{Method: "GET", Path: "/classes/{code}/board", Who: page.Hands, Do: l.boardPart},
		{Method: "GET", Path: "/classes/{code}/steps", Who: page.Everyone, Do: l.steps},
		{Method: "GET", Path: "/classes/{code}/labels", Who: page.Hands, Do: l.labels},
		{Method: "POST", Path: "/classes/{code}/open", Who: page.Boss, Do: l.open},
		{Method: "POST", Path: "/classes/{code}/off", Who: page.Boss, Do: l.off},
		{Method: "POST", Path: "/classes/{code}/begin", Who: page.Boss, Do: l.begin},
		{Method: "POST", Path: "/classes/{code}/close", Who: page.Boss, Do: l.close},
		{Method: "POST", Path: "/classes/{code}/reopen", Who: page.Boss, Do: l.reopen},
		{Method: "POST", Path: "/classes/{code}/rules", Who: page.Boss, Do: l.rules},
		{Method: "POST", Path: "/classes/{code}/erase", Who: page.Boss, Do: l.erase},
		{Method: "GET", Path: "/classes/{code}/places/{place}", Who: page.Hands, Do: l.place},
		{Method: "POST", Path: "/classes/{code}/places/{place}", Who: page.Boss, Do: l.name},
		{Method: "POST", Path: "/classes/{code}/places/{place}/left", Who: page.Boss, Do: l.left},
		{Method: "POST", Path: "/classes/{code}/places/{place}/home", Who: page.Boss, Do: l.home},
		{Method: "POST", Path: "/classes/{code}/places/{place}/hold", Who: page.Boss, Do: l.hold},
		{Method: "GET", Path: "/practice", Who: page.Hands, Do: l.practice},
		{Method: "POST", Path: "/practice", Who: page.Hands, Do: l.keepSheet},
		{Method: "POST", Path: "/practice/undo", Who: page.Hands, Do: l.undoSheet},
		{Method: "POST", Path: "/practice/guess", Who: page.Hands, Do: l.guess},
	}
}

type listPage struct {
	classes.List
	Boss bool
}

func (l learners) list(w http.ResponseWriter, r *http.Request) error {
	return l.showList(w, r, page.NewForm("cans", "20", "warmups", "6", "bar_pct", "80", "bar_run", "10", "learners", "12",
		"day", l.Nursery.Today().Format(time.DateOnly), "batch", r.URL.Query().Get("batch")), http.StatusOK)
}

func (l learners) showList(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	p, err := l.Nursery.Classes(r.Context())
	if err != nil {
		return err
	}
	return l.ShowStatus(w, r, l.views["list"], page.Frame{Title: "Classes", Stage: "Bench", Form: f,
		Data: listPage{p, page.Actor(r).Role == nursery.Propagator}}, status)
}

func (l learners) add(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := classes.NewClass{Code: f.Text("code"), Name: f.Text("name"), Place: f.Text("place"), Batch: f.Text("batch"), Day: f.Date("day"),
		Cans: f.Int("cans"), Warmups: f.Int("warmups"), BarPct: f.Int("bar_pct"), BarRun: f.Int("bar_run"),
		Names: strings.Split(f.Values.Get("names"), "\n")}
	if f.Text("learners") != "" {
		n.Learners = f.Int("learners")
	}
	if err = f.Err(); err == nil {
		err = l.Nursery.AddClass(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), n)
	}
	if form, ok := f.WithProblems(err); ok {
		return l.showList(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	l.Flash(r, "Class %s is made. Open it when the tools are counted out.", nursery.CleanCode(n.Code))
	return page.Go(w, r, "/classes/"+nursery.CleanCode(n.Code))
}

// maxLookBody is far more than the most looks one request may carry.
const maxLookBody = 256 << 10

func (l learners) judge(w http.ResponseWriter, r *http.Request) error {
	var in struct {
		Device string         `json:"device"`
		Looks  []classes.Look `json:"looks"`
	}
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, maxLookBody)).Decode(&in); err != nil {
		return nursery.Problem{Says: words.NotWhole}
	}
	done, err := l.Nursery.Judge(r.Context(), page.Actor(r), in.Device, in.Looks)
	if err != nil {
		return err
	}
	return page.JSON(w, done)
}

type button struct {
	Says, Text, Key string
	Good            bool
}

func buttons() (out []button) {
	for i, s := range learning.All {
		out = append(out, button{string(s), words.LookButton(s), strconv.Itoa(i + 1), s == learning.Right})
	}
	return out
}

type seatLine struct {
	classes.Seat
	Title   string
	Drawing template.HTML
	Last    string // the newest look, as it is told
	Waited  string
	Off     bool // nothing is to be done there any more
}

type boardPage struct {
	classes.Page
	Lines   []seatLine
	Waiting []seatLine
	Buttons []button
	Boss    bool
	Curve   template.HTML
	Steps   []step
	Opening []classes.Tool
	Share   string
	Grafts  int
}

func (l learners) boardOf(r *http.Request, p classes.Page) boardPage {
	b := boardPage{Page: p, Buttons: buttons(), Boss: page.Actor(r).Role == nursery.Propagator, Grafts: p.Class.Cans * p.Class.Learners}
	line := func(x classes.Seat) seatLine {
		warm := p.State == classes.Opening || p.State == classes.WarmUp
		c := x.Course
		if warm {
			c = x.Warm
		}
		s := seatLine{Seat: x, Title: words.SeatTitle(x.Place, c.Graft, c.Try, warm), Drawing: draw.Running(x.Running, p.Class.Cans,
			classes.Bar(p.Class)),
			Off: x.LeftAt != nil || p.State == classes.Closed || p.State == classes.Off}
		for _, v := range x.Looks {
			if v.Held == nil {
				s.Last = words.LookTold(v.Says) + ", by " + v.By
			}
		}
		if x.WaitsSince != nil {
			s.Waited = words.WaitsFor(x.Waits.Seconds())
		}
		return s
	}
	for _, x := range p.Seats {
		b.Lines = append(b.Lines, line(x))
	}
	for _, x := range p.Queue {
		b.Waiting = append(b.Waiting, line(x))
	}
	return b
}

// board shows a class to those who work with it; to who only reads, its line among the others.
func (l learners) board(w http.ResponseWriter, r *http.Request) error {
	if !page.Allowed(page.Actor(r).Role, page.Hands) {
		return page.Go(w, r, "/classes")
	}
	return l.showBoard(w, r, page.NewForm(), http.StatusOK)
}

func (l learners) showBoard(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	p, err := l.Nursery.WholeClass(r.Context(), chi.URLParam(r, "code"))
	if err != nil {
		return err
	}
	b := l.boardOf(r, p)
	b.Curve = draw.LearningCurve("Right the first time, graft by graft, in a hundred", p.Curve, p.Tried, classes.Bar(p.Class))
	b.Opening = p.Tools
	if len(b.Opening) == 0 {
		b.Opening = classes.UsualTools(p.Class)
	}
	return l.ShowStatus(w, r, l.views["board"], page.Frame{Title: p.Class.Name, Stage: "Bench", Form: f, Data: b}, status)
}

// boardPart is what a board asks for again and again.
func (l learners) boardPart(w http.ResponseWriter, r *http.Request) error {
	p, err := l.Nursery.ClassBoard(r.Context(), chi.URLParam(r, "code"))
	if err != nil {
		return err
	}
	return l.Part(w, r, l.views["board"], "seats", l.boardOf(r, p))
}

type step struct {
	Says    string
	Drawing template.HTML
}

// stepsOf draws the steps of a class's graft one by one, by the house's ways.
func stepsOf(p classes.Page) (out []step) {
	kinds := map[int]string{0: draw.StepStock, 1: draw.StepScion}
	for i, says := range p.Steps {
		kind, ok := kinds[i]
		low := strings.ToLower(says)
		switch {
		case strings.Contains(low, "cut the scion") || strings.Contains(low, "cut the bud"):
			kind = draw.StepScion
		case strings.Contains(low, "cut the stock"):
			kind = draw.StepStock
		case strings.HasPrefix(low, "bind"):
			kind = draw.StepBind
		case strings.Contains(low, "film") || strings.Contains(low, "wax") || strings.Contains(low, "tape only"):
			kind = draw.StepSeal
		case !ok:
			kind = draw.StepLay
		}
		if kind == draw.StepBind {
			out = append(out, stepOf(p, words.StepLay, draw.StepLay))
			if p.Class.CheckTape != "none" {
				out = append(out, stepOf(p, words.StepLook, draw.StepLook))
			}
		}
		out = append(out, stepOf(p, says, kind))
	}
	return out
}

func stepOf(p classes.Page, says, kind string) step {
	s := step{Says: says}
	if len(p.Sides) > 0 {
		s.Drawing = draw.Step(p.Sides[0], kind, says)
	}
	return s
}

func (l learners) steps(w http.ResponseWriter, r *http.Request) error {
	p, err := l.Nursery.WholeClass(r.Context(), chi.URLParam(r, "code"))
	if err != nil {
		return err
	}
	b := l.boardOf(r, p)
	b.Steps = stepsOf(p)
	return l.Show(w, r, l.views["steps"], page.Frame{Title: "The graft, step by step", Stage: "Bench", Data: b})
}

func (l learners) labels(w http.ResponseWriter, r *http.Request) error {
	p, err := l.Nursery.ClassBoard(r.Context(), chi.URLParam(r, "code"))
	if err != nil {
		return err
	}
	t, err := l.Nursery.ClassTechnique(r.Context(), p.Class.Technique)
	if err != nil {
		return err
	}
	p.Technique = t
	return l.Show(w, r, l.views["labels"], page.Frame{Title: "Labels of " + p.Class.Code, Stage: "Bench", Data: l.boardOf(r, p)})
}

// answered goes back to the board, or shows it again with what is wrong.
func (l learners) answered(w http.ResponseWriter, r *http.Request, f *page.Typed, err error, says string, args ...any) error {
	if form, ok := f.WithProblems(err); ok {
		return l.showBoard(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	l.Flash(r, says, args...)
	return page.Go(w, r, "/classes/"+nursery.CleanCode(chi.URLParam(r, "code")))
}

// toolsOf reads tools as they are counted, of a form with a field for each kind.
func toolsOf(f *page.Typed) classes.Tools {
	out := classes.Tools{}
	for i, name := range f.Values["tool"] {
		if i < len(f.Values["n"]) {
			if n, err := strconv.Atoi(strings.TrimSpace(f.Values["n"][i])); err == nil {
				out[name] = n
			}
		}
	}
	return out
}

func (l learners) open(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = l.Nursery.OpenClass(r.Context(), page.Actor(r), chi.URLParam(r, "code"), f.Text("read") == "yes", toolsOf(f))
	return l.answered(w, r, f, err, "The class is open. Practice wood first.")
}

func (l learners) off(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = l.Nursery.CallClassOff(r.Context(), page.Actor(r), chi.URLParam(r, "code"))
	return l.answered(w, r, f, err, "The class is called off, and its batch is free.")
}

func (l learners) begin(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = l.Nursery.BeginGrafts(r.Context(), page.Actor(r), chi.URLParam(r, "code"), f.Text("back") == "yes")
	return l.answered(w, r, f, err, "From now on grafts count.")
}

func (l learners) close(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = l.Nursery.CloseClass(r.Context(), page.Actor(r), chi.URLParam(r, "code"), toolsOf(f), f.Text("why"))
	return l.answered(w, r, f, err, "The class is closed: what was not bound went back to its lot and its bundle.")
}

func (l learners) reopen(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = l.Nursery.ReopenClass(r.Context(), page.Actor(r), chi.URLParam(r, "code"))
	return l.answered(w, r, f, err, "The class is open again.")
}

func (l learners) rules(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := classes.Rules{Place: f.Text("place"), CheckTape: f.Text("check_tape"), BarPct: f.Int("bar_pct"), BarRun: f.Int("bar_run"),
		Warmups: f.Int("warmups")}
	if err = f.Err(); err == nil {
		err = l.Nursery.ChangeRules(r.Context(), page.Actor(r), chi.URLParam(r, "code"), n)
	}
	return l.answered(w, r, f, err, "The class's rules are changed.")
}

func (l learners) erase(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = l.Nursery.EraseNames(r.Context(), page.Actor(r), chi.URLParam(r, "code"))
	return l.answered(w, r, f, err, "The learners' names are taken out.")
}

type lookLine struct {
	classes.Verdict
	Told, HeldTold string
}

type placePage struct {
	classes.PlacePage
	Line  seatLine
	Looks []lookLine
	Curve template.HTML
	Boss  bool
	UUID  string
}

func (l learners) place(w http.ResponseWriter, r *http.Request) error {
	return l.showPlace(w, r, page.NewForm(), http.StatusOK)
}

func (l learners) showPlace(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	n, err := strconv.Atoi(chi.URLParam(r, "place"))
	if err != nil {
		return nursery.ErrNotFound
	}
	p, err := l.Nursery.Seat(r.Context(), chi.URLParam(r, "code"), n)
	if err != nil {
		return err
	}
	b := l.boardOf(r, p.Page)
	pp := placePage{PlacePage: p, Boss: b.Boss, UUID: page.UUID()}
	for _, x := range b.Lines {
		if x.Place == n {
			pp.Line = x
		}
	}
	for _, v := range p.Shown {
		x := lookLine{Verdict: v, Told: words.LookTold(v.Says)}
		if v.Held != nil {
			x.HeldTold = words.HeldShort(*v.Held)
		}
		pp.Looks = append(pp.Looks, x)
	}
	pp.Curve = draw.LearningCurve("Right the first time, graft by graft, in a hundred", p.Own, nil, classes.Bar(p.Class))
	if f.Values.Get("name") == "" && len(f.Problems) == 0 {
		f.Values.Set("name", p.Seat.Name)
	}
	return l.ShowStatus(w, r, l.views["place"], page.Frame{Title: fmt.Sprintf("Place %d of %s", n, p.Class.Code), Stage: "Bench",
		Form: f, Data: pp}, status)
}

// atPlace does something at a place and shows it again.
func (l learners) atPlace(w http.ResponseWriter, r *http.Request, do func(f *page.Typed, code string, place int) error, says string) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	code := chi.URLParam(r, "code")
	n, err := strconv.Atoi(chi.URLParam(r, "place"))
	if err != nil {
		return nursery.ErrNotFound
	}
	err = do(f, code, n)
	if form, ok := f.WithProblems(err); ok {
		return l.showPlace(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	l.Flash(r, says, n)
	return page.Go(w, r, fmt.Sprintf("/classes/%s/places/%d", nursery.CleanCode(code), n))
}

func (l learners) name(w http.ResponseWriter, r *http.Request) error {
	return l.atPlace(w, r, func(f *page.Typed, code string, place int) error {
		hand := 0
		if f.Text("hand") != "" {
			hand = f.Int("hand")
		}
		if err := f.Err(); err != nil {
			return err
		}
		return l.Nursery.NameLearner(r.Context(), page.Actor(r), code, place, classes.Who{Name: f.Text("name"),
			OnLabel: f.Text("on_label") == "yes",
			Hand:    int64(hand)})
	}, "Place %d is noted.")
}

func (l learners) left(w http.ResponseWriter, r *http.Request) error {
	return l.atPlace(w, r, func(f *page.Typed, code string, place int) error {
		return l.Nursery.LearnerLeft(r.Context(), page.Actor(r), code, place, f.Text("back") == "yes")
	}, "Noted for place %d: what was bound stays theirs.")
}

func (l learners) home(w http.ResponseWriter, r *http.Request) error {
	return l.atPlace(w, r, func(f *page.Typed, code string, place int) error {
		return l.Nursery.TakeHome(r.Context(), page.Actor(r), code, place, f.Text("act"), f.Text("back") == "yes")
	}, "Noted for place %d.")
}

func (l learners) hold(w http.ResponseWriter, r *http.Request) error {
	return l.atPlace(w, r, func(f *page.Typed, code string, place int) error {
		return l.Nursery.LetHold(r.Context(), page.Actor(r), code, place, f.Text("look"))
	}, "That look holds now for place %d.")
}
