package web_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/testhouse"
)

// TestADraftSurvivesAClosedTab: what was typed is offered again, to the same person alone,
// until the server has it.
func TestADraftSurvivesAClosedTab(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/orders")
	b.press("Add an order")
	b.fill("#f-code", "O-778")
	b.fill("#f-genus", "pear")
	b.fill("#f-variety", "Lanternjaw")
	b.is(`Object.keys(localStorage).some(k => k.startsWith('uk-draft:') && localStorage[k].includes('O-778'))`)
	b.goTo("/today") // as when the tab was closed
	b.goTo("/orders")
	b.sees("You had typed something here")
	b.axe("a draft")
	b.press("Bring it back")
	b.is(`document.querySelector('#f-code').value === 'O-778' && document.querySelector('#f-variety').value === 'Lanternjaw'`)
	for sel, text := range map[string]string{"#f-stock_genus": "quince", "#f-stock_type": "Tarn Q3", "#f-trees": "12"} {
		b.fill(sel, text)
	}
	b.eval(`document.querySelector('#f-due_on').value = '2029-03-01'`)
	// What is sent and comes back with a fault stands in the form; nothing is offered beside it.
	b.fill("#f-trees", "none")
	b.press("Take the order")
	b.sees("whole number")
	b.is(`!document.querySelector('.draft') && document.querySelector('#f-code').value === 'O-778'`)
	b.fill("#f-trees", "12")
	b.press("Take the order")
	b.sees("Order O-778 is taken")
	b.is(`!Object.keys(localStorage).some(k => k.startsWith('uk-draft:'))`)
	assert.Equal(t, "1", h.one(t, `select count(*)::text from orders where code = 'O-778'`))

	// Somebody else on the same machine sees none of it; signing out ends it.
	b.press("Add an order")
	b.fill("#f-code", "O-779")
	b.is(`Object.keys(localStorage).some(k => k.startsWith('uk-draft:'))`)
	b.press("Maud Thirlby")
	b.press("Sign out")
	b.at("/sign-in")
	b.is(`!Object.keys(localStorage).some(k => k.startsWith('uk-draft:'))`)
	b.clean()
}

// TestASentFormWithoutAnAnswer: the line went while it was sent. It is offered again, with
// the word to look first.
func TestASentFormWithoutAnAnswer(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/orders")
	b.press("Add an order")
	b.fill("#f-code", "O-780")
	b.fill("#f-variety", "Copperpot")
	b.eval(`document.querySelector('form[action="/orders"][method=post]').addEventListener('submit', e => e.preventDefault())`)
	b.eval(`document.querySelector('form[action="/orders"][method=post]').dispatchEvent(new Event('submit', { cancelable: true }))`)
	b.goTo("/orders")
	b.sees("This was sent, and no answer came")
	b.press("Throw it away")
	b.goTo("/orders")
	b.is(`!document.querySelector('.draft')`)
	b.clean()
}
