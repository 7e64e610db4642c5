package web_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
	"unionknot/internal/words"
)

// standing is an order as one page has it.
type standing struct{ Code, ToGo, Says string }

// read reads rows of a table by the places of an order's code, its grafts to go and
// how it stands, from the end where below zero. Workings that are folded away are
// not read.
func (b *browser) read(table string, code, toGo, says int) map[string]standing {
	b.t.Helper()
	b.is(`document.querySelector('h1')`)
	own := `((c) => (c.querySelector('summary') || c.querySelector('a b, a') || c).innerText.trim().split('\n')[0])`
	rows := value[[]standing](b, fmt.Sprintf(`[...document.querySelectorAll(%q)].map((r) => [...r.children]).map((c) => ({
		Code: c.at(%d).querySelector('a').innerText.trim(), ToGo: %s(c.at(%d)), Says: c.at(%d).innerText.trim().replace(/\s+/g, ' ')}))`,
		table, code, own, toGo, says))
	out := map[string]standing{}
	for _, r := range rows {
		out[r.Code] = r
	}
	return out
}

// seasoned is a season that is driven by clicks, with a nature that is drawn.
type seasoned struct {
	*browser
	h *house
	r *rand.Rand
}

// on lets the house's day begin.
func (s *seasoned) on(month time.Month, day int) {
	s.h.nursery.RunFrom(time.Date(2027, month, day, 9, 0, 0, 0, time.Local))
}

// agree holds the pages and the database to each other: what is to go and how an
// order stands on Orders, its own page, Match, Bench and Today; what was counted; and that
// every stem and piece is in one account, none below zero.
func (s *seasoned) agree() map[string]standing {
	s.t.Helper()
	s.goTo("/orders")
	orders := s.read("table.orders > tbody > tr", 0, 5, -1)
	parts := value[map[string]string](s.browser, `Object.fromEntries([...document.querySelectorAll('table.orders > tbody > tr')].map((r) =>
		[r.children[0].innerText.trim(), r.children[4].innerText.trim()]))`)
	s.goTo("/match")
	match := s.read("main > .scroll > table > tbody > tr", 0, 2, 5)
	s.goTo("/today")
	today := s.read("aside > table > tbody > tr", 0, 1, 2)
	s.goTo("/bench")
	bench := value[map[string]string](s.browser, `Object.fromEntries([...document.querySelectorAll('main table')].filter((t) =>
		/The order stands/.test(t.tHead.innerText)).flatMap((t) => [...t.tBodies[0].rows]).map((r) => [r.cells[2].innerText.trim(),
		r.cells[8].innerText.trim().replace(/\s+/g, ' ')]))`)
	for code, says := range bench {
		assert.Equal(s.t, orders[code].Says, says, "how %s stands, Orders and Bench", code)
	}
	for code, o := range orders {
		open := o.ToGo != "0"
		for where, page := range map[string]map[string]standing{"Match": match, "Today": today} {
			p, there := page[code]
			require.Equal(s.t, open, there, "%s has %s to go on Orders; %s", code, o.ToGo, where)
			if there {
				assert.Equal(s.t, o.ToGo, p.ToGo, "%s to go, Orders and %s", code, where)
				assert.Equal(s.t, o.Says, p.Says, "how %s stands, Orders and %s", code, where)
			}
		}
		s.goTo("/orders/" + code)
		if open {
			s.sees(o.ToGo + " grafts")
		} else {
			s.is(`/No more grafts|The order is met/.test(document.body.innerText)`)
		}
		s.is(`document.querySelector('#need').innerText.includes(` + quoted(strings.TrimSpace(o.Says)) + `)`)
		var alive, doubtful, dead int
		require.NoError(s.t, s.h.db.QueryRow(`select coalesce(sum(c.taken), 0), coalesce(sum(c.doubtful), 0), coalesce(sum(t.lost), 0)
			from orders o join batch b on b.order_id = o.id join graded_tag t on t.batch_id = b.id join take_count c on c.id = t.look_id
			where o.code = $1`, code).Scan(&alive, &doubtful, &dead))
		for n, word := range map[int]string{alive: "alive", dead: "lost"} {
			if n > 0 {
				assert.Contains(s.t, parts[code], fmt.Sprintf("%d %s", n, word), "order %s", code)
			}
		}
	}
	assert.Equal(s.t, "0", s.h.one(s.t, `select count(*)::text from (select 1 from stock_lot l where l.received <> (select
		coalesce(sum(case when to_account <> 'outside' then n else 0 end) - sum(case when from_account <> 'outside' then n else 0 end), 0)
		+ coalesce(sum(n) filter (where to_account = 'outside'), 0) from stock_ledger g where g.lot_id = l.id)) x`),
		"every stem received is somewhere")
	for _, q := range []string{
		`select count(*)::text from stock_balance where n < 0`, `select count(*)::text from wood_balance where n < 0`,
		`select abs(coalesce((select sum(tied) from tag where finished_at is not null), 0) - coalesce((select sum(case when to_account =
			'grafted' then n else -n end) from stock_ledger where tag_id is not null and (to_account = 'grafted' or from_account =
			'grafted')), 0))::text`,
		`select abs(coalesce((select sum(tied) from tag where finished_at is not null), 0) - coalesce((select sum(case when to_account =
			'grafted' then n else -n end) from wood_ledger where tag_id is not null and (to_account = 'grafted' or from_account =
			'grafted')), 0))::text`,
		`select count(*)::text from tag t where t.tied > t.planned`,
		`select count(*)::text from batch b where b.tagged > b.grafts`,
	} {
		assert.Equal(s.t, "0", s.h.one(s.t, q), q)
	}
	s.clean()
	return orders
}

// toGo is what an order has to go.
func toGo(t testing.TB, orders map[string]standing, code string) int {
	t.Helper()
	n, err := strconv.Atoi(strings.ReplaceAll(orders[code].ToGo, ",", ""))
	require.NoError(t, err, "%+v", orders)
	return n
}

// batch weaves an order, makes the batch, and shares it out among two workers.
func (s *seasoned) batch(order string) {
	s.t.Helper()
	s.goTo("/match/" + order)
	s.sees("can be paired")
	s.press("Make the batch")
	s.at("/bench/batches/")
	s.tick("Ansel")
	s.tick("Odile")
	s.press("Make the tags")
	s.sees("The batch is shared out")
}

// graft keys the sheet of a day in: most tags whole, some a few short, some with
// spoiled wood and stock.
func (s *seasoned) graft(day string) (tied int) {
	s.t.Helper()
	s.goTo("/bench/day/" + day)
	s.press("Key the sheet in")
	s.at("/bench/day/" + day + "/key")
	rows := value[[][2]string](s.browser, `[...document.querySelectorAll('.keyform tbody tr')].filter((r) => r
		.querySelector('input[name=code]')).map((r) =>
		[r.querySelector('input[name=code]').value, r.children[3].innerText.trim()])`)
	require.NotEmpty(s.t, rows)
	for _, x := range rows {
		planned, err := strconv.Atoi(x[1])
		require.NoError(s.t, err)
		short := 0
		if s.r.IntN(3) == 0 {
			short = min(planned-1, 1+s.r.IntN(3))
		}
		tied += planned - short
		s.fill("#tied-"+x[0], strconv.Itoa(planned-short))
		if short > 0 && s.r.IntN(2) == 0 {
			s.fill("#stock-"+x[0], "1")
		}
		s.click("#finish-" + x[0])
	}
	s.press("Keep the sheet")
	s.sees(fmt.Sprintf("The sheet is kept: %d tags", len(rows)))
	return tied
}

// counts counts every tag that waits, each graft living by its chance.
func (s *seasoned) counts(look string, chance float64) (alive, dead int) {
	s.t.Helper()
	s.goTo("/heal")
	codes := value[[]string](s.browser, `[...document.querySelectorAll('input[name="tag"][type=checkbox]')].map((i) => i.value)`)
	if look == "end of season" {
		codes = value[[]string](s.browser, `[...document.querySelectorAll('main > .scroll tbody a')].map((a) => a.innerText.trim())`)
	}
	require.NotEmpty(s.t, codes)
	for _, code := range codes {
		s.goTo("/heal/" + code)
		if look == "end of season" {
			s.press("end of season")
			s.is(`location.search.includes('look=')`)
		}
		tied := value[int](s.browser, `Number(document.querySelector('[x-data=count]').dataset.tied)`)
		n := 0
		for range tied {
			if s.r.Float64() < chance {
				n++
			}
		}
		s.fill("#taken", strconv.Itoa(n))
		s.fill("#dead", strconv.Itoa(tied-n))
		s.press("Save count")
		s.sees(words.CountNames[look] + " saved.")
		alive, dead = alive+n, dead+tied-n
	}
	return alive, dead
}

// TestTheWholeSeasonByClicks drives a season from an empty nursery to the final
// counts, by clicking and typing alone, with a nature that is drawn from a seed.
// After each day Orders, an order's page, Match, Today and the database agree;
// nothing is spent twice; and what died is asked for again.
func TestTheWholeSeasonByClicks(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Empty(t))
	s := &seasoned{h.browser(t, 1280, 900), h, rand.New(rand.NewPCG(2027, 12))}
	s.on(time.January, 14)
	code, err := h.nursery.SetupCode(context.Background())
	require.NoError(t, err)
	s.goTo("/")
	for field, text := range map[string]string{"code": code, "house": "Test Holm", "name": "Maud", "sign_in": "maud",
		"password": "three blunt knives"} {
		s.fill("#f-"+field, text)
	}
	s.press("Open the house")
	s.at("/today")
	for _, name := range []string{"Ansel", "Odile"} {
		s.goTo("/house")
		s.press("Take somebody on")
		for field, text := range map[string]string{"name": name, "sign_in": strings.ToLower(name), "pin": "2468"} {
			s.fill("#f-"+field, text)
		}
		s.press("Take on")
		s.sees(name + " is taken on")
	}
	s.agree()

	// Stock comes, and is measured.
	s.goTo("/stock")
	for field, text := range map[string]string{"code": "L-1", "genus": "quince", "stock_type": "Tarn Q3", "received": "260"} {
		s.fill("#f-"+field, text)
	}
	s.press("Take it in")
	s.at("/stock/lots/L-1")
	var mm []string
	for range 40 {
		mm = append(mm, fmt.Sprintf("%.1f", 9+0.9*s.r.NormFloat64()))
	}
	s.fill("#mm", strings.Join(mm, " ")+kb.Enter)
	s.sees("40 readings are kept")

	// Orders, and the wood that they lack: printed, cut, keyed in from the last label.
	for i, v := range []string{"Lanternjaw", "Slow Hare"} {
		s.goTo("/wood")
		if i > 0 {
			s.press("Note a mother plant")
		}
		for field, text := range map[string]string{"code": fmt.Sprintf("M-%d", i+1), "genus": "pear", "variety": v, "planted_year": "2009",
			"seen_true_by": "Maud"} {
			s.fill("#f-plant-"+field, text)
		}
		s.day("#f-plant-seen_true_on", time.Date(2026, 9, 1, 0, 0, 0, 0, time.UTC))
		s.press("Note the plant")
		s.sees("is noted")
		s.goTo("/orders")
		if i > 0 {
			s.press("Add an order")
		}
		for field, text := range map[string]string{"code": fmt.Sprintf("O-%d", i+1), "genus": "pear", "variety": v, "stock_genus": "quince",
			"stock_type": "Tarn Q3", "trees": strconv.Itoa(50 - 20*i)} {
			s.fill("#f-"+field, text)
		}
		s.day("#f-due_on", time.Date(2028, 3, 1, 0, 0, 0, 0, time.UTC))
		s.press("Take the order")
		s.sees("is taken")
	}
	before := s.agree()
	assert.Contains(t, before["O-1"].Says, "no wood")
	s.on(time.January, 16)
	s.goTo("/wood/collect")
	s.press("Labels")
	s.at("/wood/collect/labels")
	labels := value[[]string](s.browser, `[...document.querySelectorAll('.label-tag .code')].map((c) => c.innerText.trim())`)
	require.Len(t, labels, 4, "two of each of two plants")
	for _, l := range []string{labels[2], labels[0]} {
		s.goTo("/wood/collect")
		s.fill("#label", l)
		s.press("Key it in")
		s.is(`document.querySelector('details[open] input[name="code"]')`)
		for field, text := range map[string]string{"length_mm": "300", "base_mm": "8.4", "tip_mm": "7", "internode_mm": "22",
			"sticks":         "40",
			"buds_per_piece": "2"} {
			s.fill(`details[open] input[name="`+field+`"]`, text)
		}
		s.press("It is cut")
		s.sees("Bundle " + l + " is in")
	}
	ready := s.agree()
	assert.Contains(t, ready["O-1"].Says, "ready to match")

	// A look finds the roots sour: nothing is ready until they are seen firm again.
	s.on(time.February, 22)
	look := func(ready string) {
		s.goTo("/stock/lots/L-1")
		s.press("Note a look")
		s.set("#f-ready", ready)
		s.press("Note it")
		s.sees("The look is noted: " + ready)
	}
	look("not ready")
	sour := s.agree()
	assert.Contains(t, sour["O-1"].Says, "no stock")
	s.on(time.February, 23)
	look("ready")
	assert.Contains(t, s.agree()["O-1"].Says, "ready to match")

	// The bench, short here and there.
	want := toGo(t, ready, "O-1") + toGo(t, ready, "O-2")
	s.batch("O-1")
	s.agree()
	s.batch("O-2")
	made := s.agree()
	tied := s.graft("2027-02-23")
	assert.LessOrEqual(t, tied, want)
	short := s.agree()
	assert.Greater(t, toGo(t, short, "O-1")+toGo(t, short, "O-2"), toGo(t, made, "O-1")+toGo(t, made, "O-2"), "what was not tied is to go")

	// A bad spring: what died is asked for again, to the graft.
	s.on(time.March, 26)
	alive, dead := s.counts("first look", 0.7)
	assert.Equal(t, tied, alive+dead)
	lost := s.agree()
	assert.Greater(t, toGo(t, lost, "O-1"), toGo(t, short, "O-1"))
	s.goTo("/today")
	s.sees("counts, dead tags or short finishes ask for")
	s.batch("O-1")
	s.batch("O-2")
	s.agree()
	again := s.graft("2027-03-26")
	s.agree()

	// Stocks whose graft failed come back, and wait: they are not woven today.
	s.goTo("/stock/lots/L-1")
	s.eval(`document.querySelectorAll('details.add').forEach((d) => { d.open = true })`)
	s.sees("until then they wait")
	s.sees("That is in ")
	s.sees("sticks a season, from " + h.one(t, `select p.code from tag t join take_count c on c.id = t.look_id and c.dead > 0
		join wood_bundle b on b.id = t.bundle_id join mother_plant p on p.id = b.plant_id join stock_lot l on l.id = t.lot_id
		join variety v on v.id = p.variety_id where l.code = 'L-1' order by v.name, p.code limit 1`))
	s.fill("#f-back", "5")
	s.fill("#f-new_code", "L-1-F")
	s.press("Make them a lot")
	s.sees("5 stocks are a lot of their own now")
	s.goTo("/stock/lots/L-1-F")
	s.sees("Waits for its second chance until")
	s.agree()

	s.on(time.April, 30)
	more, _ := s.counts("first look", 0.93)
	assert.LessOrEqual(t, more, again)
	s.agree()

	// The season's end: fewer, and a look that finds more than lived is asked about.
	s.on(time.October, 12)
	first := h.one(t, `select code from tag where first_id is not null order by id limit 1`)
	s.goTo("/heal/" + first + "?look=end+of+season")
	s.fill("#taken", h.one(t, `select tied::text from tag where code = '`+first+`'`))
	s.press("Save count")
	s.sees("counted dead then are alive")
	assert.Equal(t, "0", h.one(t, `select count(*)::text from take_count where look = 'end of season'`))
	left, _ := s.counts("end of season", 0.97)
	final := s.agree()
	stands, err := strconv.Atoi(h.one(t, `select sum(c.taken)::text from tag t join take_count c on c.id = t.look_id`))
	require.NoError(t, err)
	assert.Equal(t, left, stands)
	for code, o := range final {
		assert.Regexp(t, regexp.MustCompile(`met|all grafted|no stock|no wood|short|ready|lacks`), o.Says, code)
	}
	s.goTo("/results?look=later")
	s.sees("of")
	s.axe("results of the season's end")
	s.clean()
}
