// Package bench is the Bench stage: batches shared out as tags, labels to
// print, and the card that counts a tag's grafts.
package bench

import (
	"embed"
	"encoding/json"
	"errors"
	"html/template"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/supply"
	"unionknot/internal/core/tally"
	"unionknot/internal/core/union"
	"unionknot/internal/nursery"
	benchstage "unionknot/internal/nursery/bench"
	"unionknot/internal/nursery/learners"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

//go:embed templates/*.html
var files embed.FS

type bench struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the Bench stage's addresses.
func Routes(k *page.Kit) []page.Route {
	b := bench{k, page.Views(files)}
	return append(dayRoutes(b), []page.Route{
		{Method: "GET", Path: "/bench", Who: page.Everyone, Do: b.list},
		{Method: "GET", Path: "/bench/batches/{code}", Who: page.Readers, Do: b.batch},
		{Method: "POST", Path: "/bench/batches/{code}/tags", Who: page.Boss, Do: b.split},
		{Method: "POST", Path: "/bench/batches/{code}/undo", Who: page.Boss, Do: b.undo},
		{Method: "GET", Path: "/bench/batches/{code}/labels", Who: page.Everyone, Do: b.labels},
		{Method: "GET", Path: "/bench/tags/{code}", Who: page.Everyone, Do: b.card},
		{Method: "GET", Path: "/bench/tags/{code}/pace", Who: page.Everyone, Do: b.pace},
		{Method: "POST", Path: "/bench/tags/{code}/taps", Who: page.Hands, Do: b.taps},
		{Method: "POST", Path: "/taps", Who: page.Hands, Do: b.tapsOfAll, HandsIn: true},
		{Method: "GET", Path: "/bench/strays", Who: page.Boss, Do: b.strays},
		{Method: "POST", Path: "/bench/strays", Who: page.Boss, Do: b.settle},
		{Method: "POST", Path: "/bench/tags/{code}/hand-over", Who: page.Hands, Do: b.handOver},
	}...)
}

type listPage struct {
	benchstage.BenchPage
	Classes []learners.Class
}

func (b bench) list(w http.ResponseWriter, r *http.Request) error {
	p, err := b.Nursery.Bench(r.Context(), page.Actor(r), page.QueryInt(r, "batches"))
	if err != nil {
		return err
	}
	live, err := b.Nursery.LiveClasses(r.Context())
	if err != nil {
		return err
	}
	return b.Show(w, r, b.views["list"], page.Frame{Title: "Bench", Stage: "Bench", Data: listPage{p, live}})
}

func (b bench) batch(w http.ResponseWriter, r *http.Request) error {
	return b.showBatch(w, r, page.NewForm("day", b.Nursery.Today().Format("2006-01-02")), http.StatusOK)
}

type workerLine struct {
	ID      int64
	Name    string
	Role    string
	Checked bool // cuts, or does both
	Ties    bool
}

type batchPage struct {
	benchstage.BatchPage
	Choose []workerLine
}

func (b bench) showBatch(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	bp, err := b.Nursery.Batch(r.Context(), chi.URLParam(r, "code"))
	if err != nil {
		return err
	}
	p := batchPage{BatchPage: bp}
	has, ties := map[int64]bool{}, map[int64]bool{}
	for _, t := range bp.Tags {
		has[t.WorkerID] = true
		if t.TierID != nil {
			ties[*t.TierID] = true
		}
	}
	for _, id := range f.Values["tier"] {
		n, _ := strconv.ParseInt(id, 10, 64)
		ties[n] = true
	}
	for _, id := range f.Values["worker"] {
		n, _ := strconv.ParseInt(id, 10, 64)
		has[n] = true
	}
	for _, x := range bp.Workers {
		p.Choose = append(p.Choose, workerLine{x.ID, x.Name, x.Role, has[x.ID], ties[x.ID]})
	}
	right, err := b.Nursery.Corrections(r.Context(), "batch", bp.Batch.Code)
	if err != nil {
		return err
	}
	return b.ShowStatus(w, r, b.views["batch"], page.Frame{Title: "Batch " + bp.Batch.Code, Stage: "Bench", PutRight: right, Data: p,
		Form: f}, status)
}

func (b bench) split(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	ids := func(name string) (out []int64) {
		for _, s := range f.Values[name] {
			if n, err := strconv.ParseInt(s, 10, 64); err == nil {
				out = append(out, n)
			}
		}
		return out
	}
	day := f.Date("day")
	if err = f.Err(); err == nil {
		err = b.Nursery.MakeTags(r.Context(), page.Actor(r), chi.URLParam(r, "code"), day, ids("worker"), ids("tier")...)
	}
	if form, ok := f.WithProblems(err); ok {
		return b.showBatch(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	b.Flash(r, "The batch is shared out. Print its labels and lay the wood ready.")
	return page.Go(w, r, "/bench/batches/"+chi.URLParam(r, "code"))
}

func (b bench) undo(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = b.Nursery.UndoBatch(r.Context(), page.Actor(r), chi.URLParam(r, "code"))
	if form, ok := f.WithProblems(err); ok {
		return b.showBatch(w, r, form, http.StatusConflict)
	} else if err != nil {
		return err
	}
	b.Flash(r, "The batch is taken back: its stems and wood are free again.")
	return page.Go(w, r, "/match")
}

func (b bench) labels(w http.ResponseWriter, r *http.Request) error {
	p, err := b.Nursery.Labels(r.Context(), chi.URLParam(r, "code"))
	var none nursery.Problem
	if errors.As(err, &none) {
		b.Flash(r, "%s", none.Says)
		if page.Actor(r).Role == nursery.BenchHand {
			return page.Go(w, r, "/heal")
		}
		return page.Go(w, r, "/bench/batches/"+chi.URLParam(r, "code"))
	} else if err != nil {
		return err
	}
	back := "/bench/batches/" + p.Batch.Code
	if page.Actor(r).Role == nursery.BenchHand { // who has no page of the batch
		back = "/heal"
	}
	return b.Show(w, r, b.views["labels"], page.Frame{Title: "Labels of " + p.Batch.Code, Bare: true, Data: labelsPage{p.Tags, back}})
}

type labelsPage struct {
	Tags []nursery.TagRow
	Back string
}

type cardPage struct {
	benchstage.CardPage
	Cut, PaceDrawing template.HTML
	Minutes          float64 // that what is left takes at this pace
	ReadOnly         bool
	Taps             []tapped
	To, Ties         int64  // offered when it is handed over
	InRow            string // where along its row it stands, and the side that is budded
}

// ToolsInUse are those that are offered.
func (c cardPage) ToolsInUse() (out []nursery.Tool) {
	for _, t := range c.Tools {
		if t.GoneOn == nil {
			out = append(out, t)
		}
	}
	return out
}

type tapped struct {
	ID   string `json:"id"`
	Kind string `json:"kind"`
	N    int    `json:"n"`
}

func (b bench) gather(r *http.Request) (cardPage, error) {
	c, err := b.Nursery.Card(r.Context(), page.Actor(r), chi.URLParam(r, "code"))
	if err != nil {
		return cardPage{}, err
	}
	t := c.Tag
	p := cardPage{
		CardPage: c,
		Cut: draw.Cut(
			page.Actor(r).Tongue,
			t.Technique,
			union.Stems{Stock: (t.StockLow + t.StockHigh) / 2, Scion: (t.WoodLow + t.WoodHigh) / 2},
			c.FaceWay,
			c.Manner,
		),
		PaceDrawing: draw.Pace(c.Pace, b.Nursery.Now()),
		ReadOnly:    page.Actor(r).Role == nursery.Looker,
		Taps:        []tapped{},
		To:          t.WorkerID,
	}
	if t.LotForm == supply.InRow && t.FinishedAt == nil {
		if p.InRow, err = b.Nursery.OnCard(r.Context(), t.Code); err != nil {
			return cardPage{}, err
		}
	}
	if t.TierID != nil {
		p.Ties = *t.TierID
	}
	for _, x := range c.LastTaps {
		p.Taps = append(p.Taps, tapped{x.ID, x.Kind, x.N})
	}
	if c.PerHour > 0 && c.Counts.Left > 0 {
		p.Minutes = float64(c.Counts.Left) / c.PerHour * 60
	}
	return p, nil
}

func (b bench) card(w http.ResponseWriter, r *http.Request) error {
	p, err := b.gather(r)
	if err != nil {
		return err
	}
	return b.Show(w, r, b.views["card"], page.Frame{Title: "Tag " + p.Tag.Code, Stage: "Bench", Data: p, Form: page.NewForm()})
}

// pacePart is the part of the card that is asked for again and again.
type pacePart struct {
	benchstage.PacePage
	PaceDrawing template.HTML
}

func (b bench) pace(w http.ResponseWriter, r *http.Request) error {
	p, err := b.Nursery.Pace(r.Context(), page.Actor(r), chi.URLParam(r, "code"))
	if err != nil {
		return err
	}
	return b.Part(w, r, b.views["card"], "pace", pacePart{p, draw.Pace(p.Pace, b.Nursery.Now())})
}

// maxTapBody bounds what a tablet may send at once.
const maxTapBody = 256 << 10

func (b bench) taps(w http.ResponseWriter, r *http.Request) error {
	var in struct {
		Taps []benchstage.Tap `json:"taps"`
	}
	if !page.Sent(w, r, maxTapBody, &in) {
		return nil
	}
	done, err := b.Nursery.Tap(r.Context(), page.Actor(r), chi.URLParam(r, "code"), in.Taps)
	return page.Kept(w, done, err)
}

// tapsOfAll keeps what a device sends of any tags.
func (b bench) tapsOfAll(w http.ResponseWriter, r *http.Request) error {
	var in struct {
		Device string           `json:"device"`
		Taps   []benchstage.Tap `json:"taps"`
	}
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, maxTapBody)).Decode(&in); err != nil {
		return nursery.Problem{Says: words.NotWhole}
	}
	done, err := b.Nursery.TapAll(r.Context(), page.Actor(r), in.Device, in.Taps)
	if err != nil {
		return err
	}
	return page.JSON(w, done)
}

func (b bench) strays(w http.ResponseWriter, r *http.Request) error {
	return b.showStrays(w, r, page.NewForm(), http.StatusOK)
}

func (b bench) showStrays(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	gs, err := b.Nursery.Strays(r.Context(), page.Actor(r))
	if err != nil {
		return err
	}
	return b.ShowStatus(w, r, b.views["strays"], page.Frame{Title: "Taps that do not count", Stage: "Bench", Data: gs, Form: f}, status)
}

// settle keeps what the propagator decides of stray taps.
func (b bench) settle(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := benchstage.Settling{Code: f.Text("code"), Worker: int64(f.Int("worker")), On: f.Text("on")}
	switch f.Text("do") {
	case "count":
		n.Do = tally.Count
	case "leave":
		n.Do, n.On = tally.Leave, ""
	default:
		n.On = ""
	}
	if err = f.Err(); err == nil {
		err = b.Nursery.Settle(r.Context(), page.Actor(r), n)
	}
	if form, ok := f.WithProblems(err); ok {
		return b.showStrays(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	b.Flash(r, "%s", words.Settled(n.Do, n.Code, n.On))
	return page.Go(w, r, "/bench/strays")
}

func (b bench) handOver(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	to, tier := f.Int("to"), f.Int("tier")
	if err = f.Err(); err == nil {
		err = b.Nursery.HandOver(r.Context(), page.Actor(r), chi.URLParam(r, "code"), int64(to), int64(tier))
	}
	if form, ok := f.WithProblems(err); ok {
		p, err := b.gather(r)
		if err != nil {
			return err
		}
		p.To, p.Ties = int64(to), int64(tier)
		return b.ShowStatus(
			w,
			r,
			b.views["card"],
			page.Frame{Title: "Tag " + p.Tag.Code, Stage: "Bench", Data: p, Form: form},
			http.StatusConflict,
		)
	} else if err != nil {
		return err
	}
	b.Flash(r, "Tag %s is handed over.", chi.URLParam(r, "code"))
	return page.Go(w, r, "/bench")
}
