package web_test

import (
	"context"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

var benchDay = time.Date(2027, time.February, 23, 9, 0, 0, 0, time.Local)

func (b *browser) upload(id, file string) {
	b.t.Helper()
	path, err := filepath.Abs(filepath.Join("../../docs/examples", file))
	require.NoError(b.t, err)
	b.eval(`document.querySelector('#` + id + `').closest('details').open = true`)
	b.do(chromedp.SetUploadFiles(chromedp.CSS("#"+id), []string{path}))
	b.eval(`document.querySelector('#` + id + `').form.requestSubmit()`)
	b.at("/loads/")
	b.sees("Nothing is loaded yet")
}

// wholeWay goes from an empty nursery to a take rate: one propagator, one
// tablet, two hands.
func wholeWay(t *testing.T, keyboard bool) {
	h := open(t, testhouse.Empty(t))
	h.nursery.RunFrom(benchDay)
	code, err := h.nursery.SetupCode(context.Background())
	require.NoError(t, err)
	b := h.browser(t, 1280, 800)
	b.keyboard = keyboard
	check := func(where string) {
		t.Helper()
		if !keyboard {
			b.axe(where)
		}
		b.clean()
	}

	b.goTo("/")
	b.at("/first")
	check("first")
	b.fill("#f-code", "WRONG-CODE1")
	b.fill("#f-house", "Test Holm")
	b.fill("#f-name", "Maud")
	b.fill("#f-sign_in", "maud")
	b.fill("#f-password", "three blunt knives")
	b.press("Open the house")
	b.sees("not the code on the console")
	assert.Equal(t, "Test Holm", value[string](b, `document.querySelector('#f-house').value`), "nothing typed is lost")
	b.fill("#f-code", code)
	b.fill("#f-password", "three blunt knives")
	b.press("Open the house")
	b.at("/today")
	b.sees("From an empty house to the first graft")
	check("empty today")

	for _, name := range []string{"Ansel", "Odile"} {
		b.goTo("/house")
		b.press("Take somebody on")
		b.fill("#f-name", name)
		b.fill("#f-sign_in", name)
		b.fill("#f-pin", "2468")
		b.press("Take on")
		b.sees(name + " is taken on")
	}
	check("house")

	// Stock by hand, then by file.
	b.goTo("/stock")
	b.sees("No stock yet")
	check("empty stock")
	b.fill("#f-code", "L-1")
	b.fill("#f-genus", "quince")
	b.fill("#f-stock_type", "Tarn Q3")
	b.fill("#f-received", "lots")
	b.fill("#f-grade_low", "8")
	b.fill("#f-grade_high", "9,5")
	b.press("Take it in")
	b.sees("whole number")
	b.fill("#f-received", "90")
	b.press("Take it in")
	b.at("/stock/lots/L-1")
	b.sees("spread evenly over its grade")
	if keyboard { // the caliper's field has the focus already
		b.is(`document.activeElement.id === 'mm'`)
		b.key("8.2 8,4 9.1 8.8 8.6" + kb.Enter)
	} else {
		b.fill("#mm", "8.2 8,4 9.1 8.8 8.6"+kb.Enter)
	}
	b.sees("5 readings are kept")
	b.sees("5 are measured")
	check("lot")
	b.goTo("/stock")
	b.upload("file-lots", "lots.csv")
	check("preview")
	b.press("Load 3 rows")
	b.sees("3 rows added")
	b.goTo("/stock")
	b.upload("file-readings", "readings.csv")
	b.press("Load 62 rows")
	b.sees("62 rows added")
	b.goTo("/stock")
	b.sees("62 measured")
	check("stock")

	b.goTo("/wood")
	check("empty wood")
	b.fill("#f-plant-code", "M-1")
	b.fill("#f-plant-genus", "pare")
	b.fill("#f-plant-variety", "Lanternjaw")
	b.press("Note the plant")
	b.sees("Choose a genus from the list")
	b.fill("#f-plant-genus", "pear")
	b.press("Note the plant")
	b.sees("Mother plant M-1 is noted")
	b.sees("not yet")
	b.goTo("/wood?plant=M-1")
	b.fill("#f-code", "W-1")
	b.fill("#f-plant", "M-1")
	b.fill("#f-sticks", "20")
	b.fill("#f-length_mm", "540")
	b.fill("#f-base_mm", "9.2")
	b.fill("#f-tip_mm", "5.8")
	b.fill("#f-internode_mm", "22")
	b.fill("#f-buds_per_piece", "2")
	b.press("Note the bundle")
	b.at("/wood/bundles/W-1")
	b.sees("80 pieces")
	check("bundle")

	b.goTo("/orders")
	b.fill("#f-code", "O-1")
	b.fill("#f-genus", "pear")
	b.fill("#f-variety", "Lanternjaw")
	b.fill("#f-stock_genus", "quince")
	b.fill("#f-stock_type", "Tarn Q3")
	b.fill("#f-trees", "40")
	b.day("#f-due_on", time.Date(2028, 2, 20, 0, 0, 0, 0, time.UTC))
	b.press("Take the order")
	b.sees("ready to match")
	check("orders")
	b.press("O-1")
	b.at("/orders/O-1")
	b.sees("interstem")
	check("order")
	b.press("Match stock and wood")
	b.at("/match/O-1")
	b.sees("can be paired")
	b.sees("not noted as seen true")
	check("match")
	b.press("Lay any two diameters")
	b.at("/match/union")
	b.fill("#stock", "12")
	b.fill("#scion", "13")
	b.press("Lay together")
	b.sees("wider than the stock")
	b.fill("#scion", "8,5")
	b.press("Lay together")
	b.sees("mm of cambium meets")
	check("union")
	b.goTo("/match/O-1")
	b.press("Make the batch")
	b.at("/bench/batches/")
	b.press("Make the tags")
	b.sees("Choose at least one worker")
	b.tick("Ansel")
	b.tick("Odile")
	b.press("Make the tags")
	b.sees("The batch is shared out")
	check("batch")
	b.press("Print the labels")
	b.is(`document.querySelectorAll('.label-tag .qr').length >= 4`)
	tag := b.text(".label-tag .code")
	b.sees("on Tarn Q3")
	check("labels")

	// The desk becomes a bench tablet, and a hand picks a name.
	b.goTo("/today")
	b.press("Maud")
	b.press("Open this device for the bench")
	b.at("/names")
	check("names")
	b.press("Ansel")
	b.fill("#pin", "2468")
	b.press("To the bench")
	b.at("/bench")
	check("bench")
	b.goTo("/bench/tags/" + tag)
	planned := value[int](b, `Number(document.querySelector('#card').dataset.planned)`)
	if keyboard {
		b.eval(`document.activeElement.blur()`)
		b.key(" ")
		b.key("f")
		b.key("w")
		b.key("s")
		b.key(kb.Backspace) // the spoiled stock was not
		b.key("d")
		b.key("a")
		b.key(kb.Backspace)
		b.key("k")
		b.key("b")
	} else {
		for _, tap := range []string{"tied", "spoiled wood", "spoiled stock", "undo", "dropped", "set aside", "undo", "wiped",
			"new blade"} {
			b.click(`[data-tap="` + tap + `"]`)
		}
		b.click(`[data-tap="tied"][data-n="5"]`)
	}
	b.is(`document.querySelector('#tied').innerText === '6'`)
	b.sees("1 wood spoiled · 1 dropped")
	b.is(`document.querySelector('#card').dataset.waits === '0'`)
	b.sees("All safe")
	check("card")
	for range planned - 6 {
		if keyboard {
			b.key(" ")
		} else {
			b.click(`.tap-one`)
		}
	}
	b.sees("0 to go")
	b.press("Finish this tag")
	b.sees("Finished.")
	b.is(`document.querySelector('#card').dataset.waits === '0'`)
	b.press("Count its takes")
	b.at("/heal/" + tag)
	b.sees("still to count")
	check("count")
	b.fill("#dead", "2")
	b.fill("#doubtful", "1")
	b.fill("#taken", "99")
	b.sees("more than stood")
	b.press("Save count")
	b.sees("Check the three numbers")
	b.fill("#taken", "0")
	b.press("rest")
	b.sees("All counted")
	b.press("Save count")
	b.sees("First count saved.")
	b.goTo("/heal")
	b.sees("Counted lately")
	check("heal")
	b.goTo("/results")
	b.sees("your own takes")

	b.press("Ansel")
	b.press("Sign out")
	b.at("/names")
	b.press("Close this device")
	b.at("/sign-in")
	check("sign-in")
	b.fill("#f-sign_in", "maud")
	b.fill("#f-password", "three blunt knives")
	b.press("Sign in")
	b.at("/today")
	b.goTo("/results")
	b.sees("By worker")
	for _, s := range []string{"Ansel", "whip and tongue", "L-1", "W-1"} {
		b.sees(s)
	}
	// A figure opens its working: which tags, which counts.
	b.press("As a table")
	if keyboard {
		b.tabTo(`document.activeElement.closest('td details.figure')`)
		b.key(kb.Enter)
	} else {
		b.click("td details.figure > summary")
	}
	b.sees("Grafts looked at")
	b.is(`document.querySelector('td details.figure[open] .working').innerText.includes(` + quoted(tag) + `)`)
	check("results")
	b.key(kb.Escape)
	b.is(`!document.querySelector('details.figure[open]')`)

	b.key("/")
	b.key(tag)
	b.is(`document.querySelector('#found a')`)
	b.key(kb.Enter)
	b.at("/trace/tag/" + tag)
	b.sees("Mother plant M-1")
	check("trace")
	b.goTo("/trace/bundle/W-1")
	b.sees(tag)
	b.key("1")
	b.at("/today")
	check("today")
}

func TestTheWholeWayByHand(t *testing.T) {
	t.Parallel()
	wholeWay(t, false)
}

func TestTheWholeWayByKeyboard(t *testing.T) {
	t.Parallel()
	wholeWay(t, true)
}
