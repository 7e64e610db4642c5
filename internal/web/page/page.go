// Package page is what every screen shares: the frame, the forms, the words
// for what went wrong, and who is asking.
package page

import (
	"context"
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/season"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/snapshot"
)

//go:embed templates/*.html
var shared embed.FS

// Kit is what the stages' handlers work with.
type Kit struct {
	Nursery  *stages.Set
	Sessions *scs.SessionManager
	Log      *slog.Logger
	Stamp    string // of the built assets, to load them anew when they change
	// ForgetSessions lets those that were ended be out at once, and Token gives what is
	// kept of a session's token.
	ForgetSessions func()
	Token          func(string) string
	// AskIn asks whoever sent a form without a session to sign in and keeps the form
	// meanwhile; false: there is nothing to keep. The door gives it.
	AskIn func(http.ResponseWriter, *http.Request) (bool, error)
}

// Address is from where a request comes: the peer's, an IPv6 one by its /64.
func Address(r *http.Request) string {
	at := middleware.GetClientIPAddr(r.Context()) // what a trusted proxy says
	if !at.IsValid() {
		host, _, err := net.SplitHostPort(r.RemoteAddr)
		if err != nil {
			return "unknown"
		}
		if at, err = netip.ParseAddr(host); err != nil {
			return "unknown"
		}
	}
	at = at.Unmap().WithZone("")
	if at.Is6() {
		if p, err := at.Prefix(64); err == nil {
			return p.String()
		}
	}
	return at.String()
}

// Attached is an answer that is kept as a file. Its headers go out with its first bytes,
// so that an error before them is still a page.
type Attached struct {
	To         http.ResponseWriter
	Kind, Name string // its type; its file's name
	begun      bool
}

// Write sends bytes of the file.
func (a *Attached) Write(b []byte) (int, error) {
	if !a.begun {
		a.begun = true
		a.To.Header().Set("Content-Type", a.Kind)
		a.To.Header().Set("Content-Disposition", `attachment; filename="`+a.Name+`"`)
	}
	return a.To.Write(b)
}

// Route is one address: who may ask, and what answers. No roles: anybody.
type Route struct {
	Method, Path string
	Who          []nursery.Role
	Do           func(http.ResponseWriter, *http.Request) error
	// HandsIn says that a shared tablet may hand in here what several workers did on it
	// while the line was down, each named in the header By.
	HandsIn bool
}

// MostUpload is the most that a file with its form may bring.
const MostUpload = exchange.MaxBytes + 64<<10

// By is the header that names whose work a device hands in, by id.
const By = "Union-Knot-By"

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
	{
		"1",
		"Today",
		"/today",
		Everyone,
	}, {"2", "Orders", "/orders", Readers}, {"3", "Stock", "/stock", Readers}, {"4", "Wood", "/wood", Readers},
	{"5", "Match", "/match", Readers}, {"6", "Bench", "/bench", Everyone}, {"7", "Heal", "/heal", Everyone},
	{"8", "Grow on", "/grow", Everyone},
	{"9", "Results", "/results", Everyone}, {"0", "House", "/house", Boss},
}

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
	shares, err := fs.Glob(shared, "templates/*.html")
	if err != nil {
		panic(err) // the pattern is constant
	}
	common := sourcesOf(shared, shares...)
	views := map[string]View{}
	for _, n := range names {
		short := strings.TrimSuffix(strings.TrimPrefix(n, "templates/"), ".html")
		if !strings.HasPrefix(short, "_") {
			views[short] = View{template.Must(template.Must(base.Clone()).ParseFS(files, n)),
				append(sourcesOf(files, append(slices.Clone(parts), n)...), common...), &sync.Map{}}
		}
	}
	return views
}

// Frame is what the layout needs beside the page's own data.
type Frame struct {
	PutRight     nursery.Corrections // of what is shown, where it can be put right
	Title, Stage string
	Bare         bool   // no stage bar: the door, and print pages
	Tongue       string // in which the page is; "" is English
	Actor        nursery.Actor
	Tablet       bool
	KeysOff      bool // single keys do nothing for this person
	House        string
	Demo         bool
	Stages       []Stage
	Band         season.Band
	Now          time.Time
	Flash        string
	Next         *nursery.FirstStep // of the first hour, while somebody is led through it
	Back         *TakeBack          // what was done by one tap, and can be taken back by one
	Stamp        string
	Data         any
	Form         Form
	Facts        *snapshot.Snapshot // that the page was made of, where it has any
}

// Led is the session's mark of somebody who is led through a house's first hour.
const Led = "led"

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
	if f.Facts == nil {
		var err error
		if f.Facts, err = k.Nursery.Facts(ctx); err != nil {
			return err
		}
	}
	f.House, f.Demo = f.Facts.House.Name, f.Facts.House.DemoDay != nil
	f.Tablet = k.Sessions.GetInt64(ctx, "tablet_by") != 0
	if f.Actor.ID != 0 {
		if r.Header.Get("Union-Knot-Keep") == "" { // a device that keeps the page for later shows nobody anything
			f.Flash = k.Sessions.PopString(ctx, "flash")
			f.Back = k.back(ctx)
			if k.Sessions.GetString(ctx, Led) != "" && f.Actor.Role == nursery.Propagator && !f.Bare {
				var err error
				if f.Next, err = k.Nursery.NextStep(ctx, f.Actor); err != nil {
					return err
				}
				if f.Next == nil {
					k.Sessions.Remove(ctx, Led)
				}
			}
		}
		for _, s := range Stages {
			if Allowed(f.Actor.Role, s.Who) {
				f.Stages = append(f.Stages, s)
			}
		}
		p, _ := f.Facts.Person(f.Actor.ID)
		f.KeysOff = p.KeysOff
		f.Band = season.BandOf(f.Facts, k.Sessions.GetString(ctx, "group"))
	}
	if WantsJSON(r) && status >= 400 {
		return says(w, status, f.Form.All())
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	// Whose page it is, for a device that keeps it for when the line is down.
	if f.Actor.ID != 0 && !f.Bare {
		w.Header().Set("Union-Knot-Person", strconv.FormatInt(f.Actor.ID, 10))
	}
	w.Header().Set("Union-Knot-Stamp", k.Stamp)
	var b strings.Builder
	var t *template.Template
	t, f.Tongue = v.in(f.Actor.Tongue)
	if err := t.ExecuteTemplate(&b, "layout", f); err != nil {
		return fmt.Errorf("drawing %s: %w", f.Title, err)
	}
	w.WriteHeader(status)
	io.WriteString(w, b.String()) // a reader that went away is no fault of ours
	return nil
}

// Part renders one named piece of a page, for htmx to swap in.
func (k *Kit) Part(w http.ResponseWriter, r *http.Request, v View, name string, data any) error {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	var b strings.Builder
	t, _ := v.in(Actor(r).Tongue)
	if err := t.ExecuteTemplate(&b, name, data); err != nil {
		return fmt.Errorf("drawing %s: %w", name, err)
	}
	io.WriteString(w, b.String())
	return nil
}

// SieveOf reads which rows of a list are asked for.
func SieveOf(r *http.Request) nursery.Sieve {
	q := r.URL.Query()
	return nursery.Sieve{Find: strings.TrimSpace(q.Get("find")), Left: q.Get("left") != "", Sort: q.Get("sort")}
}

// Sift is what a list's sieve shows: what is asked for, and how much passes.
type Sift struct {
	nursery.Sieve
	nursery.Sifted
	Path, What, Left string // where the list stands, what passes, what is left of it
	Sorts            []string
	Kind             string // of the list that has its columns and files
	Views            ViewList
}

// List is where the list stands with all its columns, as it is shown.
func (s Sift) List() template.URL {
	q := url.Values{}
	if s.Find != "" {
		q.Set("find", s.Find)
	}
	return template.URL("/lists/" + s.Kind + "?" + q.Encode())
}

// More is the address of a list's next page, with what was asked for.
func (s Sift) More(key string, after any) template.URL {
	q := url.Values{key: {fmt.Sprint(after)}}
	if s.Find != "" {
		q.Set("find", s.Find)
	}
	if s.Sieve.Left {
		q.Set("left", "yes")
	}
	if s.Sieve.Sort != "" {
		q.Set("sort", s.Sieve.Sort)
	}
	return template.URL(s.Path + "?" + q.Encode())
}

// IsPart says whether htmx asks for a piece of the page only; on going back it
// asks for the whole.
func IsPart(r *http.Request) bool {
	return r.Header.Get("HX-Request") == "true" && r.Header.Get("HX-History-Restore-Request") != "true"
}

// Flash keeps a line to show on the next page.
func (k *Kit) Flash(r *http.Request, format string, args ...any) {
	k.Sessions.Remove(r.Context(), "back")
	k.Sessions.Put(r.Context(), "flash", fmt.Sprintf(format, args...))
}

// WantsJSON says whether a script of ours asks, which shows no page.
func WantsJSON(r *http.Request) bool { return r.Header.Get("Accept") == "application/json" }

func says(w http.ResponseWriter, status int, text string) error {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	return json.NewEncoder(w).Encode(map[string]string{"says": text})
}

// Go leads on to another page after something was done.
func Go(w http.ResponseWriter, r *http.Request, path string) error {
	if WantsJSON(r) {
		w.Header().Set("Content-Type", "application/json")
		return json.NewEncoder(w).Encode(map[string]string{"go": path})
	}
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

// Name gives a name that stands in an address, such as a place's: a comma or a stroke in it is
// written by number there.
func Name(r *http.Request, key string) string {
	raw := chi.URLParam(r, key)
	if r.URL.RawPath == "" {
		return raw
	}
	name, err := url.PathUnescape(raw)
	if err != nil {
		return raw
	}
	return name
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

// ID writes a number as it stands in addresses and forms.
func ID(n int64) string { return strconv.FormatInt(n, 10) }

// Back gives the path of the page a form was on, or other.
func Back(r *http.Request, other string) string {
	u, err := url.Parse(r.Referer())
	if err != nil || u.Host != r.Host || !strings.HasPrefix(u.Path, "/") {
		return other
	}
	if to := u.RequestURI(); Local(to) {
		return to
	}
	return other
}

// QueryInt reads a whole number from the address; 0 when there is none, or one that no
// row has.
func QueryInt(r *http.Request, name string) int64 {
	n, err := strconv.ParseInt(r.URL.Query().Get(name), 10, 64)
	if err != nil || n < -1<<53 || n > 1<<53 {
		return 0
	}
	return n
}

// PartOf readies a frame for a piece of a page: who asks, and no more.
func PartOf(r *http.Request, f Frame) Frame {
	f.Actor = Actor(r)
	return f
}
