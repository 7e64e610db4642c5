package web_test

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

func TestFromOrderToLabelsByMouse(t *testing.T) {
	t.Parallel()
	orderToLabels(t, false)
}

func TestFromOrderToLabelsByKeyboard(t *testing.T) {
	t.Parallel()
	orderToLabels(t, true)
}

// chip finds a tag's chip on the days by its first code.
func chip(code string) string {
	return `[...document.querySelectorAll('button.chip')].find(c => c.dataset.codes.split(' ').includes(` + quoted(code) + `))`
}

// drag carries a chip to a cell with the mouse.
func (b *browser) drag(from, to string) {
	b.t.Helper()
	at := func(js string) (x, y float64) {
		p := value[[]float64](
			b,
			`(() => { const r = `+js+`.getBoundingClientRect(); return [r.x + r.width / 2, r.y + Math.min(20, r.height / 2)]; })()`,
		)
		return p[0], p[1]
	}
	x1, y1 := at(from)
	x2, y2 := at(to)
	b.do(chromedp.MouseEvent(chromedp.MousePressed, x1, y1, chromedp.ButtonLeft))
	for i := 1.0; i <= 4; i++ {
		b.do(chromedp.MouseEvent(chromedp.MouseMoved, x1+(x2-x1)*i/4, y1+(y2-y1)*i/4, chromedp.ButtonLeft))
	}
	b.do(chromedp.MouseEvent(chromedp.MouseReleased, x2, y2, chromedp.ButtonLeft))
}

// orderToLabels takes an order, weaves all, makes the batches, plans the days,
// moves a tag and holds it, and goes to the day's sheet and labels.
func orderToLabels(t *testing.T, keyboard bool) {
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.keyboard = keyboard
	b.signIn("maud")
	b.goTo("/orders")
	b.is(`/\d orders lack something/.test(document.body.innerText)`)
	if !keyboard {
		b.axe("orders")
	}
	b.press("Add an order")
	for field, text := range map[string]string{"code": "O-60", "genus": "quince", "variety": "Slow Hare", "stock_genus": "quince",
		"stock_type": "Keld QA", "trees": "20"} {
		b.set("#f-"+field, text)
	}
	b.day("#f-due_on", benchDay.AddDate(1, 0, 0))
	b.press("Take the order")
	b.sees("Order O-60 is taken")
	b.at("/orders")
	before := value[string](b, `document.querySelector('#lines .lead b').innerText`)
	b.set("#take", "-20")
	b.is(`document.querySelector('#lines .lead b').innerText !== ` + quoted(before))
	b.sees("20 points down")
	b.goTo("/orders/O-53")
	b.sees("What would meet all of it, the cheapest first")
	if !keyboard {
		b.axe("order")
	}

	b.goTo("/match/O-60")
	b.sees("Which technique")
	b.is(`document.querySelectorAll('.chooser > tbody > tr').length === 11`)
	if !keyboard {
		b.axe("match")
	}
	b.goTo("/match/programme")
	b.sees("O-60")
	b.press("Make all the batches")
	b.at("/bench")
	b.sees("batches are made")

	b.goTo("/bench/days")
	b.sees("on no day yet")
	b.press("Plan the days")
	b.sees("The days are planned")
	b.sees("Nothing is late")
	if !keyboard {
		b.axe("days")
	}
	var code, day, who string
	require.NoError(t, h.db.QueryRow(`select t.code, t.day::text, p.name from tag t join person p on p.id = t.worker_id
		where t.started_at is null and p.sign_in = 'ansel' and t.half = 1 order by t.day, t.id limit 1`).Scan(&code, &day, &who))
	half := func() (n int) {
		require.NoError(t, h.db.Get(&n, `select half from tag where code = $1`, code))
		return n
	}
	if keyboard {
		b.eval(chip(code) + `.focus()`)
		b.sees("Last day")
		b.key(kb.Enter)
		b.sees("Lifted")
		b.key(kb.ArrowRight)
		b.key(kb.Escape)
		b.sees("Left where it was")
		b.key(kb.Enter + kb.ArrowRight + kb.Enter)
	} else {
		b.drag(chip(code), chip(code)+`.closest('.cell').nextElementSibling`)
	}
	b.is(chip(code) + `.dataset.locked === 'true'`)
	assert.Equal(t, 2, half())
	// A day off is refused in words.
	b.eval(chip(code) + `.focus()`)
	b.key(kb.Enter)
	b.key(kb.Escape)
	b.is(`!document.querySelector('#chip-form').hidden`)
	b.set("#move-day", "2027-02-28") // a Sunday
	b.press("Move")
	b.sees("is not at the bench then")
	b.goTo("/bench/days")
	b.eval(chip(code) + `.focus()`)
	b.key("l")
	b.is(chip(code) + `.dataset.locked === 'false'`)
	b.press("Take the plan back")
	b.sees("on no day yet")
	b.press("Plan the days")
	b.sees("The days are planned")

	b.goTo("/bench/day/" + day)
	b.sees("Wood to draw")
	b.sees("To lay out")
	if !keyboard {
		b.axe("day sheet")
	}
	b.press("Labels")
	b.is(`document.querySelectorAll('.label-tag').length > 3`)
	b.goTo("/bench/day/" + day)
	b.press("Key the sheet in")
	b.at("/bench/day/" + day + "/key")
	first := value[string](b, `document.querySelector('.keyform input[name=code]').value`)
	b.fill("#tied-"+first, "999")
	b.press("Keep the sheet")
	b.sees("too many")
	b.fill("#tied-"+first, "2")
	b.press("Keep the sheet")
	b.sees("The sheet is kept: 1 tags")
	var n int
	require.NoError(t, h.db.Get(&n, `select sum(n) from tally y join tag t on t.id = y.tag_id where t.code = $1 and kind = 'tied'`, first))
	assert.Equal(t, 2, n)
	b.clean()
}

func TestTwoPlannersOnTheDays(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	a, b := h.browser(t, 1280, 800), h.browser(t, 1280, 800)
	for _, x := range []*browser{a, b} {
		x.signIn("maud")
		x.goTo("/bench/days")
		x.sees("on no day yet")
	}
	a.press("Plan the days")
	a.sees("are planned")
	b.press("Plan the days") // it was planned meanwhile: nothing is made twice
	b.at("/bench/days")
	var twice int
	require.NoError(
		t,
		h.db.Get(
			&twice,
			`select count(*) from batch b where (select coalesce(sum(planned), 0) from tag t where t.batch_id = b.id) > b.grafts`,
		),
	)
	assert.Zero(t, twice)
	// One moves a tag that the other has just seen begun.
	code := h.one(t, `select t.code from tag t where started_at is null and finished_at is null order by id desc limit 1`)
	b.goTo("/bench/days")
	b.is(chip(code))
	_, err := h.db.Exec(`update tag set started_at = now() where code = $1`, code)
	require.NoError(t, err)
	b.eval(chip(code) + `.focus()`)
	b.key(kb.Enter + kb.ArrowRight + kb.Enter)
	b.sees("is begun, so it stays")
	a.clean()
	b.clean()
}

func TestHandsWeeksAndPlacesAreSet(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/bench/hands")
	b.axe("hands")
	id := h.one(t, `select id::text from person where sign_in = 'pim'`)
	b.set(fmt.Sprintf("#h-6-1-%s", id), "3,5")
	b.press("Keep Pim's week")
	b.sees("The week is kept")
	assert.Equal(t, "3.5", h.one(t, `select hours::text from person_hours where person_id = `+id+` and weekday = 6`))
	b.set(fmt.Sprintf("#h-6-1-%s", id), "30")
	b.press("Keep Pim's week")
	b.sees("0 to 8 hours")
	assert.Equal(t, "30", value[string](b, fmt.Sprintf(`document.querySelector('#h-6-1-%s').value`, id)), "nothing typed is lost")
	b.goTo("/bench/team?people=4&cut=60&tie=20&tier=50")
	b.sees("3 cutting and 1 tying")
	b.axe("team")
	b.goTo("/match/union?as=new")
	b.sees("a new hand, straying 0.80 mm")
	b.press("Measure a hand")
	b.fill("#strays", "0.1 wobble")
	b.press("Keep")
	b.sees("wobble is no number")
	b.fill("#strays", "0.1 -0.2 0.15 0 0.1")
	b.press("Keep")
	b.sees("straying 0.13 mm")
	b.clean()
}

func TestALostLineMovesNoTag(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	l := &line{next: h.site}
	h.Server.Config.Handler = l
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/bench/days")
	b.press("Plan the days")
	b.sees("are planned")
	var code string
	require.NoError(
		t,
		h.db.Get(
			&code,
			`select t.code from tag t join person p on p.id = t.worker_id where t.started_at is null and p.sign_in = 'ansel' order by
				t.day, t.half, t.id limit 1`,
		),
	)
	where := func() string { return h.one(t, `select day::text || half from tag where code = '`+code+`'`) }
	before := where()
	b.expectErrors = true // the browser notes each request that is lost
	l.cut.Store(true)
	b.eval(chip(code) + `.focus()`)
	b.key(kb.Enter + kb.ArrowRight + kb.Enter)
	b.sees("The line is down: nothing was moved")
	assert.Equal(t, before, where())
	assert.Equal(t, "false", value[string](b, chip(code)+`.dataset.locked`), "the plan on the screen is the one that is kept")
	l.cut.Store(false)
	b.eval(chip(code) + `.focus()`)
	b.key(kb.Enter + kb.ArrowRight + kb.Enter)
	b.is(chip(code) + `.dataset.locked === 'true'`)
	assert.NotEqual(t, before, where())
	// An answer that is lost after the move was kept: the same move again does no harm.
	l.deaf.Store(true)
	now := where()
	b.eval(chip(code) + `.focus()`)
	b.key(kb.Enter + kb.ArrowRight + kb.Enter)
	b.sees("The line is down")
	l.deaf.Store(false)
	assert.NotEqual(t, now, where())
	b.goTo("/bench/days")
	b.is(chip(code) + `.dataset.locked === 'true'`)
	b.clean()
}

func TestWhatIsShortIsSaidWithWaysOut(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	for _, q := range []string{`delete from person_hours where person_id <> (select id from person where sign_in = 'maud')`,
		`update person_hours set hours = 0.5`} {
		_, err := h.db.Exec(q)
		require.NoError(t, err)
	}
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/match/programme")
	b.press("Make all the batches")
	b.at("/bench")
	b.goTo("/bench/days")
	b.press("Plan the days")
	b.sees("grafts would be late")
	b.sees("short, planned from now: ways out, the cheapest first")
	b.sees("Take on one more worker")
	b.sees("Line those stocks out and bud them in summer")
	b.axe("short days")
	b.clean()
}
