package wood

import (
	"fmt"
	"html/template"
	"net/http"
	"strings"
	"time"

	"unionknot/internal/nursery"
	"unionknot/internal/nursery/places"
	"unionknot/internal/outlook"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

type coldView struct {
	outlook.ColdPage
	Drawing template.HTML
	Lines   []keptLine
}

type keptLine struct {
	outlook.Kept
	Life template.HTML
	Soon bool
	Past bool
}

type coldsPage struct {
	Stores []coldView
	Found  []string
	Sent   string // the store whose form was sent
	Which  string
	Key    string // a new logger key, shown once
	Kind   nursery.LoadKind
}

func (s wood) colds(w http.ResponseWriter, r *http.Request) error {
	return s.showColds(w, r, page.NewForm("set_c", "1", "low_c", "0", "high_c", "4"), http.StatusOK, coldsPage{})
}

func (s wood) showColds(w http.ResponseWriter, r *http.Request, f page.Form, status int, p coldsPage) error {
	cs, err := s.Nursery.Colds(r.Context())
	if err != nil {
		return err
	}
	p.Found = outlook.Found
	p.Kind, _ = nursery.KindOf("store")
	for _, c := range cs {
		v := coldView{ColdPage: c, Drawing: draw.Cold(c)}
		for _, k := range c.Kept {
			v.Lines = append(v.Lines, keptLine{k, draw.Life(k), k.Soon(s.Nursery.Now()), k.Past(s.Nursery.Today())})
		}
		p.Stores = append(p.Stores, v)
	}
	return s.ShowStatus(w, r, s.views["store"], page.Frame{Title: "The store", Stage: "Wood", Data: p, Form: f}, status)
}

// coldForm reads a form of the store page, does what it asks, and goes on.
func (s wood) coldForm(
	which string,
	do func(r *http.Request, f *page.Typed) (string, error),
) func(http.ResponseWriter, *http.Request) error {
	return func(w http.ResponseWriter, r *http.Request) error {
		f, err := page.ReadForm(r)
		if err != nil {
			return err
		}
		s.Sessions.Remove(r.Context(), "back")
		said, err := do(r, f)
		if form, ok := f.WithProblems(err); ok {
			return s.showColds(w, r, form, http.StatusUnprocessableEntity, coldsPage{Sent: f.Text("store"), Which: which})
		} else if err != nil {
			return err
		}
		if !s.Sessions.Exists(r.Context(), "back") { // what can be taken back has said so
			s.Flash(r, "%s", said)
		}
		return page.Go(w, r, "/wood/store")
	}
}

func (s wood) addCold(r *http.Request, f *page.Typed) (string, error) {
	n := places.NewColdPlace{Name: f.Text("name"), SetC: f.Number("set_c"), LowC: f.Number("low_c"), HighC: f.Number("high_c")}
	if err := f.Err(); err != nil {
		return "", err
	}
	return n.Name + " is noted. Bundles and lots whose place bears that name are kept there.", s.Nursery.AddColdPlace(
		r.Context(),
		page.Actor(r),
		n,
	)
}

func (s wood) setCold(r *http.Request, f *page.Typed) (string, error) {
	n := places.ChangeCold{SetC: f.Number("set_c"), LowC: f.Number("low_c"), HighC: f.Number("high_c"), Fruit: f.Text("fruit") != ""}
	if err := f.Err(); err != nil {
		return "", err
	}
	return "That is kept.", s.Nursery.ChangeColdPlace(r.Context(), page.Actor(r), f.Text("store"), n)
}

func (s wood) readCold(r *http.Request, f *page.Typed) (string, error) {
	if f.Text("c") == "" {
		return "", nursery.Problem{Field: "c", Says: "Type the temperature in °C."}
	}
	c := f.Number("c")
	if err := f.Err(); err != nil {
		return "", err
	}
	return fmt.Sprintf(
			"%g °C is kept for %s.",
			c,
			f.Text("store"),
		), s.Nursery.ReadCold(
			nursery.WithOnce(r.Context(), f.Once),
			page.Actor(r),
			f.Text("store"),
			c,
		)
}

// doubtCold settles a reading in doubt.
func (s wood) doubtCold(r *http.Request, f *page.Typed) (string, error) {
	at, err := time.Parse(time.RFC3339Nano, f.Text("at"))
	if err != nil {
		return "", nursery.ErrNotFound
	}
	keep := f.Text("keep") == "yes"
	said := "The reading is struck. It never counted."
	if keep {
		said = "The reading counts now."
	}
	if f.Text("back") != "" {
		c := f.Number("c")
		if err := f.Err(); err != nil {
			return "", err
		}
		return words.DoubtedAgain, s.Nursery.DoubtAgain(r.Context(), page.Actor(r), f.Text("store"),
			nursery.ColdReading{At: at, C: c, Source: f.Text("source")})
	}
	was, err := s.Nursery.SettleReading(r.Context(), page.Actor(r), f.Text("store"), at, keep)
	if err == nil && !was.At.IsZero() {
		s.FlashBack(r, said, "/wood/store/doubt", "store", f.Text("store"), "at", was.At.Format(time.RFC3339Nano), "c", fmt.Sprint(was.C),
			"source", was.Source, "back", "yes")
	}
	return said, err
}

func (s wood) lookCold(r *http.Request, f *page.Typed) (string, error) {
	n := places.NewLook{Bundle: f.Text("bundle"), Found: f.Text("found"), Thrown: f.Int("thrown"), Note: f.Text("note")}
	if err := f.Err(); err != nil {
		return "", err
	}
	if f.Text("back") != "" {
		return words.LookTakenBack, s.Nursery.UnlookCold(r.Context(), page.Actor(r), f.Text("store"))
	}
	said := "The look is noted: " + n.Found + "."
	if n.Thrown > 0 {
		said += fmt.Sprintf(" %d pieces of %s are thrown out.", n.Thrown, strings.ToUpper(n.Bundle))
	}
	err := s.Nursery.LookAtCold(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), f.Text("store"), n)
	if err == nil && n.Bundle == "" {
		s.FlashBack(r, said, "/wood/store/look", "store", f.Text("store"), "back", "yes")
	}
	return said, err
}

// newKey shows the key at once: it is not kept, so a redirect would lose it.
func (s wood) newKey(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	key, err := s.Nursery.LoggerKey(r.Context(), page.Actor(r), f.Text("store"))
	if err != nil {
		return err
	}
	return s.showColds(w, r, page.NewForm(), http.StatusOK, coldsPage{Sent: f.Text("store"), Which: "key", Key: key})
}
