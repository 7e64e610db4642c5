package web_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

// TestResultsAreReadAndFollowed: pictures first, each with its table, its tags and its file;
// filters stand in the address; what is advised leads to where it is done.
func TestResultsAreReadAndFollowed(t *testing.T) {
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
	b.eval(`document.querySelector('#worker').value = [...document.querySelector('#worker').options].find(o => o.text.startsWith('Tamsin')).value;
		document.querySelector('#worker').dispatchEvent(new Event('change', { bubbles: true }))`)
	b.is(`location.search.includes('worker=')`)
	b.is(`document.querySelectorAll('svg.fairchart')[0].querySelectorAll('a').length === 1`)
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
	assert.Contains(t, body, "your own seasons")
	status, _, _ = h.ask(t, ansel, "GET", "/results/worker/"+id("odile"))
	assert.Equal(t, 403, status)
	_, _, body = h.ask(t, ansel, "GET", "/results")
	assert.NotContains(t, body, "What a live union comes to")
	assert.NotContains(t, body, "Odile Garth")
}
