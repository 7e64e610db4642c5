package web_test

import (
	"context"
	"fmt"
	"html"
	"maps"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/store"
	"unionknot/internal/testhouse"
	"unionknot/internal/web/page"
)

// counted asks for a page and gives what it says and the statements that it
// took.
func (h *house) counted(t *testing.T, c *http.Client, method, path string, form url.Values) (status int, body string, sent []string) {
	t.Helper()
	var s store.Sent
	var r *http.Request
	if form == nil {
		r = httptest.NewRequest(method, path, nil)
	} else {
		r = httptest.NewRequest(method, path, strings.NewReader(form.Encode()))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	here, err := url.Parse(h.URL)
	require.NoError(t, err)
	for _, k := range c.Jar.Cookies(here) {
		r.AddCookie(k)
	}
	w := httptest.NewRecorder()
	h.site.ServeHTTP(w, r.WithContext(store.Counted(context.Background(), &s)))
	return w.Code, w.Body.String(), s.Statements()
}

var (
	unseen = regexp.MustCompile(`(?s)<script.*?</script>|<style.*?</style>|<template.*?</template>|<[^>]*>`)
	gaps   = regexp.MustCompile(`\s+`)
	// Ids that the database gives and keys that a form makes differ from run to run.
	ids = regexp.MustCompile(`[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}|\.\d+Z`)
)

// said is a page's text as people read it, a phrase a line.
func said(body string) string {
	var out []string
	for _, l := range strings.Split(unseen.ReplaceAllString(gaps.ReplaceAllString(body, " "), "\n"), "\n") {
		if l = strings.TrimSpace(gaps.ReplaceAllString(html.UnescapeString(l), " ")); l != "" {
			out = append(out, ids.ReplaceAllString(l, "…"))
		}
	}
	return strings.Join(out, "\n") + "\n"
}

// TestPagesSayWhatTheySaid holds each page's text at the demo. A change that
// means to alter one writes them anew with UNIONKNOT_PAGES=write, and says why.
func TestPagesSayWhatTheySaid(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	h.nursery.StandAt(h.nursery.Now())
	c := h.as(t, "maud")
	screens := h.screens(t)
	for _, name := range slices.Sorted(maps.Keys(screens)) { // the band's group is the last one looked at
		path := screens[name]
		t.Run(name, func(t *testing.T) {
			status, _, body := h.ask(t, c, http.MethodGet, path)
			require.Less(t, status, 500)
			file := filepath.Join("testdata", "pages", strings.ReplaceAll(name, " ", "-")+".txt")
			if os.Getenv("UNIONKNOT_PAGES") == "write" {
				require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
				require.NoError(t, os.WriteFile(file, []byte(said(body)), 0o644))
				return
			}
			want, err := os.ReadFile(file)
			require.NoError(t, err)
			if got := said(body); got != string(want) {
				t.Errorf("%s: %s", path, parting(string(want), got))
			}
		})
	}
}

// parting shows where two texts part.
func parting(want, got string) string {
	a, b := strings.Split(want, "\n"), strings.Split(got, "\n")
	for i := range min(len(a), len(b)) {
		if a[i] != b[i] {
			return fmt.Sprintf("line %d\nsaid %q\nsays %q", i+1, a[i:min(i+4, len(a))], b[i:min(i+4, len(b))])
		}
	}
	return fmt.Sprintf("said %d lines, says %d", len(a), len(b))
}

// TestStatementsAPage holds how many statements each page takes: 14 for Today
// and 16 for the others, one of which is the session's where it was not read
// just before. The bench's own poll asks for what it shows alone.
func TestStatementsAPage(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	c := h.as(t, "maud")
	pages := h.screens(t)
	pages["pace poll"] = "/bench/tags/" + h.liveTag(t) + "/pace"
	pages["chance slider"] = "/orders?chance=0.8"
	most := map[string]int{"today": 13, "pace poll": 3, "chance slider": 12, "card": 8}
	for _, name := range slices.Sorted(maps.Keys(pages)) {
		t.Run(name, func(t *testing.T) {
			h.counted(t, c, http.MethodGet, pages[name], nil) // what outlives a request is read once
			status, _, sent := h.counted(t, c, http.MethodGet, pages[name], nil)
			require.Less(t, status, 500)
			// Where the first look took over two seconds, the session is read anew.
			sent = slices.DeleteFunc(sent, func(s string) bool { return strings.Contains(s, "from session") })
			bound := most[name]
			if bound == 0 {
				bound = 15
			}
			assert.LessOrEqual(t, len(sent), bound, "%.900s", strings.Join(sent, "\n"))
			t.Log(name, len(sent))
		})
	}
}

// TestStatementsDoNotGrow adds orders, lots, bundles and tags, and counts again.
func TestStatementsDoNotGrow(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	c := h.as(t, "maud")
	paths := []string{
		"/today",
		"/orders",
		"/stock",
		"/wood",
		"/match/programme",
		"/bench",
		"/bench/days",
		"/heal",
		"/grow",
		"/grow/walk",
		"/results",
		"/wood/store",
		"/wood/collect",
	}
	count := func() map[string]int {
		out := map[string]int{}
		for _, p := range paths {
			h.counted(t, c, http.MethodGet, p, nil)
			_, _, sent := h.counted(t, c, http.MethodGet, p, nil)
			out[p] = len(slices.DeleteFunc(sent, func(q string) bool { // read again after two seconds, however slow the test is
				return strings.Contains(q, "from sessions") || strings.Contains(q, "from person where id")
			}))
		}
		return out
	}
	before := count()
	for _, q := range []string{
		`insert into orders (code, variety_id, stock_type_id, trees, due_on, made_at)
			select 'X-' || n, o.variety_id, o.stock_type_id, 30, o.due_on, o.made_at
			from (select * from orders where closed_on is null) o, generate_series(1, 3) k, lateral (select o.id * 10 + k as n) x`,
		`with made as (insert into stock_lot (code, stock_type_id, received_on, form, received, grade_low_mm, grade_high_mm, made_at)
			select 'XL-' || l.id, l.stock_type_id, l.received_on, l.form, 50, 7, 10, l.made_at from stock_lot l where l.code like 'L-%'
			returning id)
			insert into stock_ledger (lot_id, n, from_account, to_account, reason, at) select id, 50, 'outside', 'free', 'received', now()
				from made`,
		`with made as (insert into wood_bundle (code, plant_id, cut_on, state, sticks, length_mm, base_mm, tip_mm, internode_mm,
			buds_per_piece, usable, pieces, place, made_at)
			select 'XW-' || b.id, b.plant_id, b.cut_on, b.state, 10, b.length_mm, b.base_mm, b.tip_mm, b.internode_mm, b.buds_per_piece,
			b.usable, 30, b.place, b.made_at
			from wood_bundle b where b.code like 'W-%' returning id)
			insert into wood_ledger (bundle_id, n, from_account, to_account, reason, at) select id, 30, 'outside', 'free', 'cut', now()
			from made`,
		`insert into tag (code, batch_id, lot_id, bundle_id, technique, worker_id, day, planned)
			select 'X' || t.code, t.batch_id, t.lot_id, t.bundle_id, t.technique, t.worker_id, t.day, t.planned
			from tag t where t.finished_at is null`,
	} {
		_, err := h.db.Exec(q)
		require.NoError(t, err)
	}
	assert.Equal(t, before, count())
}

// TestStatementsAForm holds what forms take.
func TestStatementsAForm(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	c := h.as(t, "maud")
	send := func(path string, form url.Values) int {
		form.Set("once", page.UUID())
		status, body, sent := h.counted(t, c, http.MethodPost, path, form)
		require.Less(t, status, 400, body)
		return len(sent)
	}
	send("/stock/lots/L-201/readings", url.Values{"mm": {"8.4"}})
	assert.LessOrEqual(
		t,
		send("/stock/lots/L-201/readings", url.Values{"mm": {"8.6"}}),
		16,
		"an Enter of the caliper, with what it answers",
	)

	print := func(path string) string {
		_, _, body := h.ask(t, c, http.MethodGet, path)
		m := regexp.MustCompile(`name="print" value="([^"]+)"`).FindStringSubmatch(body)
		require.NotNil(t, m, path)
		return m[1]
	}
	assert.LessOrEqual(
		t,
		send("/match/programme", url.Values{"print": {print("/match/programme")}, "tie": {"film"}}),
		26,
		"the weave of all orders made batches",
	)
	assert.LessOrEqual(t, send("/bench/days", url.Values{}), 28, "the days planned")
}
