package web_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

// TestTheFirstHourLeadsFromAnEmptyHouse: by clicks, step by step, each page saying what comes
// next; the site is looked at before it is set, and can be taken back.
func TestTheFirstHourLeadsFromAnEmptyHouse(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Empty(t))
	h.nursery.RunFrom(benchDay)
	code, err := h.nursery.SetupCode(context.Background())
	require.NoError(t, err)
	b := h.browser(t, 1280, 800)
	b.goTo("/first")
	b.fill("#f-code", code)
	b.fill("#f-house", "Test Nursery")
	b.fill("#f-name", "Maud")
	b.fill("#f-sign_in", "maud")
	b.fill("#f-password", "three blunt knives")
	b.press("Open the house")
	b.at("/today")
	b.sees("From an empty house to the first graft")
	b.axe("today of an empty house")
	b.press("takes you by the hand")
	b.at("/begin")
	b.axe("the first hour")
	b.press("Set the site")
	b.at("/season/site")
	b.sees("The first hour, next: Your site")
	b.eval(`document.querySelector('.climates a[href*="climate=mild"]').dispatchEvent(new MouseEvent('click', { bubbles: true,
		cancelable: true }))`)
	b.is(`location.search.includes('climate=mild')`)
	b.sees("What it would change")
	b.axe("the site")
	b.press("Set it so")
	b.sees("The first hour, next: Your people")
	b.sees("Set by Maud")
	assert.Equal(t, "mild", h.one(t, `select climate from site_was`))
	b.press("Take that back")
	b.sees("The first hour, next: Your site")
	b.tick("Inland")
	b.press("See what it would change")
	b.sees("What it would change")
	b.press("Set it so")
	b.sees("next: Your people")
	b.eval(`document.querySelector('.nextstep .button').click()`)
	b.at("/house")
	b.eval(`document.querySelector('#f-sign_in').closest('details').open = true`)
	b.fill("#f-name", "Ansel")
	b.fill("#f-sign_in", "ansel")
	b.fill("#f-pin", "2468")
	b.press("Take on")
	b.sees("next: What you grow")
	b.eval(`document.querySelector('.nextstep .button').click()`)
	b.at("/begin")
	b.tick("pear")
	b.tick("quince")
	b.press("Keep what we grow")
	b.sees("next: Your first lot")
	assert.Equal(t, "pear,quince", h.one(t, `select string_agg(genus, ',' order by genus) from grown`))
	b.eval(`document.querySelector('.nextstep .button').click()`)
	b.at("/stock")
	b.is(`[...document.querySelectorAll('#genera option, #f-genus option')].map(o => o.value).filter(v => v).slice(0, 2).join() ===
		'pear,quince'`)
	b.upload("file-lots", "lots.csv")
	b.eval(`document.querySelector('form[action$="/load"] button').click()`)
	b.sees("next: Your first wood")
	b.press("leave it")
	b.at("/today")
	b.is(`!document.querySelector('.nextstep')`)
	b.clean()
}

// TestWhatOneTapDidIsTakenBackByOne: for a minute, on whichever page, each thing that a tap
// changes can be taken back by another.
func TestWhatOneTapDidIsTakenBackByOne(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	order := h.one(t, `select code from orders where closed_on is null order by id limit 1`)
	took := func(said, query, before string) {
		t.Helper()
		b.is(`document.querySelector('.flash')?.innerText.includes(` + quoted(said) + `)`)
		assert.NotEqual(t, before, h.one(t, query), said)
		b.goTo("/orders") // it is offered there too
		b.sees("Take back")
		b.eval(`window.old = true; document.querySelector('.flash form button').click()`)
		b.is(`!window.old`)
		require.Eventually(t, func() bool { return h.one(t, query) == before }, patience, 20*time.Millisecond, said)
	}
	query := `select coalesce(closed_on::text, 'open') from orders where code = '` + order + `'`
	was := h.one(t, query)
	b.goTo("/orders/" + order)
	b.eval(`document.querySelector('form[action="/orders/` + order + `/close"] button').click()`)
	took("is closed", query, was)

	query = `select count(*)::text from amiss where righted_at is null`
	was = h.one(t, query)
	b.goTo("/today")
	b.press("It is put right")
	took("put right", query, was)

	query = `select count(*)::text from store_look`
	was = h.one(t, query)
	b.goTo("/today")
	b.press("Looked: sound")
	took("The look is noted", query, was)
	assert.Equal(t, "1", h.one(t, `select count(*)::text from look_back`), "and it stays known that there was one")

	query = `select chosen from house_way where key = 'tie off'`
	was = h.one(t, query)
	b.goTo("/house/ways/try?key=tie+off&chosen=all+in+late+winter")
	b.press("Keep it so")
	took("The house way is changed", query, was)

	query = `select count(*)::text from not_offered`
	was = h.one(t, query)
	b.goTo("/house/tables")
	b.eval(`document.querySelector('[aria-label="Off the list: raffia with wax over"]').click()`)
	took("not offered to choose", query, was)

	query = `select rests::text from season_group where key = 'pome'`
	was = h.one(t, query)
	b.goTo("/season/pome")
	b.eval(`document.querySelector('button[name=rests]').click()`)
	took("takes no rest", query, was)

	query = `select count(*)::text from season_seen where dropped_at is null`
	was = h.one(t, query)
	b.goTo("/season/pome")
	b.eval(`document.querySelector('form[action^="/season/seen/"] button').click()`)
	took("The note is taken back", query, was)

	query = `select count(*)::text from rained_off`
	was = h.one(t, query)
	b.goTo("/grow")
	b.eval(`document.querySelector('form[action="/grow/rain"] button').click()`)
	took("rained off", query, was)
	b.clean()
}
