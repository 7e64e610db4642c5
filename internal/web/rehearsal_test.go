package web_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/testhouse"
)

// TestTheSeasonIsRehearsedByClicks: from Orders to the season played through, to what a lever
// leads to; a sum of money; an order's own chance; the promises on Results; and on a phone.
func TestTheSeasonIsRehearsedByClicks(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 900)
	b.signIn("maud")
	b.goTo("/orders")
	b.press("Rehearsal")
	b.at("/orders/rehearsal")
	b.sees("What holds it back") // fetched once it is played
	n := h.one(t, `select count(*)::text from orders where closed_on is null`)
	b.is(`document.querySelectorAll('.rehearsal > tbody > tr').length === ` + n)
	b.is(`document.querySelectorAll('svg.seasons').length === ` + n)
	b.axe("the season played through")
	assert.Equal(t, n, h.one(t, `select count(*)::text from rehearsed`))
	b.eval(`document.querySelector('.chance summary').click()`)
	b.sees("Counted tags behind the takes")
	b.goTo("/orders/rehearsal") // now it is there at once
	b.eval(`document.querySelector('[hx-get="/orders/promises"]')?.scrollIntoView()`)
	b.sees("Is the promise kept?")
	b.set("#sum", "a heap")
	b.press("Work it out")
	b.sees("Type a sum of money")
	b.set("#sum", "900")
	b.press("Work it out")
	b.is(`location.search.includes('sum=900')`)
	b.sees("orders met on the mean instead of")
	b.eval(`[...document.querySelectorAll('a.lever')].find(a => a.textContent.includes('more grafts')).click()`)
	b.at("/match/")
	b.goTo("/orders/O-48")
	b.eval(`document.querySelector('[hx-get$="/chance"]')?.scrollIntoView()`)
	b.sees("the order is met in")
	b.goTo("/results")
	b.eval(`document.querySelector('[hx-get="/orders/promises"]')?.scrollIntoView()`)
	b.sees("Is the promise kept?")
	b.clean()
	phone := h.browser(t, 390, 844)
	phone.signIn("maud")
	phone.goTo("/orders/rehearsal")
	phone.sees("What holds it back")
	phone.is(`document.documentElement.scrollWidth <= innerWidth`)
	phone.clean()
}

// TestASeasonIsPractisedByClicks plays a made-up season to its end, with the coach, by the
// keyboard's back as much as by the button; nothing of it reaches the house.
func TestASeasonIsPractisedByClicks(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 390, 844)
	b.signIn("ansel")
	before := h.one(t, `select count(*)::text from change_record`)
	b.goTo("/orders/trainer?seed=5")
	b.sees("Week 1 of at most 8")
	b.press("Ask the coach")
	b.sees("orders would be met")
	b.axe("a season to practise on")
	b.press("Graft this week")
	b.sees("Week 2 of at most 8")
	b.eval(`history.back()`)
	b.sees("Week 1 of at most 8")
	for range 8 {
		if value[bool](b, `document.body.innerText.includes('What nature had')`) {
			break
		}
		was := value[string](b, `location.search`)
		b.press("Graft this week")
		b.is(`location.search !== ` + quoted(was) + ` && document.readyState === 'complete'`)
	}
	b.sees("What nature had")
	b.sees("You met")
	b.is(`document.documentElement.scrollWidth <= innerWidth`)
	b.goTo("/orders/trainer?seed=5&moves=77-88-99")
	b.sees("holds no season")
	b.expectErrors = true
	assert.Equal(t, before, h.one(t, `select count(*)::text from change_record`))
}
