package web_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/nursery"
	"unionknot/internal/nursery/orders"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/nursery/wood"
	"unionknot/internal/testhouse"
)

// says presses a look on a class's board, at a place.
func (b *browser) says(place int, look string) {
	b.t.Helper()
	b.click(fmt.Sprintf(`.seat[data-place="%d"]`, place))
	b.is(fmt.Sprintf(`document.getElementById('v-title').textContent.startsWith('Place %d,')`, place))
	b.press(look)
}

func (b *browser) safe() {
	b.t.Helper()
	b.is(`!UK.items().length`)
}

// TestAClassByClicks makes a class, opens it, looks at grafts on a phone and on the desk, of one of
// them on both, lets one leave, and closes it.
func TestAClassByClicks(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.key("6")
	b.press("Classes")
	b.at("/classes")
	b.axe("classes")
	b.press("Make a class")
	b.fill("#f-code", "K-2")
	b.fill("#f-name", "Evening course")
	b.fill("#f-learners", "99")
	b.fill("#f-cans", "3")
	b.press("Make the class")
	b.sees("Between 1 and 60 learners")
	b.is(`document.querySelector('#f-name').value === 'Evening course'`) // nothing typed is lost
	b.fill("#f-learners", "4")
	b.press("Make the class")
	b.at("/classes/K-2")
	b.press("Open the class")
	b.sees("Read the cautions out")
	b.tick("The cautions were read out")
	b.press("Open the class")
	b.sees("Practice wood first")
	b.axe("a class's board")
	bound := func() string {
		return h.one(t, `select sum(t.tied)::text from tag t join class c on c.person_id = t.worker_id where c.code = 'K-2'`)
	}
	b.says(1, "Face not flat")
	b.safe()
	b.is(`document.querySelector('form[action="/classes/K-2/close"]')`) // it can end on practice wood
	b.press("Begin the grafts that count")
	b.sees("From now on grafts count")
	assert.Equal(t, "0", bound(), "practice wood is not counted")

	phone := h.browser(t, 390, 844)
	phone.signIn("ansel")
	phone.goTo("/classes/K-2")
	phone.says(3, "Waits")
	phone.safe()
	b.is(`document.querySelector('[data-choose="3"]')`) // it comes by itself
	b.click(`[data-choose="3"]`)
	b.is(`document.getElementById('v-title').textContent === 'Place 3, first graft'`)
	b.key("2")
	b.safe()
	b.is(`document.getElementById('v-title').textContent === 'Place 3, first graft, second try' && !document
		.querySelector('[data-choose="3"]')`)
	b.key("1")
	b.safe()
	b.is(`document.querySelector('.seat[data-place="3"]').innerText.includes('1 of 3 bound')`)
	assert.Equal(t, "1", bound())

	// Two at one graft: the phone has not heard of the desk's look yet.
	phone.is(`document.querySelector('.seat[data-place="3"]').dataset.newest`)
	phone.eval(`document.getElementById('seats').removeAttribute('hx-get'); htmx.process(document.getElementById('seats'))`)
	b.says(4, "Upside down")
	b.safe()
	phone.eval(`document.querySelector('.seat[data-place="4"]').dataset.newest = ''`)
	phone.says(4, "Near side meets")
	phone.safe()
	phone.sees("another judged the same graft just before you")
	assert.Equal(t, "1", bound())
	b.goTo("/classes/K-2/places/4")
	b.axe("a learner's page")
	b.press("Let this one hold")
	b.sees("That look holds now")
	assert.Equal(t, "2", bound())

	b.goTo("/classes/K-2/places/1")
	b.fill("#l-name", "Isolt")
	b.tick("Their name on their labels")
	b.press("Keep")
	b.sees("Place 1, Isolt")
	b.press("They have left")
	b.sees("They are back")
	b.goTo("/classes/K-2/labels")
	b.sees("Isolt")
	b.press("Back")
	b.press("Steps")
	b.is(`document.querySelectorAll('.gsteps svg').length >= 4`)
	b.axe("steps")
	b.press("The board")
	b.press("Close the class")
	b.fill("#tool-0", "4")
	b.fill("#tool-1", "1")
	b.fill("#tool-2", "3")
	b.press("Close it")
	b.sees("Look for them before anybody leaves")
	b.is(`document.querySelector('#tool-0').value === '4'`)
	b.fill("#k-why", "dropped, found, binned")
	b.press("Close it")
	b.sees("The class is closed")
	assert.Equal(t, "0", h.one(t,
		`select count(*)::text from tag t join class c on c.person_id = t.worker_id where c.code = 'K-2' and finished_at is null`))
	b.press("Take the names out now")
	b.sees("The names were taken out")
	assert.Equal(t, "0", h.one(t,
		`select count(*)::text from learner l join class c on c.id = l.class_id where c.code = 'K-2' and l.name <> ''`))
	b.clean()
}

// TestTheCheckQueueUnderALostLine goes on looking while the line is down: what was said waits on the
// phone, outlives a reload, and counts once.
func TestTheCheckQueueUnderALostLine(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	p := &power{next: h.site}
	h.Server.Config.Handler = p
	b := h.browser(t, 390, 844)
	b.expectErrors = true
	b.signIn("maud")
	b.is(`navigator.serviceWorker.controller`)
	b.goTo("/classes/K-1")
	b.goTo("/classes/K-1") // kept by now
	bound := func() int {
		var n int
		require.NoError(t, h.db.Get(&n, `select sum(t.tied) from tag t join class c on c.person_id = t.worker_id where c.code = 'K-1'`))
		return n
	}
	was := bound()
	small := value[[]string](b,
		`(document.querySelector('.seat').click(), [...document.querySelectorAll('.verdict')].filter(e => e.offsetParent &&
			e.offsetHeight < 72).map(e => e.innerText + ' ' + e.offsetHeight))`)
	assert.Empty(t, small)
	b.is(`document.querySelectorAll('[data-choose]').length === 3`)
	p.off.Store(true)
	b.click(`[data-choose]`)
	first := b.text("#v-title")
	b.press("Near side meets")
	b.is(`document.getElementById('v-line').textContent.includes('on this phone')`)
	// The next who has waited longest is chosen by itself.
	b.is(`document.getElementById('v-title').textContent !== ` + quoted(first))
	b.press("Set over")
	b.is(`UK.items().length === 2`)
	b.goTo("/classes/K-1")
	b.is(`document.getElementById('classboard') && UK.items().length === 2`)
	assert.Equal(t, was, bound())
	p.off.Store(false)
	b.eval(`dispatchEvent(new Event('online'))`)
	b.safe()
	assert.Equal(t, was+1, bound())
	b.is(`document.querySelectorAll('[data-choose]').length === 1`)
}

// TestPracticeIsKeptAndTheScionLaidByEye keeps a sheet, takes it back, and lays a drawn union.
func TestPracticeIsKeptAndTheScionLaidByEye(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("tamsin")
	b.goTo("/practice")
	b.axe("practice")
	b.fill("#f-cuts", "20")
	b.fill("#f-flat", "25")
	b.fill("#f-fit", "10")
	b.press("Keep the sheet")
	b.sees("No more than were cut")
	b.fill("#f-flat", "15")
	b.press("Keep the sheet")
	b.sees("20 cuts are noted")
	sheets := func() string {
		return h.one(t,
			`select count(*)::text from practice_sheet s join person p on p.id = s.person_id where p.sign_in = 'tamsin' and undone_at is
				null`)
	}
	assert.Equal(t, "6", sheets())
	b.press("Take back")
	b.sees("The sheet is taken back")
	assert.Equal(t, "5", sheets())
	b.set(`input[name="laid"]`, "0.4")
	b.is(`document.getElementById('laidsays').textContent === '0.40 mm' &&
		document.getElementById('laidscion').getAttribute('transform') !== 'translate(0 0)'`)
	b.press("So it lies")
	b.sees("of 100:")
	assert.Equal(t, "0.4", h.one(t, `select round(guess_mm::numeric, 2)::float8::text from practice_guess`))
	b.press("Another")
	b.sees("The last 1:")
	b.clean()
}

// TestARowFromPlantingToLiftingByClicks notes a row, lines stock out in it, buds it in late summer,
// and goes with it through its steps until it is lifted.
func TestARowFromPlantingToLiftingByClicks(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	ctx := t.Context()
	var id int64
	require.NoError(t, h.db.Get(&id, `select id from person where sign_in = 'maud'`))
	maud := nursery.Actor{ID: id, Name: "Maud Thirlby", Role: nursery.Propagator}
	require.NoError(t, h.nursery.AddLot(ctx, maud, stock.NewLot{Code: "L-230", Genus: "quince", StockType: "field quince",
		Form:  "bare-root",
		Place: "cold store 2", ReceivedOn: h.nursery.Today(), Received: 24}))
	require.NoError(t, h.nursery.AddReadings(ctx, maud, "L-230", []float64{9, 9.2, 8.8, 9.4}))
	require.NoError(t, h.nursery.AddOrder(ctx, maud, orders.NewOrder{Code: "O-90", Genus: "pear", Variety: "Lanternjaw",
		StockGenus: "quince",
		StockType:  "field quince", Trees: 8, DueOn: time.Date(2029, 2, 1, 0, 0, 0, 0, time.UTC), Priority: 2}))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.key("8")
	b.press("Rows")
	b.at("/rows")
	b.axe("rows")
	b.press("Note a row")
	b.fill("#f-field", "south field")
	b.fill("#f-number", "1")
	b.fill("#f-bearing", "400")
	b.press("Note it")
	b.sees("Degrees from north")
	b.fill("#f-bearing", "90")
	b.press("Note it")
	b.sees("Say what stands in it")
	b.axe("a row")
	b.set("#w-lot", "L-230")
	b.fill("#w-n", "5")
	b.press("Line out here")
	b.is(`document.querySelector('#w-code').closest('.wrong, .field').innerText.includes('L-230')`)
	b.fill("#w-n", "")
	b.set("#w-lot", "L-230")
	b.press("Line out here")
	b.sees("Lot L-230 stands in this row")
	assert.Equal(t, "in the row south field, row 1", h.one(t, `select form || ' ' || place from stock_lot where code = 'L-230'`))
	b.fill("#g-at", "70")
	b.press("Gap here")
	b.sees("No lot stands at plant 70")
	b.fill("#g-at", "3")
	b.press("Gap here")
	b.sees("its lot has a stem less")
	assert.Equal(t, "23", h.one(t,
		`select n::text from stock_balance b join stock_lot l on l.id = b.lot_id where l.code = 'L-230' and account = 'free'`))

	require.NoError(t, h.nursery.MoveDemoDay(ctx, maud, time.Date(2027, 8, 5, 0, 0, 0, 0, time.UTC)))
	require.NoError(t, h.nursery.AddBundle(ctx, maud, wood.NewBundle{Code: "W-390", Plant: "M-1", State: "ripe green",
		CutOn: h.nursery.Today(), Place: "potting shed",
		Sticks: 12, LengthMM: 600, BaseMM: 7, TipMM: 5.4, InternodeMM: 22, BudsPerPiece: 1, Whole: true}))
	b.goTo("/match/O-90")
	tag := b.weaveAndTag("O-90", "Maud")
	b.goTo("/rows?work=bud")
	b.is(`document.querySelector('.turns .first').innerText.includes('south field, row 1')`)
	b.press(b.text(".lead summary"))
	b.sees("The house's rate for one")
	b.sees("2 bud, 1 behind them: the slower of 2 ÷ 0.6 and 1 ÷ 0.4")
	b.sees("on your left, away from the midday sun")
	b.press("south field, row 1")
	b.press("Next: tag " + tag)
	b.at("/bench/tags/" + tag)
	b.sees("South field, row 1, plants 1 to")
	b.finishTag(tag)
	b.goTo("/rows")
	b.press("row 1")
	b.sees(tag)
	b.press("Sodden")
	b.sees("lift nothing here until it drains")
	b.press("Another number")
	b.fill("#n-number", "2")
	b.press("Renumber")
	b.sees("The row is south field, row 2 now")
	b.through(tag,
		`[...document.querySelectorAll('li, tr, .knot')].some(e => /lifted|Lift/i.test(e.textContent) &&
			e.classList.contains('isdone')) || `+
			`document.body.innerText.includes('Fit to sell.')`)
	done := h.one(t,
		`select string_agg(distinct knot, ', ' order by knot) from step_done d join tag t on t.id = d.tag_id where t.code = '`+tag+`' and
			undone_at is null`)
	assert.Contains(t, done, "head back")
	assert.Contains(t, done, "lift")
	b.clean()
}
