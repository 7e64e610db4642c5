package web_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

// here is the bed that a walk shows.
const here = `[...document.querySelectorAll('#walk > .stop')].find(s => !s.hidden)`

// toBed goes on until a walk shows a place.
func (b *browser) toBed(place string) {
	b.t.Helper()
	for range 30 {
		b.is(here)
		if value[string](b, here+`.dataset.place`) == place {
			return
		}
		b.click("#next")
	}
	b.t.Fatalf("no bed %s on the walk: %s", place, b.whole())
}

// tapOn clicks a button of a step on the bed that is shown.
func (b *browser) tapOn(knot, button string) {
	b.t.Helper()
	find := here + `.querySelector('[data-knot="` + knot + `"] ` + button + `')`
	b.is(find)
	b.eval(find + `.click()`)
}

// TestTheWalkIsDoneOnAPhone does a bed, some of another, loses trees, takes back, and
// goes through a lost line.
func TestTheWalkIsDoneOnAPhone(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	l := &line{next: h.site}
	h.Server.Config.Handler = l
	b := h.browser(t, 390, 844)
	b.signIn("pim")
	b.press("Walk it")
	b.at("/grow/walk")
	b.toBed("long field, row 14")
	b.axe("the walk")
	done := func() string {
		return h.one(t, `select count(*)::text from step_done where knot = 'head back' and undone_at is null`)
	}
	require.Equal(t, "0", done())
	b.tapOn("head back", ".whole")
	b.is(
		`document.getElementById('line').textContent === 'All safe' && ` + here +
			`.querySelector('[data-knot="head back"]').classList.contains('isdone')`,
	)
	tags := h.one(t, `select count(*)::text from tag where heal_place = 'long field, row 14' and standing > 0`)
	assert.Equal(t, tags, done(), "the whole bed")
	b.click("#takeback")
	b.is(
		`!` + here + `.querySelector('[data-knot="head back"]').classList.contains('isdone') &&
			document.getElementById('line').textContent === 'All safe'`,
	)
	assert.Equal(t, "0", done(), "and taken back")

	b.tapOn("head back", ".some")
	b.tapOn("head back", ".which [data-code]")
	b.tapOn("head back", ".those")
	b.is(`document.getElementById('line').textContent === 'All safe' && !UK.items().length`)
	assert.Equal(t, "1", done(), "on one tag")

	alive := value[int](b, `Number(`+here+`.querySelector('[data-alive]').textContent)`)
	for range 2 { // the bed has several tags: it is asked of which
		b.eval(here + `.querySelector('[data-cause="knocked or broken"]').click()`)
		b.sees("knocked or broken: which tag?")
		b.eval(here + `.querySelectorAll('.lostof button')[1].click()`)
	}
	b.is(`document.getElementById('line').textContent === 'All safe' && !UK.items().length`)
	second := value[string](b, here+`.querySelectorAll('.lostof button')[1].dataset.code`)
	assert.Equal(t, second, h.one(t, `select string_agg(distinct t.code, ',') from tree_move m join tag t on t.id = m.tag_id
		where m.cause = 'knocked or broken' and m.undone_at is null`), "on the tag that was named, and on no other")
	assert.Equal(t, alive-2, value[int](b, `Number(`+here+`.querySelector('[data-alive]').textContent)`))
	assert.Equal(t, "2", h.one(t, `select sum(n)::text from tree_move where cause = 'knocked or broken' and undone_at is null`))
	assert.Equal(
		t,
		"Pim Hallow",
		h.one(t, `select distinct p.name from tree_move m join person p on p.id = m.person_id where m.cause = 'knocked or broken'`),
	)

	// The line goes down: what is done waits on the phone, and goes when it is back.
	b.expectErrors = true
	l.cut.Store(true)
	b.tapOn("head back", ".whole")
	b.sees("1 wait on this phone")
	assert.Equal(t, "1", done())
	l.cut.Store(false)
	b.eval(`dispatchEvent(new Event('online'))`)
	b.is(`document.getElementById('line').textContent === 'All safe' && !UK.items().length`)
	assert.Equal(t, tags, done(), "it all came, once")
	small := value[[]string](
		b,
		`[...document.querySelectorAll('.stop:not([hidden]) .stopbuttons button, .stop:not([hidden]) .lostcauses button, .walkfoot button')]
		.filter(e => e.offsetParent && e.offsetHeight < 72).map(e => e.innerText + ' ' + e.offsetHeight)`,
	)
	assert.Empty(t, small)
}

// TestAStepBeforeItsTimeAsksWhy does on a tag's page what is not due, and gives a reason;
// sells before its season, and gives one too.
func TestAStepBeforeItsTimeAsksWhy(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.key("8")
	b.sees("Grow on")
	tag := h.one(t, `select t.code from tag t where t.heal_place = 'warm bed' and standing > 0 order by t.id limit 1`)
	b.goTo("/grow/tags/" + tag)
	b.axe("a tag that grows on")
	potted := `form:has(input[value="pot"]) `
	b.fill(potted+`input[name="place"]`, "house 2")
	b.click(potted + `button[value="done"]`)
	b.sees("If it is done all the same, say why")
	b.fill(potted+`input[name="place"]`, "house 2")
	b.fill(potted+`input[name="reason"]`, "the bed is wanted")
	b.click(potted + `button[value="done"]`)
	b.sees("That is kept")
	assert.Equal(
		t,
		"the bed is wanted",
		h.one(t, `select reason from step_done d join tag t on t.id = d.tag_id where t.code = '`+tag+`' and knot = 'pot'`),
	)
	b.press("Deliver, sell, plant out")
	b.at("/grow/trees")
	b.axe("trees of a tag")
	b.fill(`input[name="trees:`+tag+`"]`, "3")
	b.set("#order", "-")
	b.press("Save")
	b.sees("Name the buyer")
	b.fill("#buyer", "a neighbour")
	b.press("Save")
	b.sees("Not fit to sell before")
	assert.Equal(t, "3", value[string](b, `document.querySelector('input[name="trees:`+tag+`"]').value`), "nothing typed is lost")
	b.fill("#reason", "they know, and graft themselves")
	b.press("Save")
	b.at("/grow/tags/" + tag)
	b.sees("3 sold")
	assert.Equal(t, "t", h.one(t, `select bool_and(elsewhere and order_id is null)::text from tree_move where buyer = 'a neighbour'`)[:1])
	standing := h.one(t, `select standing::text from tag where code = '`+tag+`'`)
	b.press("Take back")
	b.sees("That is taken back")
	b.at("/grow/tags/" + tag)
	assert.NotEqual(t, standing, h.one(t, `select standing::text from tag where code = '`+tag+`'`))
	b.press("Labels for the buyer")
	b.sees("Plant with the union")
	stand := h.one(t, `select standing::text from tag where code = '`+tag+`'`)
	assert.Equal(t, stand, value[string](b, `'' + document.querySelectorAll('.label-tag').length`), "one for each that stands")
	b.axe("labels for the buyer")
	b.fill("#n", "2")
	b.press("Lay out")
	b.is(`document.querySelectorAll('.label-tag').length === 2`)
	b.press("Back")
	b.fill("#m-p", "house 9")
	b.press("It stands there now")
	b.sees("Stands in house 9")
	b.clean()
}

// TestABoxIsCountedOnOnePage counts every tag of a box by typing, one of them wrong at
// first, on a phone.
func TestABoxIsCountedOnOnePage(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 390, 844)
	b.signIn("odile")
	b.goTo("/heal")
	b.press("callus box 2")
	b.sees("looks come up to")
	b.axe("a box")
	tags := value[[]string](b, `[...document.querySelectorAll('input[name^="taken:"]')].map(e => e.name.slice(6))`)
	require.Greater(t, len(tags), 2)
	b.fill(`input[name="taken:`+tags[0]+`"]`, "999")
	stood := value[int](b, `Number(document.querySelector('input[name="stood:`+tags[1]+`"]').value)`)
	b.fill(`input[name="cause:dried out:`+tags[1]+`"]`, "2")
	b.fill(`input[name="cause:not known:`+tags[1]+`"]`, "1")
	b.sees(fmt.Sprintf("%d alive, 0 doubtful, 3 dead.", 999+stood-3))
	b.press("Save counts")
	b.sees("999 alive + 0 doubtful + 0 dead = 999, but only")
	count := func(tag string) string {
		return h.one(
			t,
			`select coalesce((select c.taken || ' ' || c.dead || ' ' || coalesce(
				(select string_agg(x.n || ' ' || x.cause, ', ' order by x.n desc) from count_cause x
				where x.count_id = c.id), '')
			from tag t join take_count c on c.id = t.look_id where t.code = '`+tag+`'), 'none')`,
		)
	}
	assert.Equal(t, "none", count(tags[0]))
	assert.Equal(t, fmt.Sprintf("%d 3 2 dried out, 1 not known", stood-3), count(tags[1]), "what is not dead is alive; every cause is kept")
	b.fill(`input[name="taken:`+tags[0]+`"]`, "5")
	b.sees("not counted, still standing") // it does not add up
	b.click(`input[name="rest:` + tags[0] + `"][value="not counted"]`)
	b.press("Save counts")
	b.sees("counted. Kept")
	assert.Equal(t, "5 0 ", count(tags[0]))
	b.goTo("/heal/" + tags[0] + "?look=take+look")
	b.sees("stood after the last count")
	b.goTo("/heal/place?name=callus+box+2")
	// What is amiss is noted with the look, stands on Today, and goes when it is put right.
	b.goTo("/heal/" + tags[2])
	b.click(`button[aria-label="rest taken"]`)
	b.click(`input[name="amiss"][value="roots dry"]`)
	b.press("Save count")
	b.sees("saved.")
	amiss := func() string {
		return h.one(t, `select count(*)::text from amiss where righted_at is null and place = 'callus box 2'`)
	}
	assert.Equal(t, "2", amiss())
	b.goTo("/heal")
	b.press("callus box 2")
	b.sees("The roots or their packing are dry (Odile")
	b.click(`input[name="amiss"][value="wax open"]`)
	b.press("Save counts")
	b.sees("what is amiss is noted")
	assert.Equal(t, "3", amiss())
	b.press("Labels of")
	b.sees("Two of each") // a hand prints them, too
	b.goTo("/today")
	b.press("It is put right")
	b.sees("put right.")
	b.at("/today")
	assert.Equal(t, "2", amiss())
	b.clean()
}

// TestACalendarIsReadByALibrary makes the house's address on the page, and reads what it
// gives.
func TestACalendarIsReadByALibrary(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/grow")
	b.press("The house's calendar, new address")
	address := b.text("#secret a")
	require.Contains(t, address, "/calendar/")
	get := func(url string) *http.Response {
		r, err := http.Get(url) //nolint:noctx // a test's own
		require.NoError(t, err)
		t.Cleanup(func() { r.Body.Close() })
		return r
	}
	r := get(address)
	require.Equal(t, http.StatusOK, r.StatusCode)
	assert.Contains(t, r.Header.Get("Content-Type"), "text/calendar")
	cal, err := ics.ParseCalendar(r.Body)
	require.NoError(t, err)
	events := cal.Events()
	require.Greater(t, len(events), 20)
	heads := 0
	for _, e := range events {
		from, err := e.GetAllDayStartAt()
		require.NoError(t, err)
		to, err := e.GetAllDayEndAt()
		require.NoError(t, err)
		assert.True(t, to.After(from), e.Id())
		if s := e.GetProperty(ics.ComponentPropertySummary); s != nil && strings.HasPrefix(s.Value, "Head back") {
			heads++
			assert.True(t, from.After(time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC)))
		}
	}
	assert.Positive(t, heads)
	b.press("The house's calendar, new address")
	assert.NotEqual(t, address, b.text("#secret a"))
	assert.Equal(t, http.StatusNotFound, get(address).StatusCode, "the old address is ended")
	b.clean()
}

// TestTheDemosDayMovesOn moves it to the next step, by a click.
func TestTheDemosDayMovesOn(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.press("demo day")
	b.sees("Tuesday 23 February 2027")
	b.press("A week on")
	b.sees("Tuesday 2 March 2027")
	b.press("To the next step")
	b.is(`!document.querySelector('.head .quiet').innerText.includes('2 March')`)
	assert.True(t, h.one(t, `select demo_day::text from house`) > "2027-03-02")
	b.clean()
}

// through goes with a tag through every step that falls due, month by month, until its page says
// what is waited for.
func (b *browser) through(tag, until string) {
	b.t.Helper()
	b.goTo("/grow/tags/" + tag)
	for month := 0; !value[bool](b, until); month++ {
		require.Less(b.t, month, 24, "never: %s", b.whole())
		b.goTo("/demo")
		b.eval(`window.before = true`)
		b.press("A month on")
		b.is(`!window.before && document.body.innerText.includes('It is')`)
		b.goTo("/grow/tags/" + tag)
	due:
		for { // whatever is due, one after the other
			const button = `.isdue form:has(input[name="knot"]) button`
			const count = `.isdue form a.button`
			switch {
			case value[bool](b, `!!document.querySelector('`+count+`')`):
				b.eval(`window.before = true; document.querySelector('` + count + `').click()`)
				b.is(`!window.before && location.pathname.startsWith('/heal/')`)
				b.press("rest")
				b.press("Save count")
				b.sees("saved.")
				b.goTo("/grow/tags/" + tag)
			case value[bool](b, `!!document.querySelector('`+button+`')`):
				b.eval(`window.before = true; const b = document.querySelector('` + button + `'), p = b.form.querySelector('[name=place]');
					if (p) p.value = 'house 2'; b.click()`)
				b.is(`!window.before && document.body.innerText.includes('That is kept')`)
			default:
				break due
			}
		}
	}
}

// TestATagFromTiedToSoldByClicks ties a tag at the bench, and goes with it through
// every step that falls due, month by month, until its trees are fit and sold: on a
// desk and on a phone.
func TestATagFromTiedToSoldByClicks(t *testing.T) {
	t.Parallel()
	for name, size := range map[string][2]int64{"desk": {1280, 800}, "phone": {390, 844}} {
		t.Run(name, func(t *testing.T) {
			h := open(t, testhouse.Demo(t))
			b := h.browser(t, size[0], size[1])
			b.signIn("maud")
			tag := h.liveTag(t)
			b.finishTag(tag)
			tied := h.one(t, `select tied::text from tag where code = '`+tag+`'`)
			b.through(tag, `document.body.innerText.includes('Fit to sell.')`)
			// Two are too weak: they leave the tag, and the order is short of them.
			order := h.one(t, `select o.code from tag t join batch b on b.id = t.batch_id join orders o on o.id = b.order_id where t.code
				= '`+tag+`'`)
			b.fill("#b-n", "2")
			b.press("Move to below grade")
			b.sees("2 below the grade")
			b.press("Deliver, sell, plant out")
			b.at("/grow/trees")
			b.click(`button[aria-label="All of ` + tag + `"]`)
			b.press("Save")
			b.at("/grow/tags/" + tag)
			b.sees("sold")
			b.sees("2 below the grade")
			assert.Equal(t, "2", h.one(t, `select below::text from any_tag where code = '`+tag+`'`))
			b.goTo("/orders/" + order)
			b.eval(`document.querySelector('.lead summary').click()`)
			b.sees("Lifted and making the grade")
			assert.Equal(
				t,
				"0 of "+tied+" stand, "+tied+" went",
				h.one(t, `select standing || ' of ' || tied || ' stand, ' || gone || ' went'
				from tag where code = '`+tag+`'`),
			)
			assert.Equal(
				t,
				"t",
				h.one(t, `select (count(*) >= 8)::text from step_done d join tag t on t.id = d.tag_id where t.code = '`+tag+`'`)[:1],
			)
			b.clean()
		})
	}
}

// TestRainLeavesOnTheWalkWhatMustNotWait notes rain by a click, and takes it back.
func TestRainLeavesOnTheWalkWhatMustNotWait(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	steps := func() int {
		b.goTo("/grow/walk")
		return value[int](b, `document.querySelectorAll('#walk > .stop .stopstep').length`)
	}
	dry := steps()
	b.goTo("/grow")
	b.press("Rained off today")
	b.sees("for tomorrow")
	wet := steps()
	assert.Less(t, wet, dry)
	assert.Positive(t, wet, "what is late does not wait")
	b.goTo("/grow")
	b.press("It is dry: walk")
	b.is(`!document.body.innerText.includes('Rained off today.')`)
	assert.Equal(t, dry, steps())
	b.clean()
}

// TestTodayDoesAStepAndTakesItBack does one with a tap, and takes it back with another.
func TestTodayDoesAStepAndTakesItBack(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	const done = `select count(*)::text from step_done where at > '2027-02-01' and undone_at is null`
	require.Equal(t, "0", h.one(t, done))
	b.is(`document.querySelector('.duestep button')`)
	b.eval(`const b = document.querySelector('.duestep button'), p = b.form.querySelector('[name=place]');
		if (p) p.value = 'house 2'; b.click()`)
	b.sees("That is kept.")
	assert.NotEqual(t, "0", h.one(t, done))
	b.press("Take back")
	b.sees("That is taken back")
	assert.Equal(t, "0", h.one(t, done))
	b.clean()
}

// TestTreesAreGradedAsTheyAreLifted sorts out on the walk what is below the grade, takes one of
// them back, and lifts the bed.
func TestTreesAreGradedAsTheyAreLifted(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	h.nursery.RunFrom(time.Date(2027, time.December, 16, 9, 0, 0, 0, time.Local))
	b := h.browser(t, 390, 844)
	b.signIn("pim")
	b.goTo("/grow/walk")
	b.toBed("long field, row 14")
	below := func() string {
		return h.one(t, `select coalesce(sum(n), 0)::text from tree_move where what = 'below' and undone_at is null and person_id =
			(select id from person
			where sign_in = 'pim')`)
	}
	alive := value[int](b, `Number(`+here+`.querySelector('[data-alive]').textContent)`)
	for range 3 {
		b.tapOn("lift", ".below")
		b.sees("Below grade: which tag?")
		b.eval(here + `.querySelector('.lostof button:not([hidden])').click()`)
	}
	b.is(`document.getElementById('line').textContent === 'All safe' && !UK.items().length`)
	assert.Equal(t, "3", below())
	b.click("#takeback")
	b.is(`document.getElementById('line').textContent === 'All safe' && !UK.items().length && ` + here +
		`.querySelector('.below b').textContent === '2'`)
	assert.Equal(t, "2", below())
	assert.Equal(t, alive-2, value[int](b, `Number(`+here+`.querySelector('[data-alive]').textContent)`))
	b.tapOn("lift", ".whole")
	b.is(`document.getElementById('line').textContent === 'All safe' && !UK.items().length`)
	b.axe("grading on the walk")
	b.clean()
}
