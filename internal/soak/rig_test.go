package soak_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/store"
)

const root = "../.."

// rig is a database and two servers of its own, as processes that can be killed.
type rig struct {
	t       *testing.T
	name    string // of the database under .run
	env     []string
	bin     string
	dsn     string
	owner   string
	ports   [2]string
	mu      sync.Mutex
	servers [2]*exec.Cmd
}

func (r *rig) script(args ...string) {
	r.t.Helper()
	c := exec.Command("scripts/postgres", args...)
	c.Dir, c.Env = root, append(os.Environ(), r.env...)
	out, err := c.CombinedOutput()
	require.NoError(r.t, err, "%s", out)
}

// newRig starts it all with the made-up nursery in it.
func newRig(t *testing.T, name string, env ...string) *rig {
	t.Helper()
	r := &rig{t: t, name: name, env: env, bin: filepath.Join(t.TempDir(), "unionknot")}
	out, err := exec.Command("go", "build", "-o", r.bin, "unionknot/cmd/unionknot").CombinedOutput()
	require.NoError(t, err, "%s", out)
	r.script("wipe", name)
	r.script("start", name)
	t.Cleanup(func() {
		for i := range r.servers {
			r.kill(i)
		}
		r.script("wipe", name)
	})
	r.dsn, r.owner = r.address()
	c := exec.Command(r.bin, "demo")
	c.Env = append(os.Environ(), "UNIONKNOT_DB="+r.dsn, "UNIONKNOT_OWNER_DB="+r.owner)
	out, err = c.CombinedOutput()
	require.NoError(t, err, "%s", out)
	for i := range r.ports {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		r.ports[i] = strconv.Itoa(l.Addr().(*net.TCPAddr).Port)
		l.Close()
		r.start(i)
	}
	for i := range r.ports {
		r.waitFor(i)
	}
	return r
}

// address gives the house's addresses, as the server and as the owner.
func (r *rig) address() (app, owner string) {
	b, err := os.ReadFile(filepath.Join(root, ".run", r.name+".env"))
	require.NoError(r.t, err)
	m := regexp.MustCompile(`"(postgres://[^"]+)"`).FindAllSubmatch(b, 2)
	require.Len(r.t, m, 2)
	return string(m[0][1]), string(m[1][1])
}

func (r *rig) start(i int) {
	c := exec.Command(r.bin, "serve")
	c.Env = append(os.Environ(), "UNIONKNOT_DB="+r.dsn, "UNIONKNOT_LISTEN=127.0.0.1:"+r.ports[i], "UNIONKNOT_METRICS=")
	log, err := os.OpenFile(filepath.Join(filepath.Dir(r.bin), fmt.Sprintf("log-%d", i)), os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o600)
	require.NoError(r.t, err)
	defer log.Close()
	c.Stdout, c.Stderr = log, log
	require.NoError(r.t, c.Start())
	r.mu.Lock()
	r.servers[i] = c
	r.mu.Unlock()
}

func (r *rig) kill(i int) {
	r.mu.Lock()
	c := r.servers[i]
	r.servers[i] = nil
	r.mu.Unlock()
	if c != nil {
		c.Process.Kill()
		c.Wait()
	}
}

func (r *rig) url(i int, path string) string { return "http://127.0.0.1:" + r.ports[i] + path }

// waitFor waits until a server answers from its database, and gives how long that took.
func (r *rig) waitFor(i int) time.Duration {
	r.t.Helper()
	begun := time.Now()
	for time.Since(begun) < time.Minute {
		c := http.Client{Timeout: time.Second}
		if res, err := c.Get(r.url(i, "/readyz")); err == nil {
			res.Body.Close()
			if res.StatusCode == http.StatusOK {
				return time.Since(begun)
			}
		}
		time.Sleep(20 * time.Millisecond)
	}
	r.t.Fatalf("server %d is not back after a minute", i)
	return 0
}

// logs counts answers of 500 and up in what the servers wrote, and panics.
func (r *rig) logs() (fives, panics int) {
	for i := range r.ports {
		f, err := os.Open(filepath.Join(filepath.Dir(r.bin), fmt.Sprintf("log-%d", i)))
		require.NoError(r.t, err)
		s := bufio.NewScanner(f)
		s.Buffer(nil, 1<<20)
		for s.Scan() {
			if strings.Contains(s.Text(), "msg=request ") && strings.Contains(s.Text(), "status=5") {
				fives++
			}
			if strings.Contains(s.Text(), "msg=panic") {
				panics++
			}
		}
		f.Close()
	}
	return fives, panics
}

func (r *rig) db() *store.DB {
	r.t.Helper()
	db, err := store.Open(context.Background(), r.dsn)
	require.NoError(r.t, err)
	r.t.Cleanup(func() { db.Close() })
	return db
}

// person is somebody signed in at both servers.
type person struct {
	r *rig
	c *http.Client
}

func (r *rig) signIn(name string) *person {
	r.t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(r.t, err)
	p := &person{r, &http.Client{Jar: jar, Timeout: 8 * time.Second,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}}
	res, err := p.c.PostForm(r.url(0, "/sign-in"), url.Values{"sign_in": {name}, "password": {"three blunt knives"}})
	require.NoError(r.t, err)
	io.Copy(io.Discard, res.Body)
	res.Body.Close()
	require.Equal(r.t, http.StatusSeeOther, res.StatusCode)
	return p
}

type tap struct {
	ID     string `json:"id"`
	Code   string `json:"code"`
	Kind   string `json:"kind"`
	N      int    `json:"n"`
	Undoes string `json:"undoes,omitempty"`
	No     int64  `json:"no"`
	AgoMS  int64  `json:"ago_ms"`
	at     time.Time
}

func uuid(r *rand.Rand) string {
	a, b := r.Uint64(), r.Uint64()
	return fmt.Sprintf("%08x-%04x-4%03x-8%03x-%012x", a>>32, a>>16&0xffff, a&0xfff, b>>52, b&0xffffffffffff)
}

// tablet keeps what is tapped on it until a server says that it is safe, as the page's
// queue does; it sends in chunks, now and then shuffled and twice.
type tablet struct {
	device  string
	waiting []tap
	acked   map[string]bool
	made    map[string]int // what the worker tied, by tag, less what they took back
	no      int64
	r       *rand.Rand
	said    string // by a server that would not take them
}

func (d *tablet) tapOn(code string) {
	d.no++
	t := tap{ID: uuid(d.r), Code: code, Kind: "tied", N: 1, No: d.no, at: time.Now()}
	d.made[code]++
	d.waiting = append(d.waiting, t)
	if d.r.IntN(12) == 0 { // a slip, and back
		d.no++
		d.waiting = append(d.waiting, tap{ID: uuid(d.r), Code: code, Kind: "undo", N: 1, Undoes: t.ID, No: d.no, at: time.Now()})
		d.made[code]--
	}
}

func (d *tablet) send(p *person, server int) bool {
	if len(d.waiting) == 0 {
		return true
	}
	taps := append([]tap(nil), d.waiting[:min(len(d.waiting), 1+d.r.IntN(40))]...)
	if d.r.IntN(3) == 0 {
		d.r.Shuffle(len(taps), func(i, j int) { taps[i], taps[j] = taps[j], taps[i] })
	}
	for i := range taps {
		taps[i].AgoMS = time.Since(taps[i].at).Milliseconds()
	}
	body, _ := json.Marshal(map[string]any{"device": d.device, "taps": taps})
	req, err := http.NewRequest(http.MethodPost, p.r.url(server, "/taps"), bytes.NewReader(body))
	if err != nil {
		return false
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Accept", "application/json")
	res, err := p.c.Do(req)
	if err != nil {
		return false
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK {
		b, _ := io.ReadAll(res.Body)
		d.said = fmt.Sprintf("%d %s", res.StatusCode, b)
	}
	var done struct {
		Safe []string `json:"safe"`
	}
	if res.StatusCode != http.StatusOK || json.NewDecoder(res.Body).Decode(&done) != nil {
		return false
	}
	for _, id := range done.Safe {
		d.acked[id] = true
	}
	if d.r.IntN(5) == 0 {
		return true // the answer is lost: all of it goes again
	}
	left := d.waiting[:0:0]
	for _, t := range d.waiting {
		if !d.acked[t.ID] {
			left = append(left, t)
		}
	}
	d.waiting = left
	return true
}

// bigTags makes room for many taps: tags of thousands of grafts, as one statement.
func bigTags(t *testing.T, db *store.DB, n int) (codes []string) {
	t.Helper()
	require.NoError(t, db.Select(&codes, `with was as (select * from any_tag where finished_at is null and dropped_at is null order by id
		limit 1),
		made as (insert into any_tag (code, batch_id, lot_id, bundle_id, technique, worker_id, day, planned)
			select 'Z' || (i % 10) || '-0' || lpad(i::text, 4, '0'), batch_id, lot_id, bundle_id, technique, (select id from person where
			sign_in = 'maud'),
				day, 1000 from was, generate_series(1, $1) i returning id, code)
		select code from made`, n))
	_, err := db.Exec(`insert into tag_thread (tag_id, stock_mm, wood_mm, n) select id, 8.25, 8.25, 1000 from any_tag where code like
		'Z%-0%'`)
	require.NoError(t, err)
	return codes
}

// verdict holds the database to what the tablets were told.
func verdict(t *testing.T, db *store.DB, tablets []*tablet) (acked, lost int) {
	t.Helper()
	want := map[string]int{}
	for _, d := range tablets {
		for id := range d.acked {
			acked++
			var n int
			require.NoError(t, db.Get(&n, `select count(*) from tap where id = $1`, id))
			if n != 1 {
				lost++
			}
		}
		for code, n := range d.made {
			want[code] += n
		}
	}
	for code, n := range want {
		var tied int
		require.NoError(t, db.Get(&tied, `select tied from any_tag where code = $1`, code))
		assert.Equal(t, n, tied, "tag %s: what was tied, counted once", code)
	}
	return acked, lost
}

func rounds(short int) int {
	if n, err := strconv.Atoi(os.Getenv("UNIONKNOT_SOAK")); err == nil {
		return n
	}
	return short
}

var (
	formOf  = regexp.MustCompile(`(?s)<form[^>]*method="post"[^>]*action="([^"]+)"[^>]*>(.*?)</form>`)
	inputOf = regexp.MustCompile(`(?s)<input[^>]*?name="([^"]+)"[^>]*?value="([^"]*)"`)
)

// press finds a form on a page and sends it as it stands, with more of its fields.
func (p *person) press(server int, page, action string, more url.Values) int {
	res, err := p.c.Get(p.r.url(server, page))
	if err != nil {
		return 0
	}
	b, _ := io.ReadAll(res.Body)
	res.Body.Close()
	if res.StatusCode >= 500 {
		return res.StatusCode
	}
	for _, f := range formOf.FindAllSubmatch(b, -1) {
		to := strings.ReplaceAll(string(f[1]), "&amp;", "&")
		if !regexp.MustCompile(action).MatchString(to) {
			continue
		}
		v := url.Values{}
		for _, in := range inputOf.FindAllSubmatch(f[2], -1) {
			v.Set(string(in[1]), string(in[2]))
		}
		for k, x := range more {
			v[k] = x
		}
		res, err := p.c.PostForm(p.r.url(server, to), v)
		if err != nil {
			return 0
		}
		io.Copy(io.Discard, res.Body)
		res.Body.Close()
		return res.StatusCode
	}
	return http.StatusOK // there is nothing to press now
}
