package web_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"

	"unionknot/internal/demo"
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

// BenchmarkTap sends one tap a request, each acknowledged when it is on disk.
func BenchmarkTap(b *testing.B) {
	h, c := benchHouse(b)
	run := page.UUID()[:8]
	_, err := h.db.Exec(`with made as (insert into tag (code, batch_id, lot_id, bundle_id, technique, worker_id, day, planned)
		select $1 || '-' || n, t.batch_id, t.lot_id, t.bundle_id, t.technique, t.worker_id, t.day, 1000
		from (select * from tag order by id desc limit 1) t, generate_series(1, $2::int) n returning id)
		insert into tag_thread (tag_id, stock_mm, wood_mm, n) select id, 8.25, 8.25, 1000 from made`, run, b.N/tapsATag+200)
	require.NoError(b, err)
	var tags atomic.Int64
	b.SetParallelism(8)
	b.ResetTimer()
	b.RunParallel(func(pb *testing.PB) {
		n, tag := 0, ""
		for pb.Next() {
			if n%tapsATag == 0 {
				tag = fmt.Sprintf("%s-%d", run, tags.Add(1))
			}
			n++
			body := fmt.Sprintf(`{"taps":[{"id":%q,"kind":"tied","n":1,"ago_ms":0}]}`, page.UUID())
			r, err := c.Post(h.URL+"/bench/tags/"+tag+"/taps", "application/json", bytes.NewReader([]byte(body)))
			if err != nil || r.StatusCode != http.StatusOK {
				said := ""
				if err == nil {
					x, _ := io.ReadAll(r.Body)
					said = string(x)
				}
				b.Errorf("tap %s: %v %s", tag, err, said)
				return
			}
			io.Copy(io.Discard, r.Body)
			r.Body.Close()
		}
	})
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "taps/s")
}

func benchPage(b *testing.B, path string) {
	h, c := benchHouse(b)
	b.ResetTimer()
	for b.Loop() {
		r, err := c.Get(h.URL + path)
		require.NoError(b, err)
		require.Equal(b, http.StatusOK, r.StatusCode)
		io.Copy(io.Discard, r.Body)
		r.Body.Close()
	}
}

func BenchmarkToday(b *testing.B)     { benchPage(b, "/today") }
func BenchmarkResults(b *testing.B)   { benchPage(b, "/results") }
func BenchmarkHealPage(b *testing.B)  { benchPage(b, "/heal") }
func BenchmarkBenchPage(b *testing.B) { benchPage(b, "/bench") }
func BenchmarkMatch(b *testing.B)     { benchPage(b, "/match/O-52") }
func BenchmarkOrders(b *testing.B)    { benchPage(b, "/orders") }
func BenchmarkSeason(b *testing.B)    { benchPage(b, "/season/pome") }
func BenchmarkDays(b *testing.B)      { benchPage(b, "/bench/days") }
func BenchmarkProgramme(b *testing.B) { benchPage(b, "/match/programme") }
