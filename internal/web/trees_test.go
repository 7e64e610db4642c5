package web_test

import (
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

// pointIn clicks at a point of a drawing, in parts of its width and height.
func (b *browser) pointIn(sel string, px, py float64) {
	b.t.Helper()
	b.eval(`document.querySelector('` + sel + `').scrollIntoView({ block: 'center' })`)
	p := value[[]float64](b, `(() => { const r = document.querySelector('`+sel+`').getBoundingClientRect();
		return [r.x, r.y, r.width, r.height]; })()`)
	x, y := p[0]+px*p[2], p[1]+py*p[3]
	b.do(chromedp.MouseClickXY(x, y))
}

// finishTag ties all that is left of a tag, and finishes it.
func (b *browser) finishTag(tag string) {
	b.t.Helper()
	b.goTo("/bench/tags/" + tag)
	b.is(`document.querySelector('#card').dataset.waits === '0'`)
	left := value[int](b, `JSON.parse(document.querySelector('#card').dataset.counts).left`)
	for range left {
		b.click(".tap-one")
	}
	b.is(`document.querySelector('#left').textContent === '0 to go'`)
	b.click(`[data-tap="finish"]`)
	b.sees("Finished.")
	b.is(`!UK.items().length`)
}

// weaveAndTag makes the batch of an order and puts it on tags of one hand; gives a tag.
func (b *browser) weaveAndTag(order, hand string) string {
	b.t.Helper()
	b.press("Make the batch")
	b.at("/bench/batches/")
	b.tick(hand)
	b.press("Make the tags")
	b.sees("The batch is shared out")
	return b.h.one(b.t, `select t.code from tag t join batch b on b.id = t.batch_id join orders o on o.id = b.order_id where o.code =
		'`+order+`' order by t.id limit 1`)
}

// TestAStandingTreeFromDrawingToSecondYear is noted, drawn, grafted and counted, and in its second
// summer the best is kept; by mouse and keyboard, on a desk and on a phone.
func TestAStandingTreeFromDrawingToSecondYear(t *testing.T) {
	t.Parallel()
	for name, size := range map[string][2]int64{"desk": {1280, 900}, "phone": {390, 844}} {
		t.Run(name, func(t *testing.T) {
			h := open(t, testhouse.Demo(t))
			b := h.browser(t, size[0], size[1])
			b.signIn("maud")
			b.goTo("/grow")
			b.press("Several unions")
			b.at("/trees")
			b.axe("trees of several unions")
			b.press("Note a standing tree")
			b.fill("#f-tree-code", "T-9")
			b.fill("#f-tree-genus", "pare")
			b.fill("#f-tree-stock", "seedling")
			b.fill("#f-tree-place", "far bank")
			b.press("Note it")
			b.sees("Choose a genus from the list")
			b.fill("#f-tree-genus", "pear")
			b.press("Note it")
			b.at("/trees/T-9")
			b.sees("Draw its limbs")

			b.pointIn("svg.tree", 0.8, 0.25)
			b.is(`document.querySelector('#newlimb').open && Number(document.querySelector('#newlimb [name=tip_x]').value) > 700`)
			b.fill("#f-n-mm", "900")
			b.press("Draw it")
			b.sees("A limb measures from 3 to 400 mm")
			// nothing typed is lost
			b.is(`document.querySelector('#f-n-mm').value === '900' && Number(document.querySelector('#f-n-tip_x').value) > 700`)
			b.fill("#f-n-mm", "14")
			b.fill("#f-n-places", "2")
			b.press("Draw it")
			b.sees("Limb A is drawn")
			x := func() string {
				return h.one(t, `select tip_x::text from limb m join tree r on r.id = m.tree_id where r.code = 'T-9'`)
			}
			was := x()
			b.eval(`document.querySelector('.limbtip[data-letter="A"]').focus()`)
			b.key(kb.ArrowLeft)
			b.is(`document.querySelector('#treedrawing').dataset.kept === '1'`)
			assert.NotEqual(t, was, x(), "moved by the keyboard")
			b.axe("a tree that is drawn")

			b.press("A")
			b.fill("#f-wA-variety", "Hob's Candle")
			b.fill("#f-wA-genus", "apple")
			b.press("It is wanted")
			b.sees("Apple is known not to live on pear")
			b.fill("#f-wA-variety", "Lanternjaw")
			b.fill("#f-wA-genus", "pear")
			b.press("It is wanted")
			b.sees("Lanternjaw is wanted on limb A")
			b.eval(`document.querySelector('#limb-row-A .button').click()`)
			b.at("/match/T-9-A")
			// Two are made, of which the better is kept.
			_, err := h.db.Exec(`update orders set trees = 2 where code = 'T-9-A'`)
			require.NoError(t, err)
			b.goTo("/match/T-9-A?grafts=2")
			tag := b.weaveAndTag("T-9-A", "Maud")
			b.finishTag(tag)
			assert.Equal(t, "0", h.one(t, `select b.n::text from stock_balance b join any_lot l on l.id = b.lot_id where l.code = 'T-9-A'
				and account = 'free'`))

			h.nursery.RunFrom(time.Date(2027, time.April, 20, 9, 0, 0, 0, time.Local))
			b.goTo("/trees/T-9")
			b.press("Look")
			b.at("/heal/" + tag)
			b.press("rest")
			b.press("Save count")
			b.sees("saved.")
			b.goTo("/trees/T-9")
			b.sees("2 taken: keep the best")
			b.is(`document.querySelectorAll('#on-A .tick-alive').length === 2`)

			h.nursery.RunFrom(time.Date(2028, time.June, 20, 9, 0, 0, 0, time.Local))
			b.signIn("maud")
			b.goTo("/trees/T-9")
			b.sees("Keep the best graft, cut the rest by")
			b.press("A, Lanternjaw")
			b.eval(`document.querySelector('#did-A').value = 'kept best'; document.querySelector('#didtag-A').value = '` + tag + `'`)
			b.fill("#didn-A", "2")
			b.press("It is done")
			b.sees("One graft of limb A must stay")
			b.eval(`document.querySelector('#did-A').value = 'kept best'; document.querySelector('#didtag-A').value = '` + tag + `'`)
			b.fill("#didn-A", "1")
			b.press("It is done")
			b.sees("1 taken, 1 cut off alive")
			assert.Equal(t, "1", h.one(t, `select standing::text from tag where code = '`+tag+`'`))
			b.press("Labels")
			b.is(`document.querySelectorAll('.label-tag').length === 2`) // twice
			b.sees("T-9 A")

			// The wind takes the limb: it is asked, and recorded.
			b.goTo("/trees/T-9")
			if !value[bool](b, `document.querySelector('#limb-A-forms').open`) { // it may stand as it was left
				b.press("A, Lanternjaw")
			}
			b.fill("#why-A", "the wind")
			b.press("The limb is gone")
			b.sees("1 of Lanternjaw live on limb A")
			b.tick("They go with it")
			b.press("The limb is gone")
			b.sees("Limb A is gone")
			assert.Equal(t, "1", h.one(t, `select sum(n)::text from tree_move where reason = 'the wind' and what = 'lost'`))
			b.is(`document.documentElement.scrollWidth <= innerWidth`)
			b.clean()
		})
	}
}

// TestFamilyTreesFromOrderToLabel begins trees of three varieties, one of which lacks wood, weaves
// one, grafts it, and prints the labels of the limbs, with who sets with whom.
func TestFamilyTreesFromOrderToLabel(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 900)
	b.signIn("maud")
	b.goTo("/trees")
	b.press("Begin trees of several varieties")
	for id, v := range map[string]string{"code": "F-70", "wanted": "6", "lot": "L-204", "genus": "pear", "due_on": "2029-03-01",
		"place": "house 2"} {
		if id == "due_on" {
			b.eval(`document.querySelector('#f-set-due_on').value = '` + v + `'`)
			continue
		}
		b.fill("#f-set-"+id, v)
	}
	b.fill("#f-set-varieties", "Lanternjaw")
	b.press("Begin them")
	b.sees("Name from 2 to 6 varieties")
	b.is(`document.querySelector('#f-set-code').value === 'F-70'`)
	b.eval(`document.querySelector('#f-set-varieties').value = 'Lanternjaw\nCopperpot\nNew Hopeful'`)
	free := h.one(t, `select b.n::text from stock_balance b join any_lot l on l.id = b.lot_id where l.code = 'L-204' and account = 'free'`)
	b.press("Begin them")
	b.at("/trees/F-70")
	b.sees("good trees")
	begun := h.one(t, `select trees::text from tree where code = 'F-70'`)
	assert.NotEqual(t, "6", begun, "more are begun than are wanted")
	assert.Equal(t, begun, h.one(t, `select (`+free+` - b.n)::text from stock_balance b join any_lot l on l.id = b.lot_id where l.code =
		'L-204' and account = 'free'`))
	b.axe("family trees")
	b.is(`document.querySelector('#limb-row-C').textContent.includes('wood lacks, in pieces: ')`)
	b.eval(`document.querySelector('#limb-row-A a.button').click()`)
	b.at("/match/F-70-A")
	b.sees("can be paired")
	tag := b.weaveAndTag("F-70-A", "Maud")
	b.finishTag(tag)
	b.goTo("/trees/F-70")
	b.is(`document.querySelector('#limb-row-A').textContent.includes('healing')`)
	b.press("Labels")
	b.is(`document.querySelectorAll('.label-tag').length === 6`)
	assert.Contains(t, b.text(".label-tag"), "Sets with Copperpot")
	b.clean()
	b.goTo("/find?q=f-70") // a code leads to its tree
	b.at("/trees/F-70")
	// What all of it takes shows among the orders.
	b.goTo("/orders")
	b.sees("F-70-B")
}

// TestWhoPollinatesWhomIsNotedAndAsked notes a variety's flowers, and asks what a set lacks.
func TestWhoPollinatesWhomIsNotedAndAsked(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 390, 844)
	b.signIn("maud")
	b.goTo("/trees")
	b.press("Who pollinates whom")
	b.at("/flowers")
	b.press("quince")
	b.sees("No flowering of quince is noted yet")
	b.press("pear")
	b.is(`document.querySelectorAll('.flowerbar').length === 7`)
	b.axe("who pollinates whom")
	b.tick("look at Lanternjaw with others")
	b.tick("look at Heron Late with others")
	b.press("What do those lack?")
	b.sees("Heron Late: nothing beside it pollinates it")
	b.sees("Grey Ferryman (")
	// A buyer's set, and who is too far away.
	b.goTo("/flowers?genus=pear")
	b.eval(`document.querySelector('#buyer').value = 'Orchard Wick'`)
	b.press("What does it lack?")
	b.is(`document.querySelectorAll('.tickbox input:checked').length === 2`)
	for i, place := range []string{"old row 11", "old row 6", "old row 9"} {
		if !value[bool](b, `document.querySelector('#spot').closest('details').open`) {
			b.press("Where places stand")
		}
		b.fill("#spot", place)
		b.fill("#east", []string{"0", "30", "900"}[i])
		b.fill("#north", "0")
		b.eval(`document.querySelector('#spot').form.requestSubmit()`)
		b.sees("Where " + place + " stands is noted")
	}
	b.is(`[...document.querySelectorAll('tr')].find(r => r.cells[1]?.textContent === 'Heron Late')
		.textContent.includes('with Grey Ferryman')`)
	b.is(`![...document.querySelectorAll('tr')].find(r => r.cells[1]?.textContent === 'Heron Late')
		.textContent.includes('Fallow Knight')`) // 900 m away
	b.press("Note a variety's flowers")
	b.eval(`document.querySelector('#f-variety').value = 'Heron Late'; document.querySelector('#f-year').value = '2026';
		document.querySelector('#f-first').value = '2026-05-20'; document.querySelector('#f-last').value = '2026-05-01'`)
	b.press("Note it")
	b.sees("Flowers open from a first day to a later one")
	b.eval(`document.querySelector('#f-variety').value = 'Heron Late'; document.querySelector('#f-year').value = '2026';
		document.querySelector('#f-first').value = '2026-04-20'; document.querySelector('#f-last').value = '2026-05-09'`)
	b.press("Note it")
	b.sees("The flowers of Heron Late are noted")
	assert.True(t, strings.HasPrefix(h.one(t, `select first_on::text from flowering f join variety v on v.id = f.variety_id where v.name
		= 'Heron Late' and year = 2026`), "2026-04-20"))
	b.clean()
}
