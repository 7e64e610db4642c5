package web_test

import (
	"os"
	"testing"

	"github.com/chromedp/chromedp/kb"

	"unionknot/internal/store/storetest"
)

// TestShots refreshes docs/screenshots from the demo; make shots sets where.
func TestShots(t *testing.T) {
	dir := os.Getenv("UNIONKNOT_SHOTS")
	if dir == "" {
		t.Skip("make shots asks for pictures")
	}
	h := open(t, storetest.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	var live string
	if err := h.db.Get(&live, `select t.code from tag t join person p on p.id = t.worker_id where p.sign_in = 'ansel' and finished_at is null and started_at is not null limit 1`); err != nil {
		t.Fatal(err)
	}
	var due, batch string
	if err := h.db.Get(&due, `select t.code from tag t where finished_at is not null and not exists (select 1 from take_count c where c.tag_id = t.id) order by finished_at limit 1`); err != nil {
		t.Fatal(err)
	}
	if err := h.db.Get(&batch, `select b.code from batch b join tag t on t.batch_id = b.id where t.code = $1`, live); err != nil {
		t.Fatal(err)
	}
	for _, s := range [][2]string{{"today", "/today"}, {"orders", "/orders"}, {"stock", "/stock"}, {"lot", "/stock/lots/L-188"}, {"caliper", "/stock/lots/L-188/caliper"}, {"wood", "/wood"}, {"store", "/wood/store"}, {"collect", "/wood/collect"},
		{"programme", "/match/programme"}, {"match", "/match/O-48"}, {"union", "/match/union?kind=whip-and-tongue&stock=9.5&scion=7.8"}, {"batch", "/bench/batches/" + batch}, {"bench-card", "/bench/tags/" + live},
		{"heal", "/heal"}, {"results", "/results"}, {"trace", "/trace/tag/" + live}, {"house", "/house"}} {
		b.goTo(s[1])
		if s[0] == "caliper" {
			b.is(`document.activeElement.id === 'mm'`)
			b.key("7.2" + kb.Enter + "7,4" + kb.Enter + "6.9" + kb.Enter + "7.7" + kb.Enter)
			b.is(`document.querySelectorAll('.caliper-last li.safe').length === 4`)
		}
		b.shot(dir, s[0])
	}
	phone := h.browser(t, 390, 844)
	phone.signIn("maud")
	phone.goTo("/bench/tags/" + live)
	phone.shot(dir, "bench-card-phone")
	phone.goTo("/heal/" + due)
	phone.shot(dir, "count-phone")
}
