package web_test

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"

	"unionknot/internal/demo"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/bench"
	"unionknot/internal/store"
	"unionknot/internal/web/page"

	"net/http/cookiejar"
	"net/url"
)

// benchHouse serves the database that scripts/bench names, which keeps its
// promises on disk as a nursery's own does.
func benchHouse(b *testing.B) (*house, *http.Client) {
	b.Helper()
	dsn := os.Getenv("UNIONKNOT_BENCH_DB")
	if dsn == "" {
		b.Skip("make bench gives this a database")
	}
	db, err := store.Open(context.Background(), dsn)
	require.NoError(b, err)
	b.Cleanup(func() { db.Close() })
	h := open(b, db)
	jar, err := cookiejar.New(nil)
	require.NoError(b, err)
	c := &http.Client{Jar: jar, Transport: &http.Transport{MaxIdleConnsPerHost: 64}}
	r, err := c.PostForm(h.URL+"/sign-in", url.Values{"sign_in": {"maud"}, "password": {demo.Password}})
	require.NoError(b, err)
	r.Body.Close()
	require.Equal(b, http.StatusOK, r.StatusCode)
	return h, c
}

// tapsATag is how many taps a tag of 25 grafts sees.
const tapsATag = 30

// BenchmarkTap16 and BenchmarkTap64 send one tap a request, so many at a time,
// each acknowledged when it is on disk.
func BenchmarkTap16(b *testing.B) { benchTaps(b, 16) }
func BenchmarkTap64(b *testing.B) { benchTaps(b, 64) }

// benchTaps writes the requests' bytes to kept connections as they are, so that
// the client takes little of the processor that the server runs on too.
func benchTaps(b *testing.B, clients int) {
	h, c := benchHouse(b)
	here, err := url.Parse(h.URL)
	require.NoError(b, err)
	var cookies []string
	for _, k := range c.Jar.Cookies(here) {
		cookies = append(cookies, k.String())
	}
	run := h.tagsToTap(b, clients)
	var tags, left atomic.Int64
	left.Store(int64(b.N))
	var all sync.WaitGroup
	b.ResetTimer()
	for c := range clients {
		all.Go(func() {
			conn, err := net.Dial("tcp", here.Host)
			if err != nil {
				b.Error(err)
				return
			}
			defer conn.Close()
			answers := bufio.NewReader(conn)
			// They do not all come to their next tag at the same time.
			first := c * tapsATag / clients
			for n, tag := first, ""; left.Add(-1) >= 0; n++ {
				if n == first || n%tapsATag == 0 {
					tag = fmt.Sprintf("%s-%d", run, tags.Add(1))
				}
				body := fmt.Sprintf(`{"taps":[{"id":%q,"kind":"tied","n":1,"ago_ms":0}]}`, page.UUID())
				fmt.Fprintf(
					conn,
					"POST /bench/tags/%s/taps HTTP/1.1\r\nHost: %s\r\nCookie: %s\r\nContent-Type: application/json\r\nContent-Length: "+
						"%d\r\n\r\n%s",
					tag,
					here.Host,
					strings.Join(cookies, "; "),
					len(body),
					body,
				)
				r, err := http.ReadResponse(answers, nil)
				if err != nil {
					b.Error(err)
					return
				}
				said, err := io.ReadAll(r.Body)
				if err != nil || r.StatusCode != http.StatusOK {
					b.Errorf("tap %s: %v %s", tag, err, said)
					return
				}
			}
		})
	}
	all.Wait()
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "taps/s")
}

// tagsToTap makes tags enough for a benchmark's taps, and gives what their codes begin with.
func (h *house) tagsToTap(b *testing.B, clients int) (run string) {
	b.Helper()
	run = page.UUID()[:8]
	_, err := h.db.Exec(`with made as (insert into tag (code, batch_id, lot_id, bundle_id, technique, worker_id, day, planned)
		select $1 || '-' || n, t.batch_id, t.lot_id, t.bundle_id, t.technique, t.worker_id, t.day, $3
		from (select * from tag order by id desc limit 1) t, generate_series(1, $2::int) n returning id)
		insert into tag_thread (tag_id, stock_mm, wood_mm, n) select id, 8.25, 8.25, $3 from made`, run, b.N/tapsATag+4*clients, tapsATag)
	require.NoError(b, err)
	_, err = h.db.Exec(`analyze any_tag`)
	require.NoError(b, err)
	return run
}

// BenchmarkKeep16 and BenchmarkKeep64 keep taps as the server does, a tap a call, without the
// way through HTTP: what the house adds to a row on disk.
func BenchmarkKeep16(b *testing.B) { benchKeep(b, 16) }
func BenchmarkKeep64(b *testing.B) { benchKeep(b, 64) }

func benchKeep(b *testing.B, clients int) {
	h, _ := benchHouse(b)
	run := h.tagsToTap(b, clients)
	var maud nursery.Actor
	require.NoError(b, h.db.Get(&maud.ID, `select id from person where sign_in = 'maud'`))
	maud.Role = nursery.Propagator
	var tags, left atomic.Int64
	left.Store(int64(b.N))
	var all sync.WaitGroup
	b.ResetTimer()
	for c := range clients {
		all.Go(func() {
			// They do not all come to their next tag at the same time.
			first := c * tapsATag / clients
			for n, tag := first, ""; left.Add(-1) >= 0; n++ {
				if n == first || n%tapsATag == 0 {
					tag = fmt.Sprintf("%s-%d", run, tags.Add(1))
				}
				_, err := h.nursery.Tap(context.Background(), maud, tag, []bench.Tap{{ID: page.UUID(), Kind: "tied", N: 1}})
				if err != nil {
					b.Error(err)
					return
				}
			}
		})
	}
	all.Wait()
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "taps/s")
}

// BenchmarkPages asks for each of the pages that people leave open, and for those on which
// the past could weigh.
func BenchmarkPages(b *testing.B) {
	h, c := benchHouse(b)
	get := func(b *testing.B, path string) {
		r, err := c.Get(h.URL + path)
		require.NoError(b, err)
		require.Equal(b, http.StatusOK, r.StatusCode)
		io.Copy(io.Discard, r.Body)
		r.Body.Close()
	}
	one := func(query string) (s string) {
		require.NoError(b, h.db.Get(&s, query))
		return s
	}
	for _, p := range []struct{ name, path string }{
		{"today", "/today"},
		{"orders", "/orders"},
		{"an order", "/orders/O-52"},
		{"stock", "/stock"},
		{"a lot", "/stock/lots/L-188"},
		{"wood", "/wood"},
		{"the store", "/wood/store"},
		{"wood to cut", "/wood/collect"},
		{"match", "/match/O-52"},
		{"the weave of all", "/match/programme"},
		{"bench", "/bench"},
		{"a card", "/bench/tags/" + one(`select code from tag where finished_at is null order by id limit 1`)},
		{"bench days", "/bench/days"},
		{"heal", "/heal"},
		{"grow on", "/grow"},
		{"its walk", "/grow/walk"},
		{"rows", "/rows"},
		{"a row", "/rows/" + one(`select id::text from field_row order by id limit 1`)},
		{"trees", "/trees"},
		{"a family tree", "/trees/" + one(`select code from tree order by id limit 1`)},
		{"classes", "/classes"},
		{"a class", "/classes/" + one(`select code from class order by id limit 1`)},
		{"results", "/results"},
		{"a worker", "/results/worker/2"},
		{"recall", "/recall?kind=lot&key=L-188"},
		{"season", "/season/pome"},
		{"rehearsal", "/orders/rehearsal"},
		{"changes", "/house/changes"},
	} {
		b.Run(p.name, func(b *testing.B) {
			get(b, p.path) // what outlives a request, the fit of all counts among it, is worked out once
			b.ResetTimer()
			for b.Loop() {
				get(b, p.path)
			}
		})
	}
}
