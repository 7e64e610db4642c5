package web_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/store/storetest"
)

// TestAllOrdersAreWovenHeldAndMade weaves every order at once, holds a
// thread, keeps another apart, goes back, and makes all the batches.
func TestAllOrdersAreWovenHeldAndMade(t *testing.T) {
	h := open(t, storetest.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/match")
	b.press("Weave them all at once")
	b.at("/match/programme")
	b.sees("grafts paired")
	b.axe("programme")
	before := h.one(t, `select count(*)::text from batch`)
	b.click("section.strandrow details.add summary")
	b.click(`section.strandrow a[aria-label^="Hold"]`)
	b.is(`location.search.includes('hold=')`)
	b.sees("held: O-")
	b.click("section.strandrow details.add summary")
	b.click(`section.strandrow a[aria-label^="Keep"]`)
	b.is(`location.search.includes('apart=')`)
	b.sees("kept apart: O-")
	b.eval(`history.back()`)
	b.is(`!location.search.includes('apart=')`)
	b.goTo("/match/programme")
	rows := value[int](b, `[...document.querySelectorAll('.strandrow')].filter((s) => s.querySelector('details.add')).length`)
	b.press("Make all the batches")
	b.at("/bench")
	b.sees("batches are made")
	var n, was int
	assert.NoError(t, h.db.Get(&n, `select count(*) from batch`))
	assert.NoError(t, h.db.Get(&was, `select $1::int`, before))
	assert.Equal(t, was+rows, n)
	b.clean()
}
