package web_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/testhouse"
)

// TestAPairIsPutTogetherByClicks lets the house work in pairs, shares a batch out to
// one who cuts and one who ties, gives a tag to another tier, and takes the tier
// away.
func TestAPairIsPutTogetherByClicks(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.key("0")
	way := `document.querySelector('input[name="key"][value="team"]').form`
	b.is(way)
	b.eval(`const s = ` + way + `.querySelector('select'); s.value = 'cutter and tier'; s.dispatchEvent(new Event('change', {bubbles:
		true}))`)
	b.at("/house/ways/try")
	b.press("Keep it so")
	b.sees("The house way is changed")
	assert.Equal(t, "cutter and tier", h.one(t, `select chosen from house_way where key = 'team'`))
	b.key("6")
	batch := h.one(t, `select b.code from batch b where undone_at is null and tagged = 0 limit 1`)
	b.press(batch)
	b.sees("Who cuts, and who ties")
	b.click(`input[name="worker"][aria-label="Ansel Roke cuts"]`)
	b.click(`input[name="tier"][aria-label="Ansel Roke ties"]`)
	b.press("Make the tags")
	b.sees("Choose each for one of the two")
	b.click(`input[name="tier"][aria-label="Ansel Roke ties"]`)
	b.click(`input[name="tier"][aria-label="Odile Garth ties"]`)
	b.axe("a batch shared out to pairs")
	b.press("Make the tags")
	b.sees("Ansel Roke + Odile Garth")
	tag := h.one(t, `select t.code from tag t join batch b on b.id = t.batch_id where b.code = '`+batch+`' order by t.id limit 1`)
	b.press(tag)
	b.sees("cut by Ansel Roke, tied by")
	tier := `select coalesce((select p.name from tag t join person p on p.id = t.tier_id where t.code = '` + tag + `'), 'nobody')`
	assert.Equal(t, "Odile Garth", h.one(t, tier))
	b.press("Hand over")
	b.set("#tier", h.one(t, `select id::text from person where sign_in = 'ansel'`))
	b.click(`form[action$="/hand-over"] button`)
	b.sees("does both: leave who ties open")
	b.set("#tier", h.one(t, `select id::text from person where sign_in = 'pim'`))
	b.click(`form[action$="/hand-over"] button`)
	b.sees("is handed over")
	assert.Equal(t, "Pim Hallow", h.one(t, tier))
	b.press(tag)
	b.press("Hand over")
	b.set("#tier", "0")
	b.click(`form[action$="/hand-over"] button`)
	b.sees("is handed over")
	assert.Equal(t, "nobody", h.one(t, tier))
	b.clean()
}

// TestBothBudsAreCountedOnAPhone corrects a look at stocks with two buds.
func TestBothBudsAreCountedOnAPhone(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 390, 844)
	b.signIn("maud")
	tag := h.one(t, `select t.code from tag t join take_count c on c.id = t.look_id where t.buds = 2 and c.taken > 12 order by t.id limit
		1`)
	b.goTo("/heal/" + tag)
	b.sees("2 buds on each stock")
	b.fill("#taken", "11")
	b.fill("#doubtful", "0")
	b.fill("#dead", "0")
	b.is(`document.querySelectorAll("input[name=rest]").length === 2`)
	b.eval(`const r = document.querySelector("input[name=rest][value=dead]"); if (r.required) r.click()`)
	b.fill("#both", "12")
	b.press("Save count")
	b.sees("Both buds live on at most as many stocks as took: you gave 12 of 11")
	b.axe("a count of two buds")
	b.fill("#both", "7")
	b.press("Save count")
	b.sees("7 with both buds")
	assert.Equal(t, "11 of which 7, 18 of 42 buds", h.one(t, `select c.taken || ' of which ' || c.both_live || ', ' || c.joins_taken ||
		' of '
		|| c.joins || ' buds' from tag t join take_count c on c.id = t.look_id where t.code = '`+tag+`'`))
	b.clean()
}
