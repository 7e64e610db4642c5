package web_test

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

// TestWhatWasTypedIsPutRightByClicks: an order's trees, seen on its page and in the
// database, with the earlier value; a day that is over is asked about; two spellings
// become one.
func TestWhatWasTypedIsPutRightByClicks(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	order := h.one(
		t,
		`select code from orders o where closed_on is null and not exists (select 1 from batch b where b.order_id = o.id) limit 1`,
	)
	was := h.one(t, `select trees::text from orders where code = '`+order+`'`)
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/orders/" + order)
	b.press("Put right what was typed")
	b.at("/correct/order/" + order)
	b.fill("#f-trees", "4,321")
	b.press("Keep it so")
	b.is(`!!document.querySelector('#f-why:invalid')`) // nothing goes without a reason
	b.fill("#f-why", "read from the wrong line")
	b.press("Keep it so")
	b.at("/orders/" + order)
	b.sees("That is put right")
	b.sees("read from the wrong line")
	assert.Equal(t, was, b.text(".corrections s"))
	assert.Equal(t, "4321", h.one(t, `select trees::text from orders where code = '`+order+`'`))
	b.axe("a correction")

	b.press("Put right what was typed")
	b.at("/correct/order/" + order)
	b.is(`!!document.querySelector('#f-due_on')`)
	b.eval(`document.querySelector('#f-due_on').value = '2026-01-02'`)
	b.fill("#f-why", "an old one")
	b.press("Keep it so")
	b.sees("That day is over")
	b.is(`document.querySelector('#f-why').value === 'an old one'`) // nothing typed is lost
	b.tick("That day is meant")
	b.press("Keep it so")
	b.at("/orders/" + order)
	assert.Equal(t, "2026-01-02", h.one(t, `select due_on::text from orders where code = '`+order+`'`))

	b.press("Close this order")
	b.fill("#f-off_why", "the buyer wrote")
	b.press("Call it off")
	b.sees("is called off")
	b.sees("the buyer wrote")
	assert.Equal(t, "2027-02-23", h.one(t, `select closed_on::text from orders where code = '`+order+`'`))

	b.goTo("/house")
	b.press("Names")
	b.at("/house/names")
	b.axe("names")
	b.press("Lanternjaw")
	b.fill("#f-name", "Lantern Jaw")
	b.fill("#f-why", "two words")
	b.press("Keep it so")
	b.at("/house/names")
	b.sees("Lantern Jaw")
	assert.Equal(t, "0", h.one(t, `select count(*)::text from variety where name = 'Lanternjaw'`))
	b.clean()
}

// TestACorrectionMeetsAnother: the form shows what stands now beside what was typed.
func TestACorrectionMeetsAnother(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud := h.as(t, "maud")
	lot := h.one(t, `select code from stock_lot order by id desc limit 1`)
	_, _, body := h.ask(t, maud, http.MethodGet, "/correct/lot/"+lot)
	seen := between(t, body, `name="seen" value="`, `"`)
	status, _, _ := h.sendForm(t, maud, "/correct/lot/"+lot, "seen", seen, "why", "first", "supplier", "the first")
	require.Equal(t, http.StatusSeeOther, status)
	status, _, body = h.sendForm(t, maud, "/correct/lot/"+lot, "seen", seen, "why", "second", "supplier", "the second")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "Somebody put this right while you did")
	assert.Contains(t, body, "stands now: the first")
	assert.Contains(t, body, `value="the second"`)
	assert.Contains(t, body, `value="second"`)
	assert.Equal(t, "the first", h.one(t, `select supplier from stock_lot where code = '`+lot+`'`))
	// With the page as it is now it goes through, once however often it is pressed.
	seen = between(t, body, `name="seen" value="`, `"`)
	once := between(t, body, `name="once" value="`, `"`)
	for range 2 {
		status, _, _ = h.sendForm(t, maud, "/correct/lot/"+lot, "seen", seen, "once", once, "why", "second", "supplier", "the second")
		assert.Equal(t, http.StatusSeeOther, status)
	}
	assert.Equal(
		t,
		"2",
		h.one(t, `select count(*)::text from change_record where what = 'lot' and doing = 'corrected' and ref = '`+lot+`'`),
	)
}

// between gives what stands between two marks.
func between(t *testing.T, s, from, to string) string {
	t.Helper()
	_, rest, ok := strings.Cut(s, from)
	require.True(t, ok, from)
	out, _, ok := strings.Cut(rest, to)
	require.True(t, ok, to)
	return out
}
