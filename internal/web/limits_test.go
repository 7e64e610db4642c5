package web_test

import (
	"bytes"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/store"
	"unionknot/internal/testhouse"
	"unionknot/internal/web"
	"unionknot/internal/web/page"
)

// TestABodyIsBoundedBeforeItIsRead: whatever the method and the kind, nobody fills a
// disk or a memory.
func TestABodyIsBoundedBeforeItIsRead(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	vera := h.as(t, "vera")
	for _, c := range []struct {
		method, path, kind string
		size               int
	}{
		{http.MethodGet, "/today", "multipart/form-data; boundary=x", 100},
		{http.MethodGet, "/orders", "text/plain", 9 << 20},
		{http.MethodPost, "/me", "application/x-www-form-urlencoded", 2 << 20},
		{http.MethodPost, "/sign-in", "multipart/form-data; boundary=x", 80 << 20},
		{http.MethodPut, "/today", "text/plain", 2 << 20},
	} {
		t.Run(c.method+" "+c.path, func(t *testing.T) {
			r, err := http.NewRequest(c.method, h.URL+c.path, bytes.NewReader(make([]byte, c.size)))
			require.NoError(t, err)
			r.Header.Set("Content-Type", c.kind)
			a, err := vera.Do(r)
			if err != nil { // the line was shut while it was sent
				assert.Contains(t, err.Error(), "connection")
				return
			}
			a.Body.Close()
			assert.Equal(t, http.StatusRequestEntityTooLarge, a.StatusCode)
		})
	}
}

func TestDoors(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	site, err := web.New(h.nursery, h.db.DB.DB, testhouse.Quiet, web.Options{SecureCookies: true, Hosts: []string{"house.example"}})
	require.NoError(t, err)
	t.Cleanup(site.Close)
	ask := func(host, path string, head ...string) *http.Response {
		r := httptest.NewRequest(http.MethodGet, path, nil)
		r.Host = host
		for i := 0; i+1 < len(head); i += 2 {
			r.Header.Set(head[i], head[i+1])
		}
		w := httptest.NewRecorder()
		site.ServeHTTP(w, r)
		return w.Result()
	}
	ok := ask("house.example:443", "/sign-in", "X-Request-Id", "forged")
	assert.Equal(t, http.StatusOK, ok.StatusCode)
	for name, want := range map[string]string{
		"Strict-Transport-Security": "max-age=31536000", "Cross-Origin-Opener-Policy": "same-origin",
		"Cross-Origin-Resource-Policy": "same-origin", "Cache-Control": "no-store", "X-Content-Type-Options": "nosniff",
	} {
		assert.Equal(t, want, ok.Header.Get(name), name)
	}
	assert.NotEmpty(t, ok.Header.Get("Permissions-Policy"))
	assert.Equal(t, http.StatusMisdirectedRequest, ask("evil.example", "/sign-in").StatusCode)
	assert.Equal(t, http.StatusOK, ask("10.1.2.3", "/healthz").StatusCode, "a watchman asks by address")
	for _, folder := range []string{"/static/", "/static/fonts/"} {
		assert.Equal(t, http.StatusNotFound, ask("house.example", folder).StatusCode, folder)
	}
	// The cookie is bound to this host by its name.
	r := httptest.NewRequest(http.MethodPost, "/sign-in", strings.NewReader("sign_in=maud&password=three+blunt+knives"))
	r.Host = "house.example"
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	w := httptest.NewRecorder()
	site.ServeHTTP(w, r)
	cookie := w.Result().Header.Get("Set-Cookie")
	assert.True(t, strings.HasPrefix(cookie, "__Host-union_knot="), cookie)
	for _, part := range []string{"Secure", "HttpOnly", "SameSite=Lax", "Path=/"} {
		assert.Contains(t, cookie, part)
	}
}

// TestLeadingAwayIsRefused: where a sign-in leads is an address of this house.
func TestLeadingAwayIsRefused(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	for _, next := range []string{"//evil.example", "https://evil.example", "/\\evil.example", "javascript:alert(1)", "evil",
		"/%5Cevil.example", "/\tevil"} {
		_, to, _ := h.sendForm(t, h.client(t), "/sign-in", "sign_in", "maud", "password", "three blunt knives", "next", next)
		assert.True(t, strings.HasPrefix(to, "/") && !strings.HasPrefix(to, "//") && !strings.ContainsAny(to, "\\\t"), "%q leads to %q",
			next, to)
	}
}

// TestNumbersInAddressesAreClamped: what no row has is as if it were not there.
func TestNumbersInAddressesAreClamped(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud := h.as(t, "maud")
	for _, path := range []string{"/stock?after=", "/orders?after=", "/wood?after=", "/bench?batches=", "/house/changes?before=",
		"/results?worker="} {
		for _, n := range []string{"9223372036854775808", "99999999999999999999999", "-1", "x", "9223372036854775807"} {
			status, _, _ := h.ask(t, maud, http.MethodGet, path+n)
			assert.Less(t, status, 500, path+n)
		}
	}
}

// TestALockedTableStopsNoOtherPage: what needs it says so in words and when to try again;
// everything else goes on, and the tap goes through once the table is free.
func TestALockedTableStopsNoOtherPage(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	db, err := store.Open(t.Context(), testhouse.Address(t, h.db)+"&lock_timeout=300")
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	quick := open(t, db)
	maud := quick.as(t, "maud")
	tx, err := h.db.Beginx()
	require.NoError(t, err)
	_, err = tx.Exec(`lock table tap in exclusive mode`)
	require.NoError(t, err)
	code := quick.mineOf(t, "ansel")
	tap := func() *http.Response {
		r, err := http.NewRequest(http.MethodPost, quick.URL+"/taps",
			strings.NewReader(`{"device":"d","taps":[{"id":"`+page.UUID()+`","code":"`+code+
				`","kind":"tied","n":1,"no":1}]}`))
		require.NoError(t, err)
		r.Header.Set("Accept", "application/json")
		a, err := maud.Do(r)
		require.NoError(t, err)
		t.Cleanup(func() { a.Body.Close() })
		return a
	}
	a := tap()
	assert.Equal(t, http.StatusServiceUnavailable, a.StatusCode)
	assert.Equal(t, "5", a.Header.Get("Retry-After"))
	said, err := io.ReadAll(a.Body)
	require.NoError(t, err)
	assert.Contains(t, string(said), "Nothing was done")
	for _, path := range []string{"/today", "/stock", "/heal", "/readyz"} {
		status, _, _ := quick.ask(t, maud, http.MethodGet, path)
		assert.Equal(t, http.StatusOK, status, path)
	}
	require.NoError(t, tx.Rollback())
	assert.Equal(t, http.StatusOK, tap().StatusCode)
}

// TestReadyIsFalseWhereNothingCanBeWritten asks a database that can only be read.
func TestReadyIsFalseWhereNothingCanBeWritten(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	db, err := store.Open(t.Context(), testhouse.Address(t, h.db)+"&default_transaction_read_only=on")
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	status, _, _ := open(t, db).ask(t, h.client(t), http.MethodGet, "/readyz")
	assert.Equal(t, http.StatusServiceUnavailable, status)
}
