package web

import (
	"bufio"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"unionknot/internal/core/wood"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/places"
)

// intake takes a store logger's readings: a line each, a time with its zone
// (RFC 3339), a comma or a blank, and °C. The logger's own key stands in the
// header; no session and no cookie is asked for. Answers are a line of text:
// 200 how many were new, 400 what line cannot be read, 401 no such key.
func (s *Server) intake(w http.ResponseWriter, r *http.Request) {
	key, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
	if !ok || key == "" {
		http.Error(w, "Send the logger's key in the header: Authorization: Bearer KEY", http.StatusUnauthorized)
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
		s.kit.Log.ErrorContext(r.Context(), "store intake failed", "err", err)
		http.Error(w, "something broke here; send it again", http.StatusInternalServerError)
	default:
		fmt.Fprintf(w, "%d new of %d\n", n, len(rs))
	}
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
