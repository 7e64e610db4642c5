package web_test

import (
	"net/http"
	"net/url"
	"os"
	"regexp"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

// TestResultsAreReadAndFollowed: pictures first, each with its table, its tags and its file;
// filters stand in the address; what is advised leads to where it is done.
func TestResultsAreReadAndFollowed(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/results")
	b.sees("What to do with this")
	b.sees("From tied to now")
	b.sees("What a live union comes to")
	b.axe("results")
	b.is(`document.querySelectorAll('svg.fairchart').length > 5 && document.querySelectorAll('svg.takecurve').length === 2`)
	// The flow's figures are those of the database.
	tied := h.one(t, `select to_char(sum(t.tied), 'FM999,999') from tag t where t.look_id is not null`)
	b.is(`document.querySelector('svg.flow').textContent.includes('tied ' + ` + quoted(tied) + `)`)
	b.eval(`document.querySelector('#only-worker').value = [...document.querySelector('#only-worker').options]
		.find(o => o.text.startsWith('Tamsin')).value;
		document.querySelector('#only-worker').dispatchEvent(new Event('change', { bubbles: true }))`)
	b.is(`location.search.includes('worker=')`)
	b.is(`[...document.querySelectorAll('svg.fairchart')[0].querySelectorAll('a')].some(a => a.textContent.includes('Tamsin'))`)
	b.press("Show all")
	b.is(`location.search === ''`)
	place := h.one(t, `select heal_place from tag where heal_place <> '' and look_id is not null order by id limit 1`)
	n := h.one(t, `select to_char(sum(c.joins), 'FM999,999') from tag t join take_count c on c.id = coalesce(t.first_id, t.look_id)
		where lower(t.heal_place) = lower('`+place+`')`)
	b.eval(`document.querySelector('#only-place').value = ` + quoted(place) +
		`; document.querySelector('#only-place').dispatchEvent(new Event('change', { bubbles: true }))`)
	b.is(`location.search.includes('place=')`)
	b.sees(n + " grafts")
	b.press("Show all")
	b.is(`location.search === ''`)
	b.eval(`[...document.querySelectorAll('.advice a')].find(a => a.innerText.includes('Their page')).click()`)
	b.at("/results/worker/")
	b.sees("On everybody's jobs")
	b.axe("a worker's page")
	b.goTo("/results")
	b.eval(`document.querySelector('svg.fairchart a').dispatchEvent(new MouseEvent('click', { bubbles: true, cancelable: true }))`)
	b.at("/results/tags")
	b.sees("Tags behind the take")
	b.clean()

	maud := h.as(t, "maud")
	status, _, body := h.ask(t, maud, "GET", "/results/takes.csv?by=lot")
	require.Equal(t, 200, status)
	assert.Contains(t, body, `"fair_low"`)
	status, _, _ = h.ask(t, maud, "GET", "/results/takes.csv?by=mood")
	assert.Equal(t, 404, status)
	// A bench hand sees their own page, and nobody else's.
	ansel := h.as(t, "ansel")
	id := func(name string) string { return h.one(t, `select id::text from person where sign_in = '`+name+`'`) }
	status, _, body = h.ask(t, ansel, "GET", "/results/worker/"+id("ansel"))
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "Your own seasons")
	status, _, _ = h.ask(t, ansel, "GET", "/results/worker/"+id("odile"))
	assert.Equal(t, 403, status)
	_, _, body = h.ask(t, ansel, "GET", "/results")
	assert.NotContains(t, body, "What a live union comes to")
	assert.NotContains(t, body, "Odile Garth")
	// Unless the house lets them see: takes, not costs or what to do about a name.
	status, _, _ = h.send(t, maud, "/house/ways", url.Values{"key": {"takes seen"}, "chosen": {"everybody's"}})
	require.Equal(t, http.StatusSeeOther, status)
	_, _, body = h.ask(t, ansel, "GET", "/results")
	assert.Contains(t, body, "Odile Garth")
	for _, kept := range []string{"What a live union comes to", "What to do with this", "Season report", "/recall"} {
		assert.NotContains(t, body, kept)
	}
	status, _, _ = h.ask(t, ansel, "GET", "/results/worker/"+id("odile"))
	assert.Equal(t, 200, status)
	status, _, _ = h.ask(t, ansel, "GET", "/results/report")
	assert.Equal(t, 403, status)
}

// TestASeasonIsReported: from Results by a click, with what the next one takes for as many trees
// and for more; the sums are those of the database.
func TestResultsPrintOnTwoPages(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/results")
	pdf, err := chromedp.Run(b.ctx, chromedp.PrintToPDF(chromedp.PDFPaper(chromedp.PaperA4)))
	require.NoError(t, err)
	pages := regexp.MustCompile(`/Type\s*/Page\b[^s]`).FindAll(pdf, -1)
	if dir := os.Getenv("UNIONKNOT_PDF"); dir != "" {
		require.NoError(t, os.WriteFile(dir+"/results.pdf", pdf, 0o600))
	}
	assert.Len(t, pages, 2)
}

func TestASeasonIsReported(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/results")
	b.press("Season report")
	b.at("/results/report")
	b.sees("What the next season takes")
	b.sees("For as many live trees as this season")
	b.axe("season report")
	b.eval(`document.querySelector('#season').value = '2025'; document.querySelector('#season').dispatchEvent(new Event('change',
		{ bubbles: true }))`)
	b.is(`location.search.includes('season=2025')`)
	made := h.one(t, `select to_char(sum(tied), 'FM999,999') from tag where look_id is not null and day between '2025-08-01' and
		'2026-07-31'`)
	b.sees(made + " made")
	wanted := `[...document.querySelectorAll('td:nth-child(4)')].reduce((n, c) => n + Number(c.innerText.replace(',', '')), 0)`
	before := value[int](b, wanted)
	b.fill("#more", "twenty")
	b.press("Work it out")
	b.sees("whole number from -90 to 400")
	assert.Equal(t, "twenty", value[string](b, `document.querySelector('#more').value`))
	b.fill("#more", "20")
	b.press("Work it out")
	b.sees("For 20 % more live trees")
	assert.InDelta(t, 1.2*float64(before), float64(value[int](b, wanted)), float64(before)/20)
	b.click(`td details.figure > summary`)
	b.sees("Chance to plan with")
	b.goTo("/results/report")
	b.press("A year ahead")
	b.at("/results/ahead")
	b.sees("Sticks by plant")
	b.axe("a year ahead")
	b.set("#more", "lots")
	b.press("Work it out")
	b.sees("Type a whole number")
	b.set("#more", "50")
	b.press("Work it out")
	b.is(`location.search.includes('more=50')`)
	b.clean()
	ansel := h.as(t, "ansel")
	status, _, _ := h.ask(t, ansel, "GET", "/results/report")
	assert.Equal(t, 403, status)
}

// TestARecallIsHeldByClicks: a lot's every tree, held with a reason, refused at the sale, and let
// go again.
func TestARecallIsHeldByClicks(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	lot := h.one(t, `select l.code from tag t join stock_lot l on l.id = t.lot_id where t.standing > 2 order by t.id limit 1`)
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/results")
	b.press("Recall")
	b.at("/recall")
	b.set("#kind", "lot")
	b.fill("#key", "L-nowhere")
	b.press("Find every tree")
	b.sees("Nothing here was made of L-nowhere")
	b.fill("#key", lot)
	b.press("Find every tree")
	n := h.one(t, `select count(*)::text from tag t join stock_lot l on l.id = t.lot_id where l.code = '`+lot+`'`)
	b.is(`document.querySelectorAll('.recallgroup tbody tr').length === ` + n)
	b.press("Hold all of it")
	b.sees("Say why")
	b.fill("#reason", "spots on the leaves next door")
	b.press("Hold all of it")
	b.is(`document.querySelectorAll('.recallgroup .state.bad').length === ` + n)
	b.axe("a recall that is held")
	assert.Equal(t, n, h.one(t, `select count(*)::text from held where released_at is null`))
	b.fill("#reason", "tested clean")
	b.press("Release it")
	b.is(`document.querySelectorAll('.recallgroup .state.bad').length === 0`)
	assert.Equal(t, "0", h.one(t, `select count(*)::text from held where released_at is null`))
	b.clean()
}
