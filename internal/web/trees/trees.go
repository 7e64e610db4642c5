// Package trees shows trees of several unions, and who pollinates whom.
package trees

import (
	"embed"
	"fmt"
	"html/template"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	treestage "unionknot/internal/nursery/trees"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

//go:embed templates/*.html
var files embed.FS

type trees struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the addresses of trees of several unions and of flowers.
func Routes(k *page.Kit) []page.Route {
	t := trees{k, page.Views(files)}
	return []page.Route{
		{Method: "GET", Path: "/trees", Who: page.Everyone, Do: t.list},
		{Method: "POST", Path: "/trees", Who: page.Boss, Do: t.add},
		{Method: "POST", Path: "/trees/sets", Who: page.Boss, Do: t.addSet},
		{Method: "GET", Path: "/trees/{code}", Who: page.Everyone, Do: t.tree},
		{Method: "POST", Path: "/trees/{code}", Who: page.Boss, Do: t.change},
		{Method: "GET", Path: "/trees/{code}/labels", Who: page.Everyone, Do: t.labels},
		{Method: "POST", Path: "/trees/{code}/limbs", Who: page.Boss, Do: t.addLimb},
		{Method: "POST", Path: "/trees/{code}/limbs/{letter}", Who: page.Boss, Do: t.changeLimb},
		{Method: "POST", Path: "/trees/{code}/limbs/{letter}/shape", Who: page.Boss, Do: t.shape},
		{Method: "POST", Path: "/trees/{code}/limbs/{letter}/want", Who: page.Boss, Do: t.want},
		{Method: "POST", Path: "/trees/{code}/limbs/{letter}/again", Who: page.Boss, Do: t.again},
		{Method: "POST", Path: "/trees/{code}/limbs/{letter}/gone", Who: page.Boss, Do: t.gone},
		{Method: "POST", Path: "/trees/{code}/limbs/{letter}/did", Who: page.Hands, Do: t.did},
		{Method: "POST", Path: "/trees/{code}/undo", Who: page.Boss, Do: t.undo},
		{Method: "GET", Path: "/flowers", Who: page.Everyone, Do: t.flowers},
		{Method: "POST", Path: "/flowers", Who: page.Boss, Do: t.noteFlower},
		{Method: "POST", Path: "/flowers/spots", Who: page.Boss, Do: t.noteSpot},
	}
}

type listPage struct {
	treestage.List
	Boss  bool
	Due   string
	Names []string // of the form that was wrong
}

func (t trees) list(w http.ResponseWriter, r *http.Request) error {
	return t.showList(w, r, page.NewForm("places", "3"), http.StatusOK)
}

func (t trees) showList(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	l, err := t.Nursery.Trees(r.Context())
	if err != nil {
		return err
	}
	return t.ShowStatus(w, r, t.views["list"], page.Frame{Title: "Trees of several unions", Stage: "Grow on", Form: f, Facts: l.Facts,
		Data: listPage{List: l, Boss: page.Actor(r).Role == nursery.Propagator, Due: t.Nursery.DueBy().Format(time.DateOnly)}}, status)
}

func optional(f *page.Typed, name string) int {
	if f.Text(name) == "" {
		return 0
	}
	return f.Int(name)
}

func measured(f *page.Typed, name string) float64 {
	if f.Text(name) == "" {
		return 0
	}
	return f.Number(name)
}

func readTree(f *page.Typed) treestage.NewTree {
	return treestage.NewTree{Code: f.Text("code"), Genus: f.Text("genus"), Stock: f.Text("stock"), Place: f.Text("place"),
		Note:    f.Text("note"),
		Planted: optional(f, "planted"), GirthMM: optional(f, "girth")}
}

func (t trees) add(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := readTree(f)
	if err = f.Err(); err == nil {
		err = t.Nursery.AddTree(r.Context(), page.Actor(r), n)
	}
	if form, ok := f.WithProblems(err); ok {
		return t.showList(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	t.Flash(r, "Tree %s is noted. Draw its limbs.", nursery.CleanCode(n.Code))
	return page.Go(w, r, "/trees/"+nursery.CleanCode(n.Code))
}

func (t trees) addSet(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := treestage.NewSet{Code: f.Text("code"), Kind: f.Text("kind"), Lot: f.Text("lot"), Place: f.Text("place"), Buyer: f.Text("buyer"),
		Wanted: f.Int("wanted"), Begin: optional(f, "begin"), Genus: f.Text("genus"), TopGenus: f.Text("top_genus"),
		DueOn:     f.Date("due_on"),
		Varieties: strings.Split(f.Values.Get("varieties"), "\n"), Sure: f.Text("sure") == "yes"}
	if n.Kind != treestage.Interstem {
		n.Kind = treestage.Family
	}
	begun := 0
	if err = f.Err(); err == nil {
		begun, err = t.Nursery.AddSet(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), n)
	}
	if form, ok := f.WithProblems(err); ok {
		form.Prefix = "set-"
		return t.showList(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	t.Flash(r, "%s", words.SetBegun(begun, n.Wanted))
	return page.Go(w, r, "/trees/"+nursery.CleanCode(n.Code))
}

type limbLine struct {
	treestage.LimbView
	Says    string
	Class   string
	Counts  string
	Next    []string
	Weaves  bool
	Size    string // what its size takes
	Again   bool
	Working working.Working
}

type treePage struct {
	treestage.Page
	Drawing, Chart template.HTML
	Lines          []limbLine
	Gaps           []string
	Boss, Can      bool
	Working        working.Working
	Answer, Enough string
	At             string // the limb whose form was wrong
	Doings         []string
	KindSays       string
	Days           func(time.Time) string
}

func day(d time.Time) string {
	if d.IsZero() {
		return ""
	}
	return d.Format("2 January")
}

// lineOf says what a limb's view tells.
func lineOf(p treestage.Page, v treestage.LimbView, boss bool) limbLine {
	l := limbLine{LimbView: v}
	n := v.Alive + v.Doubtful
	if v.State == treestage.NoWood {
		n = v.Short
	}
	l.Says = words.LimbSays(string(v.State), n, day(v.OpensOn), day(v.ShutsOn), strings.ToLower(v.By.Name))
	if v.State == treestage.Nurse {
		l.Says = words.NurseUntil(v.NurseUntil)
	}
	if len(v.Fits) > 0 && v.Alive == 0 && v.Healing == 0 && !v.Nurse && v.RemovedOn == nil {
		l.Size = words.SizeTakes(v.Fits, *v.MM)
	}
	l.Class = map[treestage.State]string{treestage.Lives: "leaf-word", treestage.Choose: "doubt-word", treestage.Again: "lost-word",
		treestage.NoWood: "lost-word", treestage.NoRoom: "lost-word", treestage.Open: "leaf-word"}[v.State]
	l.Counts = words.LimbCounts(v.Alive, v.Doubtful, v.Healing, v.Bench, v.Dead, v.Cut)
	for _, s := range v.Steps {
		k, _ := aftercare.NameOf(s.Step)
		l.Next = append(l.Next, words.StepUntil(words.KnotSays(k, s.N), s.By))
	}
	if v.Late > 0 {
		l.Next = append(l.Next, words.StepsLate(v.Late))
	}
	l.Weaves = boss && v.ToGo > 0 && (v.State == treestage.Open || v.State == treestage.Again)
	l.Again = boss && p.Trees > 1 && v.Dead > v.Places-p.Trees && v.RemovedOn == nil
	l.Working = working.Working{Title: p.Code + " " + v.Letter, Answer: words.InHundred(v.Chance), Rule: words.TreeRule,
		Says: words.LimbChanceSays,
		Inputs: []working.Input{
			{Name: words.LimbLives, Value: strconv.Itoa(v.Alive), Source: working.Measured},
			{Name: words.LimbWaits, Value: strconv.Itoa(v.Healing + v.Bench + v.ToGo + v.Doubtful), Source: working.OwnRecords},
		}}
	if v.Line != nil {
		l.Working.Inputs = append(l.Working.Inputs, working.Input{Name: words.LimbTake,
			Value:  words.PctRange(v.Line.Need.By.Take.Interval90()),
			Source: working.OwnRecords})
	}
	return l
}

func (t trees) tree(w http.ResponseWriter, r *http.Request) error {
	return t.showTree(w, r, chi.URLParam(r, "code"), "", page.NewForm(), http.StatusOK)
}

func (t trees) showTree(w http.ResponseWriter, r *http.Request, code, at string, f page.Form, status int) error {
	p, err := t.Nursery.Tree(r.Context(), code)
	if err != nil {
		return err
	}
	role := page.Actor(r).Role
	tp := treePage{Page: p, Boss: role == nursery.Propagator, Can: role != nursery.Looker, At: strings.ToUpper(at),
		Doings:   treestage.Doings,
		KindSays: words.TreeKind(p.Kind), Days: day}
	tp.Drawing = draw.Tree(p, tp.Boss)
	if len(p.Flowers) > 0 {
		tp.Chart = draw.Flowers(p.Flowers, t.Nursery.Today().Year())
	}
	for _, v := range p.Limbs {
		tp.Lines = append(tp.Lines, lineOf(p, v, tp.Boss))
	}
	for _, g := range p.Gaps {
		tp.Gaps = append(tp.Gaps, gapSays(g))
	}
	tp.Answer = words.InHundred(p.Chance)
	tp.Working = working.Working{Title: p.Code, Answer: tp.Answer, Rule: words.TreeRule, Says: words.TreesAddsUp}
	if p.Trees > 1 {
		tp.Answer, tp.Enough = words.GoodTrees(p.Good), words.EnoughTrees(p.Wanted, p.Enough)
		tp.Working.Answer, tp.Working.Range = tp.Answer, tp.Enough
	}
	for _, l := range tp.Lines {
		if l.Order != "" && l.RemovedOn == nil {
			tp.Working.Inputs = append(tp.Working.Inputs, working.Input{Name: l.Letter + " " + l.Variety, Value: words.InHundred(l.Chance),
				Source: working.OwnRecords})
		}
	}
	return t.ShowStatus(w, r, t.views["tree"], page.Frame{Title: "Tree " + p.Code, Stage: "Grow on", Form: f, Facts: p.Facts, Data: tp},
		status)
}

// done goes back to a tree, or shows it with what was wrong.
func (t trees) done(w http.ResponseWriter, r *http.Request, f *page.Typed, at string, err error, says string) error {
	code := nursery.CleanCode(chi.URLParam(r, "code"))
	if form, ok := f.WithProblems(err); ok {
		return t.showTree(w, r, code, at, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	t.Flash(r, "%s", says)
	return page.Go(w, r, "/trees/"+code)
}

func (t trees) change(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := readTree(f)
	if err = f.Err(); err == nil {
		err = t.Nursery.ChangeTree(r.Context(), page.Actor(r), chi.URLParam(r, "code"), n)
	}
	return t.done(w, r, f, "", err, "That is kept.")
}

func readLimb(f *page.Typed) treestage.NewLimb {
	n := treestage.NewLimb{Name: f.Text("name"), MM: measured(f, "mm"), HeightCM: optional(f, "height"), Places: optional(f, "places"),
		Nurse: f.Text("nurse") == "yes", FromY: optional(f, "from_y"), TipX: optional(f, "tip_x"), TipY: optional(f, "tip_y")}
	return n
}

func (t trees) addLimb(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n, letter := readLimb(f), ""
	if err = f.Err(); err == nil {
		letter, err = t.Nursery.AddLimb(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), chi.URLParam(r, "code"), n)
	}
	return t.done(w, r, f, "new", err, words.LimbDrawn(letter))
}

func (t trees) changeLimb(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	letter := chi.URLParam(r, "letter")
	n := readLimb(f)
	if err = f.Err(); err == nil {
		err = t.Nursery.ChangeLimb(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), chi.URLParam(r, "code"), letter, n)
	}
	return t.done(w, r, f, letter, err, "That is kept.")
}

// shape keeps where a limb is drawn, as it was dragged.
func (t trees) shape(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	fromY, x, y := f.Int("from_y"), f.Int("tip_x"), f.Int("tip_y")
	if err := f.Err(); err != nil {
		return err
	}
	if err := t.Nursery.ShapeLimb(r.Context(), page.Actor(r), chi.URLParam(r, "code"), chi.URLParam(r, "letter"), fromY, x, y); err != nil {
		return err
	}
	w.WriteHeader(http.StatusNoContent)
	return nil
}

func (t trees) want(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	letter := chi.URLParam(r, "letter")
	err = t.Nursery.WantOn(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), chi.URLParam(r, "code"), letter,
		treestage.Want{Variety: f.Text("variety"), Genus: f.Text("genus"),
			Sure: f.Text("sure") == "yes"})
	return t.done(w, r, f, letter, err, words.LimbWanted(f.Text("variety"), strings.ToUpper(letter)))
}

func (t trees) again(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	letter := chi.URLParam(r, "letter")
	n, err := t.Nursery.TryAgain(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), chi.URLParam(r, "code"), letter)
	return t.done(w, r, f, letter, err, words.TriedAgain(n, strings.ToUpper(letter)))
}

func (t trees) gone(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	letter := chi.URLParam(r, "letter")
	err = t.Nursery.RemoveLimb(r.Context(), page.Actor(r), chi.URLParam(r, "code"), letter, treestage.Removal{Act: f.Once,
		Why:  f.Text("why"),
		Sure: f.Text("sure") == "yes"})
	return t.done(w, r, f, letter, err, words.LimbGone(strings.ToUpper(letter)))
}

func (t trees) did(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	letter := chi.URLParam(r, "letter")
	d := treestage.Did{Act: f.Once, What: f.Text("what"), Tag: f.Text("tag"), N: optional(f, "n"), Note: f.Text("note")}
	if err = f.Err(); err == nil {
		err = t.Nursery.DoOnLimb(r.Context(), page.Actor(r), chi.URLParam(r, "code"), letter, d)
	}
	return t.done(w, r, f, letter, err, "That is kept.")
}

func (t trees) undo(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = t.Nursery.UndoDid(r.Context(), page.Actor(r), chi.URLParam(r, "code"), f.Text("act"))
	return t.done(w, r, f, "", err, "That is taken back.")
}

type labelsPage struct {
	treestage.Page
	Each []labelLine
}

type labelLine struct {
	treestage.LimbView
	Technique string
	Year      string
	With      string // who of the tree pollinates it
}

// labels prints two labels for each limb that bears something: one may be lost.
func (t trees) labels(w http.ResponseWriter, r *http.Request) error {
	p, err := t.Nursery.Tree(r.Context(), chi.URLParam(r, "code"))
	if err != nil {
		return err
	}
	lp := labelsPage{Page: p}
	for _, v := range p.Limbs {
		if v.RemovedOn != nil || v.Order == "" {
			continue
		}
		l := labelLine{LimbView: v}
		for _, x := range v.Tags {
			if x.Finished != nil && x.Standing > 0 {
				l.Technique, l.Year = x.Technique, fmt.Sprint(x.Finished.Year())
			}
		}
		l.With = pollinators(p, v)
		lp.Each = append(lp.Each, l, l)
	}
	return t.Show(w, r, t.views["labels"], page.Frame{Title: "Labels of the limbs of " + p.Code, Bare: true, Data: lp})
}
