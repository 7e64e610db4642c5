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
		{"programme", "/match/programme"}, {"match", "/match/O-48"},
		{"bench-card", "/bench/tags/" + live},
		{"grow", "/grow"}, {"tree", "/trees/T-7"}, {"flowers", "/flowers?genus=pear"}, {"rehearsal", "/orders/rehearsal?wait=1"}, {"results", "/results"}} {
		b.goTo(s[1])
		b.shot(dir, s[0])
	}
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
	phone.goTo("/grow/walk#long field, row 14")
	phone.sees("row 14")
	phone.shot(dir, "walk-phone")
	phone.goTo("/trees/T-7")
	phone.shot(dir, "tree-phone")
}
