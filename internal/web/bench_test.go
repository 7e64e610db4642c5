package web_test

import (
	"net"
	"net/http"
	"sync/atomic"
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

// line stands between the tablet and the server, and breaks.
type line struct {
	next http.Handler
	// cut drops the request before the server sees it; deaf drops the answer
	// after the server has kept what was sent.
	cut, deaf atomic.Bool
	posts     atomic.Int64
}

func (l *line) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.Method != http.MethodPost {
		l.next.ServeHTTP(w, r)
		return
	}
	drop := func() {
		c, _, err := w.(http.Hijacker).Hijack()
		if err == nil {
			c.(*net.TCPConn).SetLinger(0)
			c.Close()
		}
	}
	l.posts.Add(1)
	if l.cut.Load() {
		drop()
		return
	}
	if l.deaf.Load() {
		l.next.ServeHTTP(&mute{h: http.Header{}}, r)
		drop()
		return
	}
	l.next.ServeHTTP(w, r)
}

// mute takes an answer and tells nobody.
type mute struct{ h http.Header }

func (m *mute) Header() http.Header         { return m.h }
func (m *mute) Write(b []byte) (int, error) { return len(b), nil }
func (m *mute) WriteHeader(int)             {}

// onCard opens a live tag of Ansel's on a tablet whose line can break.
func onCard(t *testing.T, width, height int64) (*house, *line, *browser, string) {
	h := open(t, testhouse.Demo(t))
	l := &line{next: h.site}
	h.Server.Config.Handler = l
	var tag string
	require.NoError(
		t,
		h.db.Get(
			&tag,
			`select t.code from tag t join person p on p.id = t.worker_id where p.sign_in = 'ansel' and finished_at is null and
				started_at is not null limit 1`,
		),
	)
	b := h.browser(t, width, height)
	b.signIn("ansel")
	b.goTo("/bench/tags/" + tag)
	b.is(`document.querySelector('#card').dataset.waits === '0'`)
	b.eval(`document.activeElement.blur()`)
	return h, l, b, tag
}

func (h *house) tied(t *testing.T, tag string) (n int) {
	t.Helper()
	require.NoError(
		t,
		h.db.Get(
			&n,
			`select coalesce(sum(n), 0) from tally y join tag t on t.id = y.tag_id where t.code = $1 and kind = 'tied' and held is null
		and not exists (select 1 from tally u where u.undoes = y.id and u.held is null)`,
			tag,
		),
	)
	return n
}

func tapsWaiting(b *browser) int {
	return value[int](b, `Object.keys(localStorage).filter(k => k.startsWith('uk-q:')).length`)
}

func TestALostLineLosesNoTap(t *testing.T) {
	h, l, b, tag := onCard(t, 390, 844)
	before := h.tied(t, tag)
	l.cut.Store(true)
	for range 3 {
		b.click(".tap-one")
	}
	b.sees("The line is down. 3 taps wait on this device")
	b.is(`document.querySelectorAll('.rung.waits').length === 3`)
	assert.Equal(t, before, h.tied(t, tag), "nothing reached the server")
	// The page is loaded anew, as after a dead battery: the taps are there.
	b.goTo("/bench/tags/" + tag)
	b.sees("3 taps wait")
	assert.Equal(t, 3, tapsWaiting(b))
	b.click(`[data-tap="undo"]`)
	b.sees("4 taps wait")
	l.cut.Store(false)
	b.eval(`window.dispatchEvent(new Event('online'))`)
	b.sees("All safe")
	b.is(`document.querySelectorAll('.rung.waits').length === 0`)
	assert.Equal(t, before+2, h.tied(t, tag))
	assert.Zero(t, tapsWaiting(b))
}

func TestAnAnswerThatIsLostCountsOnce(t *testing.T) {
	h, l, b, tag := onCard(t, 1280, 800)
	before := h.tied(t, tag)
	l.deaf.Store(true)
	b.key(" ")
	b.sees("The line is down. 1 tap waits")
	assert.Equal(t, before+1, h.tied(t, tag), "the server has it; the tablet does not know")
	sent := l.posts.Load()
	l.deaf.Store(false)
	b.eval(`window.dispatchEvent(new Event('online'))`)
	b.sees("All safe")
	assert.Greater(t, l.posts.Load(), sent, "it was sent again")
	assert.Equal(t, before+1, h.tied(t, tag), "and counted once")
	assert.Equal(t, before+1, value[int](b, `Number(document.querySelector('#tied').innerText)`))
}

func TestTwoTabsOnOneTag(t *testing.T) {
	t.Parallel()
	h, l, b, tag := onCard(t, 1280, 800)
	before := h.tied(t, tag)
	c := h.browser(t, 1280, 800)
	c.signIn("maud")
	c.goTo("/bench/tags/" + tag)
	l.cut.Store(true)
	b.key(" ")
	c.key(" ")
	c.key(" ")
	b.key(kb.Backspace)
	b.sees("2 taps wait")
	c.sees("2 taps wait")
	l.cut.Store(false)
	for _, x := range []*browser{b, c} {
		x.eval(`window.dispatchEvent(new Event('online'))`)
		x.sees("All safe")
	}
	// Each tablet's own taps are kept; what is more than was laid out is said.
	var left int
	require.NoError(t, h.db.Get(&left, `select planned from tag where code = $1`, tag))
	assert.Equal(t, min(before+2, left), h.tied(t, tag))
}

func TestSignedOutMeanwhileTheTapsWait(t *testing.T) {
	h, _, b, tag := onCard(t, 1280, 800)
	before := h.tied(t, tag)
	// Signed out in another tab of the same tablet.
	b.eval(`fetch('/sign-out', { method: 'POST', redirect: 'manual' }).then(() => { document.body.dataset.out = '1'; })`)
	b.is(`document.body.dataset.out === '1'`)
	b.key(" ")
	b.sees("Sign in again")
	b.signIn("ansel")
	b.is(`Object.keys(localStorage).filter(k => k.startsWith('uk-q:')).length === 0`)
	assert.Equal(t, before+1, h.tied(t, tag), "they went once the hand was known again")
}
