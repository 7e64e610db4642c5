package web_test

import (
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
	"unionknot/internal/words"
)

// TestTheNextBatchesAreSharedOutFromResults goes from what counts cannot tell to the plan, and
// back to a plan as hands are free.
func TestTheNextBatchesAreSharedOutFromResults(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 900)
	b.signIn("maud")
	b.goTo("/results")
	b.sees("What these counts cannot tell")
	b.is(`document.body.innerText.includes('two workers to')`) // fetched behind the page
	b.press("Share the next batches so that they tell")
	b.at("/bench/days/telling")
	b.is(`document.querySelectorAll('svg.meetings circle').length > 4`)
	b.axe("sharing out")
	b.press("Plan the days so, from now on")
	b.is(`location.pathname === '/bench/days'`)
	chosen := `select chosen from house_way where key = 'sharing'`
	assert.Equal(t, words.SoThatCountsTell, h.one(t, chosen))
	b.goTo("/bench/days/telling")
	b.press("Plan as hands are free again")
	b.is(`location.pathname === '/bench/days'`)
	assert.Equal(t, words.AsFree, h.one(t, chosen))
	b.clean()
}

// TestAnOrderIsQuotedByClicks: the margin moves the price, a slip is answered in place, and what
// is agreed stands with the order and can be put right.
func TestAnOrderIsQuotedByClicks(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 900)
	b.signIn("maud")
	b.goTo("/orders/O-52")
	b.press("Quotation")
	b.at("/orders/O-52/quotation")
	b.sees("What it comes to")
	b.axe("a quotation")
	price := `document.querySelector('.quotation summary').textContent`
	before := value[string](b, price)
	b.set("#margin", "80")
	b.press("Work it out")
	b.is(`location.search.includes('margin=80')`)
	assert.NotEqual(t, before, value[string](b, price))
	b.set("#margin", "a lot")
	b.press("Work it out")
	b.sees("Type a whole number from -50 to 900")
	b.set("#margin", "30")
	b.press("Work it out")
	b.is(`location.search.includes('margin=30')`)
	b.set("#price", "0")
	b.press("Keep it with the order")
	b.sees("Type a price")
	b.set("#price", "7,45")
	b.press("Keep it with the order")
	b.sees("7.45 is agreed now")
	assert.Equal(t, "745", h.one(t, `select tree_cents::text from orders where code = 'O-52'`))
	b.press("The order")
	b.at("/orders/O-52")
	b.sees("7.45 a tree")
	b.clean()
}

// TestAWorkerReadsTheirPageInTheirTongue chooses it on the page.
func TestAWorkerReadsTheirPageInTheirTongue(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 390, 844)
	b.signIn("ansel")
	id := h.one(t, `select id::text from person where sign_in = 'ansel'`)
	b.goTo("/results/worker/" + id)
	b.sees("Your own seasons")
	b.sees("With practice")
	b.eval(`document.querySelector('#tongue').value = 'es'; document.querySelector('#tongue').dispatchEvent(new Event('change',
		{ bubbles: true }))`)
	b.sees("Sus propias temporadas")
	b.at("/results/worker/" + id)
	assert.Equal(t, "es", h.one(t, `select tongue from person where sign_in = 'ansel'`))
	b.is(`document.querySelector('[lang=es]') && document.documentElement.scrollWidth <= innerWidth`)
	b.axe("a worker's page in Spanish")
	b.clean()
}

// TestABenchHandWorksInTheirTongue chooses it in the menu, taps on a card and counts a tag; pages
// that the tongue has not whole stay English, frame and all.
func TestABenchHandWorksInTheirTongue(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("ansel")
	tag := h.liveTag(t)
	tied := h.one(t, `select tied::text from tag where code = '`+tag+`'`)
	b.goTo("/bench/tags/" + tag)
	b.sees("Tied one")
	b.eval(`document.querySelector('.who').open = true; const s = document.querySelector('#tongue-all'); s.value = 'pl';
		s.dispatchEvent(new Event('change', { bubbles: true }))`)
	b.is(`document.documentElement.lang === 'pl'`)
	b.at("/bench/tags/" + tag)
	assert.Equal(t, "pl", h.one(t, `select tongue from person where sign_in = 'ansel'`))
	b.sees("Jedno zawiązane")
	b.sees("Wytrzyj nóż")
	b.sees("wt 23 lutego")
	b.axe("a card in Polish")
	b.click(`[data-tap="tied"]`)
	b.is(`document.getElementById('line').textContent === 'Wszystko zapisane' && !UK.items().length`)
	assert.NotEqual(t, tied, h.one(t, `select tied::text from tag where code = '`+tag+`'`))
	b.click(`[data-tap="undo"]`)
	b.is(`document.getElementById('line').textContent === 'Wszystko zapisane' && !UK.items().length`)
	b.is(`!/\b(grafts|tied|wait|the)\b/.test(document.querySelector('#card').innerText)`)

	b.goTo("/bench")
	b.sees("Twoje etykiety")
	due := h.dueTag(t)
	b.goTo("/heal/" + due)
	if h.one(t, `select count(*)::text from tag t join person p on p.id = t.worker_id where t.code = '`+due+`'
		and p.sign_in = 'ansel'`) == "1" {
		b.sees("Przyjęte")
	}
	b.goTo("/grow")
	b.is(`document.documentElement.lang === 'en'`)
	b.sees("Grow on")
	b.eval(`window.before = true; document.querySelector('.who').open = true; const s = document.querySelector('#tongue-all');
		s.value = ''; s.dispatchEvent(new Event('change', { bubbles: true }))`)
	b.is(`!window.before && document.querySelector('#tongue-all').value === ''`)
	b.goTo("/bench")
	b.sees("Your tags")
	b.clean()
}

// TestAToolIsNotedOnTheCardAndRecalled: named under Workers and hours, chosen on the card,
// found by recall, and taken back.
func TestAToolIsNotedOnTheCardAndRecalled(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 900)
	b.signIn("maud")
	b.goTo("/bench/hands")
	b.fill("#newtool", "green knife")
	b.press("Take into use")
	b.sees("The tool is in use")
	b.fill("#newtool", "Green Knife")
	b.press("Take into use")
	b.sees("There is a green knife already")
	tag := h.one(t, `select t.code from tag t join person p on p.id = t.worker_id where p.sign_in = 'odile' and t.started_at is not null
		and t.finished_at is null order by t.id limit 1`)
	require.NotEmpty(t, tag)
	b.goTo("/bench/tags/" + tag)
	b.eval(`const s = document.querySelector('#tool'); s.value = [...s.options].find(o => o.text === 'green knife').value;
		s.dispatchEvent(new Event('change', { bubbles: true }))`)
	b.sees("Noted, from now on")
	b.is(`document.querySelector('#tool').selectedOptions[0].text === 'green knife'`)
	b.axe("a card with its tool")
	recall := func() string {
		b.goTo("/recall")
		b.eval(`document.querySelector('#kind').value = 'tool'`)
		b.fill("#key", "green knife")
		b.press("Find every tree")
		b.at("/recall")
		return value[string](b, `document.body.innerText`)
	}
	assert.Contains(t, recall(), tag)
	csv := value[string](b, `fetch([...document.querySelectorAll('a')].find(a => a.textContent === 'CSV').href).then(r => r.text())`)
	assert.Contains(t, csv, tag, "the file has what the page has")
	b.goTo("/bench/hands")
	b.eval(`document.querySelectorAll('#tools ~ details').forEach(d => d.open = true)`)
	b.eval(`[...document.querySelectorAll('button')]
		.find(x => x.getAttribute('aria-label') === 'Take back: Odile Garth, green knife').click()`)
	b.sees("Taken back")
	assert.NotContains(t, recall(), tag)
	assert.Equal(t, "1", h.one(t, `select count(*)::text from tool_hold where undone_at is not null`))
	b.clean()
}

// TestWhatStandsBehindResultsIsPressed presses the tables, the files and the tags behind them.
func TestWhatStandsBehindResultsIsPressed(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 900)
	b.signIn("maud")
	b.goTo("/results")
	b.eval(`document.querySelectorAll('.tablebehind').forEach(d => d.open = true)`)
	n := h.one(t, `select count(distinct t.lot_id)::text from tag t where t.look_id is not null or t.first_id is not null`)
	csv := value[string](b, `fetch([...document.querySelectorAll('a')].find(a => (a.getAttribute('href') ||
		'').includes('takes.csv?by=lot')).href).then(r => r.text())`)
	rows := strings.Count(strings.TrimSpace(csv), "\n")
	assert.Equal(t, n, strconv.Itoa(rows), "every lot, below the heading")
	n = h.one(t, `select count(distinct b.order_id)::text from tag t join batch b on b.id = t.batch_id where t.look_id is not null or
		t.first_id is not null`)
	csv = value[string](b, `fetch([...document.querySelectorAll('a')].find(a => (a.getAttribute('href') ||
		'').includes('costs.csv?by=order')).href).then(r => r.text())`)
	assert.Equal(t, n, strconv.Itoa(strings.Count(strings.TrimSpace(csv), "\n")), "every order, below the heading")
	// A figure opens its working, and the tags behind it.
	b.eval(`document.querySelector('#worker ~ details td summary').click()`)
	b.sees("Its tags and counts")
	b.is(`document.querySelector('details.figure[open] table tbody tr a')`)
	b.eval(`[...document.querySelectorAll('#cost ~ * summary')].find(s => /\d/.test(s.textContent)).click()`)
	b.sees("cost of a live union")
	b.clean()
}
