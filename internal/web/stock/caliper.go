package stock

import (
	"encoding/json"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/working"
	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	stockstage "unionknot/internal/nursery/stock"
	"unionknot/internal/standin"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

type caliperPage struct {
	stockstage.LotPage
	Drawing   template.HTML
	Today     int
	Low, High float64 // a reading outside is questioned before it is kept
	Simulated []string
	Sure      working.Working // of the share
}

func (s stock) caliperData(r *http.Request) (caliperPage, error) {
	lp, err := s.Nursery.Lot(r.Context(), chi.URLParam(r, "code"), 0)
	p := caliperPage{LotPage: lp, Drawing: draw.Diameters(lp.Diameters, "stock", "Diameters of lot "+lp.Lot.Code), Sure: howSure(lp)}
	for _, x := range lp.Readings {
		if x.TakenOn.Equal(s.Nursery.Today()) {
			p.Today++
		}
	}
	p.Low, p.High = expected(lp)
	mean, sd := (p.Low+p.High)/2, (p.High-p.Low)/8
	if p.High == freshHigh {
		mean, sd = 8, 1
	}
	for _, mm := range (standin.TypingCaliper{MeanMM: mean, SDMM: sd, Seed: uint64(len(lp.Readings))}).Type(10) {
		p.Simulated = append(p.Simulated, strconv.FormatFloat(mm, 'f', 1, 64))
	}
	return p, err
}

// expected is where a lot's readings should lie: its grade and a third to
// either side, or four spreads around what was measured; of a lot of which nothing is
// known, what stems have that are worked.
func expected(lp stockstage.LotPage) (low, high float64) {
	if n := float64(len(lp.Sample)); n >= 8 {
		m, v := 0.0, 0.0
		for _, d := range lp.Sample {
			m += d / n
		}
		for _, d := range lp.Sample {
			v += (d - m) * (d - m) / (n - 1)
		}
		sd := math.Max(0.3, math.Sqrt(v))
		return math.Round((m-4*sd)*10) / 10, math.Round((m+4*sd)*10) / 10
	}
	if lp.Lot.GradeLow != nil {
		return math.Round(*lp.Lot.GradeLow*6.7) / 10, math.Round(*lp.Lot.GradeHigh*13.3) / 10
	}
	if n := len(lp.Sample); n > 0 { // a few were measured: half to double
		return math.Round(slices.Min(lp.Sample)*5) / 10, math.Round(slices.Max(lp.Sample)*20) / 10
	}
	return freshLow, freshHigh
}

// Stems of a lot of which nothing is known lie between these, in mm: others are asked about.
const freshLow, freshHigh = 3.0, 40.0

func (s stock) caliper(w http.ResponseWriter, r *http.Request) error {
	p, err := s.caliperData(r)
	if err != nil {
		return err
	}
	return s.Show(w, r, s.views["caliper"], page.Frame{Title: "Caliper, lot " + p.Lot.Code, Stage: "Stock", Data: p, Form: page.NewForm()})
}

// kept answers the caliper page: how the lot stands now, or why a reading was
// not kept. The reading is safe before this is sent.
func (s stock) kept(w http.ResponseWriter, r *http.Request, f *page.Typed, err error) error {
	if form, ok := f.WithProblems(err); ok {
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(http.StatusUnprocessableEntity)
		says := form.Whole
		for _, p := range form.Problems {
			says = p
		}
		return json.NewEncoder(w).Encode(map[string]string{"says": says})
	} else if err != nil {
		return err
	}
	p, err := s.caliperData(r)
	if err != nil {
		return err
	}
	return s.Part(w, r, s.views["caliper"], "now", p)
}

func (s stock) look(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = s.Nursery.LookAtLot(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), chi.URLParam(r, "code"),
		nursery.LotLook{Ready: f.Text("ready"), Roots: f.Text("roots"), Bark: f.Text("bark"), Leaves: f.Text("leaves"),
			Note: f.Text("note")})
	return s.lotForm(w, r, f, err, "The look is noted: %s.", f.Text("ready"))
}

func (s stock) recount(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	if f.Text("counted") == "" {
		err = nursery.Problem{Field: "counted", Says: "Type how many free stems were counted."}
	}
	n, diff := f.Int("counted"), 0
	if e := f.Err(); err == nil {
		if err = e; err == nil {
			diff, err = s.Nursery.Recount(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), chi.URLParam(r, "code"), n)
		}
	}
	said := "The ledger agrees."
	if diff != 0 {
		said = fmt.Sprintf("The ledger has a line for the difference of %+d.", diff)
	}
	return s.lotForm(w, r, f, err, "%d counted. %s", n, said)
}

func (s stock) back(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	n := stockstage.Returning{NewCode: f.Text("new_code"), Place: f.Text("place"), N: f.Int("back"), Low: f.Number("back_low"),
		High: f.Number("back_high")}
	if err = f.Err(); err == nil {
		err = s.Nursery.ReturnFailed(r.Context(), page.Actor(r), chi.URLParam(r, "code"), n)
	}
	return s.lotForm(w, r, f, err, "%d stocks are a lot of their own now: %s.", n.N, f.Text("new_code"))
}

// takeBack takes out today's last reading of a diameter.
func (s stock) takeBack(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	mm := f.Number("mm")
	if err = f.Err(); err == nil {
		err = s.Nursery.TakeBackReading(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), chi.URLParam(r, "code"), mm)
	}
	return s.kept(w, r, f, err)
}

// letIn lets a lot in although it was seen to be unfit.
func (s stock) letIn(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	code := chi.URLParam(r, "code")
	err = s.Nursery.LetLotIn(r.Context(), page.Actor(r), code, f.Text("let_why"))
	return s.lotForm(w, r, f, err, "Lot %s is let in until the next look at it.", code)
}

// moveStems notes that stems were lifted, heeled in, potted or lined out.
func (s stock) moveStems(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	m := stockstage.Moving{Doing: f.Text("doing"), Place: f.Text("to_place"), NewCode: f.Text("moved_code")}
	if f.Text("moved") != "" {
		if m.N = f.Int("moved"); m.N < 1 {
			m.N = -1
		}
	}
	became := ""
	if err = f.Err(); err == nil {
		became, err = s.Nursery.MoveStems(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), chi.URLParam(r, "code"), m)
	}
	if form, ok := f.WithProblems(err); ok {
		// The form of stocks that come back stands on the same page, and has a new code, too.
		if says := form.Problems["new_code"]; says != "" {
			form.Problems["moved_code"] = says
			delete(form.Problems, "new_code")
		}
		return s.showLot(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	s.Flash(r, "Noted: lot %s stands in %s now.", became, m.Place)
	return page.Go(w, r, "/stock/lots/"+became)
}

// taper keeps how much thinner a lot's stems are higher up.
func (s stock) taper(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	typed := f.Text("taper")
	n := stockstage.Taper{CM: f.Number("taper_cm"), Typed: typed}
	for x := range strings.FieldsSeq(strings.ReplaceAll(typed, ";", " ")) {
		low, high, two := strings.Cut(x, "/")
		a, err1 := exchange.ParseNumber(low)
		b, err2 := exchange.ParseNumber(high)
		switch {
		case two && err1 == nil && err2 == nil:
			n.Pairs = append(n.Pairs, caliper.Pair{Low: a, High: b})
		case !two && err1 == nil && n.PerCM == 0:
			n.PerCM = a / 10
		default:
			err = nursery.Problem{Field: "taper", Says: words.TaperAsked}
		}
	}
	if len(n.Pairs) > 0 {
		n.PerCM = 0
	}
	if e := f.Err(); err == nil {
		err = e
	}
	var t caliper.Taper
	if err == nil {
		t, err = s.Nursery.SetTaper(r.Context(), page.Actor(r), chi.URLParam(r, "code"), n)
	}
	return s.lotForm(w, r, f, err, "Kept: %.2f mm thinner for each 10 cm. Match cuts higher where that pairs.", t.PerCM*10)
}
