package web_test

import (
	"testing"

	"unionknot/internal/testhouse"
)

// TestOrdersAreFoundWhileOneTypes: the list follows, its sums with it, and the address keeps
// what was asked for.
func TestOrdersAreFoundWhileOneTypes(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/orders")
	all := b.text("#lines .lead")
	b.fill("#find-in", "lantern")
	b.sees("open orders shown; the sums are")
	b.is(`[...document.querySelectorAll('#lines table.orders > tbody > tr')].every(r => r.innerText.includes('Lanternjaw'))`)
	b.is(`document.querySelector('#lines .lead').innerText !== ` + "`" + all + "`")
	b.is(`location.search.includes('find=lantern')`)
	b.eval(`const s = document.querySelector('#sort'); s.value = 'togo'; s.dispatchEvent(new Event('change', { bubbles: true }))`)
	b.is(`location.search.includes('sort=togo')`)
	b.eval(`location.reload()`)
	b.is(`document.querySelector('#find-in').value === 'lantern' && document.querySelector('#sort').value === 'togo'`)
	b.is(`[...document.querySelectorAll('#lines table.orders > tbody > tr')].every(r => r.innerText.includes('Lanternjaw'))`)
	b.axe("sifted orders")
	b.press("Show all")
	b.is(`location.search === ''`)
	b.is(`document.querySelector('#lines .lead').innerText === ` + "`" + all + "`")
	b.clean()
}
