// Package web serves the nursery's screens. A request's way: route, the door
// (who is asking, and may they), the stage's handler, one use case, the view.
package web

import (
	"bytes"
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"net/netip"
	"strconv"
	"strings"
	"time"

	"github.com/alexedwards/scs/postgresstore"
	"github.com/alexedwards/scs/v2"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/go-chi/httprate"

	"unionknot/internal/nursery"
	"unionknot/internal/nursery/access"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/web/bench"
	"unionknot/internal/web/correct"
	"unionknot/internal/web/door"
	"unionknot/internal/web/grow"
	"unionknot/internal/web/heal"
	"unionknot/internal/web/house"
	"unionknot/internal/web/learners"
	"unionknot/internal/web/match"
	"unionknot/internal/web/orders"
	"unionknot/internal/web/page"
	"unionknot/internal/web/results"
	"unionknot/internal/web/rows"
	"unionknot/internal/web/season"
	"unionknot/internal/web/stock"
	"unionknot/internal/web/today"
	"unionknot/internal/web/trace"
	"unionknot/internal/web/trees"
	"unionknot/internal/web/wood"
	"unionknot/internal/words"
)

//go:embed static templates/*.html
var files embed.FS

// Options are what a server is started with.
type Options struct {
	SecureCookies  bool           // over https
	Hosts          []string       // names under which the house answers; none: any
	Proxies        []netip.Prefix // whose word on where a request comes from is taken
	SignInsAMinute int            // from one address; 0 is 30
}

// Server answers the browser.
type Server struct {
	kit     *page.Kit
	views   map[string]page.View
	routes  []page.Route
	intakes intakes
	mux     http.Handler
}

// New readies a server on a nursery. Sessions are kept in db.
func New(n *stages.Set, db *sql.DB, log *slog.Logger, o Options) (*Server, error) {
	if o.SignInsAMinute == 0 {
		o.SignInsAMinute = 30
	}
	stamp, err := files.ReadFile("static/built.sum")
	if err != nil {
		return nil, err
	}
	manager := scs.New()
	manager.Store = &sessions{PostgresStore: postgresstore.NewWithCleanupInterval(db, 10*time.Minute), db: db}
	manager.Codec = plain{}
	// One working day. There is no idle time: it would write the session anew
	// on every tap.
	manager.Lifetime = 14 * time.Hour
	manager.Cookie.Name = "union_knot"
	manager.Cookie.HttpOnly = true
	manager.Cookie.SameSite = http.SameSiteLaxMode
	manager.Cookie.Secure = o.SecureCookies
	if o.SecureCookies { // bound to this host, path and https by its name
		manager.Cookie.Name = "__Host-union_knot"
	}
	store := manager.Store.(*sessions)
	k := &page.Kit{Nursery: n, Sessions: manager, ForgetSessions: store.forgetAll, Token: hashed, Log: log,
		Stamp: strings.TrimSpace(string(stamp))}
	s := &Server{kit: k, views: page.Views(files)}
	for _, stage := range []func(*page.Kit) []page.Route{door.Routes, today.Routes, orders.Routes, stock.Routes, wood.Routes, match.Routes,
		bench.Routes, heal.Routes, grow.Routes, results.Routes, house.Routes, correct.Routes, season.Routes, trace.Routes, trees.Routes,
		learners.Routes, rows.Routes} {
		s.routes = append(s.routes, stage(k)...)
	}
	s.mux, err = s.handler(o)
	return s, err
}

// Close ends the sessions' sweeping.
func (s *Server) Close() {
	if p, ok := s.kit.Sessions.Store.(*sessions); ok {
		p.StopCleanup()
	}
}

// ForgetSessions lets every session be read anew.
func (s *Server) ForgetSessions() { s.kit.ForgetSessions() }

// Routes lists every address with who may ask.
func (s *Server) Routes() []page.Route { return s.routes }

func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.mux.ServeHTTP(w, r) }

func (s *Server) handler(o Options) (http.Handler, error) {
	static, err := fs.Sub(files, "static")
	if err != nil {
		return nil, err
	}
	r := chi.NewRouter()
	r.Use(
		proxied(o.Proxies),
		unnamed,
		middleware.RequestID,
		s.logged,
		measured,
		secured(o.SecureCookies),
		hosted(o.Hosts),
		bounded,
		ended,
		readable,
		middleware.Compress(
			5,
			"text/html",
			"text/css",
			"text/csv",
			"text/javascript",
			"application/javascript",
			"application/json",
			"image/svg+xml",
		),
	)
	r.Get("/healthz", func(w http.ResponseWriter, _ *http.Request) { w.Write([]byte("ok\n")) })
	r.Get("/readyz", func(w http.ResponseWriter, r *http.Request) {
		ctx, end := context.WithTimeout(r.Context(), time.Second)
		defer end()
		if err := s.kit.Nursery.Ready(ctx); err != nil {
			w.Header().Set("Retry-After", "5")
			http.Error(w, "the database does not answer, or cannot be written", http.StatusServiceUnavailable)
			return
		}
		w.Write([]byte("ready\n"))
	})
	built := unlisted(http.FileServerFS(static))
	// What bears the stamp of the built files never changes under that address.
	r.Handle(
		"/static/"+s.kit.Stamp+"/*",
		http.StripPrefix("/static/"+s.kit.Stamp+"/", cached("public, max-age=31536000, immutable", built)),
	)
	r.Handle("/static/*", http.StripPrefix("/static/", cached("no-cache", built)))
	// The service worker stands at the root, so that it serves every page, and bears the
	// stamp, so that tablets take a new one up.
	worker, err := files.ReadFile("static/sw.js")
	if err != nil {
		return nil, err
	}
	worker = bytes.ReplaceAll(worker, []byte("{{STAMP}}"), []byte(s.kit.Stamp))
	r.Get("/sw.js", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/javascript; charset=utf-8")
		w.Header().Set("Cache-Control", "no-cache")
		w.Write(worker)
	})
	manifest, err := json.Marshal(map[string]any{"name": "Union Knot", "short_name": "Union Knot", "start_url": "/bench", "scope": "/",
		"display": "standalone", "background_color": "#f0ece0", "theme_color": "#1f2a26", "icons": []map[string]string{
			{"src": "/static/" + s.kit.Stamp + "/mark.svg", "sizes": "any", "type": "image/svg+xml", "purpose": "any"}}})
	if err != nil {
		return nil, err
	}
	r.Get("/manifest.webmanifest", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/manifest+json")
		w.Header().Set("Cache-Control", "no-cache")
		w.Write(manifest)
	})
	s.intakes = newIntakes()
	r.Post("/intake/store", s.intake)
	cross := http.NewCrossOriginProtection()
	r.Group(func(r chi.Router) {
		r.Use(cross.Handler, unkept, s.from, s.kit.Sessions.LoadAndSave, s.known)
		slow := httprate.LimitBy(
			o.SignInsAMinute,
			time.Minute,
			byCaller,
			httprate.WithLimitHandler(func(w http.ResponseWriter, _ *http.Request) {
				http.Error(w, "Too many tries from this place. Wait a minute.", http.StatusTooManyRequests)
			}),
		)
		for _, route := range s.routes {
			h := s.guard(route)
			if route.Method == http.MethodPost && (route.Path == "/sign-in" || route.Path == "/names" || route.Path == "/first") {
				h = slow(h)
			}
			r.Method(route.Method, route.Path, h)
		}
		r.NotFound(func(w http.ResponseWriter, r *http.Request) { s.fail(w, r, nursery.ErrNotFound) })
	})
	return r, nil
}

// byCaller tells callers apart by the address that they call from: an IPv6 one by its /64,
// one behind a trusted proxy by what that says.
func byCaller(r *http.Request) (string, error) { return page.Address(r), nil }

// from notes from where a request comes, for the list of who is signed in where.
func (s *Server) from(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		agent := r.UserAgent()
		if len(agent) > 200 {
			agent = agent[:200]
		}
		d := device{page.Address(r), strings.ToValidUTF8(agent, "")}
		ctx := nursery.WithFrom(context.WithValue(r.Context(), deviceKey{}, d), d.address)
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// known finds who the session belongs to.
func (s *Server) known(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx := nursery.WithRequest(r.Context(), middleware.GetReqID(r.Context()))
		if id := s.kit.Sessions.GetInt64(ctx, "person"); id != 0 {
			a, err := s.kit.Nursery.Actor(ctx, id)
			if s.kit.Sessions.GetInt64(ctx, "by_pin") != 0 {
				a = access.ByPIN(a)
			}
			if err == nil {
				ctx = page.WithActor(ctx, a)
			} else if !errors.Is(err, nursery.ErrNotFound) {
				s.fail(w, r, err)
				return
			}
		}
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// guard lets through who may ask, and turns errors into pages.
func (s *Server) guard(route page.Route) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if by := r.Header.Get(page.By); by != "" && route.HandsIn {
			handed, err := s.handedIn(r, by)
			if err != nil {
				s.fail(w, r, err)
				return
			}
			r = handed
		}
		if len(route.Who) > 0 {
			a, in := page.ActorOf(r.Context())
			if !in {
				s.toDoor(w, r)
				return
			}
			if !page.Allowed(a.Role, route.Who) {
				s.fail(w, r, nursery.ErrNotAllowed)
				return
			}
		}
		// Ours may be a copy of the server's request, which would clear up after its own alone.
		defer func() {
			if r.MultipartForm != nil {
				r.MultipartForm.RemoveAll()
			}
		}()
		if err := route.Do(w, r); err != nil {
			s.fail(w, r, err)
		}
	})
}

// errAnothers says that somebody hands in what another did, on a device of their own.
var errAnothers = errors.New("another's work is handed in")

// handedIn makes a request that of whoever did the work. From a device that somebody
// signed in on themselves it is their own alone; a bench tablet hands in anybody's who
// works at the bench.
func (s *Server) handedIn(r *http.Request, by string) (*http.Request, error) {
	ctx := r.Context()
	id, err := strconv.ParseInt(by, 10, 64)
	if err != nil {
		return nil, nursery.Problem{Says: words.HandedIn}
	}
	if a, in := page.ActorOf(ctx); in && a.ID == id {
		return r, nil
	}
	opened := s.kit.Sessions.GetInt64(ctx, "tablet_by")
	if opened == 0 {
		if _, in := page.ActorOf(ctx); !in {
			return r, nil // to the door
		}
		return nil, errAnothers
	}
	a, err := s.kit.Nursery.HandedIn(ctx, id, opened)
	if err != nil {
		return nil, err
	}
	return r.WithContext(page.WithActor(ctx, a)), nil
}

func (s *Server) toDoor(w http.ResponseWriter, r *http.Request) {
	if r.Method != http.MethodGet || page.IsPart(r) {
		if s.kit.Sessions.GetInt64(r.Context(), "tablet_by") == 0 {
			if asked, err := s.kit.AskIn(w, r); err != nil {
				s.fail(w, r, err)
				return
			} else if asked {
				return
			}
		}
		// What was sent is taken off the line first, within its bound: a proxy that is not
		// done sending would lose this answer.
		io.Copy(io.Discard, r.Body)
		w.Header().Set("HX-Redirect", "/sign-in")
		http.Error(w, "Sign in first.", http.StatusUnauthorized)
		return
	}
	if s.kit.Sessions.GetInt64(r.Context(), "tablet_by") != 0 {
		http.Redirect(w, r, "/names", http.StatusSeeOther)
		return
	}
	http.Redirect(w, r, "/sign-in?next="+strings.ReplaceAll(r.URL.RequestURI(), "&", "%26"), http.StatusSeeOther)
}

// trouble is what an error page says.
type trouble struct {
	Title, Says string
	Request     string
}

func (s *Server) fail(w http.ResponseWriter, r *http.Request, err error) {
	t := trouble{
		Title: "Something broke here",
		Says: "Nothing was half done: what you sent was either kept whole or not at all. Look whether it is there, and try again. " +
			"If it goes on, give the propagator this number.",
		Request: middleware.GetReqID(r.Context()),
	}
	status := http.StatusInternalServerError
	var bad nursery.Problem
	switch {
	case errors.Is(err, nursery.ErrNotFound):
		t, status = trouble{
			Title: "Not here",
			Says:  "There is nothing by that code. It may be mistyped, or taken back. Find looks through every code and name.",
		}, http.StatusNotFound
	case errors.Is(err, errAnothers):
		t, status = trouble{Title: "Another's work", Says: words.HandedIn}, http.StatusForbidden
	case errors.Is(err, nursery.ErrNotAllowed):
		if a, in := page.ActorOf(r.Context()); in {
			if err := s.kit.Nursery.Refused(r.Context(), a, r.Method, r.URL.Path); err != nil {
				s.kit.Log.WarnContext(r.Context(), "a refusal is not in the record", "err", err)
			}
		}
		t, status = trouble{
			Title: "Not yours to open",
			Says:  "This belongs to another role, or to another worker's tag. Ask the propagator, or sign in as the right person.",
		}, http.StatusForbidden
	case errors.Is(err, nursery.ErrLong):
		t, status = trouble{Title: "That is too long", Says: words.TextTooLong}, http.StatusUnprocessableEntity
	case errors.Is(err, nursery.ErrTurn):
		t, status = trouble{Title: "One moment", Says: words.WaitYourTurn}, http.StatusServiceUnavailable
		w.Header().Set("Retry-After", "5")
		if r.Method == http.MethodGet && !page.IsPart(r) {
			w.Header().Set("Refresh", "5") // the page asks again by itself
		}
	case errors.Is(err, nursery.ErrBusy), errors.Is(err, context.DeadlineExceeded):
		t, status = trouble{Title: "Busy", Says: words.Busy, Request: t.Request}, http.StatusServiceUnavailable
		w.Header().Set("Retry-After", "5")
		s.kit.Log.WarnContext(r.Context(), "busy", "request", t.Request, "path", r.URL.Path, "err", err)
	case errors.Is(err, nursery.ErrFull):
		t, status = trouble{Title: "The disk is full", Says: words.DiskFull, Request: t.Request}, http.StatusInsufficientStorage
		s.kit.Log.ErrorContext(r.Context(), "the database's disk is full", "request", t.Request, "err", err)
	case errors.As(err, &bad):
		t, status = trouble{Title: "That cannot be done", Says: bad.Says}, http.StatusUnprocessableEntity
	default:
		s.kit.Log.ErrorContext(r.Context(), "request failed", "request", t.Request, "method", r.Method, "path", r.URL.Path, "err", err)
	}
	if page.WantsJSON(r) { // a device that sends what it kept
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(status)
		json.NewEncoder(w).Encode(map[string]string{"says": t.Title + ". " + t.Says})
		return
	}
	_, in := page.ActorOf(r.Context())
	f := page.Frame{Title: t.Title, Bare: !in, Data: t}
	if err := s.kit.ShowStatus(w, r, s.views["trouble"], f, status); err != nil {
		http.Error(w, t.Title+". "+t.Says, status) // the database may be what broke
	}
}
