package learners

import (
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"unionknot/internal/nursery"
	"unionknot/internal/nursery/practice"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

type practicePage struct {
	practice.Page
	Curve   template.HTML
	Trainer template.HTML
	PerMM   float64
	Told    string
	Drawn   template.HTML // the cut of the technique, as it should be
	Shift   float64
	NextURL template.URL
	Today   string
}

func (l learners) practice(w http.ResponseWriter, r *http.Request) error {
	return l.showPractice(w, r, page.NewForm("on", l.Nursery.Today().Format(time.DateOnly)), http.StatusOK)
}

func (l learners) showPractice(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	q := r.URL.Query()
	seed, _ := strconv.ParseUint(q.Get("union"), 10, 64)
	p, err := l.Nursery.Practice(r.Context(), page.Actor(r), page.QueryInt(r, "of"), q.Get("technique"), seed)
	if err != nil {
		return err
	}
	pp := practicePage{Page: p, Curve: draw.PracticeDays(p.Days), Today: l.Nursery.Today().Format(time.DateOnly)}
	pp.Trainer, pp.PerMM = draw.Trainer(p.Task, 0, p.Task.Best, false)
	pp.Drawn = draw.Cut("", p.Task.Technique, p.Task.Stems, p.Face, p.Manner)
	if laid, err := strconv.ParseFloat(q.Get("laid"), 64); err == nil && laid >= 0 && laid <= p.Task.Reach+1e-9 {
		pp.Shift = laid
		pp.Trainer, pp.PerMM = draw.Trainer(p.Task, laid, p.Task.Best, true)
		pp.Told = words.GuessSays(p.Task.Score(laid), laid, p.Task.Best, p.Task.Contact(laid), p.Task.MostMM)
	}
	return l.ShowStatus(w, r, l.views["practice"], page.Frame{Title: "Practice", Stage: "Bench", Form: f, Data: pp}, status)
}

func (l learners) keepSheet(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	x := practice.Sheet{ID: f.Once, Technique: f.Text("technique"), Cuts: f.Int("cuts"), Flat: f.Int("flat"), Fit: f.Int("fit"),
		Wood: f.Text("wood"), Note: f.Text("note"), On: f.Date("on")}
	if f.Text("person") != "" {
		x.PersonID = int64(f.Int("person"))
	}
	if err = f.Err(); err == nil {
		err = l.Nursery.KeepSheet(r.Context(), page.Actor(r), x)
	}
	if form, ok := f.WithProblems(err); ok {
		return l.showPractice(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	l.Flash(r, "%d cuts are noted, apart from what is made.", x.Cuts)
	to := "/practice?technique=" + url.QueryEscape(x.Technique)
	if page.Actor(r).Role == nursery.Propagator && x.PersonID != 0 {
		to += "&of=" + page.ID(x.PersonID)
	}
	return page.Go(w, r, to)
}

func (l learners) undoSheet(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	if err := l.Nursery.UndoSheet(r.Context(), page.Actor(r), f.Text("sheet")); err != nil {
		return err
	}
	l.Flash(r, "The sheet is taken back.")
	return page.Go(w, r, page.Back(r, "/practice"))
}

func (l learners) guess(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	seed, _ := strconv.ParseUint(f.Text("union"), 10, 64)
	shift := f.Number("laid")
	if err = f.Err(); err == nil {
		_, err = l.Nursery.Guess(r.Context(), page.Actor(r), f.Once, seed, shift)
	}
	if form, ok := f.WithProblems(err); ok {
		return l.showPractice(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	return page.Go(w, r, "/practice?union="+strconv.FormatUint(seed, 10)+"&laid="+strconv.FormatFloat(shift, 'f', 3, 64))
}
