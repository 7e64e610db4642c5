// Package rows shows the rows of the fields, and the order in which they are worked.
package rows

import (
	"embed"
	"fmt"
	"html/template"
	"net/http"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/nursery"
	rowstage "unionknot/internal/nursery/rows"
	"unionknot/internal/outlook"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

//go:embed templates/*.html
var files embed.FS

type rows struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the addresses of rows.
func Routes(k *page.Kit) []page.Route {
	x := rows{k, page.Views(files)}
	return []page.Route{
		{Method: "GET", Path: "/rows", Who: page.Everyone, Do: x.list},
		{Method: "POST", Path: "/rows", Who: page.Boss, Do: x.add},
		{Method: "GET", Path: "/rows/{row}", Who: page.Everyone, Do: x.row},
		{Method: "POST", Path: "/rows/{row}", Who: page.Boss, Do: x.change},
		{Method: "POST", Path: "/rows/{row}/number", Who: page.Boss, Do: x.number},
		{Method: "POST", Path: "/rows/{row}/gone", Who: page.Boss, Do: x.gone},
		{Method: "POST", Path: "/rows/{row}/stand", Who: page.Boss, Do: x.stand},
		{Method: "POST", Path: "/rows/{row}/restand", Who: page.Boss, Do: x.restand},
		{Method: "POST", Path: "/rows/{row}/gap", Who: page.Hands, Do: x.gap},
		{Method: "POST", Path: "/rows/{row}/gap/undo", Who: page.Hands, Do: x.undoGap},
		{Method: "POST", Path: "/rows/{row}/soil", Who: page.Hands, Do: x.soil},
		{Method: "POST", Path: "/rows/{row}/soil/undo", Who: page.Hands, Do: x.undoSoil},
		{Method: "POST", Path: "/rows/{row}/begins", Who: page.Hands, Do: x.begins},
	}
}

type kindChoice struct {
	Key, Name string
	On        bool
}

type turnLine struct {
	rowstage.Line
	Says, Side, Days string
}

type listPage struct {
	rowstage.Page
	Kinds []kindChoice
	Maps  []template.HTML
	Turns []turnLine
	Hour  page.Figure // of the crew
	Pace  string
	Care  string
	Boss  bool
	All   []rowstage.Line
}

func (x rows) list(w http.ResponseWriter, r *http.Request) error {
	return x.showList(w, r, page.NewForm("spacing", "25", "bearing", "0"), http.StatusOK)
}

func number(s string, or float64) float64 {
	if n, err := strconv.ParseFloat(s, 64); err == nil {
		return n
	}
	return or
}

func (x rows) showList(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	q := r.URL.Query()
	u := rowstage.UsualCrew
	crew := rowstage.Crew{Budders: int(number(q.Get("budders"), float64(u.Budders))), Wrappers: int(number(q.Get("wrappers"),
		float64(u.Wrappers))),
		HoursA: number(q.Get("am"), u.HoursA), HoursB: number(q.Get("pm"), u.HoursB), Row: page.QueryInt(r, "at")}
	p, err := x.Nursery.Rows(r.Context(), rowstage.Kind(q.Get("work")), crew)
	if err != nil {
		return err
	}
	l := listPage{Page: p, Boss: page.Actor(r).Role == nursery.Propagator}
	for _, k := range rowstage.Kinds {
		l.Kinds = append(l.Kinds, kindChoice{string(k), words.RowKind(string(k)), k == p.Kind})
	}
	for _, fl := range p.Fields {
		l.Maps = append(l.Maps, draw.FieldMap(fl))
		l.All = append(l.All, fl.Rows...)
	}
	for _, t := range p.Turns {
		closes := ""
		if !t.Closes.IsZero() {
			closes = t.Closes.Format("2 January")
		}
		line := turnLine{Line: t, Says: words.RowWhy(t.Why, closes), Side: words.RowSide(t.Side.Side, t.Side.Bearing, t.Side.Any,
			t.Side.NoWind, t.Side.Windward)}
		if !t.From.IsZero() {
			line.Days = t.From.Format("2 Jan")
			if !t.To.Equal(t.From) {
				line.Days += "–" + t.To.Format("2 Jan")
			}
		}
		l.Turns = append(l.Turns, line)
	}
	if p.AnHour > 0 {
		behind := p.Crew.Wrappers
		if p.Kind != rowstage.Bud {
			behind = 0
		}
		l.Hour = page.Figure{Text: words.CrewHour(p.AnHour)}
		if p.Kind == rowstage.Bud {
			l.Hour.Working = words.BuddingWorking(p.By, p.Crew.Budders, behind, p.Buds, p.Own.Alone, p.Own.Pairs, p.Of, outlook.CutShare,
				p.AnHour)
		} else {
			l.Hour.Working = words.CrewWorking(string(p.Kind), p.Crew.Budders, p.Walked, p.Of)
		}
		l.Pace = words.CrewPace(p.Crew.Budders, behind, p.AnHour, p.ADay, p.Alone)
		l.Care = words.CrewCare(p.Crew.Budders + behind)
	}
	return x.ShowStatus(w, r, x.views["list"], page.Frame{Title: "Rows", Stage: "Grow on", Form: f, Facts: p.Facts, Data: l}, status)
}

func readRow(f *page.Typed) rowstage.NewRow {
	n := rowstage.NewRow{Field: f.Text("field"), Bearing: f.Int("bearing"), SpacingCM: f.Int("spacing"), Note: f.Text("note"), WindFrom: -1}
	if f.Text("wind") != "" {
		n.WindFrom = f.Int("wind")
	}
	return n
}

func (x rows) add(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := readRow(f)
	n.Number = f.Int("number")
	var id int64
	if err = f.Err(); err == nil {
		id, err = x.Nursery.AddRow(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), n)
	}
	if form, ok := f.WithProblems(err); ok {
		return x.showList(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	x.Flash(r, "%s is noted. Say what stands in it.", words.RowPlace(n.Field, n.Number))
	if id == 0 {
		return page.Go(w, r, "/rows")
	}
	return page.Go(w, r, "/rows/"+page.ID(id))
}

type laidLine struct {
	rowstage.Laid
	Begins, Ends int
	Noted        int // where it begins, by hand
}

type rowPage struct {
	rowstage.RowPage
	Drawing template.HTML
	SideOf  template.HTML
	SideTo  string
	Warns   string
	Boss    bool
	Can     bool // who asks notes gaps, soil and where tags begin
	Lines   []laidLine
	UUID    func() string
	Today   string
	Missing int // stems of its lots less its plants
	Walk    template.URL
}

func (x rows) row(w http.ResponseWriter, r *http.Request) error {
	return x.showRow(w, r, page.NewForm(), http.StatusOK)
}

func rowID(r *http.Request) (int64, error) {
	id, err := strconv.ParseInt(chi.URLParam(r, "row"), 10, 64)
	if err != nil {
		return 0, nursery.ErrNotFound
	}
	return id, nil
}

func (x rows) showRow(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	id, err := rowID(r)
	if err != nil {
		return err
	}
	p, err := x.Nursery.Row(r.Context(), id)
	if err != nil {
		return err
	}
	l := rowPage{RowPage: p, Drawing: draw.RowLine(p), Boss: page.Actor(r).Role == nursery.Propagator,
		Can: page.Allowed(page.Actor(r).Role, page.Hands), UUID: page.UUID,
		Today: x.Nursery.Today().Format(time.DateOnly), Warns: words.SoilWarns(string(p.Soil)),
		SideTo: words.RowSide(p.Side.Side, p.Side.Bearing, p.Side.Any, p.Side.NoWind, p.Side.Windward)}
	l.SideOf = draw.RowSide(p.Side.Side, l.SideTo)
	l.Missing = rowstage.Lacks(p.Row)
	for _, t := range p.Laid {
		l.Lines = append(l.Lines, laidLine{t, t.Stretch.First, t.Stretch.Last, t.RowTag.First})
	}
	return x.ShowStatus(w, r, x.views["row"], page.Frame{Title: words.Capital(p.Place), Stage: "Grow on", Form: f, Facts: p.Facts,
		Data: l}, status)
}

// at does something with a row and shows it again.
func (x rows) at(w http.ResponseWriter, r *http.Request, do func(f *page.Typed, id int64) (string, error)) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	id, err := rowID(r)
	if err != nil {
		return err
	}
	says, err := do(f, id)
	if err == nil {
		err = f.Err()
	}
	if form, ok := f.WithProblems(err); ok {
		return x.showRow(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	x.Flash(r, "%s", says)
	return page.Go(w, r, fmt.Sprintf("/rows/%d", id))
}

func (x rows) change(w http.ResponseWriter, r *http.Request) error {
	return x.at(w, r, func(f *page.Typed, id int64) (string, error) {
		n := readRow(f)
		if err := f.Err(); err != nil {
			return "", err
		}
		return "The row is put right.", x.Nursery.ChangeRow(r.Context(), page.Actor(r), id, n)
	})
}

func (x rows) number(w http.ResponseWriter, r *http.Request) error {
	return x.at(w, r, func(f *page.Typed, id int64) (string, error) {
		n := f.Int("number")
		if err := f.Err(); err != nil {
			return "", err
		}
		return words.Renumbered(words.RowPlace(f.Text("field"), n)), x.Nursery.Renumber(r.Context(), page.Actor(r), id, f.Text("field"),
			n, f.Text("swap") == "yes")
	})
}

func (x rows) gone(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	id, err := rowID(r)
	if err != nil {
		return err
	}
	err = x.Nursery.RemoveRow(r.Context(), page.Actor(r), id)
	if form, ok := f.WithProblems(err); ok {
		return x.showRow(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	x.Flash(r, "The row is off the map.")
	return page.Go(w, r, "/rows")
}

func optional(f *page.Typed, name string) int {
	if f.Text(name) == "" {
		return 0
	}
	return f.Int(name)
}

func (x rows) stand(w http.ResponseWriter, r *http.Request) error {
	return x.at(w, r, func(f *page.Typed, id int64) (string, error) {
		n := rowstage.Standing{Lot: f.Text("lot"), N: optional(f, "n"), First: optional(f, "first"), NewCode: f.Text("new_code")}
		if err := f.Err(); err != nil {
			return "", err
		}
		code, err := x.Nursery.Stand(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), id, n)
		return words.StandsInRow(code), err
	})
}

func (x rows) restand(w http.ResponseWriter, r *http.Request) error {
	return x.at(w, r, func(f *page.Typed, id int64) (string, error) {
		stand := int64(f.Int("stand"))
		if f.Text("gone") == "yes" {
			return "It is off this row's map.", x.Nursery.Unstand(r.Context(), page.Actor(r), id, stand)
		}
		first, last := f.Int("first"), f.Int("last")
		if err := f.Err(); err != nil {
			return "", err
		}
		return "The plants are put right.", x.Nursery.Restand(r.Context(), page.Actor(r), id, stand, first, last)
	})
}

func (x rows) gap(w http.ResponseWriter, r *http.Request) error {
	return x.at(w, r, func(f *page.Typed, id int64) (string, error) {
		at := f.Int("at")
		if err := f.Err(); err != nil {
			return "", err
		}
		tag, err := x.Nursery.NoteGap(r.Context(), page.Actor(r), id, rowstage.Gap{ID: f.Once, At: at, Why: f.Text("why")})
		if tag != "" {
			return words.GapOnTag(at, tag), err
		}
		return words.GapNoted(at), err
	})
}

func (x rows) undoGap(w http.ResponseWriter, r *http.Request) error {
	return x.at(w, r, func(f *page.Typed, id int64) (string, error) {
		return "The gap is taken back.", x.Nursery.UndoGap(r.Context(), page.Actor(r), id, f.Text("gap"))
	})
}

func (x rows) soil(w http.ResponseWriter, r *http.Request) error {
	return x.at(w, r, func(f *page.Typed, id int64) (string, error) {
		on := f.Date("on")
		if err := f.Err(); err != nil {
			return "", err
		}
		return "The soil is noted.", x.Nursery.NoteSoil(r.Context(), page.Actor(r), id, f.Once, f.Text("soil"), on)
	})
}

func (x rows) undoSoil(w http.ResponseWriter, r *http.Request) error {
	return x.at(w, r, func(f *page.Typed, id int64) (string, error) {
		return "Taken back.", x.Nursery.UndoSoil(r.Context(), page.Actor(r), id, f.Text("note"))
	})
}

func (x rows) begins(w http.ResponseWriter, r *http.Request) error {
	return x.at(w, r, func(f *page.Typed, id int64) (string, error) {
		first := optional(f, "begins")
		if err := f.Err(); err != nil {
			return "", err
		}
		return words.BeginsAt(f.Text("tag"), first), x.Nursery.BeginAt(r.Context(), page.Actor(r), id, f.Text("tag"), first)
	})
}
