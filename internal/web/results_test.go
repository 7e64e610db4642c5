package web_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/testhouse"
)

// TestAFigureOpensTheTagsBehindIt: the tags are those of the figure's own
// question, its genus too.
func TestAFigureOpensTheTagsBehindIt(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/results")
	b.eval(`for (const d of document.querySelectorAll('details.tablebehind')) d.open = true`)
	all := value[string](b, `[...document.querySelectorAll('.tablebehind a')].find((a) => /^All \d/.test(a.innerText)).innerText.slice(4)`)
	// the rows that were not shown
	b.eval(`[...document.querySelectorAll('.tablebehind a')].find((a) => /^All \d/.test(a.innerText)).click()`)
	b.is(`location.search.includes('all=')`)
	b.is(`(() => {
		const set = document.getElementById(new URLSearchParams(location.search).get('all'))
		let behind = set
		while (behind && !behind.classList.contains('tablebehind')) behind = behind.nextElementSibling
		return behind && behind.querySelectorAll(':scope > .scroll > table > tbody > tr').length === ` + all + `
	})()`)
	b.set("#only-genus", value[string](b, `document.querySelectorAll('#only-genus option')[1].value`))
	b.is(`location.search.includes('genus=')`)
	b.eval(`for (const d of document.querySelectorAll('details.tablebehind')) d.open = true`)
	b.click("td details.figure summary")
	b.is(`document.querySelector('td details.figure[open] a[href^="/heal/"]')`)
	shown := value[int](b, `document.querySelectorAll('td details.figure[open] a[href^="/heal/"]').length`)
	assert.Equal(t, value[int](b, `+document.querySelector('td details.figure[open]').closest('tr').cells[1].innerText`), shown)
	b.click(`td details.figure[open] a[href^="/heal/"]`)
	b.is(`location.pathname.startsWith('/heal/')`)
}
