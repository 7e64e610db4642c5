package web_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"io"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/nursery"
	"unionknot/internal/testhouse"
	"unionknot/internal/web"
)

// TestLargeWorkWaitsItsTurn: while two large pieces of work are done, a third says that it
// waits and comes by itself; what is small goes on. Then it goes through.
func TestLargeWorkWaitsItsTurn(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud := h.as(t, "maud")
	free, err := h.nursery.TakeTurns(t.Context(), 50*time.Millisecond)
	require.NoError(t, err)
	order := h.one(t, `select code from orders where closed_on is null order by id limit 1`)
	for _, path := range []string{"/match/" + order, "/match/programme", "/bench/days/ways"} {
		a, err := maud.Get(h.URL + path)
		require.NoError(t, err)
		body, err := io.ReadAll(a.Body)
		require.NoError(t, err)
		a.Body.Close()
		assert.Equal(t, http.StatusServiceUnavailable, a.StatusCode, path)
		assert.Equal(t, "5", a.Header.Get("Retry-After"))
		assert.Equal(t, "5", a.Header.Get("Refresh"), "it asks again by itself")
		assert.Contains(t, string(body), "waits for its turn")
	}
	status, _, body := h.sendForm(t, maud, "/bench/days")
	assert.Equal(t, http.StatusServiceUnavailable, status)
	assert.Contains(t, body, "Nothing of it was begun")
	status, to, _ := h.upload(t, maud, "/loads/lots", "file", "x.csv",
		[]byte("code,genus,stock,received_on,form,stems\nTURN-1,quince,Tarn Q3,2027-01-09,bare-root,40\n"))
	require.Equal(t, http.StatusSeeOther, status)
	status, _, _ = h.ask(t, maud, http.MethodGet, to)
	assert.Equal(t, http.StatusServiceUnavailable, status, "a file is unpacked in its turn")
	status, _, _ = h.sendForm(t, maud, to+"/load")
	assert.Equal(t, http.StatusSeeOther, status)
	status, _, body = h.ask(t, maud, http.MethodGet, to)
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "Being loaded", "and it is loaded in its turn, behind the page")
	for _, path := range []string{"/today", "/orders", "/bench", "/stock"} {
		status, _, _ := h.ask(t, maud, http.MethodGet, path)
		assert.Equal(t, http.StatusOK, status, path)
	}
	free()
	status, _, _ = h.ask(t, maud, http.MethodGet, "/match/"+order)
	assert.Equal(t, http.StatusOK, status)
}

// TestHeavyWorkRunsTwoAtATime, however many ask.
func TestHeavyWorkRunsTwoAtATime(t *testing.T) {
	h := open(t, testhouse.Empty(t))
	running, most := make(chan int, 1), make(chan int, 1)
	running <- 0
	most <- 0
	done := make(chan error)
	for range 12 {
		go func() {
			_, err := nursery.Heavy(context.Background(), h.nursery.Kernel, func() (int, error) {
				n := <-running + 1
				running <- n
				most <- max(<-most, n)
				time.Sleep(5 * time.Millisecond)
				running <- <-running - 1
				return 0, nil
			})
			done <- err
		}()
	}
	for range 12 {
		require.NoError(t, <-done)
	}
	assert.Equal(t, 2, <-most)
}

// TestUploadsLeaveNoFileBehind: a file larger than is held in memory is on the disk while
// it is read, and no longer.
func TestUploadsLeaveNoFileBehind(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("TMPDIR", dir)
	h := open(t, testhouse.Demo(t))
	maud := h.as(t, "maud")
	big := []byte("code,genus,stock,received_on,form,stems\n" + strings.Repeat("L-9,pear,Ferrule,2027-01-01,bare-root,12\n", 80_000))
	require.Greater(t, len(big), 2<<20)
	status, _, _ := h.upload(t, maud, "/loads/lots", "file", "big.csv", big)
	require.Equal(t, http.StatusSeeOther, status)
	status, _, _ = h.upload(t, maud, "/wood/plants/M-4/photos", "photo", "big.jpg", big[:4<<20>>1])
	require.Equal(t, http.StatusUnprocessableEntity, status)
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	for _, f := range left {
		assert.NotContains(t, f.Name(), "multipart", "a file was left")
	}
}

// TestADroppedFileIsGone: its name and sum stay, what was in it does not.
func TestADroppedFileIsGone(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud := h.as(t, "maud")
	_, to, _ := h.upload(
		t,
		maud,
		"/loads/lots",
		"file",
		"x.csv",
		[]byte("code,genus,stock,received_on,form,stems\nL-9001,pear,Ferrule,2027-01-01,bare-root,12\n"),
	)
	status, _, _ := h.sendForm(t, maud, to+"/drop")
	require.Equal(t, http.StatusSeeOther, status)
	assert.Equal(t, "dropped 0", h.one(t, `select state || ' ' || length(body) from load order by id desc limit 1`))
	assert.Contains(t, h.records(t, "load", "x.csv")[0], "dropped")
	status, _, body := h.ask(t, maud, http.MethodGet, to)
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "not kept any more")
}

// TestWhatIsOldIsLetGo: each kind at its time, and nothing before.
func TestWhatIsOldIsLetGo(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	now := h.nursery.Now()
	_, err := h.db.Exec(`insert into load (kind, file_name, sha256, body, state, person_id, at)
		select 'lots', n, '', 'x', s, p.id, $1::timestamptz - d * interval '1 day' from person p, (values
			('looked at long ago', 'read', 31), ('looked at', 'read', 29), ('loaded long ago', 'loaded', 91), ('loaded', 'loaded', 89)) v
				(n, s, d)
		where p.sign_in = 'maud'`, now)
	require.NoError(t, err)
	_, err = h.nursery.Tidy(t.Context())
	require.NoError(t, err)
	var left []string
	require.NoError(
		t,
		h.db.Select(&left, `select file_name || ': ' || state || ' ' || length(body) from load where file_name like 'loo%' or file_name
		like 'loaded%' order by 1`),
	)
	assert.Equal(t, []string{"loaded long ago: loaded 0", "loaded: loaded 1", "looked at long ago: dropped 0", "looked at: read 1"}, left)
}

// tellingJPEG is a picture whose file tells more: that it lies on its side, and a place.
func tellingJPEG(t *testing.T) []byte {
	t.Helper()
	img := image.NewRGBA(image.Rect(0, 0, 40, 20))
	for x := range 40 {
		for y := range 20 {
			img.Set(x, y, color.RGBA{uint8(6 * x), uint8(12 * y), 80, 255})
		}
	}
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, img, nil))
	var exif bytes.Buffer
	exif.WriteString("Exif\x00\x00MM\x00*\x00\x00\x00\x08")
	binary.Write(&exif, binary.BigEndian, []any{uint16(2)}[0])
	for _, e := range []struct {
		Tag, Kind uint16
		N         uint32
		Value     [4]byte
	}{{0x0112, 3, 1, [4]byte{0, 6}}, {0x010e, 2, 4, [4]byte{'H', 'o', 'm', 0}}} {
		require.NoError(t, binary.Write(&exif, binary.BigEndian, e))
	}
	exif.WriteString("\x00\x00\x00\x00at Lantern Lane 5")
	head := []byte{0xff, 0xd8, 0xff, 0xe1, byte((exif.Len() + 2) >> 8), byte(exif.Len() + 2)}
	return append(append(head, exif.Bytes()...), b.Bytes()[2:]...)
}

// TestAPictureIsKeptAlone: turned upright, and without what else its file told; those of
// before too.
func TestAPictureIsKeptAlone(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud := h.as(t, "maud")
	raw := tellingJPEG(t)
	require.Contains(t, string(raw), "Lantern Lane")
	_, err := h.db.Exec(`insert into plant_photo (plant_id, kind, body, person_id, at) select m.id, 'image/jpeg', $1, p.id, now()
		from mother_plant m, person p where m.code = 'M-4' and p.sign_in = 'maud'`, raw)
	require.NoError(t, err)
	status, _, _ := h.upload(t, maud, "/wood/plants/M-4/photos", "photo", "tree.jpg", raw)
	require.Equal(t, http.StatusSeeOther, status)
	n, err := h.nursery.PlainPhotos(t.Context())
	require.NoError(t, err)
	assert.Positive(t, n)
	var bodies [][]byte
	require.NoError(t, h.db.Select(&bodies, `select body from plant_photo order by id desc limit 2`))
	for _, b := range bodies {
		assert.NotContains(t, string(b), "Lantern Lane")
		assert.NotContains(t, string(b), "Exif")
		c, kind, err := image.DecodeConfig(bytes.NewReader(b))
		require.NoError(t, err)
		assert.Equal(t, "jpeg", kind)
		assert.Equal(t, [2]int{20, 40}, [2]int{c.Width, c.Height}, "upright")
	}
	n, err = h.nursery.PlainPhotos(t.Context())
	require.NoError(t, err)
	assert.Zero(t, n, "once")
}

// TestNothingSignedInIsKeptByCaches: pages, exports, pictures and files.
func TestNothingSignedInIsKeptByCaches(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud := h.as(t, "maud")
	_, _, _ = h.upload(t, maud, "/wood/plants/M-4/photos", "photo", "tree.jpg", tellingJPEG(t))
	photo := h.one(t, `select max(id)::text from plant_photo`)
	for _, path := range []string{"/today", "/export/lots.csv", "/export/orders.xlsx", "/wood/photos/" + photo, "/me/data.json",
		"/house/changes",
		"/examples/lots.csv", "/nowhere"} {
		a, err := maud.Get(h.URL + path)
		require.NoError(t, err)
		a.Body.Close()
		assert.Equal(t, "no-store", a.Header.Get("Cache-Control"), path)
	}
}

// TestAStoresLoggerIsBoundedByItself: one that sends without end is told to wait, and
// another store's goes on; keys that are none are bounded by where they come from, and
// nothing of what they send is read.
func TestAStoresLoggerIsBoundedByItself(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud := h.as(t, "maud")
	keys := map[string]string{}
	for _, name := range []string{"cold store 1", "cold store 2"} {
		_, _, page := h.sendForm(t, maud, "/wood/store/key", "store", name)
		_, rest, ok := strings.Cut(page, "<code>")
		require.True(t, ok, name)
		keys[name], _, _ = strings.Cut(rest, "</code>")
	}
	line := h.nursery.Now().Add(-time.Minute).Format(time.RFC3339) + ",1.2\n"
	told := 0
	for range 140 {
		if status, says := h.post(t, keys["cold store 1"], line); status == http.StatusTooManyRequests {
			told++
			assert.Contains(t, says, "wait a minute")
		}
	}
	assert.Positive(t, told)
	status, _ := h.post(t, keys["cold store 2"], line)
	assert.Equal(t, http.StatusOK, status)
	told = 0
	for range 40 {
		status, _ := h.post(t, strings.Repeat("0", 48), strings.Repeat("no reading\n", 100))
		if status == http.StatusTooManyRequests {
			told++
		} else {
			assert.Equal(t, http.StatusUnauthorized, status)
		}
	}
	assert.Positive(t, told)
	status, _ = h.post(t, keys["cold store 2"], line)
	assert.Equal(t, http.StatusOK, status, "a store's own key is not shut out by strangers beside it")
}

// TestWhoIsBelievedOnWhereARequestComesFrom: the proxies that are named, and nobody else.
func TestWhoIsBelievedOnWhereARequestComesFrom(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	site, err := web.New(h.nursery, h.db.DB.DB, testhouse.Quiet, web.Options{Proxies: []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8")}})
	require.NoError(t, err)
	t.Cleanup(site.Close)
	for i, c := range []struct{ peer, told, seen string }{
		{"10.0.0.2:999", "203.0.113.9", "203.0.113.9"},
		{"10.0.0.2:999", "198.51.100.1, 203.0.113.9, 10.0.0.7", "203.0.113.9"}, // what the caller made up stands before it
		{"10.0.0.2:999", "2001:db8:1:2:3:4:5:6", "2001:db8:1:2::/64"},
		{"10.0.0.2:999", "nonsense", "10.0.0.2"},
		{"192.0.2.4:999", "203.0.113.9", "192.0.2.4"},
		{"192.0.2.4:999", "", "192.0.2.4"},
	} {
		t.Run(fmt.Sprint(i, " ", c.peer, " ", c.told), func(t *testing.T) {
			r := httptest.NewRequest(http.MethodPost, "/sign-in", strings.NewReader("sign_in=maud&password=three+blunt+knives"))
			r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			r.RemoteAddr = c.peer
			if c.told != "" {
				r.Header.Set("X-Forwarded-For", c.told)
			}
			w := httptest.NewRecorder()
			site.ServeHTTP(w, r)
			require.Equal(t, http.StatusSeeOther, w.Code)
			assert.Equal(t, c.seen, h.one(t, `select address from sessions order by made_at desc limit 1`))
		})
	}
}

// TestATextThatIsTooLongIsSaid where it was typed, and nothing typed is lost.
func TestATextThatIsTooLongIsSaid(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud := h.as(t, "maud")
	long := strings.Repeat("so on ", 500)
	status, _, body := h.sendForm(t, maud, "/wood/plants/M-4/seen", "health", long, "place", "old row 7")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "over 2,000 letters")
	assert.Contains(t, body, "old row 7")
	assert.Equal(t, "0", h.one(t, `select count(*)::text from mother_plant where length(health) > 2000`))
}
