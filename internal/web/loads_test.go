package web_test

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

// bring chooses a file for an upload and sends it.
func (b *browser) bring(id, name string, body []byte) {
	b.t.Helper()
	path := filepath.Join(b.t.TempDir(), name)
	require.NoError(b.t, os.WriteFile(path, body, 0o600))
	b.eval(`document.querySelector('#` + id + `').closest('details').open = true`)
	b.do(chromedp.SetUploadFiles(chromedp.CSS("#"+id), []string{path}))
	b.eval(`document.querySelector('#` + id + `').form.requestSubmit()`)
	b.at("/loads/")
}

// TestAFileIsMendedLoadedAndTakenBackByClicks: as a propagator does it whose file, saved by a
// program that writes semicolons and a mark before the first letter, has faults.
func TestAFileIsMendedLoadedAndTakenBackByClicks(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/stock")
	b.bring("file-lots", "lifted.csv",
		[]byte("\xef\xbb\xbfcode;genus;stock;received_on;form;stems\r\nNEW-1;quince;Tarn Q3;2027-01-09;bare-root;40\r\n"+
			"NEW-2;kwince;;2027-01-09;bare-root;1,200\r\n"))
	b.sees("1 bad")
	b.sees("Name the stock")
	b.axe("a preview with faults")
	b.fill(`[name="cell-3-genus"]`, "quince")
	b.fill(`[name="cell-3-stock"]`, "Tarn Q3")
	b.press("Mend these rows")
	b.sees("2 cells mended here")
	b.sees("2 new")
	b.press("Load 2 rows")
	b.sees("2 rows added")
	assert.Equal(t, "1240", h.one(t, `select sum(n)::text from stock_balance b join stock_lot l on l.id = b.lot_id where l.code like
		'NEW-%'`))
	b.press("Take the whole load back …")
	b.sees("2 of 2 rows go")
	b.axe("taking a load back")
	b.fill("#reason", "last year's list")
	b.press("Take back 2 rows")
	b.sees("Taken back: 2 rows")
	b.sees("last year's list")
	assert.Equal(t, "0", h.one(t, `select count(*)::text from stock_lot where code like 'NEW-%'`))
	b.goTo("/house/changes")
	b.sees("last year's list")
	b.clean()
}

// TestALargeFileSaysHowFarItIs: what is asked of a large file goes on behind the page, which
// follows it to its end.
func TestALargeFileSaysHowFarItIs(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	store := h.one(t, `select name from store_place where set_c is not null order by id limit 1`)
	var f bytes.Buffer
	f.WriteString("store,at,c\n")
	at := time.Date(2026, 9, 1, 0, 0, 0, 0, time.UTC)
	for i := range 60_000 {
		fmt.Fprintf(&f, "%s,%s,%.1f\n", store, at.Add(time.Duration(i)*7*time.Second).Format(time.RFC3339), 1+float64(i%10)/10)
	}
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/wood/store")
	free, err := h.nursery.TakeTurns(t.Context(), 50*time.Millisecond)
	require.NoError(t, err)
	b.bring("file-store", "logger.csv", f.Bytes())
	b.sees("Being gone through")
	b.axe("a file that is gone through")
	free()
	b.sees("Nothing is loaded yet")
	b.sees("60,000 rows")
	id := h.one(t, `select max(id)::text from load`)
	free, err = h.nursery.TakeTurns(t.Context(), 50*time.Millisecond)
	require.NoError(t, err)
	b.eval(`document.querySelector('form[action$="/load"] button').click()`)
	b.sees("Being loaded")
	b.press("Stop it")
	b.sees("It was stopped")
	free()
	assert.Equal(t, "read", h.one(t, `select state from load where id = `+id))
	b.eval(`document.querySelector('form[action$="/load"] button').click()`)
	b.sees("were here already")
	assert.Equal(t, "loaded", h.one(t, `select state from load where id = `+id))
	b.clean()
}
