package web_test

import (
	"os"
	"testing"

	"unionknot/internal/testhouse"
)

// TestShots refreshes docs/screenshots from the demo; make shots sets where.
func TestShots(t *testing.T) {
	dir := os.Getenv("UNIONKNOT_SHOTS")
	if dir == "" {
		t.Skip("make shots asks for pictures")
	}
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	var live string
	if err := h.db.Get(&live,
		`select t.code from tag t join person p on p.id = t.worker_id where p.sign_in = 'ansel' and finished_at is null and started_at is not null limit 1`); err != nil {
		t.Fatal(err)
	}
	for _, s := range [][2]string{{"today", "/today"}, {"orders", "/orders"}, {"order", "/orders/O-55"}, {"lot", "/stock/lots/L-188"},
		{"season", "/season/pome"},
		{"programme", "/match/programme"}, {"match", "/match/O-48"}, {"union", "/match/union?kind=whip-and-tongue&stock=9.5&scion=7.8"},
		{"bench-card", "/bench/tags/" + live},
		{"grow", "/grow"}, {"rehearsal", "/orders/rehearsal?wait=1"}, {"results", "/results"}} {
		b.goTo(s[1])
		b.shot(dir, s[0])
	}
	// A table of the craft that is being changed.
	b.goTo("/correct/genus/pear")
	b.set("#f-logit_shift", "-1.2")
	b.press("See what it would change")
	b.sees("would stand otherwise")
	b.shot(dir, "table-changed")
	// Somebody's own page, what unions come to, and a recall.
	b.goTo("/results/worker/" + h.one(t, `select id::text from person where sign_in = 'odile'`))
	b.shot(dir, "worker")
	b.goTo("/results")
	b.eval(`document.querySelector('#cost').scrollIntoView()`)
	b.shot(dir, "cost")
	b.goTo("/recall?kind=lot&key=L-201")
	b.shot(dir, "recall")
	// The days, once everything is woven and planned.
	b.goTo("/match/programme")
	b.press("Make all the batches")
	b.at("/bench")
	b.goTo("/bench/days")
	b.press("Plan the days")
	b.sees("are planned")
	b.goTo("/bench/days")
	b.shot(dir, "days")
	phone := h.browser(t, 390, 844)
	phone.signIn("maud")
	phone.goTo("/grow/walk#row 14")
	phone.sees("row 14")
	phone.shot(dir, "walk-phone")
	// The card on a tablet with the server gone.
	h, p, b := tabletOf(t, "Ansel Roke")
	p.off.Store(true)
	b.goTo("/bench/tags/" + h.mineOf(t, "ansel"))
	for range 3 {
		b.click(".tap-one")
	}
	b.sees("3 taps wait on this device")
	b.shot(dir, "card-without-a-line")
}
