package web_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/testhouse"
)

// TestATableIsEditedByClicks: what a change would do is seen before it is kept; one's own is
// added, offered and taken off.
func TestATableIsEditedByClicks(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/house/tables")
	b.axe("tables")
	b.press("whip and tongue")
	b.at("/correct/technique/whip-and-tongue")
	b.fill("#f-prior_take", "60")
	b.press("See what it would change")
	b.sees("open orders would stand otherwise")
	b.sees("Nothing is kept by looking")
	b.axe("what a change would do")
	assert.Equal(t, "0.910", h.one(t, `select prior_take::text from technique where key = 'whip-and-tongue'`))
	b.is(`document.querySelector('#f-prior_take').value === '60'`)
	b.fill("#f-why", "a wet spring")
	b.press("Keep it so")
	b.at("/house/tables")
	assert.Equal(t, "0.600", h.one(t, `select prior_take::text from technique where key = 'whip-and-tongue'`))

	b.eval(`document.querySelector('#own-tie').closest('details').open = true`)
	b.fill("#own-tie", "strips from bags")
	b.eval(`document.querySelector('#like-tie').value = 'pvc'; document.querySelector('#own-tie').form.requestSubmit()`)
	b.at("/correct/tie/pvc~1")
	b.fill("#f-weeks", "8")
	b.fill("#f-why", "as we do")
	b.press("Keep it so")
	b.at("/house/tables")
	b.sees("strips from bags")
	b.eval(`document.querySelector('[aria-label="Off the list: raffia with wax over"]').click()`)
	b.sees("It is not offered to choose any more")
	order := h.one(t, `select o.code from orders o where closed_on is null order by id limit 1`)
	b.goTo("/match/" + order)
	b.is(`!document.body.innerText.includes('raffia with wax over')`)
	b.goTo("/house/tables")
	b.eval(`document.querySelector('[aria-label="Off the list: strips from bags"]').click()`)
	b.is(`document.querySelector('[aria-label="Out for good: strips from bags"]')`)
	b.eval(`document.querySelector('[aria-label="Out for good: strips from bags"]').click()`)
	b.sees("nobody had used it")
	assert.Equal(t, "0", h.one(t, `select count(*)::text from tie where key = 'pvc~1'`))

	b.goTo("/house")
	b.eval(`const s = [...document.querySelectorAll('select[name=chosen]')].find(s => [...s.options].some(o => o.text ===
		'all in late winter'));
		s.value = 'all in late winter'; s.dispatchEvent(new Event('change', { bubbles: true }))`)
	b.at("/house/ways/try")
	b.sees("What it would change")
	b.axe("what a way would do")
	assert.Equal(t, "by tie", h.one(t, `select chosen from house_way where key = 'tie off'`))
	b.press("Keep it so")
	b.at("/house")
	b.sees("The house way is changed")
	assert.Equal(t, "all in late winter", h.one(t, `select chosen from house_way where key = 'tie off'`))
	b.clean()
}
