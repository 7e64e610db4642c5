package web_test

import (
	"bytes"
	"context"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

// power stands before the whole server, and takes it away.
type power struct {
	next http.Handler
	off  atomic.Bool
}

func (p *power) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if p.off.Load() {
		if c, _, err := w.(http.Hijacker).Hijack(); err == nil {
			c.(*net.TCPConn).SetLinger(0)
			c.Close()
		}
		return
	}
	p.next.ServeHTTP(w, r)
}

// tabletOf opens a tablet for the bench on which the workers named have signed in by
// PIN, one after the other, and whose pages were kept.
func tabletOf(t *testing.T, names ...string) (*house, *power, *browser) {
	t.Helper()
	h := open(t, testhouse.Demo(t))
	p := &power{next: h.site}
	h.Server.Config.Handler = p
	b := h.browser(t, 390, 844)
	b.expectErrors = true
	b.signIn("maud")
	b.is(`navigator.serviceWorker.controller`)
	b.eval(`document.querySelector('form[action="/tablet"]').requestSubmit()`)
	b.sees("Whose hands?")
	for i, name := range names {
		if i > 0 {
			b.eval(`document.querySelector('form[action="/sign-out"]').requestSubmit()`)
			b.sees("Whose hands?")
		}
		b.press(name)
		b.fill("#pin", "2468")
		b.press("To the bench")
		b.at("/bench")
		b.is(`document.querySelector('main a[href^="/bench/tags/"]')`)
		b.kept(`location.pathname === '/bench' && document.querySelectorAll('main a[href^="/bench/tags/"]').length`)
	}
	return h, p, b
}

// kept waits until the pages that this one leads to are kept on the device: as many as
// most gives, and the bench's own.
func (b *browser) kept(most string) {
	b.t.Helper()
	b.is(`document.body.dataset.person`)
	for end := time.Now().Add(patience); ; {
		n := value[int](b, `caches.open('uk-pages-' + document.body.dataset.person).then(c => c.keys()).then(k => k
			.filter(x => x.url.includes('/bench')).length)`)
		want := value[int](b, most)
		if n > want {
			return
		}
		require.False(b.t, time.Now().After(end), "%d pages are kept of %d", n, want)
		time.Sleep(50 * time.Millisecond) // between two looks
	}
}

// mineOf gives the first tag of a worker that can be worked.
func (h *house) mineOf(t *testing.T, signIn string) (code string) {
	t.Helper()
	require.NoError(t, h.db.Get(&code, `select t.code from tag t join person p on p.id = t.worker_id where p.sign_in = $1
		and t.finished_at is null and t.planned - t.tied >= 6 order by t.started_at nulls last, t.day, t.id limit 1`, signIn))
	return code
}

// TestAShiftWithoutALine works on one tablet with the server gone: cards opened and
// loaded anew, two workers by PIN, a wrong PIN, the walk; then the line is back.
func TestAShiftWithoutALine(t *testing.T) {
	t.Parallel()
	h, p, b := tabletOf(t, "Ansel Roke", "Odile Garth")
	one, two := h.mineOf(t, "ansel"), h.mineOf(t, "odile")
	before := [2]int{h.tied(t, one), h.tied(t, two)}
	p.off.Store(true)

	b.goTo("/bench/tags/" + two) // Odile's, who signed in last
	b.sees("The line is down. This page is as it was at")
	for range 3 {
		b.click(".tap-one")
	}
	b.sees("3 taps wait on this device")
	b.goTo("/bench/tags/" + two)
	b.is(fmt.Sprintf(`document.querySelector('#tied').innerText === '%d'`, before[1]+3))
	b.click(`[data-tap="undo"]`)
	b.is(fmt.Sprintf(`document.querySelector('#tied').innerText === '%d'`, before[1]+2))

	// The tablet changes hands.
	b.eval(`document.querySelector('form[action="/sign-out"]').requestSubmit()`)
	b.sees("Whose hands?")
	b.press("Ansel Roke")
	b.fill("#pin", "1111")
	b.press("To the bench")
	b.sees("That is not your PIN")
	b.fill("#pin", "2468")
	b.press("To the bench")
	b.sees("Your tags")
	b.is(`document.body.dataset.name === 'Ansel Roke'`)
	b.goTo("/bench/tags/" + one)
	b.click(".tap-five")
	b.sees("5 wait on this device")
	b.goTo("/bench/days")
	b.sees("This page is not kept on this device")
	assert.Equal(t, before, [2]int{h.tied(t, one), h.tied(t, two)}, "nothing reached the server")

	p.off.Store(false)
	b.goTo("/bench") // the session is Odile's still: the PIN once more
	b.sees("Ansel Roke")
	b.fill("#pin", "2468")
	b.press("To the bench")
	b.at("/bench")
	b.is(`UK.items().length === 0`)
	assert.Equal(t, [2]int{before[0] + 5, before[1] + 2}, [2]int{h.tied(t, one), h.tied(t, two)})
	var by []string
	require.NoError(t, h.db.Select(&by, `select distinct p.sign_in from tap y join person p on p.id = y.person_id where y.sent_by is not
		null
		or y.device <> '' order by 1`))
	assert.Equal(t, []string{"ansel", "odile"}, by, "each tap with who tapped")
}

// TestACountAndAWalkWithoutALine keeps a count, a whole place's counts and a walk.
func TestACountAndAWalkWithoutALine(t *testing.T) {
	h, p, b := tabletOf(t, "Ansel Roke")
	var code string
	require.NoError(t, h.db.Get(&code, `select code from tag where finished_at is not null and look_id is null and tied > 10 order by
		finished_at limit 1`))
	b.goTo("/heal/" + code)
	b.sees("Save count")
	b.goTo("/grow/walk")
	b.is(`document.querySelector('.stop:not([hidden]) .whole')`)
	b.is(`caches.open('uk-pages-' + document.body.dataset.person).then(c => c.match('/grow/walk'))`)
	p.off.Store(true)

	b.goTo("/heal/" + code)
	b.sees("This page is as it was at")
	b.fill("#taken", "5")
	b.fill("#dead", "1")
	b.click(`input[name="rest"][value="not counted"]`)
	b.press("Save count")
	b.sees("Kept on this device: the count of " + code)
	b.goTo("/grow/walk")
	knot := value[string](b, `document.querySelector('.stop:not([hidden]) .stopstep:not([data-round]) .whole')
		.closest('.stopstep').dataset.knot`)
	b.eval(`const p = document.querySelector('.stop:not([hidden]) .stopstep:not([data-round]) .to'); if (p) p.value = 'house 2'`)
	b.eval(`document.querySelector('.stop:not([hidden]) .stopstep:not([data-round]) .whole').click()`)
	b.sees("The line is down: 1 wait on this phone")
	b.sees("2 wait on this device")
	b.goTo("/grow/walk")
	b.is(`document.querySelector('.stopstep.isdone')`)

	p.off.Store(false)
	b.eval(`window.dispatchEvent(new Event('online'))`)
	b.is(`UK.items().length === 0`)
	var taken, dead int
	require.NoError(t, h.db.QueryRow(`select c.taken, c.dead from take_count c join tag t on t.id = c.tag_id where t.code = $1`, code).
		Scan(&taken, &dead))
	assert.Equal(t, [2]int{5, 1}, [2]int{taken, dead})
	var now int
	require.NoError(t, h.db.Get(&now, `select count(*) from step_done d join person p on p.id = d.person_id where knot = $1 and p.sign_in
		= 'ansel'`, knot))
	assert.Positive(t, now)
}

// TestAFullStoreIsSaidInRed goes on counting in memory, and loses nothing while the
// page is open.
func TestAFullStoreIsSaidInRed(t *testing.T) {
	t.Parallel()
	h, l, b, tag := onCard(t, 1280, 800)
	before := h.tied(t, tag)
	l.cut.Store(true)
	b.key(" ")
	b.sees("1 tap waits")
	b.eval(`window.realSet = Storage.prototype.setItem; Storage.prototype.setItem = () => { throw new DOMException('full',
		'QuotaExceededError'); }`)
	b.key(" ")
	b.sees("This device stores nothing more: 1 in memory only")
	b.key(kb.Backspace)
	b.key(" ")
	b.sees("3 in memory only")
	b.eval(`Storage.prototype.setItem = window.realSet`)
	b.is(`!document.querySelector('#waits').innerText.includes('in memory only')`)
	// Somebody empties the store: what this page made is put back, and it is said.
	b.eval(`localStorage.clear(); window.dispatchEvent(new Event('storage'))`)
	b.sees("This device's store was emptied")
	l.cut.Store(false)
	b.eval(`window.dispatchEvent(new Event('online'))`)
	b.is(`UK.items().length === 0`)
	assert.Equal(t, before+2, h.tied(t, tag))
}

// TestABadEntryHoldsUpNone sets aside what the server will not take, and says why.
func TestABadEntryHoldsUpNone(t *testing.T) {
	h, l, b, tag := onCard(t, 1280, 800)
	before := h.tied(t, tag)
	l.cut.Store(true)
	b.eval(`UK.put('tap', { id: UK.uuid(), code: 'Q1-QQQQ', kind: 'tied', n: 1 })`)
	b.key(" ")
	b.eval(`UK.put('form', { id: UK.uuid(), url: '/heal/Q1-QQQQ', data: 'once=x&look=first+look&taken=1', what: 'the count of Q1-QQQQ' })`)
	l.cut.Store(false)
	b.eval(`window.dispatchEvent(new Event('online'))`)
	b.is(`UK.items().length === 0`)
	b.sees("Not kept by the server: 1 tied on Q1-QQQQ")
	b.sees("There is no tag Q1-QQQQ")
	b.sees("Not kept by the server: the count of Q1-QQQQ")
	assert.Equal(t, before+1, h.tied(t, tag))
	b.press("Throw it away")
	b.press("Throw it away")
	b.is(`document.querySelector('#waits').hidden`)
}

// TestAnothersWorkWaitsOnADeviceOfOnesOwn: only a tablet that a propagator opened hands
// in what others did.
func TestAnothersWorkWaitsOnADeviceOfOnesOwn(t *testing.T) {
	h, l, b, tag := onCard(t, 1280, 800)
	before := h.tied(t, tag)
	l.cut.Store(true)
	b.key(" ")
	b.sees("1 tap waits")
	l.cut.Store(false)
	b.eval(`document.body.dataset.person = '0'`) // so that it does not go at once
	b.eval(`fetch('/sign-out', { method: 'POST', redirect: 'manual' }).then(() => { document.body.dataset.out = '1'; })`)
	b.is(`document.body.dataset.out === '1'`)
	n := h.tied(t, tag)
	if n == before { // else it went before the session ended
		b.signIn("maud")
		b.sees("These were made by another")
		assert.Equal(t, before, h.tied(t, tag))
		b.eval(`document.querySelector('form[action="/sign-out"]').requestSubmit()`)
		b.at("/sign-in")
		b.signIn("ansel")
	}
	b.is(`UK.items().length === 0`)
	assert.Equal(t, before+1, h.tied(t, tag))
}

// TestAManifestAndAWorker are what a tablet installs the application by.
func TestAManifestAndAWorker(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	for path, kind := range map[string]string{"/sw.js": "text/javascript; charset=utf-8",
		"/manifest.webmanifest": "application/manifest+json"} {
		r, err := http.NewRequestWithContext(context.Background(), http.MethodGet, h.URL+path, nil)
		require.NoError(t, err)
		res, err := h.Client().Do(r)
		require.NoError(t, err)
		defer res.Body.Close()
		assert.Equal(t, http.StatusOK, res.StatusCode)
		assert.Equal(t, kind, res.Header.Get("Content-Type"))
		assert.Equal(t, "no-cache", res.Header.Get("Cache-Control"))
	}
}

// renewed serves the site as a new build does: under another stamp.
type renewed struct {
	next     http.Handler
	old, now string
	on       atomic.Bool
}

func (n *renewed) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if !n.on.Load() {
		n.next.ServeHTTP(w, r)
		return
	}
	r = r.Clone(r.Context())
	r.URL.Path = strings.Replace(r.URL.Path, n.now, n.old, 1)
	r.Header.Del("Accept-Encoding")
	rec := httptest.NewRecorder()
	n.next.ServeHTTP(rec, r)
	for k, v := range rec.Header() {
		w.Header()[k] = v
	}
	w.Header().Del("Content-Length")
	w.WriteHeader(rec.Code)
	w.Write(bytes.ReplaceAll(rec.Body.Bytes(), []byte(n.old), []byte(n.now)))
}

// TestANewBuildReachesTheTabletAndLosesNothing brings the line back with a new build
// behind it.
func TestANewBuildReachesTheTabletAndLosesNothing(t *testing.T) {
	h, p, b := tabletOf(t, "Ansel Roke")
	n := &renewed{next: h.site, now: "feedfeedfeedfeed"}
	n.old = value[string](b, `document.querySelector('link[rel="stylesheet"]').getAttribute('href').split('/')[2]`)
	p.next = n
	tag := h.mineOf(t, "ansel")
	before := h.tied(t, tag)
	p.off.Store(true)
	b.goTo("/bench/tags/" + tag)
	for range 3 {
		b.click(".tap-one")
	}
	b.sees("3 taps wait on this device")
	n.on.Store(true)
	p.off.Store(false)
	b.goTo("/bench/tags/" + tag)
	b.is(`document.querySelector('link[rel="stylesheet"]').getAttribute('href').includes('feedfeedfeedfeed')`)
	b.is(`UK.items().length === 0`)
	assert.Equal(t, before+3, h.tied(t, tag))
	b.is(`caches.keys().then(k => k.includes('uk-static-feedfeedfeedfeed'))`)
	p.off.Store(true)
	b.goTo("/bench/tags/" + tag)
	b.sees("This page is as it was at")
	b.is(`getComputedStyle(document.querySelector('.tap-one')).minHeight !== 'auto'`) // its styles were kept too
	b.click(".tap-one")
	b.sees("1 tap waits")
}

// TestTheCaliperWithoutALine measures on a device of one's own with the server gone.
func TestTheCaliperWithoutALine(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	p := &power{next: h.site}
	h.Server.Config.Handler = p
	b := h.browser(t, 1280, 800)
	b.expectErrors = true
	b.signIn("maud")
	b.is(`navigator.serviceWorker.controller`)
	b.goTo("/stock/lots/L-205/caliper")
	b.is(`caches.open('uk-pages-' + document.body.dataset.person).then(c => c.match('/stock/lots/L-205/caliper'))`)
	p.off.Store(true)
	b.goTo("/stock/lots/L-205/caliper")
	b.sees("This page is as it was at")
	b.fill("#mm", "8.4 8.6 9.2x8.8")
	b.key(kb.Enter)
	b.sees("The line is down. Readings wait on this device")
	b.press("Take back the last")
	b.goTo("/stock/lots/L-205/caliper")
	b.is(`UK.items().length === 2`)
	p.off.Store(false)
	b.eval(`window.dispatchEvent(new Event('online'))`)
	b.is(`UK.items().length === 0`)
	var mm []float64
	require.NoError(t, h.db.Select(&mm, `select r.mm from caliper_reading r join stock_lot l on l.id = r.lot_id where l.code = 'L-205'
		order by r.mm`))
	assert.Equal(t, []float64{8.4, 8.6}, mm)
}
