package web

import (
	"net/http"
	"net/url"
	"runtime/debug"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promauto"
)

// secured sets the headers that bound what a page may do.
func secured(next http.Handler) http.Handler {
	const policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; font-src 'self'; connect-src 'self'; " +
		"worker-src 'self'; manifest-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", policy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
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
		requestSeconds.WithLabelValues(r.Method, route, strconv.Itoa(ww.Status())).Observe(time.Since(begun).Seconds())
	})
}
