package web_test

import (
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/demo"
	"unionknot/internal/nursery"
	"unionknot/internal/testhouse"
	"unionknot/internal/web/page"
)

// client is a browser without a window.
func (h *house) client(t *testing.T) *http.Client {
	t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
}

func (h *house) as(t *testing.T, name string) *http.Client {
	t.Helper()
	c := h.client(t)
	r, err := c.PostForm(h.URL+"/sign-in", url.Values{"sign_in": {name}, "password": {demo.Password}})
	require.NoError(t, err)
	r.Body.Close()
	require.Equal(t, http.StatusSeeOther, r.StatusCode, "signing in as %s", name)
	return c
}

// sendForm sends a form and gives its status, where it leads, and its body.
func (h *house) sendForm(t *testing.T, c *http.Client, path string, pairs ...string) (int, string, string) {
	t.Helper()
	v := url.Values{}
	for i := 0; i+1 < len(pairs); i += 2 {
		v.Set(pairs[i], pairs[i+1])
	}
	a, err := c.PostForm(h.URL+path, v)
	require.NoError(t, err)
	defer a.Body.Close()
	b, err := io.ReadAll(a.Body)
	require.NoError(t, err)
	return a.StatusCode, a.Header.Get("Location"), string(b)
}

// ask sends a request and gives its status, where it leads, and its body.
func (h *house) ask(t *testing.T, c *http.Client, method, path string) (int, string, string) {
	t.Helper()
	r, err := http.NewRequest(method, h.URL+path, nil)
	require.NoError(t, err)
	a, err := c.Do(r)
	require.NoError(t, err)
	defer a.Body.Close()
	b, err := io.ReadAll(a.Body)
	require.NoError(t, err)
	return a.StatusCode, a.Header.Get("Location"), string(b)
}

// real puts codes of the demo in a route's place holders.
func (h *house) real(t *testing.T, path string) string {
	t.Helper()
	get := func(q string) string {
		var s string
		require.NoError(t, h.db.Get(&s, q))
		return s
	}
	switch {
	case strings.HasPrefix(path, "/orders/"), strings.HasPrefix(path, "/match/"):
		path = strings.Replace(path, "{code}", "O-52", 1)
	case strings.HasPrefix(path, "/stock/"):
		path = strings.Replace(path, "{code}", "L-201", 1)
	case strings.HasPrefix(path, "/wood/plants/"):
		path = strings.Replace(path, "{code}", "M-1", 1)
	case path == "/wood/photos/{id}":
		path = "/wood/photos/" + get(
			`insert into plant_photo (plant_id, kind, body, person_id, at) select m.id, 'image/png', 'x', p.id, now() from mother_plant
				m, person p where m.code = 'M-1' and p.sign_in = 'maud' returning id`,
		)
	case strings.HasPrefix(path, "/loads/{id}/"):
		path = strings.Replace(path, "{id}", get(
			`insert into load (kind, file_name, sha256, body, state, person_id, at) select 'lots', 'x.csv', '', 'x', 'loaded', id, now()
			from person where sign_in = 'maud' returning id`,
		), 1)
	case path == "/devices/prints/{id}":
		path = "/devices/prints/" + get(
			`insert into label_print (title, labels, pdf, person_id, at) select 'x', 1, 'x', id, now() from person where sign_in = 'maud'
				returning id`,
		)
	case strings.HasPrefix(path, "/wood/bundles/"):
		path = strings.Replace(path, "{code}", "W-301", 1)
	case strings.HasPrefix(path, "/bench/batches/"):
		path = strings.Replace(
			path,
			"{code}",
			get(`select b.code from batch b join tag t on t.batch_id = b.id order by b.id desc limit 1`),
			1,
		)
	case strings.HasPrefix(path, "/bench/tags/"), strings.HasPrefix(path, "/heal/"):
		// Ansel's own, so that a bench hand may.
		path = strings.Replace(
			path,
			"{code}",
			get(`select t.code from tag t join person p on p.id = t.worker_id where p.sign_in = 'ansel' order by t.id desc limit 1`),
			1,
		)
	}
	if strings.HasPrefix(path, "/grow/tags/") {
		path = "/grow/tags/" + get(`select code from tag where standing > 0 order by id limit 1`)
	}
	if strings.HasPrefix(path, "/trees/{code}") {
		path = strings.Replace(strings.Replace(path, "{code}", "T-7", 1), "{letter}", "A", 1)
	}
	if strings.HasPrefix(path, "/classes/{code}") {
		path = strings.Replace(strings.Replace(path, "{code}", "K-1", 1), "{place}", "9", 1)
	}
	if strings.HasPrefix(path, "/rows/{row}") {
		path = strings.Replace(path, "{row}", get(`select id from field_row order by id limit 1`), 1)
	}
	if path == "/heal/place" {
		path += "?name=callus+box+1"
	}
	if path == "/recall/trees.csv" {
		path += "?kind=lot&key=L-201"
	}
	if path == "/results/costs.csv" {
		path += "?by=technique"
	}
	if path == "/results/takes.csv" {
		path += "?by=worker"
	}
	if path == "/results/worker/{id}" {
		path = "/results/worker/" + get(`select id from person where sign_in = 'ansel'`)
	}
	if path == "/lists/{kind}" {
		path = "/lists/looks"
	}
	if path == "/house/ways/try" {
		path += "?key=tie+off&chosen=all+in+late+winter"
	}
	if path == "/results/tags" {
		path += "?by=technique&key=whip-and-tongue"
	}
	return strings.NewReplacer("{kind}/{code}", "lot/L-201", "{kind}/{ref}", "lot/L-201", "{kind}", "lots", "{id}", "1", "{name}",
		"lots.csv", "{format}", "csv",
		"{group}", "pome", "{day}", "2027-02-23").
		Replace(path)
}

func TestEveryRouteByEveryRole(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	people := map[nursery.Role]string{nursery.Propagator: "maud", nursery.BenchHand: "ansel", nursery.Looker: "vera"}
	routes := h.site.Routes()
	require.Greater(t, len(routes), 40)
	for role, name := range people {
		c := h.as(t, name)
		for _, r := range routes {
			if len(r.Who) == 0 || r.Path == "/tablet" {
				continue // the door is open to all, and has tests of its own
			}
			path := h.real(t, r.Path)
			status, _, body := h.ask(t, c, r.Method, path)
			if !page.Allowed(role, r.Who) {
				assert.Equal(t, http.StatusForbidden, status, "%s %s as %s", r.Method, path, role)
				assert.Contains(t, body, "Not yours to open")
				continue
			}
			assert.Less(t, status, 500, "%s %s as %s", r.Method, path, role)
			assert.NotEqual(t, http.StatusForbidden, status, "%s %s as %s", r.Method, path, role)
			if r.Path == "/classes/{code}" && role == nursery.Looker {
				assert.Equal(t, http.StatusSeeOther, status, "who only reads has the list")
				continue
			}
			if r.Method == http.MethodGet && r.Path != "/loads/{id}" {
				assert.Equal(t, http.StatusOK, status, "%s as %s", path, role)
			}
		}
	}
	nobody := h.client(t)
	for _, r := range routes {
		if len(r.Who) == 0 {
			continue
		}
		status, to, body := h.ask(t, nobody, r.Method, h.real(t, r.Path))
		if r.Method == http.MethodGet {
			assert.Equal(t, http.StatusSeeOther, status, r.Path)
			assert.True(t, strings.HasPrefix(to, "/sign-in?next="), to)
		} else {
			assert.Equal(t, http.StatusUnauthorized, status, r.Path)
		}
		assert.NotContains(t, body, "Lanternjaw")
	}
}

func TestAHandSeesNoOtherHandsCard(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	var other string
	require.NoError(
		t,
		h.db.Get(
			&other,
			`select t.code from tag t join person p on p.id = t.worker_id where p.sign_in = 'odile' and finished_at is null limit 1`,
		),
	)
	status, _, _ := h.ask(t, h.as(t, "ansel"), "GET", "/bench/tags/"+other)
	assert.Equal(t, http.StatusForbidden, status)
}

func TestHeadersAndHealth(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	r, err := http.Get(h.URL + "/sign-in")
	require.NoError(t, err)
	r.Body.Close()
	csp := r.Header.Get("Content-Security-Policy")
	assert.Contains(t, csp, "script-src 'self';")
	assert.NotContains(t, csp, "unsafe")
	assert.Equal(t, "nosniff", r.Header.Get("X-Content-Type-Options"))
	for path, want := range map[string]int{"/healthz": 200, "/readyz": 200, "/nothing": 404, "/static/app.css": 200,
		"/static/../web.go": 404, "/find?q=%00": 400, "/stock/lots/%ff": 400} {
		status, _, _ := h.ask(t, h.client(t), "GET", path)
		assert.Equal(t, want, status, path)
	}
	cross, err := http.NewRequest("POST", h.URL+"/sign-in", strings.NewReader("sign_in=maud"))
	require.NoError(t, err)
	cross.Header.Set("Origin", "https://elsewhere.example")
	cross.Header.Set("Sec-Fetch-Site", "cross-site")
	a, err := http.DefaultClient.Do(cross)
	require.NoError(t, err)
	a.Body.Close()
	assert.Equal(t, http.StatusForbidden, a.StatusCode, "another site's form")
	h.db.Close()
	status, _, _ := h.ask(t, h.client(t), "GET", "/readyz")
	assert.Equal(t, http.StatusServiceUnavailable, status)
	status, _, body := h.ask(t, h.client(t), "GET", "/sign-in")
	assert.Equal(t, http.StatusInternalServerError, status)
	assert.Contains(t, body, "Something broke here", "said in words, with the database gone")
}

func TestTheDoorLeadsBackToNoOtherSite(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	for next, want := range map[string]string{"/stock/lots/L-201": "/stock/lots/L-201", "//evil.example": "/today",
		"https://evil.example": "/today", `/\evil.example`: "/today", "": "/today"} {
		r, err := h.client(t).PostForm(h.URL+"/sign-in", url.Values{"sign_in": {"maud"}, "password": {demo.Password}, "next": {next}})
		require.NoError(t, err)
		r.Body.Close()
		assert.Equal(t, want, r.Header.Get("Location"), next)
	}
}

func TestTheTabletKnowsNamesAndPINs(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	stranger := h.client(t)
	_, to, _ := h.ask(t, stranger, "GET", "/names")
	assert.Equal(t, "/sign-in", to, "names are shown on a tablet that was opened, and nowhere else")
	c := h.as(t, "maud")
	_, to, _ = h.ask(t, c, "POST", "/tablet")
	assert.Equal(t, "/names", to)
	status, to, _ := h.ask(t, c, "GET", "/house")
	assert.Equal(t, http.StatusSeeOther, status, "the propagator is signed out of it")
	assert.Equal(t, "/names", to)
	_, _, body := h.ask(t, c, "GET", "/names")
	assert.Contains(t, body, "Ansel Roke")
	assert.NotContains(t, body, "Vera Lunn")
	var id string
	require.NoError(t, h.db.Get(&id, `select id::text from person where sign_in = 'ansel'`))
	wrong, err := c.PostForm(h.URL+"/names", url.Values{"person": {id}, "pin": {"9999"}})
	require.NoError(t, err)
	wrong.Body.Close()
	assert.Equal(t, http.StatusUnprocessableEntity, wrong.StatusCode)
	right, err := c.PostForm(h.URL+"/names", url.Values{"person": {id}, "pin": {demo.PIN}})
	require.NoError(t, err)
	right.Body.Close()
	assert.Equal(t, "/bench", right.Header.Get("Location"))
	_, to, _ = h.ask(t, c, "POST", "/sign-out")
	assert.Equal(t, "/names", to, "the tablet stays open for the next hand")
}

func TestFilesOfEverySortGetWords(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	c := h.as(t, "maud")
	send := func(body string) (int, string) {
		form := "--b\r\nContent-Disposition: form-data; name=\"file\"; filename=\"../../x.csv\"\r\nContent-Type: text/csv\r\n\r\n" + body +
			"\r\n--b--\r\n"
		r, err := c.Post(h.URL+"/loads/lots", "multipart/form-data; boundary=b", strings.NewReader(form))
		require.NoError(t, err)
		r.Body.Close()
		return r.StatusCode, r.Header.Get("Location")
	}
	status, to := send("code,genus\n<script>alert(1)</script>,pear\n")
	require.Equal(t, http.StatusSeeOther, status)
	status, _, body := h.ask(t, c, "GET", to)
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "lacks stock")
	assert.NotContains(t, body, "<script>alert")
	_, to = send(strings.Repeat("x", 17<<20))
	assert.Equal(t, "/stock", to)
	_, _, body = h.ask(t, c, "GET", to)
	assert.Contains(t, body, "over 16 MB")
}
