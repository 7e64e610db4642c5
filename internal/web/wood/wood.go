// Package wood is the Wood stage: mother plants, and the bundles cut from
// them.
package wood

import (
	"embed"
	"fmt"
	"html/template"
	"net/http"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	woodstage "unionknot/internal/nursery/wood"
	"unionknot/internal/outlook"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
)

//go:embed templates/*.html
var files embed.FS

type wood struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the Wood stage's addresses.
func Routes(k *page.Kit) []page.Route {
	s := wood{k, page.Views(files)}
	return []page.Route{
		{Method: "GET", Path: "/wood", Who: page.Readers, Do: s.list},
		{Method: "POST", Path: "/wood/plants", Who: page.Boss, Do: s.addPlant},
		{Method: "POST", Path: "/wood/bundles", Who: page.Boss, Do: s.addBundle},
		{Method: "GET", Path: "/wood/plants/{code}", Who: page.Readers, Do: s.plant},
		{Method: "GET", Path: "/wood/bundles/{code}", Who: page.Readers, Do: s.bundle},
		{Method: "POST", Path: "/wood/bundles/{code}/throw-out", Who: page.Boss, Do: s.throwOut},
		{Method: "POST", Path: "/wood/bundles/{code}/move", Who: page.Boss, Do: s.move},
		{Method: "POST", Path: "/wood/bundles/{code}/let-in", Who: page.Boss, Do: s.letIn},
		{Method: "GET", Path: "/wood/collect", Who: page.Readers, Do: s.collect},
		{Method: "POST", Path: "/wood/collect", Who: page.Boss, Do: s.cut},
		{Method: "GET", Path: "/wood/collect/labels", Who: page.Readers, Do: s.collectLabels},
		{Method: "POST", Path: "/wood/collect/codes", Who: page.Boss, Do: s.reserve},
		{Method: "POST", Path: "/wood/collect/drop", Who: page.Boss, Do: s.dropLabel},
		{Method: "POST", Path: "/wood/collect/print", Who: page.Boss, Do: s.print},
		{Method: "POST", Path: "/wood/plants/{code}/seen", Who: page.Boss, Do: s.see},
		{Method: "POST", Path: "/wood/plants/{code}/photos", Who: page.Boss, Do: s.addPhoto},
		{Method: "POST", Path: "/wood/plants/{code}/photos/remove", Who: page.Boss, Do: s.dropPhoto},
		{Method: "GET", Path: "/wood/photos/{id}", Who: page.Readers, Do: s.photo},
		{Method: "GET", Path: "/wood/store", Who: page.Everyone, Do: s.colds},
		{Method: "POST", Path: "/wood/store", Who: page.Boss, Do: s.coldForm("add", s.addCold)},
		{Method: "POST", Path: "/wood/store/settings", Who: page.Boss, Do: s.coldForm("settings", s.setCold)},
		{Method: "POST", Path: "/wood/store/read", Who: page.Hands, Do: s.coldForm("read", s.readCold)},
		{Method: "POST", Path: "/wood/store/look", Who: page.Hands, Do: s.coldForm("look", s.lookCold)},
		{Method: "POST", Path: "/wood/store/doubt", Who: page.Boss, Do: s.coldForm("doubt", s.doubtCold)},
		{Method: "POST", Path: "/wood/store/key", Who: page.Boss, Do: s.newKey},
	}
}

type bundleLine struct {
	outlook.BundleLine
	Spark template.HTML
}

type listPage struct {
	Marks         map[string][]string
	Measured      []string
	Parts         []string
	Plants        []nursery.Plant
	Bundles       []bundleLine
	Sift          page.Sift // of the bundles; the plants follow its words
	MorePlants    string
	MoreBundles   int64
	Genera        []nursery.Genus
	Varieties     []string
	States        []string
	PlantK, BundK nursery.LoadKind
	SentPlant     bool
	SentBundle    bool
	OpenBundle    bool
}

func (s wood) list(w http.ResponseWriter, r *http.Request) error {
	return s.showList(
		w,
		r,
		page.NewForm(
			"cut_on",
			s.Nursery.Today().Format("2006-01-02"),
			"state",
			"resting",
			"buds_per_piece",
			"3",
			"plant",
			r.URL.Query().Get("plant"),
		),
		http.StatusOK,
		"",
	)
}

func (s wood) showList(w http.ResponseWriter, r *http.Request, f page.Form, status int, which string) error {
	sift := page.Sift{Sieve: page.SieveOf(r), Path: "/wood", What: "bundles", Left: "pieces", Sorts: woodstage.Sorts, Kind: "wood"}
	var err error
	if sift.Views, err = s.ViewsOf(r, "/wood"); err != nil {
		return err
	}
	wp, err := s.Nursery.Wood(r.Context(), sift.Sieve, r.URL.Query().Get("plants"), page.QueryInt(r, "bundles"))
	if err != nil {
		return err
	}
	if !sift.All() {
		if sift.Sifted, err = s.Nursery.SiftedBundles(r.Context(), sift.Sieve); err != nil {
			return err
		}
	}
	p := listPage{
		Sift:       sift,
		Plants:     wp.Plants,
		States:     outlook.WoodStates,
		SentPlant:  which == "plant",
		SentBundle: which == "bundle",
		OpenBundle: which == "bundle" || r.URL.Query().Get("plant") != "",
	}
	for _, b := range wp.Bundles {
		p.Bundles = append(p.Bundles, bundleLine{b, draw.Spark(b.Diameters, "scion")})
	}
	if len(wp.Plants) == nursery.PageSize {
		p.MorePlants = wp.Plants[39].Code
	}
	if len(wp.Bundles) == nursery.PageSize {
		p.MoreBundles = wp.Bundles[39].Bundle.ID
	}
	if p.Genera, err = s.Nursery.Genera(r.Context()); err != nil {
		return err
	}
	if p.Varieties, _, err = s.Nursery.Names(r.Context()); err != nil {
		return err
	}
	p.Marks, p.Measured, p.Parts = woodstage.Marks, outlook.Measured, woodstage.Parts
	p.PlantK, _ = nursery.KindOf("plants")
	p.BundK, _ = nursery.KindOf("bundles")
	return s.ShowStatus(w, r, s.views["list"], page.Frame{Title: "Wood", Stage: "Wood", Data: p, Form: f}, status)
}

func (s wood) addPlant(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := woodstage.NewPlant{
		Code:        f.Text("code"),
		Genus:       f.Text("genus"),
		Variety:     f.Text("variety"),
		Place:       f.Text("place"),
		SeenTrueBy:  f.Text("seen_true_by"),
		Health:      f.Text("health"),
		Licence:     f.Text("licence"),
		PlantedYear: f.Int("planted_year"),
		SeenTrueOn:  f.Date("seen_true_on"),
	}
	if err = f.Err(); err == nil {
		err = s.Nursery.AddPlant(r.Context(), page.Actor(r), n)
	}
	if form, ok := f.WithProblems(err); ok {
		return s.showList(w, r, form, http.StatusUnprocessableEntity, "plant")
	} else if err != nil {
		return err
	}
	s.Flash(r, "Mother plant %s is noted.", strings.ToUpper(n.Code))
	return page.Go(w, r, "/wood?plant="+strings.ToUpper(n.Code))
}

// bundleOf reads what was typed of a bundle.
func bundleOf(f *page.Typed) woodstage.NewBundle {
	return woodstage.NewBundle{
		Code:   f.Text("code"),
		Plant:  f.Text("plant"),
		State:  f.Text("state"),
		Place:  f.Text("place"),
		CutOn:  f.Date("cut_on"),
		Sticks: f.Int("sticks"),
		LengthMM: f.Number(
			"length_mm",
		),
		BaseMM:       f.Number("base_mm"),
		TipMM:        f.Number("tip_mm"),
		InternodeMM:  f.Number("internode_mm"),
		BlindPct:     f.Number("blind_pct"),
		BudsPerPiece: f.Int("buds_per_piece"),
		Whole: outlook.IsWhole(
			f.Text("measured"),
			f.Number("length_mm"),
		),
		Sealed:  f.Text("sealed") != "",
		Marks:   f.Values["marks"],
		Dropped: f.Int("dropped"),
		Sure:    f.Text("sure") != "",
		CutLate: f.Date("cut_late"), Part: f.Text("part"),
		BoughtFrom: f.Text("bought_from"), Variety: f.Text("variety"), Genus: strings.ToLower(f.Text("genus")),
	}
}

func (s wood) addBundle(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := bundleOf(f)
	if err = f.Err(); err == nil {
		err = s.Nursery.AddBundle(r.Context(), page.Actor(r), n)
	}
	if form, ok := f.WithProblems(err); ok {
		return s.showList(w, r, form, http.StatusUnprocessableEntity, "bundle")
	} else if err != nil {
		return err
	}
	s.Flash(r, "Bundle %s is in.", strings.ToUpper(n.Code))
	return page.Go(w, r, "/wood/bundles/"+strings.ToUpper(n.Code))
}

func (s wood) plant(w http.ResponseWriter, r *http.Request) error {
	return s.showPlant(w, r, page.NewForm(), http.StatusOK)
}

func (s wood) showPlant(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	p, err := s.Nursery.Plant(r.Context(), chi.URLParam(r, "code"))
	if err != nil {
		return err
	}
	if status == http.StatusOK {
		f.Values.Set("seen_true_by", p.Plant.SeenTrueBy)
		if p.Plant.SeenTrueOn != nil {
			f.Values.Set("seen_true_on", p.Plant.SeenTrueOn.Format("2006-01-02"))
		}
		f.Values.Set("place", p.Plant.Place)
		f.Values.Set("health", p.Plant.Health)
		f.Values.Set("licence", p.Plant.Licence)
		if p.Plant.Gives != nil {
			f.Values.Set("gives", strconv.Itoa(*p.Plant.Gives))
		}
	}
	right, err := s.Nursery.Corrections(r.Context(), "plant", p.Plant.Code)
	if err != nil {
		return err
	}
	return s.ShowStatus(w, r, s.views["plant"], page.Frame{Title: "Mother plant " + p.Plant.Code, Stage: "Wood", PutRight: right, Data: p,
		Form: f}, status)
}

type bundlePage struct {
	woodstage.BundlePage
	Drawing, Stick template.HTML
	How            working.Working
	Rows           []classRow
	Stores         []string
}

type classRow struct {
	Class     caliper.Class
	All, Free int
}

func (s wood) bundle(w http.ResponseWriter, r *http.Request) error {
	return s.showBundle(w, r, page.NewForm(), http.StatusOK)
}

func (s wood) showBundle(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	bp, err := s.Nursery.Bundle(r.Context(), chi.URLParam(r, "code"))
	if err != nil {
		return err
	}
	b := bp.Bundle
	p := bundlePage{
		BundlePage: bp,
		Drawing:    draw.Diameters(bp.Diameters, "scion", "Diameters of bundle "+b.Code),
		Stick:      draw.Stick(bp.Stick, bp.Yield),
	}
	for _, c := range bp.Diameters.All {
		row := classRow{Class: c.Class, All: c.N}
		for _, x := range bp.Diameters.Free {
			if x.Class == c.Class {
				row.Free = x.N
			}
		}
		p.Rows = append(p.Rows, row)
	}
	p.How = working.Working{Title: "Pieces in bundle " + b.Code, Answer: fmt.Sprintf("%d pieces", b.Pieces), Rule: "wood yield",
		Says: "Nodes stand half an internode from the base and one internode apart. Those in the usable part, less the blind ones, " +
			"give the pieces, taken from the base up; each is as thick as the stick is where it is cut.",
		Inputs: []working.Input{
			{Name: "Sticks", Value: fmt.Sprint(b.Sticks), Source: working.Measured},
			{Name: "Length", Value: fmt.Sprintf("%g mm", b.LengthMM), Source: working.Measured},
			{Name: "Base to tip", Value: fmt.Sprintf("%g to %g mm", b.BaseMM, b.TipMM), Source: working.Measured},
			{Name: "Between nodes", Value: fmt.Sprintf("%g mm", b.InternodeMM), Source: working.Measured},
			{
				Name:   "Usable part",
				Value:  map[bool]string{true: b.Usable + " of the shoot", false: "all: sticks cut from the base"}[b.WholeShoot],
				Source: working.HouseWay,
			},
			{Name: "Nodes in it", Value: fmt.Sprint(bp.Yield.Nodes), Source: "geometry"},
			{Name: "Blind", Value: fmt.Sprintf("%.0f %%", b.BlindShare*100), Source: working.Measured},
			{Name: "Sound buds a stick", Value: fmt.Sprint(bp.Yield.Sound), Source: "geometry"},
			{Name: "Buds a piece", Value: fmt.Sprint(b.BudsPerPiece), Source: working.Entered},
			{Name: "Buds eaten by its face", Value: fmt.Sprint(b.FaceBuds), Source: working.HouseWay},
			{Name: "Pieces a stick", Value: fmt.Sprint(bp.Yield.Pieces), Source: "geometry"},
		}}
	if p.Stores, err = s.Nursery.ColdNames(r.Context()); err != nil {
		return err
	}
	right, err := s.Nursery.Corrections(r.Context(), "bundle", b.Code)
	if err != nil {
		return err
	}
	return s.ShowStatus(w, r, s.views["bundle"], page.Frame{Title: "Bundle " + b.Code, Stage: "Wood", PutRight: right, Data: p, Form: f},
		status)
}

func (s wood) throwOut(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := f.Int("n")
	if err = f.Err(); err == nil {
		err = s.Nursery.ThrowOutWood(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), chi.URLParam(r, "code"), f.Text("reason"), n)
	}
	if form, ok := f.WithProblems(err); ok {
		return s.showBundle(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	s.Flash(r, "%d pieces are thrown out.", n)
	return page.Go(w, r, "/wood/bundles/"+chi.URLParam(r, "code"))
}

func (s wood) move(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	code := chi.URLParam(r, "code")
	if err := s.Nursery.MoveBundle(r.Context(), page.Actor(r), code, f.Text("place")); err != nil {
		return err
	}
	s.Flash(r, "Bundle %s is kept in %s now.", code, f.Text("place"))
	return page.Go(w, r, "/wood/bundles/"+code)
}

// letIn lets a bundle in although it was seen to be unfit.
func (s wood) letIn(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	code := chi.URLParam(r, "code")
	err = s.Nursery.LetBundleIn(r.Context(), page.Actor(r), code, f.Text("let_why"))
	if form, ok := f.WithProblems(err); ok {
		return s.showBundle(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	s.Flash(r, "Bundle %s is let in until the next look at it.", code)
	return page.Go(w, r, "/wood/bundles/"+code)
}
