package heal

import (
	"crypto/sha256"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/nursery"
	healstage "unionknot/internal/nursery/heal"
	"unionknot/internal/nursery/places"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

type placePage struct {
	healstage.PlacePage
	Today   aftercare.Day
	Drawing template.HTML // of the readings
	Says    string        // how far it is off
	Do      string
	Rows    []placeRow
	Looks2  []lookKind
	Can     bool
	Boss    bool
	Counted int
	Total   [3]int // taken, doubtful, dead of those counted
	Wrong   []wrong
	Batches []string // that stand there, to print their labels again
	Checks  []check
}

type placeRow struct {
	healstage.PlaceLine
	Callus template.HTML
	Bad    string // why its count was not kept
}

// wrong is what a look found, until it is put right.
type wrong struct {
	ID       int64
	Says, Do string
	Labels   bool
}

// check is a box to tick.
type check struct {
	What, Name string
	Ticked     bool
}

// checks are the boxes of a look, ticked as they were sent.
func checks(f page.Form) (out []check) {
	for _, c := range healstage.Checks {
		out = append(out, check{c, words.AmissName(c), slices.Contains(f.Values["amiss"], c)})
	}
	return out
}

type lookKind struct {
	Name    string
	Says    []string
	Drawing template.HTML
}

func (h heal) showPlace(w http.ResponseWriter, r *http.Request) error {
	return h.place1(w, r, r.URL.Query().Get("name"), r.URL.Query().Get("look"), page.NewForm(), http.StatusOK, nil)
}

func (h heal) place1(w http.ResponseWriter, r *http.Request, name, look string, f page.Form, status int, bad map[string]string) error {
	pp, err := h.Nursery.Place(r.Context(), name, look)
	if err != nil {
		return err
	}
	who := page.Actor(r).Role
	p := placePage{PlacePage: pp, Today: aftercare.DayOf(h.Nursery.Today()), Can: who != nursery.Looker, Boss: who == nursery.Propagator}
	if pp.Known && len(pp.Cold.Readings) > 0 {
		p.Drawing = draw.Cold(pp.Cold)
	}
	if pp.Drifts {
		p.Says, p.Do = words.Drifts(pp.Drift.NowC, pp.Drift.SetC, pp.Drift.Out, pp.Drift.Days, pp.Drift.Tags)
	}
	p.Checks = checks(f)
	for _, a := range pp.Amiss {
		says, do := words.Amiss(a.What)
		p.Wrong = append(p.Wrong, wrong{a.ID, words.Capital(words.SeenBy(says, a.By, a.At)), do, a.What == "labels gone"})
	}
	for _, l := range pp.Lines {
		if !slices.Contains(p.Batches, l.Batch) {
			p.Batches = append(p.Batches, l.Batch)
		}
		row := placeRow{PlaceLine: l, Bad: bad[l.Code]}
		if l.Callused >= 0 {
			row.Callus = draw.Callus(l.Callused)
		}
		if c := l.Counted; c != nil {
			p.Counted++
			p.Total[0], p.Total[1], p.Total[2] = p.Total[0]+c.Taken, p.Total[1]+c.Doubtful, p.Total[2]+c.Dead
			if status == http.StatusOK {
				f.Values.Set("taken:"+l.Code, strconv.Itoa(c.Taken))
				f.Values.Set("doubtful:"+l.Code, strconv.Itoa(c.Doubtful))
				f.Values.Set("dead:"+l.Code, strconv.Itoa(c.Dead))
				f.Values.Set("both:"+l.Code, strconv.Itoa(c.Both))
			}
		}
		p.Rows = append(p.Rows, row)
	}
	for _, k := range pp.Kinds { // techniques that are told alike are told once
		x := lookKind{k.Name, words.LookFor(k.Technique, k.Film, k.Row), draw.LookFor(k.Technique, k.Film)}
		if i := slices.IndexFunc(p.Looks2, func(y lookKind) bool { return slices.Equal(y.Says, x.Says) }); i >= 0 {
			p.Looks2[i].Name += ", " + x.Name
			continue
		}
		p.Looks2 = append(p.Looks2, x)
	}
	return h.ShowStatus(w, r, h.views["place"], page.Frame{Title: pp.Name, Stage: "Heal", Data: p, Form: f}, status)
}

// keepPlace keeps the counts of a whole place: of each tag of which something was
// typed, and that is not as it was.
func (h heal) keepPlace(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	name, look := f.Text("name"), f.Text("look")
	pp, err := h.Nursery.Place(r.Context(), name, look)
	if err != nil {
		return err
	}
	var cs []healstage.TagCount
	for _, l := range pp.Lines {
		if f.Text("taken:"+l.Code)+f.Text("doubtful:"+l.Code)+f.Text("dead:"+l.Code) == "" {
			continue
		}
		n := healstage.TagCount{Code: l.Code, NewCount: healstage.NewCount{ID: keyOf(f.Once, l.Code), Look: look, Taken: f.Int("taken:" +
			l.Code),
			Doubtful: f.Int("doubtful:" + l.Code), Dead: f.Int("dead:" + l.Code), Both: f.Int("both:" + l.Code),
			Sure: f.Text("sure") != "", Ago: f.Ago()}}
		if c := l.Counted; c != nil {
			if c.Taken == n.Taken && c.Doubtful == n.Doubtful && c.Dead == n.Dead && c.Both == n.Both {
				continue
			}
			n.Replaces = c.ID
		}
		if cause := f.Text("cause:" + l.Code); cause != "" && n.Dead > 0 {
			n.Causes = map[string]int{cause: n.Dead}
		}
		cs = append(cs, n)
	}
	if err := f.Err(); err != nil {
		form, _ := f.WithProblems(err)
		return h.place1(w, r, name, look, form, http.StatusUnprocessableEntity, nil)
	}
	kept, bad, err := h.Nursery.KeepCounts(r.Context(), page.Actor(r), cs)
	if err != nil {
		return err
	}
	if err := h.Nursery.KeepAmiss(r.Context(), page.Actor(r), name, f.Values["amiss"]); err != nil {
		return err
	}
	if len(bad) > 0 {
		form := f.Form
		form.Once = page.UUID()
		return h.place1(w, r, name, look, form, http.StatusUnprocessableEntity, bad)
	}
	if kept == 0 && len(f.Values["amiss"]) > 0 {
		h.Flash(r, "%s: what is amiss is noted, until it is put right.", name)
	} else {
		h.Flash(r, "%s: %d counted. Kept.", name, kept)
	}
	return page.Go(w, r, "/heal/place?"+url.Values{"name": {name}, "look": {look}}.Encode())
}

// putRight notes that something amiss was seen to.
func (h heal) putRight(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	id := int64(f.Int("id"))
	if err := f.Err(); err != nil {
		return err
	}
	at := f.Text("at")
	if f.Text("back") != "" {
		was, err := h.Nursery.WrongAgain(r.Context(), page.Actor(r), id)
		if err != nil && !errors.Is(err, nursery.ErrNotFound) {
			return err
		}
		h.Flash(r, "%s", words.WrongAgain(was.Place, was.What))
		return page.Go(w, r, "/today")
	}
	was, err := h.Nursery.PutRight(r.Context(), page.Actor(r), id)
	switch {
	case errors.Is(err, nursery.ErrNotFound):
		h.Flash(r, "That was put right before.")
	case err != nil:
		return err
	default:
		h.FlashBack(r, was.Place+": "+words.AmissName(was.What)+", put right.", "/heal/place/right", "id", page.ID(id), "back", "yes")
	}
	if was.Place == "" || at == "/today" {
		return page.Go(w, r, "/today")
	}
	return page.Go(w, r, "/heal/place?"+url.Values{"name": {was.Place}}.Encode())
}

// keyOf makes a count's id from the form's, the same each time.
func keyOf(once, code string) string {
	b := sha256.Sum256([]byte(once + " " + code))
	b[6], b[8] = b[6]&0x0f|0x40, b[8]&0x3f|0x80
	return fmt.Sprintf("%x-%x-%x-%x-%x", b[:4], b[4:6], b[6:8], b[8:10], b[10:16])
}

func (h heal) readPlace(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	name, c := f.Text("name"), f.Number("c")
	if err = f.Err(); err == nil {
		err = h.Nursery.ReadCold(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), name, c)
	}
	if form, ok := f.WithProblems(err); ok {
		return h.place1(w, r, name, "", form, http.StatusUnprocessableEntity, nil)
	} else if err != nil {
		return err
	}
	h.Flash(r, "%g °C is kept for %s: what hangs on its callus has moved.", c, name)
	return page.Go(w, r, "/heal/place?"+url.Values{"name": {name}}.Encode())
}

// setPlace notes a place with a temperature, or changes what it is set to.
func (h heal) setPlace(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	name := f.Text("name")
	set, low, high := f.Number("set_c"), f.Number("low_c"), f.Number("high_c")
	if err = f.Err(); err == nil {
		if f.Text("known") == "yes" {
			err = h.Nursery.ChangeColdPlace(r.Context(), page.Actor(r), name, places.ChangeCold{SetC: set, LowC: low, HighC: high})
		} else {
			err = h.Nursery.AddColdPlace(r.Context(), page.Actor(r), places.NewColdPlace{Name: name, SetC: set, LowC: low, HighC: high,
				Kind: f.Text("kind")})
		}
	}
	if form, ok := f.WithProblems(err); ok {
		return h.place1(w, r, name, "", form, http.StatusUnprocessableEntity, nil)
	} else if err != nil {
		return err
	}
	h.Flash(r, "%s is set.", name)
	return page.Go(w, r, "/heal/place?"+url.Values{"name": {name}}.Encode())
}
