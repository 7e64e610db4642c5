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
		{"grow", "/grow"}, {"pipeline", "/grow/years"}, {"results", "/results"},
		{"list", "/lists/tags?find=lanternjaw&sort=-tied&col=tag&col=variety&col=stock&col=worker&col=technique&col=planned&col=tied" +
			"&col=finished_at&col=first_taken&col=first_dead"}} {
		b.goTo(s[1])
		b.shot(dir, s[0])
	}
	// A table of the craft that is being changed, and an order that was put right.
	b.goTo("/correct/genus/pear")
	b.set("#f-logit_shift", "-1.2")
	b.press("See what it would change")
	b.sees("would stand otherwise")
	b.shot(dir, "table-changed")
	b.goTo("/correct/order/O-52")
	b.set("#f-trees", "110")
	b.set("#f-why", "they called again")
	b.press("Keep it so")
	b.at("/orders/O-52")
	b.goTo("/correct/order/O-52")
	b.shot(dir, "correction")
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
	empty := open(t, testhouse.Empty(t))
	empty.nursery.RunFrom(benchDay)
	code, err := empty.nursery.SetupCode(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	fresh := empty.browser(t, 1280, 800)
	fresh.goTo("/first")
	for _, f := range [][2]string{{"#f-code", code}, {"#f-house", "A new nursery"}, {"#f-name", "Maud Thirlby"}, {"#f-sign_in", "maud"},
		{"#f-password", "three blunt knives"}} {
		fresh.set(f[0], f[1])
	}
	fresh.press("Open the house")
	fresh.at("/today")
	fresh.goTo("/season/site?climate=inland&side=north")
	fresh.press("Set it so")
	fresh.sees("Set by")
	fresh.goTo("/today")
	fresh.shot(dir, "first-hour")
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
