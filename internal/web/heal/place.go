package heal

import (
	"crypto/sha256"
	"errors"
	"fmt"
	"html/template"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

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
	Bad    nursery.Problem // why its count was not kept
	Cells  []causeCell     // the columns' causes
	Others []causeCell     // beside those
	Open   bool            // something is typed of the others
}

// causeCell is how many a tag lost to a cause, to type; Not where it cannot be lost to it.
type causeCell struct {
	Cause, Name, N string
	Not            bool
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

func (h heal) place1(w http.ResponseWriter, r *http.Request, name, look string, f page.Form, status int,
	bad map[string]nursery.Problem,
) error {
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
				for cause, n := range l.Of {
					f.Values.Set(causeField(cause, l.Code), strconv.Itoa(n))
				}
				if unnamed := c.Dead - sum(l.Of); unnamed > 0 {
					f.Values.Set("dead:"+l.Code, strconv.Itoa(unnamed))
				}
				if c.Missed > 0 {
					f.Values.Set("rest:"+l.Code, healstage.RestLeft)
				}
				f.Values.Set("both:"+l.Code, strconv.Itoa(c.Both))
			}
		}
		for _, c := range pp.Causes {
			row.Cells = append(row.Cells, cellOf(f, l, c))
		}
		for _, c := range pp.Others {
			if x := cellOf(f, l, c); !x.Not {
				row.Others, row.Open = append(row.Others, x), row.Open || x.N != ""
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
	all := f.Text("all") != "" // what is not typed of a tag is alive, of every tag that waits
	for _, l := range pp.Lines {
		if n, counted := placeCount(f, l, all); counted {
			n.Look = look
			cs = append(cs, n)
		}
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

// placeCount reads the count of one tag of a place: false where nothing was typed of it, or all is as it was. Alive
// left empty is what is left of those that stood as the page showed it.
func placeCount(f *page.Typed, l healstage.PlaceLine, all bool) (healstage.TagCount, bool) {
	n := healstage.TagCount{Code: l.Code, NewCount: healstage.NewCount{ID: keyOf(f.Once, l.Code), Causes: map[string]int{},
		Rest: f.Text("rest:" + l.Code), Sure: f.Text("sure:"+l.Code) != "" || f.Text("sure") != "", Ago: f.Ago()}}
	typed := all && l.Waits
	number := func(field string) int {
		if f.Text(field) == "" {
			return 0
		}
		typed = true
		return f.Int(field)
	}
	n.Doubtful, n.Dead, n.Both = number("doubtful:"+l.Code), number("dead:"+l.Code), number("both:"+l.Code)
	for k := range f.Values {
		if cause, ok := strings.CutSuffix(strings.TrimPrefix(k, "cause:"), ":"+l.Code); ok && strings.HasPrefix(k, "cause:") {
			if m := number(k); m != 0 {
				n.Causes[cause], n.Dead = m, n.Dead+m
			}
		}
	}
	if cause := f.Text("cause:" + l.Code); cause != "" && n.Dead > 0 { // from a page of the release before
		n.Causes[cause] = n.Dead
	}
	switch {
	case f.Text("taken:"+l.Code) != "":
		n.Taken = number("taken:" + l.Code)
	case typed:
		stood := l.Stood
		if seen := f.Text("stood:" + l.Code); seen != "" {
			stood = f.Int("stood:" + l.Code)
		}
		n.Taken = max(0, stood-n.Doubtful-n.Dead)
	}
	if c := l.Counted; c != nil {
		n.Replaces = c.ID
		same := c.Taken == n.Taken && (n.Rest != healstage.RestDead || c.Missed == 0) && c.Doubtful == n.Doubtful &&
			c.Dead == n.Dead && c.Both == n.Both && maps.Equal(l.Of, n.Causes)
		return n, typed && !same
	}
	return n, typed
}

func causeField(cause, code string) string { return "cause:" + cause + ":" + code }

func cellOf(f page.Form, l healstage.PlaceLine, cause string) causeCell {
	n := f.Values.Get(causeField(cause, l.Code))
	return causeCell{causeField(cause, l.Code), cause, n, n == "" && !slices.Contains(l.Causes, cause)}
}

func sum(by map[string]int) (n int) {
	for _, x := range by {
		n += x
	}
	return n
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
