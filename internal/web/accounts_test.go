package web_test

import (
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/demo"
	"unionknot/internal/testhouse"
)

func (h *house) person(t *testing.T, signIn string) string {
	t.Helper()
	var id int64
	require.NoError(t, h.db.Get(&id, `select id from person where sign_in = $1`, signIn))
	return strconv.FormatInt(id, 10)
}

// in says whether a browser is signed in.
func (h *house) in(t *testing.T, c *http.Client) bool {
	status, _, _ := h.ask(t, c, http.MethodGet, "/bench")
	return status == http.StatusOK
}

func TestAPropagatorsPINOpensNoHouse(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	c := h.as(t, "maud")
	status, _, body := h.sendForm(t, c, "/me", "old", demo.Password, "pin", "4071")
	require.Equal(t, http.StatusSeeOther, status, body)
	status, _, _ = h.sendForm(t, c, "/names", "person", h.person(t, "maud"), "pin", "4071")
	assert.Equal(t, http.StatusSeeOther, status)
	assert.True(t, h.in(t, c), "still as she was: a PIN does nothing where no tablet is open")
	h.sendForm(t, c, "/tablet")
	assert.False(t, h.in(t, c), "the tablet is nobody's")
	status, to, _ := h.sendForm(t, c, "/names", "person", h.person(t, "maud"), "pin", "4071")
	require.Equal(t, http.StatusSeeOther, status)
	assert.Equal(t, "/bench", to)
	status, _, _ = h.ask(t, c, http.MethodGet, "/house")
	assert.Equal(t, http.StatusForbidden, status)
	fresh := h.client(t)
	_, to, _ = h.sendForm(t, fresh, "/names", "person", h.person(t, "ansel"), "pin", demo.PIN)
	assert.Equal(t, "/sign-in", to, "no tablet, no PIN")
}

// TestAPINEndsUnseen: after 45 minutes without a tap or a page, the tablet asks again.
func TestAPINEndsUnseen(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	c := h.as(t, "maud")
	h.sendForm(t, c, "/tablet")
	h.sendForm(t, c, "/names", "person", h.person(t, "ansel"), "pin", demo.PIN)
	require.True(t, h.in(t, c))
	age := func(minutes string) {
		_, err := h.db.Exec(`update sessions set seen_at = now() - $1::interval`, minutes+" minutes")
		require.NoError(t, err)
		h.site.ForgetSessions()
	}
	age("44")
	assert.True(t, h.in(t, c))
	age("46")
	_, to, _ := h.ask(t, c, http.MethodGet, "/bench")
	assert.Equal(t, "/names", to, "the tablet stays open")
	d := h.as(t, "maud")
	age("300")
	assert.True(t, h.in(t, d), "a password lasts the day")
}

func TestSessionsAreListedAndEnded(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	here, there, tablet := h.as(t, "maud"), h.as(t, "maud"), h.as(t, "maud")
	h.sendForm(t, tablet, "/tablet")
	u, err := url.Parse(h.URL)
	require.NoError(t, err)
	token := here.Jar.Cookies(u)[0].Value
	var plain int
	require.NoError(t, h.db.Get(&plain, `select count(*) from sessions where token = $1 or position($1 in convert_from(data, 'utf8')) >
		0`, token))
	assert.Zero(t, plain, "tokens are kept as hashes")
	_, _, body := h.ask(t, here, http.MethodGet, "/me")
	assert.Equal(t, 2, strings.Count(body, "End it"), "the other desk and the tablet")
	assert.Contains(t, body, "a tablet that you opened")
	h.sendForm(t, here, "/me/sign-out")
	assert.True(t, h.in(t, here))
	assert.False(t, h.in(t, there))
	_, to, _ := h.ask(t, tablet, http.MethodGet, "/names")
	assert.Equal(t, "/sign-in", to, "the tablet is closed")

	// Whoever leaves is out at once, and what they opened with them.
	ansel := h.as(t, "ansel")
	require.True(t, h.in(t, ansel))
	h.sendForm(t, here, "/house/people/"+h.person(t, "ansel")+"/leave")
	assert.False(t, h.in(t, ansel))
	// A new password ends the others.
	there = h.as(t, "maud")
	status, _, body := h.sendForm(t, here, "/me", "old", demo.Password, "password", "seven wet mittens")
	require.Equal(t, http.StatusSeeOther, status, body)
	assert.True(t, h.in(t, here))
	assert.False(t, h.in(t, there))
	status, _, body = h.sendForm(t, here, "/me", "old", "wrong", "password", "nine cold ladders")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "not your password as it is now")
}

// TestACodeIsToldOnceAndUsedAtTheDoor goes the whole way by the pages.
func TestACodeIsToldOnceAndUsedAtTheDoor(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud := h.as(t, "maud")
	id := h.person(t, "ansel")
	for range 6 {
		h.sendForm(t, h.client(t), "/sign-in", "sign_in", "ansel", "password", "wrong")
	}
	_, _, body := h.ask(t, maud, http.MethodGet, "/house/people/"+id)
	assert.Contains(t, body, "The door is shut for them")
	status, _, body := h.sendForm(t, maud, "/house/people/"+id, "do", "code")
	require.Equal(t, http.StatusOK, status)
	code := regexp.MustCompile(`[A-Z2-7]{6}(-[A-Z2-7]{6}){3}`).FindString(body)
	require.NotEmpty(t, code)
	_, _, body = h.ask(t, maud, http.MethodGet, "/house/people/"+id)
	assert.NotContains(t, body, code, "shown once")

	c := h.client(t)
	_, _, body = h.ask(t, c, http.MethodGet, "/reset?code="+code)
	assert.Contains(t, body, "Ansel Roke")
	status, _, body = h.sendForm(t, c, "/reset", "code", code, "password", "password12")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "tried first")
	status, to, _ := h.sendForm(t, c, "/reset", "code", code, "password", "seven wet mittens")
	require.Equal(t, http.StatusSeeOther, status)
	assert.Equal(t, "/sign-in", to)
	status, _, _ = h.sendForm(t, c, "/sign-in", "sign_in", "ansel", "password", "seven wet mittens")
	assert.Equal(t, http.StatusSeeOther, status, "and the wrong tries are forgotten")
	status, _, body = h.sendForm(t, h.client(t), "/reset", "code", code, "password", "nine cold ladders")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "was used")
}
