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
		`select t.code from tag t join person p on p.id = t.worker_id where p.sign_in = 'ansel' and finished_at is null and started_at is
			not null limit 1`); err != nil {
		t.Fatal(err)
	}
	for _, s := range [][2]string{{"today", "/today"}, {"orders", "/orders"}, {"lot", "/stock/lots/L-188"},
		{"season", "/season/pome"},
		{"programme", "/match/programme"}, {"match", "/match/O-48"},
		{"bench-card", "/bench/tags/" + live},
		{"grow", "/grow"}, {"tree", "/trees/T-7"}, {"flowers", "/flowers?genus=pear"}, {"rehearsal", "/orders/rehearsal?wait=1"},
		{"results", "/results"},
		{"rows", "/rows"}, {"practice", "/practice?union=7&laid=0.9&of=" + h.one(t, `select id::text from person where sign_in =
			'tamsin'`)},
		{"pair-tag", "/bench/tags/" + h.one(t, `select code from tag where tier_id is not null and started_at is null limit 1`)}} {
		b.goTo(s[1])
		b.shot(dir, s[0])
	}
	// A class's board, on the desk and on a phone.
	b.goTo("/classes/K-1")
	b.click(`.seat[data-place="4"]`)
	b.is(`!document.getElementById('v-buttons').hidden`)
	b.eval(`scrollTo(0, 0)`)
	b.shot(dir, "class")
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
	phone.goTo("/grow/walk#long field, row 14")
	phone.sees("row 14")
	phone.shot(dir, "walk-phone")
	phone.goTo("/classes/K-1")
	phone.click(`.seat[data-place="4"]`)
	phone.is(`!document.getElementById('v-buttons').hidden`)
	phone.shot(dir, "class-phone")
}
