package web_test

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

// TestAnEndedSessionLosesNothing: an order is typed, the session ends meanwhile; signing in
// over it brings it back, and one press keeps it, once.
func TestAnEndedSessionLosesNothing(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/orders")
	b.press("Add an order")
	for sel, text := range map[string]string{"#f-code": "O-777", "#f-genus": "Pear", "#f-variety": "Lanternjaw", "#f-stock_genus": "quince",
		"#f-stock_type": "Tarn Q3", "#f-trees": "1,200", "#f-buyer": "Orchard \"Wick\" & Co"} {
		b.fill(sel, text)
	}
	b.eval(`document.querySelector('#f-due_on').value = '2029-03-01'`)
	_, err := h.db.Exec(`delete from sessions`)
	require.NoError(t, err)
	h.site.ForgetSessions()
	b.press("Take the order")
	b.sees("You were signed out meanwhile")
	assert.Equal(t, "0", h.one(t, `select count(*)::text from orders where code = 'O-777'`))
	b.axe("signing in over a form")
	b.fill("#f-sign_in", "maud")
	b.fill("#f-password", "not it at all")
	b.press("Sign in")
	b.sees("do not belong together")
	b.fill("#f-sign_in", "maud")
	b.fill("#f-password", "three blunt knives")
	b.press("Sign in")
	b.sees("What you sent is here")
	b.sees("Orchard \"Wick\" & Co")
	b.press("Send it now")
	b.at("/orders")
	b.sees("Order O-777 is taken")
	assert.Equal(t, `1200 Orchard "Wick" & Co`, h.one(t, `select trees || ' ' || buyer from orders where code = 'O-777'`))
	b.clean()
}

// TestWhatIsNotCarried: secrets, files, requests of scripts, and what another site sends.
func TestWhatIsNotCarried(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	for _, path := range []string{"/me", "/house/people", "/house/people/1", "/tablet"} {
		status, _, body := h.sendForm(t, h.client(t), path, "old", "my old secret", "password", "my new secret")
		assert.Equal(t, http.StatusUnauthorized, status, path)
		assert.NotContains(t, body, "secret", path)
	}
	status, _, body := h.upload(t, h.client(t), "/loads/lots", "file", "x.csv", []byte("code\nL-1\n"))
	assert.Equal(t, http.StatusUnauthorized, status)
	assert.NotContains(t, body, "L-1")
	r, err := http.NewRequest(http.MethodPost, h.URL+"/orders", strings.NewReader("code=O-1"))
	require.NoError(t, err)
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("Origin", "https://evil.example")
	a, err := h.client(t).Do(r)
	require.NoError(t, err)
	a.Body.Close()
	assert.Equal(t, http.StatusForbidden, a.StatusCode)
	// Where it goes is an address of this house, whatever was put into the form.
	_, to, body := h.sendForm(
		t,
		h.client(t),
		"/sign-in",
		"sign_in",
		"maud",
		"password",
		"three blunt knives",
		"to",
		"https://evil.example/",
		"sent",
		"a=b",
	)
	assert.Equal(t, "/today", to)
	assert.NotContains(t, body, "evil")
	// A form that is too large to travel twice is not.
	status, _, body = h.sendForm(t, h.client(t), "/orders", "buyer", strings.Repeat("x", 400_000))
	assert.Equal(t, http.StatusUnauthorized, status)
	assert.Less(t, len(body), 10_000)
}
