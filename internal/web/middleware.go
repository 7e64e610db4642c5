package web

import (
	"context"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"unionknot/internal/web/page"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promauto"
)

// secured sets the headers that bound what a page may do. strict is behind https: the
// browser comes by it alone from then on.
func secured(strict bool) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler { return securing(strict, next) }
}

func securing(strict bool, next http.Handler) http.Handler {
	const policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; font-src 'self'; connect-src 'self'; " +
		"worker-src 'self'; manifest-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", policy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Permissions-Policy", "camera=(), microphone=(), geolocation=(), payment=(), usb=()")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		if strict {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		next.ServeHTTP(w, r)
	})
}

// readable turns away addresses that hold signs no text has.
func readable(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		q, err := url.QueryUnescape(r.URL.RawQuery)
		if err != nil || strings.ContainsRune(q, 0) || !utf8.ValidString(q) || strings.ContainsRune(r.URL.Path, 0) ||
			!utf8.ValidString(r.URL.Path) {
			http.Error(w, "That address is not one of this house's.", http.StatusBadRequest)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// cached says how built files may be kept.
func cached(how string, next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", how)
		next.ServeHTTP(w, r)
	})
}

// unkept lets no cache keep what somebody signed in saw or took away.
func unkept(next http.Handler) http.Handler { return cached("no-store", next) }

// logged writes one line a request, and turns a panic into an error page.
func (s *Server) logged(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		begun := time.Now()
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		defer func() {
			if p := recover(); p != nil {
				if p == http.ErrAbortHandler {
					panic(p)
				}
				s.kit.Log.Error(
					"panic",
					"request",
					middleware.GetReqID(r.Context()),
					"path",
					r.URL.Path,
					"panic",
					p,
					"stack",
					string(debug.Stack()),
				)
				if ww.Status() == 0 {
					http.Error(ww, "Something broke here. Nothing was half done; try again.", http.StatusInternalServerError)
				}
			}
			s.kit.Log.Info(
				"request",
				"request",
				middleware.GetReqID(r.Context()),
				"method",
				r.Method,
				"path",
				r.URL.Path,
				"status",
				ww.Status(),
				"bytes",
				ww.BytesWritten(),
				"took",
				time.Since(begun),
			)
		}()
		next.ServeHTTP(ww, r)
	})
}

var requestSeconds = promauto.NewHistogramVec(prometheus.HistogramOpts{
	Name: "unionknot_request_seconds", Help: "Time to answer, by route and status.",
	Buckets: []float64{.002, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5},
}, []string{"method", "route", "status"})

// measured counts requests for the metrics port.
func measured(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		begun := time.Now()
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		next.ServeHTTP(ww, r)
		route := chi.RouteContext(r.Context()).RoutePattern()
		method := r.Method
		if !slices.Contains([]string{http.MethodGet, http.MethodHead, http.MethodPost}, method) {
			method = "other" // what callers make up names no series
		}
		requestSeconds.WithLabelValues(method, route, strconv.Itoa(ww.Status())).Observe(time.Since(begun).Seconds())
	})
}

// mostBody is the most that a request may bring, but for files, which have a bound of
// their own.
const mostBody = 1 << 20

// bounded refuses what is larger than any request of ours, whatever its method, before
// anything of it is read.
func bounded(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		most := int64(mostBody)
		switch {
		case r.Method == http.MethodGet || r.Method == http.MethodHead:
			most = 0
		case r.Method == http.MethodPost && strings.HasPrefix(r.Header.Get("Content-Type"), "multipart/"):
			most = page.MostUpload
		case r.URL.Path == "/intake/store": // it says itself what is too long
			most = page.MostUpload
		}
		// A file that is too large is told so by its page; it is read no further.
		if r.ContentLength > most && (most != page.MostUpload || r.ContentLength > 4*page.MostUpload) {
			w.Header().Set("Connection", "close")
			http.Error(w, "That is larger than anything that this house takes.", http.StatusRequestEntityTooLarge)
			return
		}
		if r.Body != nil {
			r.Body = http.MaxBytesReader(w, r.Body, most)
		}
		next.ServeHTTP(w, r)
	})
}

// requestLasts is how long a request may take: less than the server lets its answer take.
const requestLasts = 50 * time.Second

// ended lets no request go on for ever.
func ended(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx, end := context.WithTimeout(r.Context(), requestLasts)
		defer end()
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// unnamed lets each request have an id of this server's own: one that a caller sends
// could stand for another's in the log.
func unnamed(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		r.Header.Del(middleware.RequestIDHeader)
		next.ServeHTTP(w, r)
	})
}

// hosted answers only under the names that the house is known by; none: under any.
func hosted(names []string) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		if len(names) == 0 {
			return next
		}
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			host := r.Host
			if h, _, err := net.SplitHostPort(host); err == nil {
				host = h
			}
			if !slices.ContainsFunc(names, func(n string) bool { return strings.EqualFold(n, host) }) && r.URL.Path != "/healthz" &&
				r.URL.Path != "/readyz" {
				http.Error(w, "This house is not known by that name.", http.StatusMisdirectedRequest)
				return
			}
			next.ServeHTTP(w, r)
		})
	}
}

// proxied takes a trusted proxy's word, in X-Forwarded-For, on where a request comes from;
// nobody else's.
func proxied(trusted []netip.Prefix) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		if len(trusted) == 0 {
			return next
		}
		names := make([]string, len(trusted))
		for i, p := range trusted {
			names[i] = p.String()
		}
		return middleware.ClientIPFromXFF(names...)(next)
	}
}

// unlisted answers for files, not for folders.
func unlisted(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "" || strings.HasSuffix(r.URL.Path, "/") {
			http.NotFound(w, r)
			return
		}
		next.ServeHTTP(w, r)
	})
}
