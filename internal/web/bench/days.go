package bench

import (
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/benchday"
	"unionknot/internal/nursery"
	benchstage "unionknot/internal/nursery/bench"
	"unionknot/internal/nursery/days"
	"unionknot/internal/outlook"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

func dayRoutes(b bench) []page.Route {
	return []page.Route{
		{Method: "GET", Path: "/bench/days", Who: page.Readers, Do: b.days},
		{Method: "POST", Path: "/bench/days", Who: page.Boss, Do: b.plan},
		{Method: "GET", Path: "/bench/days/telling", Who: page.Readers, Do: b.telling},
		{Method: "POST", Path: "/bench/days/telling", Who: page.Boss, Do: b.setTelling},
		{Method: "GET", Path: "/bench/days/ways", Who: page.Readers, Do: b.ways},
		{Method: "POST", Path: "/bench/days/undo", Who: page.Boss, Do: b.undoPlan},
		{Method: "POST", Path: "/bench/days/move", Who: page.Boss, Do: b.move},
		{Method: "POST", Path: "/bench/days/lock", Who: page.Boss, Do: b.lock},
		{Method: "GET", Path: "/bench/day/{day}", Who: page.Readers, Do: b.day},
		{Method: "GET", Path: "/bench/day/{day}/key", Who: page.Boss, Do: b.key},
		{Method: "POST", Path: "/bench/day/{day}/key", Who: page.Boss, Do: b.keyed},
		{Method: "GET", Path: "/bench/day/{day}/labels", Who: page.Readers, Do: b.dayLabels},
		{Method: "GET", Path: "/bench/hands", Who: page.Readers, Do: b.hands},
		{Method: "POST", Path: "/bench/hands/{id}", Who: page.Boss, Do: b.setWeek},
		{Method: "POST", Path: "/bench/hands/{id}/away", Who: page.Boss, Do: b.away},
		{Method: "POST", Path: "/bench/away/{id}/drop", Who: page.Boss, Do: b.dropAway},
		{Method: "POST", Path: "/bench/stations/{id}", Who: page.Boss, Do: b.seats},
		{Method: "POST", Path: "/bench/tools", Who: page.Boss, Do: b.addTool},
		{Method: "POST", Path: "/bench/tools/{id}", Who: page.Boss, Do: b.toolGone},
		{Method: "POST", Path: "/bench/tool", Who: page.Hands, Do: b.holdTool},
		{Method: "POST", Path: "/bench/tool/{id}/undo", Who: page.Boss, Do: b.undoTool},
		{Method: "GET", Path: "/bench/team", Who: page.Readers, Do: b.team},
	}
}

type daysPage struct {
	outlook.DaysPage
	Problem        string
	BuddingDrawing template.HTML
}

func (b bench) days(w http.ResponseWriter, r *http.Request) error {
	return b.showDays(w, r, "", http.StatusOK)
}

// dayOf reads a day from the address or a form; the zero time when there is none.
func dayOf(s string) time.Time {
	t, _ := time.Parse(time.DateOnly, s)
	return t
}

func (b bench) showDays(w http.ResponseWriter, r *http.Request, problem string, status int) error {
	p := daysPage{Problem: problem}
	var err error
	if p.DaysPage, err = b.Nursery.BenchDays(r.Context(), dayOf(r.FormValue("from"))); err != nil {
		return err
	}
	p.BuddingDrawing = draw.Budding(p.Budding, b.Nursery.Today())
	f := page.Frame{Title: "Bench days", Stage: "Bench", Data: p, Form: page.NewForm()}
	if page.IsPart(r) {
		return b.Part(w, r, b.views["days"], "days", page.PartOf(r, f))
	}
	return b.ShowStatus(w, r, b.views["days"], f, status)
}

// plan puts the work into the days.
func (b bench) plan(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	done, err := b.Nursery.PlanDays(nursery.WithOnce(r.Context(), f.Once), page.Actor(r))
	var bad nursery.Problem
	if errors.As(err, &bad) {
		return b.showDays(w, r, bad.Says, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	b.Flash(r, "%s.", planSays(done))
	return page.Go(w, r, "/bench/days")
}

// planSays says what planning the days did.
func planSays(done days.Planned) string {
	says := "The days are planned"
	if done.Made+done.Moved == 0 {
		says = "The days stand as they were: nothing could be placed better"
	} else {
		says += fmt.Sprintf(": %d tags made, %d moved", done.Made, done.Moved)
	}
	if done.Late > 0 {
		says += fmt.Sprintf(". %d grafts would be late", done.Late)
	}
	by, lacks := map[benchday.Lack]int{}, []benchday.Lack{}
	for _, u := range done.Unplaced {
		if by[u.Lack] == 0 {
			lacks = append(lacks, u.Lack)
		}
		by[u.Lack] += u.Grafts
	}
	for _, x := range lacks {
		says += fmt.Sprintf(". %d of them found no day at all: %s", by[x], words.Lack(x))
	}
	return says
}

func (b bench) undoPlan(w http.ResponseWriter, r *http.Request) error {
	err := b.Nursery.UndoPlan(r.Context(), page.Actor(r))
	var bad nursery.Problem
	if errors.As(err, &bad) {
		return b.showDays(w, r, bad.Says, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	b.Flash(r, "The plan is taken back. Tags that were begun stay.")
	return page.Go(w, r, "/bench/days")
}

// move puts tags somewhere else, and answers with the plan checked again.
func (b bench) move(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	worker, _ := strconv.ParseInt(f.Text("worker"), 10, 64)
	m := days.MoveTags{Codes: strings.Fields(f.Text("codes")), Worker: worker, Day: f.Date("day"), Half: f.Int("half")}
	if err = f.Err(); err == nil {
		err = b.Nursery.MoveTags(r.Context(), page.Actor(r), m)
	}
	return b.afterMove(w, r, f, err)
}

func (b bench) lock(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	return b.afterMove(w, r, f, b.Nursery.LockTags(r.Context(), page.Actor(r), strings.Fields(f.Text("codes")), f.Text("lock") == "yes"))
}

func (b bench) afterMove(w http.ResponseWriter, r *http.Request, f *page.Typed, err error) error {
	if form, ok := f.WithProblems(err); ok {
		says := form.Whole
		for _, p := range form.Problems {
			says = p
		}
		return b.showDays(w, r, says, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	if page.IsPart(r) {
		return b.showDays(w, r, "", http.StatusOK)
	}
	return page.Go(w, r, "/bench/days?from="+f.Text("from"))
}

type waysPage struct {
	Ways []days.PlanWay
	Late int
}

// ways works out ways out of what is late, when somebody asks.
func (b bench) ways(w http.ResponseWriter, r *http.Request) error {
	ways, late, err := b.Nursery.PlanWays(r.Context())
	if err != nil {
		return err
	}
	p := waysPage{ways, late}
	if page.IsPart(r) {
		return b.Part(w, r, b.views["days"], "ways", p)
	}
	return b.Show(w, r, b.views["ways"], page.Frame{Title: "Ways out", Stage: "Bench", Data: p})
}

func (b bench) sheetOf(r *http.Request) (benchstage.DaySheet, error) {
	day := dayOf(chi.URLParam(r, "day"))
	if day.IsZero() {
		return benchstage.DaySheet{}, nursery.ErrNotFound
	}
	return b.Nursery.Day(r.Context(), day)
}

func (b bench) day(w http.ResponseWriter, r *http.Request) error {
	d, err := b.sheetOf(r)
	if err != nil {
		return err
	}
	return b.Show(w, r, b.views["day"], page.Frame{Title: "Bench day, " + d.Day.Format("2 January"), Stage: "Bench", Data: d})
}

func (b bench) dayLabels(w http.ResponseWriter, r *http.Request) error {
	d, err := b.sheetOf(r)
	if err != nil {
		return err
	}
	if len(d.Tags) == 0 {
		return nursery.Problem{Says: "No tag stands on that day. Plan the days first."}
	}
	return b.Show(w, r, b.views["labels"], page.Frame{Title: "Labels of " + d.Day.Format("2 January"), Stage: "Bench", Bare: true,
		Data: labelsPage{Tags: d.Tags, Back: "/bench/day/" + d.Day.Format(time.DateOnly)}})
}

func (b bench) key(w http.ResponseWriter, r *http.Request) error {
	return b.showKey(w, r, page.NewForm(), http.StatusOK)
}

func (b bench) showKey(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	d, err := b.sheetOf(r)
	if err != nil {
		return err
	}
	return b.ShowStatus(
		w,
		r,
		b.views["key"],
		page.Frame{Title: "Key in " + d.Day.Format("2 January"), Stage: "Bench", Data: d, Form: f},
		status,
	)
}

func (b bench) keyed(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	var lines []benchstage.Keyed
	for _, code := range f.Values["code"] {
		k := benchstage.Keyed{
			Code:         code,
			Tied:         f.Int("tied-" + code),
			SpoiledStock: f.Int("stock-" + code),
			SpoiledWood:  f.Int("wood-" + code),
			Dropped:      f.Int("dropped-" + code),
			SetAside:     f.Int("aside-" + code),
			Finish:       f.Text("finish-"+code) != "",
		}
		lines = append(lines, k)
	}
	n := 0
	if err = f.Err(); err == nil {
		n, err = b.Nursery.KeyDay(r.Context(), page.Actor(r), f.Once, lines)
	}
	if form, ok := f.WithProblems(err); ok {
		return b.showKey(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	b.Flash(r, "The sheet is kept: %d tags.", n)
	return page.Go(w, r, "/bench/day/"+chi.URLParam(r, "day"))
}

type handsPage struct {
	days.HandsPage
	days.ToolsPage
	Open int64 // whose form was sent
}

func (b bench) hands(w http.ResponseWriter, r *http.Request) error {
	return b.showHands(w, r, 0, page.NewForm(), http.StatusOK)
}

func (b bench) showHands(w http.ResponseWriter, r *http.Request, open int64, f page.Form, status int) error {
	p := handsPage{Open: open}
	var err error
	if p.HandsPage, err = b.Nursery.Hands(r.Context()); err != nil {
		return err
	}
	if p.ToolsPage, err = b.Nursery.Tools(r.Context()); err != nil {
		return err
	}
	return b.ShowStatus(w, r, b.views["hands"], page.Frame{Title: "Workers and hours", Stage: "Bench", Data: p, Form: f}, status)
}

// posted reads a form, and the id of whom or what it is about.
func posted(r *http.Request) (*page.Typed, int64, error) {
	f, err := page.ReadForm(r)
	if err != nil {
		return nil, 0, err
	}
	id, err := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	if err != nil {
		return nil, 0, nursery.ErrNotFound
	}
	return f, id, nil
}

// handsDone goes back to the hands, or shows what was wrong.
func (b bench) handsDone(w http.ResponseWriter, r *http.Request, id int64, f *page.Typed, err error, says string) error {
	if form, ok := f.WithProblems(err); ok {
		return b.showHands(w, r, id, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	b.Flash(r, "%s", says)
	return page.Go(w, r, "/bench/hands")
}

func (b bench) setWeek(w http.ResponseWriter, r *http.Request) error {
	f, id, err := posted(r)
	if err != nil {
		return err
	}
	week := days.Week{Knows: f.Values["knows"]}
	for d := 1; d <= 7; d++ {
		for half := 1; half <= 2; half++ {
			week.Hours[d][half] = f.Number(fmt.Sprintf("h-%d-%d", d, half))
		}
	}
	if err = f.Err(); err == nil {
		err = b.Nursery.SetWeek(r.Context(), page.Actor(r), id, week)
	}
	return b.handsDone(w, r, id, f, err, "The week is kept. Plan the days again to use it.")
}

func (b bench) away(w http.ResponseWriter, r *http.Request) error {
	f, id, err := posted(r)
	if err != nil {
		return err
	}
	from, to := f.Date("from"), f.Date("to")
	if err = f.Err(); err == nil {
		err = b.Nursery.AddAway(r.Context(), page.Actor(r), id, from, to, f.Text("why"))
	}
	return b.handsDone(w, r, id, f, err, "The days away are noted. Plan the days again to go round them.")
}

func (b bench) dropAway(w http.ResponseWriter, r *http.Request) error {
	f, id, err := posted(r)
	if err != nil {
		return err
	}
	return b.handsDone(w, r, 0, f, b.Nursery.DropAway(r.Context(), page.Actor(r), id), "They are there on those days after all.")
}

func (b bench) seats(w http.ResponseWriter, r *http.Request) error {
	f, id, err := posted(r)
	if err != nil {
		return err
	}
	n := f.Int("seats")
	if err = f.Err(); err == nil {
		err = b.Nursery.SetSeats(r.Context(), page.Actor(r), id, n)
	}
	return b.handsDone(w, r, 0, f, err, "The seats are kept.")
}

type teamPage struct {
	days.TeamPage
	Drawing template.HTML
}

// team works out how cutters and tiers share a technique's work.
func (b bench) team(w http.ResponseWriter, r *http.Request) error {
	read := func(name string) float64 {
		x, _ := strconv.ParseFloat(strings.Replace(r.URL.Query().Get(name), ",", ".", 1), 64)
		return x
	}
	tp, err := b.Nursery.Team(
		r.Context(),
		days.TeamAsked{Technique: r.URL.Query().Get("technique"), People: int(page.QueryInt(r, "people")),
			CutSeconds: read("cut"), TieSeconds: read("tie"), TierPct: read("tier")},
	)
	if err != nil {
		return err
	}
	p := teamPage{TeamPage: tp}
	if len(tp.Splits) > 0 {
		p.Drawing = draw.Team(tp)
	}
	return b.Show(w, r, b.views["team"], page.Frame{Title: "Team", Stage: "Bench", Data: p})
}
