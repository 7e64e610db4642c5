package web

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/httprate"

	"unionknot/internal/core/wood"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/places"
	"unionknot/internal/web/page"
)

// intakes bounds what loggers send: each store by itself, once its key is known, and those
// who send keys that are none by where they send from.
type intakes struct{ strangers, stores *httprate.RateLimiter }

func newIntakes() intakes {
	wait := httprate.WithLimitHandler(func(w http.ResponseWriter, _ *http.Request) {
		http.Error(w, "too many messages; wait a minute and send what waits in one", http.StatusTooManyRequests)
	})
	return intakes{httprate.NewRateLimiter(30, time.Minute, wait), httprate.NewRateLimiter(120, time.Minute, wait)}
}

// intake takes a store logger's readings: a line each, a time with its zone
// (RFC 3339), a comma or a blank, and °C. The logger's own key stands in the
// header; no session and no cookie is asked for. Answers are a line of text:
// 200 how many were new, 400 what line cannot be read, 401 no such key, 429 too many
// messages. Nothing is read of a message whose key is none.
func (s *Server) intake(w http.ResponseWriter, r *http.Request) {
	key, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
	if !ok || key == "" {
		http.Error(w, "Send the logger's key in the header: Authorization: Bearer KEY", http.StatusUnauthorized)
		return
	}
	store, err := s.kit.Nursery.LoggersStore(r.Context(), key)
	if errors.Is(err, places.ErrNoKey) {
		if !s.intakes.strangers.RespondOnLimit(w, r, page.Address(r)) {
			http.Error(w, "no store's logger has this key", http.StatusUnauthorized)
		}
		return
	} else if err != nil {
		s.intakeFailed(w, r, err)
		return
	}
	if s.intakes.stores.RespondOnLimit(w, r, page.ID(store)) {
		return
	}
	var rs []wood.Reading
	in := bufio.NewScanner(http.MaxBytesReader(w, r.Body, 1<<20))
	for line := 1; in.Scan(); line++ {
		text := strings.TrimSpace(in.Text())
		if text == "" {
			continue
		}
		at, c, err := readingOf(text)
		if err != nil {
			http.Error(w, fmt.Sprintf("line %d: %v", line, err), http.StatusBadRequest)
			return
		}
		rs = append(rs, wood.Reading{At: at, C: c})
	}
	if err := in.Err(); err != nil {
		http.Error(w, "the message is too long or broke off", http.StatusBadRequest)
		return
	}
	n, err := s.kit.Nursery.Intake(r.Context(), key, rs)
	var bad nursery.Problem
	switch {
	case errors.Is(err, places.ErrNoKey):
		http.Error(w, "no store's logger has this key", http.StatusUnauthorized)
	case errors.As(err, &bad):
		http.Error(w, bad.Says, http.StatusBadRequest)
	case err != nil:
		s.intakeFailed(w, r, err)
	default:
		fmt.Fprintf(w, "%d new of %d\n", n, len(rs))
	}
}

func (s *Server) intakeFailed(w http.ResponseWriter, r *http.Request, err error) {
	if errors.Is(err, nursery.ErrBusy) || errors.Is(err, context.DeadlineExceeded) {
		w.Header().Set("Retry-After", "5")
		http.Error(w, "the house is busy; send it again", http.StatusServiceUnavailable)
		return
	}
	s.kit.Log.ErrorContext(r.Context(), "store intake failed", "err", err)
	http.Error(w, "something broke here; send it again", http.StatusInternalServerError)
}

func readingOf(line string) (time.Time, float64, error) {
	day, temp, ok := strings.Cut(strings.ReplaceAll(line, ";", ","), ",")
	if !ok {
		day, temp, ok = strings.Cut(line, " ")
	}
	if !ok {
		return time.Time{}, 0, fmt.Errorf("%q is not a time and a temperature", line)
	}
	at, err := time.Parse(time.RFC3339, strings.TrimSpace(day))
	if err != nil {
		return at, 0, fmt.Errorf("%q is not a time such as 2027-01-14T06:30:00+01:00", day)
	}
	c, err := strconv.ParseFloat(strings.TrimSpace(temp), 64)
	if err != nil {
		return at, 0, fmt.Errorf("%q is not a temperature in °C", temp)
	}
	return at, c, nil
}
