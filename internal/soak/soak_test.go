// Package soak runs the whole product for a while and breaks it: servers and the
// database are killed under load, a server freezes, a table is locked, the disk is
// full, fifty planners work at once. UNIONKNOT_SOAK says how many kills; without it
// the form is short. What is said at the end is what was counted.
package soak_test

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestKillsUnderLoadLoseNoTap kills servers and the database at random moments while
// tablets tap, freezes a server and locks a table: what was acknowledged is there, once,
// and all comes back by itself.
func TestKillsUnderLoadLoseNoTap(t *testing.T) {
	r := newRig(t, "soak")
	db := r.db()
	codes := bigTags(t, db, 900)
	var stop atomic.Bool
	var all sync.WaitGroup
	var tablets []*tablet
	for i := range 12 {
		d := &tablet{device: fmt.Sprintf("tablet-%d", i), acked: map[string]bool{}, made: map[string]int{},
			r: rand.New(rand.NewPCG(uint64(i), 5))}
		tablets = append(tablets, d)
		p := r.signIn("maud")
		all.Go(func() {
			server := i % 2
			at := i * 70 // the tags that are this tablet's, one after the other
			for n := 1; !stop.Load(); n++ {
				if n%25 == 0 {
					at++
				}
				for range 1 + d.r.IntN(4) {
					code := codes[at%len(codes)]
					if d.r.IntN(40) == 0 { // one that another works on
						code = codes[((i+1)%12*70+d.r.IntN(3))%len(codes)]
					}
					d.tapOn(code)
				}
				if !d.send(p, server) {
					server = 1 - server
					time.Sleep(30 * time.Millisecond)
				}
				time.Sleep(time.Duration(d.r.IntN(15)) * time.Millisecond)
			}
			for end := time.Now().Add(2 * time.Minute); len(d.waiting) > 0 && time.Now().Before(end); {
				if !d.send(p, server) {
					server = 1 - server
					time.Sleep(100 * time.Millisecond)
				}
			}
		})
	}
	kills := map[string]int{}
	var slowest time.Duration
	rd := rand.New(rand.NewPCG(1, 2))
	for range rounds(4) {
		time.Sleep(time.Duration(200+rd.IntN(900)) * time.Millisecond)
		switch rd.IntN(5) {
		case 0, 1:
			i := rd.IntN(2)
			r.kill(i)
			kills["server"]++
			time.Sleep(time.Duration(rd.IntN(300)) * time.Millisecond)
			r.start(i)
			slowest = max(slowest, r.waitFor(i))
		case 2, 3:
			r.script("kill", r.name)
			kills["database"]++
			r.script("start", r.name)
			slowest = max(slowest, r.waitFor(0), r.waitFor(1))
		case 4:
			i := rd.IntN(2)
			r.mu.Lock()
			c := r.servers[i]
			r.mu.Unlock()
			c.Process.Signal(syscall.SIGSTOP)
			kills["frozen for a while"]++
			time.Sleep(time.Duration(500+rd.IntN(1500)) * time.Millisecond)
			c.Process.Signal(syscall.SIGCONT)
		}
	}
	// A table is locked for a while: taps wait, or are sent again.
	tx, err := sqlx.ConnectContext(t.Context(), "pgx", r.dsn)
	require.NoError(t, err)
	lock, err := tx.Beginx()
	require.NoError(t, err)
	_, err = lock.Exec(`lock table tap in exclusive mode`)
	require.NoError(t, err)
	time.Sleep(3 * time.Second)
	require.NoError(t, lock.Rollback())
	tx.Close()
	stop.Store(true)
	all.Wait()
	for _, d := range tablets {
		assert.Zero(t, len(d.waiting), "all went up once the line was back")
	}
	acked, lost := verdict(t, r.db(), tablets)
	assert.Zero(t, lost)
	_, panics := r.logs()
	assert.Zero(t, panics)
	t.Logf("kills %v; %d taps acknowledged, %d lost or doubled; back after at most %.1f s", kills, acked, lost, slowest.Seconds())
}

// TestFiftyPlannersOnTwoServers lets fifty people weave, make and take back batches, share
// them out, plan the days and count, by the pages' own forms.
func TestFiftyPlannersOnTwoServers(t *testing.T) {
	r := newRig(t, "planners")
	db := r.db()
	var workers []string
	require.NoError(t, db.Select(&workers, `select id::text from person where role = 'bench hand' and left_on is null order by id limit 3`))
	var desks []*person // sign-in is limited: five share a desk
	for range 10 {
		p := r.signIn("maud")
		p.c.Timeout = time.Minute
		desks = append(desks, p)
	}
	var all sync.WaitGroup
	var done, fives, gone atomic.Int64
	for i := range 50 {
		p := desks[i%len(desks)]
		rd := rand.New(rand.NewPCG(uint64(i), 6))
		all.Go(func() {
			for range rounds(8) / 4 {
				s := rd.IntN(2)
				status := http.StatusOK // there may be nothing to do now
				switch rd.IntN(6) {
				case 0:
					status = p.press(s, "/match/programme", `^/match/programme`, nil)
				case 1:
					status = p.press(s, "/bench/days", `^/bench/days$`, nil)
				case 2:
					status = p.press(s, "/bench/days", `^/bench/days/undo$`, nil)
				case 3:
					var code string
					if db.Get(&code, `select code from batch where undone_at is null order by random() limit 1`) == nil {
						status = p.press(s, "/bench/batches/"+code, `/undo$`, nil)
					}
				case 4:
					var code string
					if db.Get(&code, `select code from batch where undone_at is null order by random() limit 1`) == nil {
						status = p.press(s, "/bench/batches/"+code, `/tags$`, url.Values{"workers": workers, "day": {"2027-02-24"}})
					}
				case 5:
					var code string
					if db.Get(&code, `select code from tag where finished_at is not null and look_id is null and tied > 0 order by
						random() limit 1`) == nil {
						status = p.press(s, "/heal/"+code, `^/heal/[^/]+$`, url.Values{"taken": {"1"}})
					}
				}
				done.Add(1)
				switch {
				case status >= 500:
					fives.Add(1)
				case status == 0:
					gone.Add(1)
				}
			}
		})
	}
	all.Wait()
	var deadlocks int
	require.NoError(t, db.Get(&deadlocks, `select coalesce(sum(deadlocks), 0) from pg_stat_database`))
	assert.Zero(t, deadlocks)
	assert.Zero(t, fives.Load())
	assert.Zero(t, gone.Load(), "answers that never came")
	logged, panics := r.logs()
	assert.Zero(t, logged+panics)
	t.Logf("50 planners on two servers: %d doings, %d deadlocks, %d answers of 500", done.Load(), deadlocks, fives.Load())
}

// TestAFullDiskLosesNothing fills the disk on which the database stands, in a small file
// system made for it: taps are refused then, in words, none that was acknowledged is
// lost, and once there is room they go on.
func TestAFullDiskLosesNothing(t *testing.T) {
	if os.Getenv("UNIONKNOT_SOAK") == "" {
		t.Skip("make soak fills a disk")
	}
	disk := filepath.Join("/var/tmp", fmt.Sprintf("unionknot-disk-%d", os.Getpid()))
	require.NoError(t, os.MkdirAll(disk, 0o755))
	t.Cleanup(func() { os.Remove(disk) })
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=420m", "tmpfs", disk).CombinedOutput(); err != nil {
		t.Skipf("no file system can be made here: %s", out)
	}
	t.Cleanup(func() { exec.Command("umount", "-l", disk).Run() })
	r := newRig(t, "disk", "UNIONKNOT_PGDATA="+disk+"/data")
	db := r.db()
	codes := bigTags(t, db, 2)
	p := r.signIn("maud")
	d := &tablet{device: "tablet", acked: map[string]bool{}, made: map[string]int{}, r: rand.New(rand.NewPCG(1, 7))}
	for range 50 {
		d.tapOn(codes[0])
	}
	for len(d.waiting) > 0 {
		require.True(t, d.send(p, 0))
	}
	f, err := os.Create(filepath.Join(disk, "full"))
	require.NoError(t, err)
	block := make([]byte, 1<<20)
	for err == nil {
		_, err = f.Write(block)
	}
	require.NoError(t, f.Close())
	refused := 0
	for begun := time.Now(); refused < 3 && time.Since(begun) < 3*time.Minute; {
		for range 400 {
			d.tapOn(codes[d.r.IntN(2)])
		}
		if !d.send(p, d.r.IntN(2)) {
			refused++
		}
	}
	assert.Positive(t, refused, "the disk is full: a tap cannot be safe")
	t.Log(d.said)
	require.NoError(t, os.Remove(f.Name()))
	begun := time.Now()
	r.script("start", r.name) // it may have gone down
	r.waitFor(0)
	r.waitFor(1)
	for end := time.Now().Add(2 * time.Minute); len(d.waiting) > 0 && time.Now().Before(end); {
		if !d.send(p, 0) {
			time.Sleep(100 * time.Millisecond)
		}
	}
	assert.Zero(t, len(d.waiting))
	acked, lost := verdict(t, r.db(), []*tablet{d})
	assert.Zero(t, lost)
	t.Logf("a full disk: %d sendings refused; %d taps acknowledged, %d lost or doubled; on again after %.1f s", refused, acked, lost,
		time.Since(begun).Seconds())
}
