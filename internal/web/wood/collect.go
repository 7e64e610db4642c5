package wood

import (
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	woodstage "unionknot/internal/nursery/wood"
	"unionknot/internal/outlook"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

type collectPage struct {
	outlook.Collection
	States   []string
	Marks    map[string][]string
	Measured []string
	Sent     string // the row whose form was sent
	Today    string
	Query    template.URL
	Scanned  string // a label's code that was scanned
	Tips     string // what to take along to seal them
	PrintNow bool   // codes were reserved for the sheet: it is printed now
}

// query is the address's, without what only one look asks for.
func query(r *http.Request) template.URL {
	q := r.URL.Query()
	q.Del("label")
	q.Del("print")
	return template.URL(q.Encode())
}

func collectAsked(r *http.Request) outlook.CollectAsked {
	a := outlook.CollectAsked{Spare: outlook.SparePct, Waste: outlook.WastePct}
	q := r.URL.Query()
	if x, err := exchange.ParseNumber(q.Get("spare")); err == nil {
		a.Spare = x
	}
	if x, err := exchange.ParseNumber(q.Get("waste")); err == nil {
		a.Waste = x
	}
	a.Buds, _ = strconv.Atoi(q.Get("buds"))
	return a
}

func (s wood) collect(w http.ResponseWriter, r *http.Request) error {
	return s.showCollect(w, r, page.NewForm(), http.StatusOK, "")
}

func (s wood) showCollect(w http.ResponseWriter, r *http.Request, f page.Form, status int, sent string) error {
	c, err := s.Nursery.Collect(r.Context(), collectAsked(r))
	if form, ok := page.NewForm().WithProblems(err); ok {
		f, status = form, http.StatusUnprocessableEntity
	} else if err != nil {
		return err
	}
	p := collectPage{
		Collection: c,
		States:     outlook.WoodStates,
		Marks:      woodstage.Marks,
		Measured:   outlook.Measured,
		Sent:       sent,
		Today:      s.Nursery.Today().Format("2006-01-02"),
		Query:      query(r),
		PrintNow:   r.URL.Query().Has("print"),
		Tips:       c.Tips,
	}
	if typed := nursery.CleanCode(r.URL.Query().Get("label")); typed != "" && sent == "" {
		i := slices.IndexFunc(c.Labels, func(l nursery.WoodLabel) bool { return l.Code == typed })
		if i < 0 {
			f.Problems = map[string]string{"label": words.NoLabel(typed)}
			f.Values.Set("label", typed)
			status = http.StatusNotFound
		} else {
			p.Scanned = typed
		}
	}
	return s.ShowStatus(w, r, s.views["collect"], page.Frame{Title: "Wood to cut", Stage: "Wood", Data: p, Form: f}, status)
}

// reserve gives the sheet's plants their codes, to print the sheet or its labels.
func (s wood) reserve(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	_, err = s.Nursery.ReserveLabels(r.Context(), page.Actor(r), collectAsked(r))
	if form, ok := page.NewForm().WithProblems(err); ok {
		return s.showCollect(w, r, form, http.StatusUnprocessableEntity, "")
	} else if err != nil {
		return err
	}
	q := r.URL.Query()
	if f.Text("for") == "sheet" {
		q.Set("print", "now")
		return page.Go(w, r, "/wood/collect?"+q.Encode())
	}
	return page.Go(w, r, "/wood/collect/labels?"+q.Encode())
}

// dropLabel drops a label whose wood is not cut after all.
func (s wood) dropLabel(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	code := f.Text("label")
	if f.Text("back") != "" {
		if err := s.Nursery.KeepLabel(r.Context(), page.Actor(r), code); err != nil {
			return err
		}
		s.Flash(r, "%s", words.LabelWaits(code))
		return page.Go(w, r, "/wood/collect")
	}
	if err := s.Nursery.DropLabel(r.Context(), page.Actor(r), code); err != nil {
		return err
	}
	s.FlashBack(r, words.LabelGone(code), "/wood/collect/drop", "label", code, "back", "yes")
	return page.Go(w, r, "/wood/collect?"+string(query(r)))
}

// cut keys in what was really cut of a line of the sheet.
func (s wood) cut(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := bundleOf(f)
	if err = f.Err(); err == nil {
		err = s.Nursery.AddBundle(r.Context(), page.Actor(r), n)
	}
	if form, ok := f.WithProblems(err); ok {
		return s.showCollect(w, r, form, http.StatusUnprocessableEntity, n.Plant)
	} else if err != nil {
		return err
	}
	s.Flash(r, "Bundle %s is in: what is still lacking is worked out anew.", strings.ToUpper(n.Code))
	to := "/wood/collect"
	if r.URL.RawQuery != "" {
		to += "?" + r.URL.RawQuery
	}
	return page.Go(w, r, to)
}

func (s wood) collectLabels(w http.ResponseWriter, r *http.Request) error {
	c, err := s.Nursery.Collect(r.Context(), collectAsked(r))
	if err != nil {
		return err
	}
	return s.Show(
		w,
		r,
		s.views["labels"],
		page.Frame{
			Title: "Labels for the wood to cut",
			Bare:  true,
			Data:  collectPage{Collection: c, Query: query(r)},
		},
	)
}

// print sends the sheet's labels to the label printer.
func (s wood) print(w http.ResponseWriter, r *http.Request) error {
	c, err := s.Nursery.ReserveLabels(r.Context(), page.Actor(r), collectAsked(r))
	if err != nil {
		return err
	}
	var ls []exchange.Label
	for _, l := range c.Lines {
		one := exchange.Label{
			Code: l.Bundle,
			Lines: []string{
				l.Plant.Variety + " (" + l.Plant.Genus + ")",
				"wood of " + l.Plant.Code + ", " + l.Plant.Place,
				"cut on ____________",
				strconv.Itoa(l.Sticks) + " sticks",
			},
		}
		ls = append(ls, one, one)
	}
	id, err := s.Nursery.PrintLabels(r.Context(), page.Actor(r), "Wood to cut", ls)
	if form, ok := page.NewForm().WithProblems(err); ok {
		return s.showCollect(w, r, form, http.StatusUnprocessableEntity, "")
	} else if err != nil {
		return err
	}
	s.Flash(r, "%d labels went to the simulated label printer.", len(ls))
	return page.Go(w, r, "/devices?print="+page.ID(id))
}

func (s wood) see(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	code := chi.URLParam(r, "code")
	n := woodstage.SeePlant{
		SeenTrueBy: f.Text("seen_true_by"),
		SeenTrueOn: f.Date("seen_true_on"),
		Place:      f.Text("place"),
		Health:     f.Text("health"),
		Licence:    f.Text("licence"),
	}
	if f.Text("gives") != "" {
		g := f.Int("gives")
		n.Gives = &g
	}
	if err = f.Err(); err == nil {
		err = s.Nursery.SeeTrue(r.Context(), page.Actor(r), code, n)
	}
	return s.plantForm(w, r, f, err, "Plant "+code+" is noted.")
}

func (s wood) plantForm(w http.ResponseWriter, r *http.Request, f *page.Typed, err error, said string) error {
	if form, ok := f.WithProblems(err); ok {
		return s.showPlant(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	s.Flash(r, "%s", said)
	return page.Go(w, r, "/wood/plants/"+chi.URLParam(r, "code"))
}

func (s wood) addPhoto(w http.ResponseWriter, r *http.Request) error {
	r.Body = http.MaxBytesReader(w, r.Body, woodstage.MaxPhoto+64<<10)
	f, err := page.ReadUpload(r)
	var body []byte
	if err == nil {
		body, err = page.File(r, "photo")
	}
	if err != nil {
		f = &page.Typed{Form: page.NewForm()}
		err = nursery.Problem{Field: "photo", Says: "The picture is missing or over 5 MB. Choose a smaller one."}
	} else {
		err = s.Nursery.AddPhoto(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), chi.URLParam(r, "code"), f.Text("says"), body)
	}
	return s.plantForm(w, r, f, err, "The picture is kept.")
}

func (s wood) photo(w http.ResponseWriter, r *http.Request) error {
	id, err := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	if err != nil {
		return nursery.ErrNotFound
	}
	p, err := s.Nursery.Photo(r.Context(), id)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", p.Kind)
	_, err = w.Write(p.Body)
	return err
}

func (s wood) dropPhoto(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	id := int64(f.Int("id"))
	if err = f.Err(); err == nil {
		err = s.Nursery.DropPhoto(r.Context(), page.Actor(r), chi.URLParam(r, "code"), id)
	}
	return s.plantForm(w, r, f, err, "The picture is taken out.")
}
