package web_test

import (
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"

	"unionknot/internal/testhouse"
)

// TestTheSeasonIsDraggedTypedAndSeen moves a usual date with the mouse and
// with the arrow keys, keeps it, notes what is seen, and takes it back.
func TestTheSeasonIsDraggedTypedAndSeen(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.click(".sky-band")
	b.at("/season/pome")
	b.axe("season")
	assert.Equal(t, "5 March", value[string](b, `document.querySelector('#on-1').value`))
	b.eval(`document.querySelector('.usual[data-anchor="1"]').focus()`)
	b.key(kb.ArrowRight + kb.ArrowRight)
	b.is(`document.querySelector('#on-1').value === '7 March'`)
	b.eval(
		`(() => { const g = document.querySelector('.usual[data-anchor="1"]'), f = g.querySelector('.usual-flag'),
			r = f.getBoundingClientRect();
		const at = (type, x) => g.dispatchEvent(new PointerEvent(type, { bubbles: true, pointerId: 1, isPrimary: true, clientX: x,
			clientY: r.y + 4 }));
		g.setPointerCapture = () => {}; at('pointerdown', r.x + 4); at('pointermove', r.x + 4 + 40); at('pointerup', r.x + 44); })()`,
	)
	b.is(`/^(2[0-9]|3[01]) March$/.test(document.querySelector('#on-1').value)`)
	b.press("Put back what was moved")
	b.is(`document.querySelector('#on-1').value === '5 March'`)
	b.fill("#on-1", "never")
	b.press("Keep the usual dates")
	b.sees("Type a day of the year")
	b.fill("#on-1", "9 March")
	b.press("Keep the usual dates")
	b.sees("The usual dates are kept")
	assert.Equal(t, "9 March", value[string](b, `document.querySelector('#on-1').value`))

	b.eval(`document.querySelector('#says').value = 'buds swell'`)
	b.press("Note it")
	b.sees("Buds swell is noted")
	b.is(`/waking/.test(document.querySelector('.head .push').innerText)`)
	b.click(`button[aria-label^="Take back buds swell"]`)
	b.sees("taken back")
	b.is(`/resting/.test(document.querySelector('.head .push').innerText)`)
	b.goTo("/devices")
	b.press("Let it send")
	b.clean()
}
