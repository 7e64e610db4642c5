// Package page is what every screen shares: the frame, the forms, the words
// for what went wrong, and who is asking.
package page

import (
	"context"
	"crypto/rand"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/alexedwards/scs/v2"

	"unionknot/internal/core/working"
	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/web/draw"
)

//go:embed templates/*.html
var shared embed.FS

// Kit is what the stages' handlers work with.
type Kit struct {
	Nursery  *nursery.Service
	Sessions *scs.SessionManager
	Log      *slog.Logger
	Stamp    string // of the built assets, to load them anew when they change
}

// Route is one address: who may ask, and what answers. No roles: anybody.
type Route struct {
	Method, Path string
	Who          []nursery.Role
	Do           func(http.ResponseWriter, *http.Request) error
}

// Who may ask.
var (
	Anybody  []nursery.Role
	Everyone = []nursery.Role{nursery.Propagator, nursery.BenchHand, nursery.Looker}
	Readers  = []nursery.Role{nursery.Propagator, nursery.Looker}
	Hands    = []nursery.Role{nursery.Propagator, nursery.BenchHand}
	Boss     = []nursery.Role{nursery.Propagator}
)

// Stage is a tab of the stage bar.
type Stage struct {
	Key, Name, Path string
	Who             []nursery.Role
}

// Stages in the order of work; a stage not built yet is not shown.
var Stages = []Stage{
	{"1", "Today", "/today", Everyone}, {"2", "Orders", "/orders", Readers}, {"3", "Stock", "/stock", Readers}, {"4", "Wood", "/wood", Readers},
	{"5", "Match", "/match", Readers}, {"6", "Bench", "/bench", Everyone}, {"7", "Heal", "/heal", Everyone},
	{"9", "Results", "/results", Everyone}, {"0", "House", "/house", Boss},
}

// View is a parsed page.
type View struct{ t *template.Template }

// Views parses the pages of a stage: each file of its templates folder is a
// page of that name; files that start with _ are shared among them.
func Views(files fs.FS) map[string]View {
	base := template.Must(template.New("").Funcs(funcs).ParseFS(shared, "templates/*.html"))
	names, err := fs.Glob(files, "templates/*.html")
	if err != nil {
		panic(err) // the pattern is constant
	}
	var parts []string
	for _, n := range names {
		if strings.HasPrefix(n, "templates/_") {
			parts = append(parts, n)
		}
	}
	if len(parts) > 0 {
		base = template.Must(base.ParseFS(files, parts...))
	}
	views := map[string]View{}
	for _, n := range names {
		short := strings.TrimSuffix(strings.TrimPrefix(n, "templates/"), ".html")
		if !strings.HasPrefix(short, "_") {
			views[short] = View{template.Must(template.Must(base.Clone()).ParseFS(files, n))}
		}
	}
	return views
}

// Frame is what the layout needs beside the page's own data.
type Frame struct {
	Title, Stage string
	Bare         bool // no stage bar: the door, and print pages
	Actor        nursery.Actor
	Tablet       bool
	House        string
	Demo         bool
	Stages       []Stage
	Band         nursery.Band
	Now          time.Time
	Flash        string
	Stamp        string
	Data         any
	Form         Form
}

// Show renders a page in the frame.
func (k *Kit) Show(w http.ResponseWriter, r *http.Request, v View, f Frame) error {
	return k.ShowStatus(w, r, v, f, http.StatusOK)
}

// ShowStatus renders a page with a status of its own.
func (k *Kit) ShowStatus(w http.ResponseWriter, r *http.Request, v View, f Frame, status int) error {
	ctx := r.Context()
	f.Actor, _ = ActorOf(ctx)
	f.Stamp = k.Stamp
	f.Now = k.Nursery.Now()
	var err error
	if f.House, f.Demo, err = k.Nursery.HouseName(ctx); err != nil {
		return err
	}
	if f.Actor.ID != 0 {
		f.Tablet = k.Sessions.GetInt64(ctx, "tablet_by") != 0
		f.Flash = k.Sessions.PopString(ctx, "flash")
		for _, s := range Stages {
			if Allowed(f.Actor.Role, s.Who) {
				f.Stages = append(f.Stages, s)
			}
		}
		if f.Band, err = k.Nursery.SeasonBand(ctx, k.Sessions.GetString(ctx, "group")); err != nil {
			return err
		}
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	var b strings.Builder
	if err := v.t.ExecuteTemplate(&b, "layout", f); err != nil {
		return fmt.Errorf("drawing %s: %w", f.Title, err)
	}
	w.WriteHeader(status)
	io.WriteString(w, b.String()) // a reader that went away is no fault of ours
	return nil
}

// Part renders one named piece of a page, for htmx to swap in.
func (k *Kit) Part(w http.ResponseWriter, v View, name string, data any) error {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	var b strings.Builder
	if err := v.t.ExecuteTemplate(&b, name, data); err != nil {
		return fmt.Errorf("drawing %s: %w", name, err)
	}
	io.WriteString(w, b.String())
	return nil
}

// IsPart says whether htmx asks for a piece of the page only.
func IsPart(r *http.Request) bool { return r.Header.Get("HX-Request") == "true" }

// Flash keeps a line to show on the next page.
func (k *Kit) Flash(r *http.Request, format string, args ...any) {
	k.Sessions.Put(r.Context(), "flash", fmt.Sprintf(format, args...))
}

// Go leads on to another page after something was done.
func Go(w http.ResponseWriter, r *http.Request, path string) error {
	http.Redirect(w, r, path, http.StatusSeeOther)
	return nil
}

type actorKey struct{}

// WithActor notes who asks.
func WithActor(ctx context.Context, a nursery.Actor) context.Context {
	return context.WithValue(ctx, actorKey{}, a)
}

// ActorOf gives who asks.
func ActorOf(ctx context.Context) (nursery.Actor, bool) {
	a, ok := ctx.Value(actorKey{}).(nursery.Actor)
	return a, ok
}

// Actor gives who asks, in a handler behind the door.
func Actor(r *http.Request) nursery.Actor {
	a, _ := ActorOf(r.Context())
	return a
}

// Allowed says whether a role is among those that may.
func Allowed(role nursery.Role, who []nursery.Role) bool {
	for _, w := range who {
		if w == role {
			return true
		}
	}
	return false
}

// Form is what was typed into a form, and what was wrong with it.
type Form struct {
	Values   url.Values
	Problems map[string]string
	Whole    string // what is wrong with no one field
	Once     string // the form's own key
	Prefix   string // before its fields' ids, where a page has several forms
}

// NewForm gives an empty form with some fields filled in: name, value pairs.
func NewForm(pairs ...string) Form {
	f := Form{Values: url.Values{}, Once: UUID()}
	for i := 0; i+1 < len(pairs); i += 2 {
		f.Values.Set(pairs[i], pairs[i+1])
	}
	return f
}

// UUID makes a random key.
func UUID() string {
	var b [16]byte
	rand.Read(b[:])
	b[6], b[8] = b[6]&0x0f|0x40, b[8]&0x3f|0x80
	return fmt.Sprintf("%x-%x-%x-%x-%x", b[:4], b[4:6], b[6:8], b[8:10], b[10:])
}

// WithProblems sorts an error into the form; false when it is not one that
// people can mend by typing.
func (f Form) WithProblems(err error) (Form, bool) {
	f.Problems = map[string]string{}
	var ps nursery.Problems
	var p nursery.Problem
	switch {
	case errors.As(err, &ps):
	case errors.As(err, &p):
		ps = nursery.Problems{p}
	default:
		return f, false
	}
	for _, p := range ps {
		if p.Field == "" {
			f.Whole = p.Says
		} else if f.Problems[p.Field] == "" {
			f.Problems[p.Field] = p.Says
		}
	}
	return f, true
}

// Typed reads a posted form and its typed fields.
type Typed struct {
	Form
	ps nursery.Problems
}

// ReadForm parses a posted form.
func ReadForm(r *http.Request) (*Typed, error) {
	if err := r.ParseForm(); err != nil {
		return nil, nursery.Problem{Says: "The form did not arrive whole. Send it again."}
	}
	for _, vs := range r.PostForm {
		for _, v := range vs {
			if strings.ContainsRune(v, 0) || !utf8.ValidString(v) {
				return nil, nursery.Problem{Says: "The form holds signs that are not text. Type it anew."}
			}
		}
	}
	t := &Typed{Form: Form{Values: r.PostForm, Once: r.PostForm.Get("once")}}
	if t.Once == "" {
		t.Once = UUID()
	}
	return t, nil
}

// Text gives a field.
func (t *Typed) Text(name string) string { return strings.TrimSpace(t.Values.Get(name)) }

func (t *Typed) spoil(name, says string) {
	t.ps = append(t.ps, nursery.Problem{Field: name, Says: says})
}

// Int reads a whole number; empty is 0.
func (t *Typed) Int(name string) int {
	s := t.Text(name)
	if s == "" {
		return 0
	}
	n, err := strconv.Atoi(s)
	if err != nil {
		t.spoil(name, "Type a whole number.")
	}
	return n
}

// Number reads a number; empty is 0.
func (t *Typed) Number(name string) float64 {
	s := t.Text(name)
	if s == "" {
		return 0
	}
	x, err := exchange.ParseNumber(s)
	if err != nil {
		t.spoil(name, "Type a number, such as 8.4.")
	}
	return x
}

// Date reads a day; empty is the zero time.
func (t *Typed) Date(name string) time.Time {
	s := t.Text(name)
	if s == "" {
		return time.Time{}
	}
	d, err := exchange.ParseDate(s)
	if err != nil {
		t.spoil(name, "Type a day, such as 2027-01-14.")
	}
	return d
}

// Err gives what could not be read, or nil.
func (t *Typed) Err() error {
	if len(t.ps) == 0 {
		return nil
	}
	return t.ps
}

// Field is what the field template draws.
type Field struct {
	ID, Name, Label, Type, Value, Problem, Hint, List string
	Options                                           []string
	Required                                          bool
	Small                                             bool
}

var funcs = template.FuncMap{
	"date":      func(t time.Time) string { return t.Format("2 Jan 2006") },
	"iso":       func(t time.Time) string { return t.Format(time.DateOnly) },
	"clock":     func(t time.Time) string { return t.Local().Format("15:04") },
	"when":      func(t time.Time) string { return t.Local().Format("2 Jan 15:04") },
	"long":      func(t time.Time) string { return t.Format("Mon 2 January") },
	"thousands": Thousands,
	"pct":       nursery.Pct,
	"pc":        func(x float64) float64 { return x * 100 },
	"pctrange":  nursery.PctRange,
	"f0":        func(x float64) string { return strconv.FormatFloat(x, 'f', 0, 64) },
	"f1":        func(x float64) string { return strconv.FormatFloat(x, 'f', 1, 64) },
	"mm":        MM,
	"sub":       func(a, b int) int { return a - b },
	"add":       func(a, b int) int { return a + b },
	"share":     func(a, b int) float64 { return float64(a) / float64(max(1, b)) },
	"lower":     strings.ToLower,
	"list":      func(s ...string) []string { return s },
	"has": func(list []string, s string) bool {
		for _, x := range list {
			if x == s {
				return true
			}
		}
		return false
	},
	"field": func(f Form, name, label, kind, hint string) Field {
		return Field{ID: f.Prefix + name, Name: name, Label: label, Type: kind, Value: f.Values.Get(name), Problem: f.Problems[name], Hint: hint}
	},
	"choice": func(f Form, name, label, hint string, options []string) Field {
		return Field{ID: f.Prefix + name, Name: name, Label: label, Type: "select", Value: f.Values.Get(name), Problem: f.Problems[name], Hint: hint, Options: options}
	},
	// sheet is a form among several on a page: only the one that was sent shows
	// what was typed and what was wrong.
	"sheet": func(f Form, prefix string, sent, any bool) Form {
		f.Prefix = prefix
		if any && !sent {
			f.Values, f.Problems = url.Values{}, nil
		}
		return f
	},
	"needed": func(f Field) Field { f.Required = true; return f },
	"listed": func(f Field, id string) Field { f.List = id; return f },
	"figure": func(text string, w working.Working) Figure { return Figure{text, w} },
	"thinner": func(low, high float64) string {
		a, b := max(0, 100*(1-high)), max(0, 100*(1-low))
		if b-a < 1 {
			return fmt.Sprintf("%.0f %%", b)
		}
		return fmt.Sprintf("%.0f–%.0f %%", a, b)
	},
	"mid":  func(a, b float64) float64 { return (a + b) / 2 },
	"barw": func(n, most int) int { return 100 * n / max(1, most) },
	"json": func(v any) (string, error) {
		b, err := json.Marshal(v)
		return string(b), err
	},
	"uuid":     UUID,
	"band":     draw.Band,
	"qr":       draw.QR,
	"tagshape": draw.TagShape,
	"plural": func(n int, one, many string) string {
		if n == 1 {
			return "1 " + one
		}
		return Thousands(n) + " " + many
	},
}

// Figure is a computed figure that opens its working.
type Figure struct {
	Text    string
	Working working.Working
}

// MM writes a diameter.
func MM(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }

// Thousands writes a count with commas.
func Thousands(n int) string {
	s := strconv.Itoa(n)
	for i := len(s) - 3; i > 0 && s[i-1] != '-'; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// ID writes a number as it stands in addresses and forms.
func ID(n int64) string { return strconv.FormatInt(n, 10) }

// Back gives the path of the page a form was on, or other.
func Back(r *http.Request, other string) string {
	u, err := url.Parse(r.Referer())
	if err != nil || u.Host != r.Host || !strings.HasPrefix(u.Path, "/") {
		return other
	}
	return u.RequestURI()
}

// QueryInt reads a whole number from the address; 0 when there is none.
func QueryInt(r *http.Request, name string) int64 {
	n, _ := strconv.ParseInt(r.URL.Query().Get(name), 10, 64)
	return n
}

// PartOf readies a frame for a piece of a page: who asks, and no more.
func PartOf(r *http.Request, f Frame) Frame {
	f.Actor = Actor(r)
	return f
}
