package web_test

import (
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

// post sends a logger's message and gives the answer.
func (h *house) post(t *testing.T, key, body string) (int, string) {
	t.Helper()
	r, err := http.NewRequest(http.MethodPost, h.URL+"/intake/store", strings.NewReader(body))
	require.NoError(t, err)
	if key != "" {
		r.Header.Set("Authorization", "Bearer "+key)
	}
	a, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer a.Body.Close()
	b, err := io.ReadAll(a.Body)
	require.NoError(t, err)
	return a.StatusCode, string(b)
}

func TestALoggerSendsOverHTTP(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud := h.as(t, "maud")
	_, _, page := h.send(t, maud, "/wood/store/key", url.Values{"store": {"cold store 2"}})
	_, rest, ok := strings.Cut(page, "<code>")
	require.True(t, ok)
	key, _, _ := strings.Cut(rest, "</code>")
	require.Len(t, key, 48)
	at := h.nursery.Now().Add(-2 * time.Minute).Truncate(time.Second)
	line := at.Format(time.RFC3339) + ",1.25\n"
	status, says := h.post(t, key, line+"\n"+at.Add(-time.Second).UTC().Format(time.RFC3339)+" 1.3\n")
	assert.Equal(t, http.StatusOK, status, says)
	assert.Equal(t, "2 new of 2\n", says)
	status, says = h.post(t, key, line)
	assert.Equal(t, http.StatusOK, status)
	assert.Equal(t, "0 new of 1\n", says)
	for body, c := range map[string]struct {
		key    string
		status int
		says   string
	}{
		line:                         {"", http.StatusUnauthorized, "logger's key"},
		line + "":                    {"wrong", http.StatusUnauthorized, "no store's logger"},
		"warm\n":                     {key, http.StatusBadRequest, `line 1: "warm" is not a time and a temperature`},
		"\nyesterday,2\n":            {key, http.StatusBadRequest, `line 2: "yesterday" is not a time`},
		line[:25] + ",cold\n":        {key, http.StatusBadRequest, "not a temperature"},
		strings.Repeat(line, 60_000): {key, http.StatusBadRequest, "too long"},
		strings.Repeat(line, 5_001):  {key, http.StatusBadRequest, "at most 5000"},
	} {
		status, says := h.post(t, c.key, body)
		assert.Equal(t, c.status, status, says)
		assert.Contains(t, says, c.says)
	}
	assert.Equal(
		t,
		"2",
		h.one(
			t,
			`select count(*)::text from store_reading r join store_place p on p.id = r.place_id where p.name = 'cold store 2' and source
				= 'logger'`,
		),
	)
}

func (h *house) readings(t *testing.T, lot string) string {
	return h.one(
		t,
		`select count(*)::text from caliper_reading r join stock_lot l on l.id = r.lot_id where l.code = '`+lot+`' and taken_on =
			'2027-02-23'`,
	)
}

// TestFiftyStemsByKeyboardAlone measures fifty stems without a mouse, with a
// slip that is taken back and a reading that is questioned.
func TestFiftyStemsByKeyboardAlone(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/stock/lots/L-204/caliper")
	b.is(`document.activeElement.id === 'mm'`)
	for i := range 50 {
		b.key(fmt.Sprintf("%d,%d", 8+i%2, i%10) + kb.Enter)
	}
	b.is(`document.querySelectorAll('.caliper-last li.safe').length === 10`)
	b.is(`document.body.textContent.includes('50 today')`)
	assert.Equal(t, "50", h.readings(t, "L-204"))
	assert.Equal(t, "9.9", b.text(".caliper-last li"))

	b.key("77" + kb.Enter) // far from the others: asked first
	b.is(`document.getElementById('cal-says').textContent.includes('far from the others')`)
	b.key(kb.Escape)
	b.is(`document.getElementById('mm').value === ''`)
	b.key("0,4" + kb.Enter)
	b.is(`document.getElementById('cal-says').textContent.includes('is not a stem')`)
	b.key(kb.Backspace) // what was refused stands selected
	b.is(`document.getElementById('mm').value === ''`)
	b.key(kb.Backspace) // takes the last one back
	b.is(`document.body.textContent.includes('49 today')`)
	assert.Equal(t, "49", h.readings(t, "L-204"))
	b.key("9,2x8,4" + kb.Enter) // an oval stem
	b.is(`document.body.textContent.includes('50 today')`)
	assert.Equal(t, "8.80 of 9.20", h.one(t, `select mm || ' of ' || wide_mm from caliper_reading where wide_mm is not null`))
	b.axe("caliper")
	b.clean()
}

// TestReadingsOutliveALostLine cuts the line while measuring: readings wait,
// outlive a closed page, and count once.
func TestReadingsOutliveALostLine(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	l := &line{next: h.site}
	h.Server.Config.Handler = l
	b := h.browser(t, 390, 844)
	b.expectErrors = true
	b.signIn("maud")
	b.goTo("/stock/lots/L-204/caliper")
	b.is(`document.activeElement.id === 'mm'`)
	l.deaf.Store(true)
	b.key("8.4" + kb.Enter + "8.6" + kb.Enter)
	b.is(`document.getElementById('cal-says').textContent.includes('The line is down')`)
	assert.Equal(t, "1", h.readings(t, "L-204"), "kept, though nobody was told")
	l.deaf.Store(false)
	l.cut.Store(true)
	b.goTo("/stock/lots/L-204/caliper") // the page is closed and opened again
	b.is(`document.querySelectorAll('.caliper-last li.waits').length === 2`)
	l.cut.Store(false)
	b.eval(`window.dispatchEvent(new Event('online'))`)
	b.is(`document.body.textContent.includes('2 today')`)
	assert.Equal(t, "2", h.readings(t, "L-204"), "each once")
}

// TestFromOrdersToLabelsOfWood goes from what the orders lack to the sheet,
// its labels, and what was really cut.
func TestFromOrdersToLabelsOfWood(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/orders")
	b.sees("no wood")
	b.goTo("/wood")
	b.press("Collection sheet")
	b.at("/wood/collect")
	b.sees("Fallow Knight")
	b.axe("collection sheet")
	b.set("#waste", "60") // what was asked goes along to the labels and back
	b.press("Work it out anew")
	b.is(`location.search.includes('waste=60')`)
	wanted := b.text("td.big summary, td.big")
	b.press("Labels")
	b.at("/wood/collect/labels")
	b.is(`location.search.includes('waste=60')`)
	b.press("Back to the sheet")
	b.is(`location.pathname === '/wood/collect' && location.search.includes('waste=60')`)
	assert.Equal(t, wanted, b.text("td.big summary, td.big"))
	before := h.one(t, `select count(*)::text from wood_bundle`)
	b.press("Labels")
	b.sees("cut on")
	// The labels are read as people do, and keyed in from the last to the first.
	labels := value[[][2]string](b, `[...document.querySelectorAll('.label-tag')].map((l) => [l.querySelector('.code').innerText.trim(),
		l.innerText.match(/wood of (\S+)/)[1]])`)
	assert.Len(t, labels, 12, "two of each of six plants")
	b.press("Send to the label printer")
	b.at("/devices")
	b.sees("12 labels")
	assert.Equal(t, "12", h.one(t, `select labels::text from label_print`))
	b.goTo("/wood/collect")
	for i := len(labels) - 1; i >= 0; i -= 2 { // two of each
		b.fill("#label", strings.ToLower(labels[i][0]))
		b.press("Key it in")
		b.is(`document.querySelector('details[open] input[name="code"]')`)
		assert.Equal(t, labels[i][0], value[string](b, `document.querySelector('details[open] input[name="code"]').value`))
		b.set(`details[open] input[name="sticks"]`, "200")
		b.set(`details[open] input[name="place"]`, "cold store 2")
		b.click(`details[open] input[name="sealed"]`)
		b.click(`details[open] button.main`)
		b.sees("Bundle " + labels[i][0] + " is in: what is still lacking is worked out anew")
	}
	for _, l := range labels {
		assert.Equal(t, l[1], h.one(t, `select m.code from wood_bundle b join mother_plant m on m.id = b.plant_id where b.code =
			'`+l[0]+`'`),
			"the plant that the label says")
	}
	b.sees("Nothing to cut")
	assert.NotEqual(t, before, h.one(t, `select count(*)::text from wood_bundle`))
	b.goTo("/wood/store")
	b.sees("W-314")
	b.axe("store")
	b.clean()
}

// TestAWarmSpellReachesToday lets the simulated logger run warm, and looks.
func TestAWarmSpellReachesToday(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	for _, q := range []string{`update wood_bundle set place = 'cold store 2' where code = 'W-313'`,
		`update bundle_stay set place = 'cold store 2' where bundle_id = (select id from wood_bundle where code = 'W-313')`} {
		_, err := h.db.Exec(q)
		require.NoError(t, err)
	}
	_, err := h.db.Exec(
		`delete from store_reading where place_id = (select id from store_place where name = 'cold store 2') and at > '2027-02-19'`,
	)
	require.NoError(t, err)
	b.goTo("/wood/bundles/W-313")
	keeps := b.text("aside .figure summary")
	b.goTo("/devices")
	b.set("#store", "cold store 2")
	b.set("#hours", "72")
	b.set("#how", "warm")
	b.press("Let it send")
	b.at("/wood/store")
	b.sees("simulated logger sent")
	b.goTo("/wood/bundles/W-313")
	later := b.text("aside .figure summary")
	assert.NotEqual(t, keeps, later)
	was, err := time.Parse("2 Jan 2006", strings.TrimSpace(keeps))
	require.NoError(t, err)
	is, err := time.Parse("2 Jan 2006", strings.TrimSpace(later))
	require.NoError(t, err)
	assert.True(t, is.Before(was), "%s is before %s", later, keeps)
	b.goTo("/today")
	b.is(
		`[...document.querySelectorAll('.risks li')].some((e) => e.textContent.includes('cold store 2') &&
			e.textContent.includes('Above 6 °C'))`,
	)
	n := value[int](b, `document.querySelectorAll('.risks li').length`)
	b.press("Looked: sound")
	b.sees("The look is noted")
	b.goTo("/today")
	assert.Less(t, value[int](b, `document.querySelectorAll('.risks li').length`), n, "a look settles what it answers")
	b.axe("today")
	b.clean()
}

func TestALookerReadsTheStoreAndChangesNothing(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	vera := h.as(t, "vera")
	status, _, page := h.ask(t, vera, http.MethodGet, "/wood/store")
	assert.Equal(t, http.StatusOK, status)
	assert.NotContains(t, page, "Note the look")
	assert.NotContains(t, page, "Make a key")
	maud := h.as(t, "maud")
	for path, v := range map[string]url.Values{
		"/wood/store":               {"name": {"cold store 1"}, "set_c": {"1"}, "low_c": {"0"}, "high_c": {"4"}},
		"/wood/store/read":          {"store": {"cold store 1"}, "c": {"warm"}},
		"/wood/store/look":          {"store": {"cold store 1"}, "found": {"sound"}, "thrown": {"3"}},
		"/wood/store/settings":      {"store": {"cold store 1"}, "set_c": {"1"}, "low_c": {"5"}, "high_c": {"4"}},
		"/stock/lots/L-201/recount": {"counted": {""}},
		"/stock/lots/L-201/back":    {"back": {"900"}, "new_code": {"L-201-F"}},
		"/stock/lots/L-201/look":    {"ready": {"maybe"}},
		"/wood/plants/M-1/seen":     {"seen_true_by": {"Maud"}},
		"/devices/logger":           {"store": {"cold store 1"}, "hours": {"9999"}},
	} {
		status, _, page := h.send(t, maud, path, v)
		assert.Equal(t, http.StatusUnprocessableEntity, status, path)
		assert.True(t, strings.Contains(page, "says") || strings.Contains(page, `role="alert"`), path)
	}
}

// TestLabelsAreOfTheSheetAsAsked: what was asked of the collection sheet goes
// along to its labels, and the codes reserved are for so many sticks.
func TestLabelsAreOfTheSheetAsAsked(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/wood/collect")
	sticks := `[...document.querySelectorAll('table.collect > tbody > tr')]
		.reduce((n, r) => n + (parseInt(r.cells[2].innerText.replace(/\D/g, '')) || 0), 0)`
	usual := value[int](b, sticks)
	b.fill("#spare", "60")
	b.set("#buds", "4")
	b.press("Work it out anew")
	b.is(`location.search.includes('spare=60')`)
	asked := value[int](b, sticks)
	assert.NotEqual(t, usual, asked)
	b.press("Labels")
	b.at("/wood/collect/labels")
	b.is(`location.search.includes('spare=60') && location.search.includes('buds=4')`)
	var sum, fours int
	assert.NoError(t, h.db.Get(&sum, `select sum(sticks) from wood_label where bundle_id is null and dropped_at is null`))
	assert.NoError(t, h.db.Get(&fours, `select count(*) from wood_label where buds = 4`))
	assert.Equal(t, asked, sum)
	assert.Positive(t, fours)
	// Keying a label in leaves the sheet as it was asked for.
	b.goTo("/wood/collect" + value[string](b, `location.search`))
	b.fill("#label", value[string](b, `document.querySelector('table.collect > tbody > tr > td:nth-child(5) b').innerText`))
	b.press("Key it in")
	b.is(`location.search.includes('label=')`)
	assert.Equal(t, asked, value[int](b, sticks))
}
