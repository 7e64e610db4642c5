// Package stock is the Stock stage: lots, their diameters and their ledger.
package stock

import (
	"embed"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/working"
	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	stockstage "unionknot/internal/nursery/stock"
	"unionknot/internal/outlook"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"

	"html/template"
)

//go:embed templates/*.html
var files embed.FS

type stock struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the Stock stage's addresses.
func Routes(k *page.Kit) []page.Route {
	s := stock{k, page.Views(files)}
	return []page.Route{
		{Method: "GET", Path: "/stock", Who: page.Readers, Do: s.list},
		{Method: "POST", Path: "/stock", Who: page.Boss, Do: s.add},
		{Method: "GET", Path: "/stock/lots/{code}", Who: page.Readers, Do: s.lot},
		{Method: "POST", Path: "/stock/lots/{code}/readings", Who: page.Boss, Do: s.measure},
		{Method: "POST", Path: "/stock/lots/{code}/readings/back", Who: page.Boss, Do: s.takeBack},
		{Method: "POST", Path: "/stock/lots/{code}/readings/remove", Who: page.Boss, Do: s.unmeasure},
		{Method: "POST", Path: "/stock/lots/{code}/settle", Who: page.Boss, Do: s.settle},
		{Method: "GET", Path: "/stock/lots/{code}/caliper", Who: page.Boss, Do: s.caliper},
		{Method: "POST", Path: "/stock/lots/{code}/look", Who: page.Boss, Do: s.look},
		{Method: "POST", Path: "/stock/lots/{code}/recount", Who: page.Boss, Do: s.recount},
		{Method: "POST", Path: "/stock/lots/{code}/back", Who: page.Boss, Do: s.back},
		{Method: "POST", Path: "/stock/lots/{code}/let-in", Who: page.Boss, Do: s.letIn},
		{Method: "POST", Path: "/stock/lots/{code}/taper", Who: page.Boss, Do: s.taper},
		{Method: "POST", Path: "/stock/lots/{code}/form", Who: page.Boss, Do: s.moveStems},
	}
}

type lotLine struct {
	outlook.LotLine
	Spark template.HTML
}

type listPage struct {
	Lines         []lotLine
	Sift          page.Sift
	More          int64
	Genera        []nursery.Genus
	Stocks        []string
	Forms         []string
	Lots, Reading nursery.LoadKind
	Open          bool
}

func (s stock) list(w http.ResponseWriter, r *http.Request) error {
	return s.showList(w, r, page.NewForm("received_on", s.Nursery.Today().Format("2006-01-02"), "form", "bare-root"), http.StatusOK)
}

func (s stock) showList(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	p := listPage{Forms: stockstage.Forms, Open: status != http.StatusOK}
	p.Sift = page.Sift{Sieve: page.SieveOf(r), Path: "/stock", What: "lots", Left: "stems", Sorts: stockstage.Sorts, Kind: "stock"}
	var err error
	if p.Sift.Views, err = s.ViewsOf(r, "/stock"); err != nil {
		return err
	}
	lines, err := s.Nursery.Lots(r.Context(), p.Sift.Sieve, page.QueryInt(r, "after"))
	if err != nil {
		return err
	}
	if !p.Sift.All() {
		if p.Sift.Sifted, err = s.Nursery.SiftedLots(r.Context(), p.Sift.Sieve); err != nil {
			return err
		}
	}
	for _, l := range lines {
		p.Lines = append(p.Lines, lotLine{l, draw.Spark(l.Diameters, "stock")})
	}
	if len(lines) == nursery.PageSize {
		p.More = lines[len(lines)-1].Lot.ID
	}
	if p.Genera, err = s.Nursery.Genera(r.Context()); err != nil {
		return err
	}
	if _, p.Stocks, err = s.Nursery.Names(r.Context()); err != nil {
		return err
	}
	p.Lots, _ = nursery.KindOf("lots")
	p.Reading, _ = nursery.KindOf("readings")
	return s.ShowStatus(w, r, s.views["list"], page.Frame{Title: "Stock", Stage: "Stock", Data: p, Form: f}, status)
}

func (s stock) add(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := stockstage.NewLot{
		Code:      f.Text("code"),
		Genus:     f.Text("genus"),
		StockType: f.Text("stock_type"),
		Supplier:  f.Text("supplier"),
		Form:      f.Text("form"),
		Place:     f.Text("place"),
		Health: f.Text(
			"health",
		),
		ReceivedOn: f.Date("received_on"),
		Received:   f.Int("received"),
		GradeLow:   f.Number("grade_low"),
		GradeHigh:  f.Number("grade_high"),
	}
	if err = f.Err(); err == nil {
		err = s.Nursery.AddLot(r.Context(), page.Actor(r), n)
	}
	if form, ok := f.WithProblems(err); ok {
		return s.showList(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	code := strings.ToUpper(n.Code)
	s.Flash(r, "Lot %s is in. Measure a sample of it now.", code)
	return page.Go(w, r, "/stock/lots/"+code)
}

type lotPage struct {
	stockstage.LotPage
	Drawing       template.HTML
	GrowthDrawing template.HTML
	How           working.Working
	Sure          working.Working // of the share
	Rows          []classRow
	Last          []nursery.Reading

	Ready, Roots, Barks, Leaves []string
	Doings                      []string
	Moving                      bool // Match asks for it
}

type classRow struct {
	Class caliper.Class
	All   int
	Free  int
}

func (s stock) lot(w http.ResponseWriter, r *http.Request) error {
	return s.showLot(w, r, page.NewForm(), http.StatusOK)
}

func (s stock) showLot(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	least, _ := exchange.ParseNumber(r.URL.Query().Get("least"))
	lp, err := s.Nursery.Lot(r.Context(), chi.URLParam(r, "code"), least)
	if err != nil {
		return err
	}
	p := lotPage{
		LotPage: lp,
		Drawing: draw.Diameters(lp.Diameters, "stock", "Diameters of lot "+lp.Lot.Code),
		How:     howSpread(lp),
		Sure:    howSure(lp),
		GrowthDrawing: draw.Growth(
			lp.Grown,
		),
		Ready:  stockstage.LotReady,
		Roots:  stockstage.LotRoots,
		Barks:  stockstage.LotBark,
		Leaves: stockstage.LotLeaves,
		Moving: r.URL.Query().Has("move"),
	}
	for _, d := range stockstage.Doings {
		p.Doings = append(p.Doings, string(d.Name))
	}
	for _, c := range lp.Diameters.All {
		p.Rows = append(p.Rows, classRow{c.Class, c.N, freeIn(lp.Diameters.Free, c.Class)})
	}
	for i := len(lp.Readings) - 1; i >= 0 && len(p.Last) < 10; i-- {
		p.Last = append(p.Last, lp.Readings[i])
	}
	if page.IsPart(r) && r.Method == http.MethodGet {
		return s.Part(w, r, s.views["lot"], "share", p)
	}
	right, err := s.Nursery.Corrections(r.Context(), "lot", lp.Lot.Code)
	if err != nil {
		return err
	}
	return s.ShowStatus(w, r, s.views["lot"], page.Frame{Title: "Lot " + lp.Lot.Code, Stage: "Stock", PutRight: right, Data: p, Form: f},
		status)
}

func freeIn(cs []caliper.Count, c caliper.Class) int {
	for _, x := range cs {
		if x.Class == c {
			return x.N
		}
	}
	return 0
}

func howSpread(p stockstage.LotPage) working.Working {
	w := working.Working{
		Title:  "How many stems are in each class",
		Rule:   "lot from a sample",
		Answer: fmt.Sprintf("%d stems", p.Lot.Received),
		Says: "Classes of half a millimetre, named by their ends. The sample's shares are spread over the whole lot and rounded by " +
			"largest remainder, so that they add up to it.",
		Inputs: []working.Input{{Name: "Stems received", Value: words.Thousands(p.Lot.Received), Source: working.Entered},
			{
				Name:   "Measured",
				Value:  fmt.Sprintf("%d, of which the newest %d are used", len(p.Readings), len(p.Sample)),
				Source: working.Measured,
			}},
	}
	if len(p.Sample) == 0 {
		w.Rule, w.Says = "lot from its grade", "Nothing of this lot is measured. It is spread evenly over its grade, which is only a "+
			"guess: measure a sample."
		if p.Lot.GradeLow != nil {
			w.Inputs[1] = working.Input{
				Name:   "Grade",
				Value:  fmt.Sprintf("%g–%g mm", *p.Lot.GradeLow, *p.Lot.GradeHigh),
				Source: working.Entered,
			}
		}
	}
	return w
}

func howSure(p stockstage.LotPage) working.Working {
	return working.Working{
		Title:  fmt.Sprintf("Share of at least %g mm", p.AtLeast),
		Answer: words.Pct(p.Share.Share),
		Rule:   "share of at least x mm",
		Range:  fmt.Sprintf("%.0f–%.0f %%", p.Share.Low*100, p.Share.High*100),
		Says: "Stems of the sample that reach the diameter, over all measured. The range is the middle 90 % of a beta belief on a " +
			"flat prior; it has no width once every stem is measured.",
		Inputs: []working.Input{
			{
				Name:   "Reach it",
				Value:  fmt.Sprintf("%.0f of %d measured", p.Share.Share*float64(p.Share.Of), p.Share.Of),
				Source: working.Measured,
			},
			{Name: "Stems in the lot", Value: words.Thousands(p.Lot.Received), Source: working.Entered},
			{Name: "To halve the range", Value: fmt.Sprintf("measure %d more", p.Share.More), Source: "statistics"},
		},
	}
}

// lotForm carries on with a lot's page after something was done to the lot.
func (s stock) lotForm(w http.ResponseWriter, r *http.Request, f *page.Typed, err error, done string, args ...any) error {
	if form, ok := f.WithProblems(err); ok {
		return s.showLot(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	s.Flash(r, done, args...)
	return page.Go(w, r, "/stock/lots/"+chi.URLParam(r, "code")+"#measure")
}

func (s stock) measure(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	var mm []stockstage.Stem
	for _, word := range strings.FieldsFunc(f.Text("mm"),
		func(c rune) bool { return c == ' ' || c == '\n' || c == '\r' || c == '\t' || c == ';' }) {
		one, other, oval := strings.Cut(strings.NewReplacer("×", "x", "X", "x").Replace(word), "x")
		var x stockstage.Stem
		var perr error
		if x.MM, perr = exchange.ParseNumber(one); perr == nil && oval {
			x.Other, perr = exchange.ParseNumber(other)
		}
		if perr != nil && err == nil {
			err = nursery.Problem{Field: "mm", Says: perr.Error() + ". Nothing was kept: mend it and send again."}
		}
		mm = append(mm, x)
	}
	if err == nil {
		err = s.Nursery.AddStems(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), chi.URLParam(r, "code"), mm)
	}
	if page.IsPart(r) {
		return s.kept(w, r, f, err)
	}
	if len(mm) == 1 {
		return s.lotForm(w, r, f, err, "%g mm is kept.", mm[0].MM)
	}
	return s.lotForm(w, r, f, err, "%d readings are kept.", len(mm))
}

func (s stock) unmeasure(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	on, no := f.Date("on"), f.Int("no")
	if err = f.Err(); err == nil {
		err = s.Nursery.RemoveReading(r.Context(), page.Actor(r), chi.URLParam(r, "code"), on, no, f.Text("reading_why"))
	}
	return s.lotForm(w, r, f, err, "That reading is taken out.")
}

func (s stock) settle(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	from, to, _ := strings.Cut(f.Text("move"), ">")
	n := f.Int("n")
	if err = f.Err(); err == nil {
		err = s.Nursery.SettleStock(
			nursery.WithOnce(r.Context(), f.Once),
			page.Actor(r),
			chi.URLParam(r, "code"),
			from,
			to,
			f.Text("reason"),
			n,
		)
	}
	return s.lotForm(w, r, f, err, "%s stems moved from %s to %s.", strconv.Itoa(n), from, to)
}
