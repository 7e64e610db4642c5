package web_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/testhouse"
)

// TestTheCraftsTablesAreChangedByClicks: the default stands beside the house's own figure,
// and one press goes back to it.
func TestTheCraftsTablesAreChangedByClicks(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/house")
	b.press("Tables")
	b.at("/house/tables")
	b.axe("tables")
	b.press("whip and tongue")
	b.sees("house default: 40")
	b.fill("#f-rate_per_hour", "33")
	b.fill("#f-why", "our own pace")
	b.press("Keep it so")
	b.at("/house/tables")
	b.sees("default 40")
	assert.Equal(t, "33", h.one(t, `select rate_per_hour::text from technique where key = 'whip-and-tongue'`))
	b.press("whip and tongue")
	b.sees("our own pace")
	b.press("Back to default")
	b.at("/house/tables")
	b.is(`!document.body.innerText.includes('default 40')`)
	assert.Equal(t, "40", h.one(t, `select rate_per_hour::text from technique where key = 'whip-and-tongue'`))
	b.is(`!!document.querySelector('#scion')`)
	b.eval(`document.querySelector('#scion').value = 'rose'; document.querySelector('#stock').value = 'quince'`)
	b.press("Say how they get on")
	b.sees("Put right: rose on quince")
	b.is(`!!document.querySelector('#f-verdict')`)
	b.eval(`document.querySelector('#f-verdict').value = 'known bad'`)
	b.fill("#f-why", "tried and lost")
	b.press("Keep it so")
	b.at("/house/tables")
	b.sees("rose on quince")
	assert.Equal(t, "known bad", h.one(t, `select verdict from compatibility where scion_genus = 'rose' and stock_genus = 'quince'`))
	b.clean()
}
