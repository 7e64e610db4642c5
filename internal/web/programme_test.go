package web_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/nursery/match"
	"unionknot/internal/testhouse"
)

// TestAllOrdersAreWovenHeldAndMade weaves every order at once, holds a
// thread, keeps another apart, goes back, and makes all the batches.
func TestAllOrdersAreWovenHeldAndMade(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
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
	b.is(
		`!!document.querySelector('nav') && document.body.innerText.includes('held: O-') &&
			!document.body.innerText.includes('kept apart: O-')`,
	) // a whole page, with what was held
	// What is kept apart on the page is apart in the batches made from it.
	b.click("section.strandrow details.add summary")
	b.click(`section.strandrow a[aria-label^="Keep"]`)
	b.sees("kept apart: O-")
	b.is(`location.search.includes('apart=')`)
	apart, ok := match.ThreadOf(value[string](b, `new URLSearchParams(location.search).get('apart')`))
	require.True(t, ok)
	rows := value[int](b, `[...document.querySelectorAll('.strandrow')].filter((s) => s.querySelector('details.add')).length`)
	b.press("Make all the batches")
	b.at("/bench")
	b.sees("batches are made")
	var n, was int
	assert.NoError(t, h.db.Get(&n, `select count(*) from batch`))
	assert.NoError(t, h.db.Get(&was, `select $1::int`, before))
	assert.Equal(t, was+rows, n)
	var together int
	assert.NoError(
		t,
		h.db.Get(&together, `select count(*) from batch_thread h join batch a on a.id = h.batch_id join orders o on o.id = a.order_id
		join stock_lot l on l.id = h.lot_id join wood_bundle w on w.id = h.bundle_id
		where a.made_at >= (select max(made_at) from batch) - interval '1 minute' and o.code = $1 and l.code = $2 and w.code = $3 and
		h.stock_mm = $4 and h.wood_mm = $5`,
			apart.Order, apart.Lot, apart.Bundle, apart.Stock.Middle(), apart.Scion.Middle()),
	)
	assert.Zero(t, together, "%+v", apart)
	b.clean()
}
