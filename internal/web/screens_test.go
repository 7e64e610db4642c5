package web_test

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

// one gives a single text from the database.
func (h *house) one(t testing.TB, query string) string {
	t.Helper()
	var s string
	require.NoError(t, h.db.Get(&s, query))
	return s
}

func (h *house) liveTag(t *testing.T) string {
	return h.one(
		t,
		`select t.code from tag t join person p on p.id = t.worker_id where p.sign_in = 'ansel' and finished_at is null and started_at is
			not null limit 1`,
	)
}

func (h *house) dueTag(t *testing.T) string {
	return h.one(t, `select code from tag where finished_at is not null and look_id is null order by finished_at limit 1`)
}

func (h *house) screens(t *testing.T) map[string]string {
	t.Helper()
	batch := h.one(t, `select b.code from batch b join tag t on t.batch_id = b.id where t.finished_at is null order by b.id limit 1`)
	return map[string]string{
		"today":       "/today",
		"orders":      "/orders",
		"order":       "/orders/O-52",
		"stock":       "/stock",
		"lot":         "/stock/lots/L-201",
		"wood":        "/wood",
		"store":       "/wood/store",
		"collect":     "/wood/collect",
		"wood labels": "/wood/collect/labels",
		"caliper":     "/stock/lots/L-188/caliper",
		"growth":      "/stock/lots/L-188",
		"devices":     "/devices",
		"plant":       "/wood/plants/M-8",
		"bundle":      "/wood/bundles/W-304",
		"match":       "/match",
		"programme":   "/match/programme",
		"weave":       "/match/O-48",
		"union":       "/match/union",
		"bench":       "/bench",
		"batch":       "/bench/batches/" + batch,
		"card": "/bench/tags/" + h.liveTag(
			t,
		),
		"heal":          "/heal",
		"count":         "/heal/" + h.dueTag(t),
		"results":       "/results",
		"report":        "/results/report",
		"worker page":   "/results/worker/2",
		"recall":        "/recall?kind=lot&key=L-201",
		"trace":         "/trace/lot/L-201",
		"house":         "/house",
		"changes":       "/house/changes",
		"season":        "/season/maple",
		"days":          "/bench/days",
		"day":           "/bench/day/2027-02-23",
		"key in":        "/bench/day/2027-02-23/key",
		"hands":         "/bench/hands",
		"team":          "/bench/team",
		"ways":          "/bench/days/ways",
		"lacking order": "/orders/O-51",
		"find":          "/find?q=lantern",
		"heal place":    "/heal/place?name=callus+box+2",
		"grow on":       "/grow",
		"walk":          "/grow/walk",
		"week":          "/grow/week",
		"pipeline":      "/grow/years",
		"follows":       "/grow/days",
		"grows":         "/grow/tags/" + h.one(t, `select code from tag where buds = 2 and standing > 0 order by id limit 1`),
		"buyer labels": "/grow/tags/" + h.one(t, `select code from tag where buds = 2 and standing > 0 order by id limit 1`) +
			"/buyer-labels",
		"trees":        "/trees",
		"tree":         "/trees/T-7",
		"family trees": "/trees/F-60",
		"interstem":    "/trees/I-3",
		"limb labels":  "/trees/T-7/labels",
		"flowers":      "/flowers?genus=pear",
		"classes":      "/classes",
		"class":        "/classes/K-1",
		"class steps":  "/classes/K-1/steps",
		"class labels": "/classes/K-1/labels",
		"learner":      "/classes/K-1/places/9",
		"practice":     "/practice?union=7&of=" + h.one(t, `select id from person where sign_in = 'tamsin'`),
		"rows":         "/rows",
		"row":          "/rows/" + h.one(t, `select id from field_row where number = 14`),
		"demo":         "/demo",
		"lost":         "/nowhere",
	}
}

// TestNoScreenIsWiderThanAPhone goes through every screen at 390 px: tables
// scroll within themselves, the page does not.
func TestNoScreenIsWiderThanAPhone(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 390, 844)
	b.signIn("maud")
	for name, path := range h.screens(t) {
		b.goTo(path)
		wide := value[int](b, `document.documentElement.scrollWidth`)
		assert.LessOrEqual(t, wide, 390, "%s is %d px wide", name, wide)
	}
	b.clean()
}

// TestBenchTargetsAreLarge measures what wet and gloved hands press.
func TestBenchTargetsAreLarge(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	for _, size := range [][2]int64{{390, 844}, {1280, 800}} {
		b := h.browser(t, size[0], size[1])
		b.signIn("maud")
		b.goTo("/bench/tags/" + h.liveTag(t))
		for sel, what := range map[string]string{"[data-tap]": "the card"} {
			small := value[[]string](
				b,
				`[...document.querySelectorAll('`+sel+`')].filter(e => e.offsetParent && (e.offsetHeight < 72 || e.offsetWidth < 72))
		.map(e => e.innerText + ' ' + e.offsetWidth + '×' + e.offsetHeight)`,
			)
			assert.Empty(t, small, "%s at %d", what, size[0])
		}
		b.goTo("/heal/" + h.dueTag(t))
		small := value[[]string](
			b,
			`[...document.querySelectorAll('.counter button')].filter(e => e.offsetHeight < 72 || e.offsetWidth < 60)
				.map(e => e.innerText + ' ' + e.offsetWidth + '×' + e.offsetHeight)`,
		)
		assert.Empty(t, small, "the count at %d", size[0])
	}
}

// TestEveryScreenOfTheDemoIsSoundForAll runs axe where lists are full.
func TestEveryScreenOfTheDemoIsSoundForAll(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	for name, path := range h.screens(t) {
		b.goTo(path)
		b.axe(name)
	}
	b.clean()
}

func TestAHandAndALookerSeeOnlyTheirStages(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	stages := func(name string) string {
		b := h.browser(t, 1280, 800)
		b.signIn(name)
		return strings.Join(
			value[[]string](b, `[...document.querySelectorAll('.stages > a[data-key]')].map(a => a.innerText.replace(/\s+/g, ''))`),
			" ",
		)
	}
	assert.Equal(t, "1Today 6Bench 7Heal 8Growon 9Results", stages("ansel"))
	assert.Equal(t, "1Today 2Orders 3Stock 4Wood 5Match 6Bench 7Heal 8Growon 9Results", stages("vera"))
	b := h.browser(t, 1280, 800)
	b.signIn("vera")
	b.goTo("/match/O-48")
	b.sees("can be paired")
	assert.False(t, value[bool](b, `!!document.querySelector('form[method=post][action^="/match"]')`), "a looker makes no batch")
	b.goTo("/bench/tags/" + h.liveTag(t))
	b.sees("You can look at this card")
	b.key(" ")
	b.clean()
}

func TestTheWeaveIsSolvedAnewWhileOneLooks(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/match/O-48")
	b.is(`/\b(\d+) of \1 grafts/.test(document.body.innerText)`)
	b.fill("#grafts", "30"+kb.Tab)
	b.sees("30 of 30 grafts")
	b.is(`!document.querySelector('.htmx-request, .htmx-swapping, .htmx-settling, .htmx-added')`)
	b.eval(`document.querySelector('input[name=way][value="whip-and-tongue"]').click()`)
	b.sees("left out by choice")
	b.is(
		`![...document.querySelectorAll('aside > table > tbody > tr > td:first-child')].some(c => c.innerText.includes('whip and tongue'))`,
	)
	b.is(`document.querySelectorAll('.thread').length > 1`)
	b.press("Make the batch")
	b.at("/bench/batches/")
	b.sees("30 grafts")
	b.clean()
}

func TestTwoPlannersOnOneOrder(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	a, b := h.browser(t, 1280, 800), h.browser(t, 1280, 800)
	for _, x := range []*browser{a, b} {
		x.signIn("maud")
		x.goTo("/match/O-50")
		x.sees("can be paired")
	}
	a.press("Make the batch")
	a.at("/bench/batches/")
	b.press("Make the batch")
	b.sees("since you looked")
	var n int
	require.NoError(t, h.db.Get(&n, `select count(*) from batch b join orders o on o.id = b.order_id where o.code = 'O-50'`))
	assert.Equal(t, 1, n)
}

func TestADoubleClickMakesOneBatch(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/match/O-50")
	b.sees("can be paired")
	// Twice at once, past the guard on the page: the form's own key decides.
	b.eval(
		`const f = document.querySelector('#weaveform'); const d = new URLSearchParams(new FormData(f)); window.both = Promise.all([1, 2]
			.map(() => fetch(f.action, {method: 'POST', body: d}).then(r => r.url)))`,
	)
	urls := value[[]string](b, `window.both`)
	assert.Equal(t, urls[0], urls[1])
	var n int
	require.NoError(t, h.db.Get(&n, `select count(*) from batch b join orders o on o.id = b.order_id where o.code = 'O-50'`))
	assert.Equal(t, 1, n)
}

func TestATagIsCountedByScan(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 390, 844)
	b.signIn("ansel")
	tag := h.dueTag(t)
	b.goTo("/heal")
	b.fill("#tag", strings.ToLower(strings.ReplaceAll(tag, "-", ""))+kb.Enter)
	b.at("/heal/" + tag)
	b.goTo("/heal")
	wrong := tag[:6] + string("ABCDEFGH"[strings.IndexByte("BCDEFGHA", tag[6])&7])
	if wrong == tag {
		wrong = tag[:6] + "Z"
	}
	b.fill("#tag", wrong+kb.Enter)
	b.sees("look again")
	b.goTo("/heal/" + tag)
	for range 3 {
		b.click(`button[data-kind="dead"][data-by="1"]`)
	}
	b.click(`button[data-kind="dead"][data-by="-1"]`)
	b.click(`button[data-kind="taken"][data-by="rest"]`)
	b.sees("All counted")
	b.press("What the dead died of")
	b.fill("#c0", "3")
	b.press("Save count")
	b.sees("The causes add up to 3, but 2 are dead")
	assert.Equal(t, "2", value[string](b, `document.querySelector('#dead').value`), "nothing keyed is lost")
	b.fill("#c0", "2")
	b.press("Save count")
	b.sees("First count saved.")
	b.sees("2 dried out")
	// A second thought: the earlier count stays beside the new one.
	b.fill("#dead", "1")
	b.fill("#c0", "1")
	b.click(`input[name="rest"][value="not counted"]`)
	b.press("Save count")
	b.sees("corrected since")
	b.clean()
}

func TestKeysFindAndClose(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	for key, path := range map[string]string{"2": "/orders", "5": "/match", "0": "/house", "9": "/results"} {
		b.key(key)
		b.at(path)
	}
	b.key("8")
	b.at("/grow")
	b.key("?")
	b.is(`document.querySelector('#keys').open`)
	b.key(kb.Escape)
	b.is(`!document.querySelector('#keys').open`)
	b.key("/")
	b.is(`document.activeElement.id === 'find'`)
	b.key("grey")
	b.is(`[...document.querySelectorAll('#found a')].some(a => a.innerText.includes('Grey Ferryman'))`)
	b.key(kb.Escape)
	b.is(`!document.querySelector('#found a')`)
	b.eval(`document.activeElement.blur()`)
	b.goTo("/orders")
	b.click("td details.figure > summary")
	b.sees("how many to graft")
	b.sees("house default")
	b.key(kb.Escape)
	b.is(`!document.querySelector('details.figure[open]') && document.activeElement.tagName === 'SUMMARY'`)
	b.clean()
}

func TestTheServerIsKilledAndNothingIsLost(t *testing.T) {
	h, l, b, tag := onCard(t, 1280, 800)
	before := h.tied(t, tag)
	b.key(" ")
	b.sees("All safe")
	// Killed between the tablet's sending and the server's taking.
	l.cut.Store(true)
	for range 2 {
		b.key(" ")
	}
	b.sees("2 taps wait")
	// A server started anew on the same database takes what waited.
	again := open(t, h.db)
	l.next = again.site
	l.cut.Store(false)
	b.eval(`window.dispatchEvent(new Event('online'))`)
	b.sees("All safe")
	assert.Equal(t, before+3, h.tied(t, tag))
}

func TestPrintHidesWhatIsNoUseOnPaper(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	batch := h.one(t, `select b.code from batch b join tag t on t.batch_id = b.id where t.finished_at is null order by b.id limit 1`)
	for _, path := range []string{"/bench/batches/" + batch + "/labels", "/trace/lot/L-201", "/bench/day/2027-02-23",
		"/bench/day/2027-02-23/labels", "/bench/days", "/season/pome", "/orders", "/match/union"} {
		b.goTo(path)
		pdf, err := chromedp.Run(b.ctx, chromedp.PrintToPDF())
		require.NoError(t, err)
		assert.Greater(t, len(pdf), 5000)
		hidden := value[string](
			b,
			`[...document.styleSheets].flatMap(s => [...s.cssRules]).filter(r => r.media && r.media.mediaText === 'print').map(r =>
				r.cssText).join(' ')`,
		)
		assert.Contains(t, hidden, ".noprint")
	}
}

// TestTagsAreStoodElsewhereByScan scans tags one after another, and ticks a whole
// place, and says where they stand now.
func TestTagsAreStoodElsewhereByScan(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("ansel")
	b.goTo("/heal")
	codes := value[[]string](b, `[...document.querySelectorAll('input[name="tag"][type=checkbox]')].map((i) => i.value).slice(0, 3)`)
	require.Len(t, codes, 3)
	b.press("They stand there now")
	b.sees("Scan or tick the tags")
	for _, c := range codes {
		b.fill("#scan", strings.ToLower(strings.ReplaceAll(c, "-", ""))+kb.Enter)
		b.sees(c + ".")
	}
	b.sees("3 tags chosen")
	b.fill("#scan", "ZZ99"+kb.Enter)
	b.sees("does not heal here")
	b.press("They stand there now")
	b.sees("Say where they stand")
	assert.Equal(t, 3, value[int](b, `document.querySelectorAll('input[name="tag"]:checked').length`), "nothing chosen is lost")
	b.fill("#place", "warm box 9")
	b.press("They stand there now")
	b.sees("3 tags stand in warm box 9")
	assert.Equal(t, "3", h.one(t, `select count(*)::text from tag where heal_place = 'warm box 9'`))
	b.eval(`[...document.querySelectorAll('.healplace h2')].find((x) => x.innerText.includes('warm box 9'))
		.querySelector('button').click()`)
	b.sees("3 tags chosen")
	b.fill("#place", "house 2")
	b.press("They stand there now")
	b.sees("3 tags stand in house 2")
	b.axe("heal")
	b.clean()
}
