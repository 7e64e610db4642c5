package demo

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"

	"unionknot/internal/core/pace"
	"unionknot/internal/core/tagcode"
)

// mix is a variety on a stock that past seasons grafted, with its technique.
type mix struct {
	genus, variety, stockGenus, stock, technique string
	logit                                        float64
}

var mixes = []mix{
	{
		"pear",
		"Lanternjaw",
		"quince",
		"Tarn Q3",
		"whip-and-tongue",
		2.3,
	}, {"pear", "Grey Ferryman", "pear", "Wether Seedling", "whip-and-tongue", 2.2},
	{
		"pear",
		"Copperpot",
		"quince",
		"Tarn Q3",
		"off-centre-cleft",
		1.8,
	}, {"quince", "Slow Hare", "quince", "Keld QA", "whip-and-tongue", 2.4},
	{
		"medlar",
		"Dowager's Bun",
		"hawthorn",
		"quickthorn",
		"cleft-one-side",
		1.7,
	}, {"chestnut", "Brindle Cob", "chestnut", "Grike Clone 4", "whip-and-tongue", 1.0},
	{
		"maple",
		"Ferry Lace",
		"maple",
		"green seedling",
		"side-veneer",
		1.1,
	}, {"wisteria", "Long Evensong", "wisteria", "seedling", "splice", 0.8},
	{"rose", "Tinker's Supper", "rose", "Whin Laxa", "t-bud", 2.2}, {"pear", "Copperpot", "pear", "Wether Seedling", "chip-bud", 2.0},
}

// table gathers rows to be copied into the database in one go.
type table struct {
	name    string
	columns []string
	rows    [][]any
}

func (t *table) add(v ...any) { t.rows = append(t.rows, v) }

// history is two past seasons as rows. Its grafts are keyed from paper sheets,
// one tally a tag.
type history struct {
	second                                                  *rand.Rand // of second buds, so that nothing else comes out otherwise
	m                                                       *maker
	lots, plants, bundles, orders, batches, threads         table
	tags, tagThreads, tallies, counts, causes, stockM, wood table
	gone, steps                                             table
	lotID, plantID, bundleID, orderID, batchID, tagID       int64
	varieties, stocks                                       map[string]int64
	used                                                    map[string]bool
	plantOf                                                 map[int]int64 // by mix
}

func (m *maker) past(scale int) error {
	h := &history{m: m, second: rand.New(rand.NewPCG(2, 2)), used: map[string]bool{}, plantOf: map[int]int64{},
		varieties: map[string]int64{}, stocks: map[string]int64{},
		lots: table{
			name:    "any_lot",
			columns: words("id code stock_type_id supplier received_on form place received grade_low_mm grade_high_mm made_at"),
		},
		plants: table{name: "any_plant", columns: words("id code variety_id place seen_true_by seen_true_on made_at")},
		bundles: table{
			name: "any_bundle",
			columns: words(
				"id code plant_id cut_on state sticks length_mm base_mm tip_mm internode_mm buds_per_piece usable pieces place made_at",
			),
		},
		orders:  table{name: "orders", columns: words("id code variety_id stock_type_id trees due_on priority buyer made_at closed_on")},
		batches: table{name: "batch", columns: words("id code order_id tie healing grafts person_id made_at")},
		threads: table{name: "batch_thread", columns: words("batch_id lot_id stock_mm bundle_id wood_mm technique n buds")},
		tags: table{
			name: "any_tag",
			columns: words(
				"id code batch_id lot_id bundle_id technique worker_id day planned started_at finished_at heal_place tied since_wipe " +
					"stock_low stock_high wood_low wood_high mismatch pace_hours buds tier_id",
			),
		},
		tagThreads: table{name: "tag_thread", columns: words("tag_id stock_mm wood_mm n")},
		tallies:    table{name: "tap", columns: words("id tag_id person_id kind n at received_at")},
		counts:     table{name: "take_count", columns: words("id tag_id look counted_on taken doubtful dead person_id at buds both_live")},
		causes:     table{name: "count_cause", columns: words("count_id cause n")},
		gone:       table{name: "tree_move", columns: words("act tag_id what n look buyer on_day person_id at")},
		steps:      table{name: "step_done", columns: words("act tag_id knot n on_day late_days trees person_id at")},
		stockM: table{
			name:    "stock_ledger",
			columns: words("lot_id n from_account to_account mm reason note batch_id tag_id person_id at"),
		},
		wood: table{
			name:    "wood_ledger",
			columns: words("bundle_id n from_account to_account mm reason note batch_id tag_id person_id at"),
		},
	}
	q := m.db.Q()
	for _, x := range mixes {
		v, err := q.VarietyFor(m.ctx, x.variety, x.genus)
		if err != nil {
			return err
		}
		s, err := q.StockTypeFor(m.ctx, x.stock, x.stockGenus)
		if err != nil {
			return err
		}
		h.varieties[x.variety], h.stocks[x.stockGenus+x.stock] = v, s
	}
	for _, year := range []int{2025, 2026} {
		for k := range scale {
			for i, x := range mixes {
				h.season(year, k, i, x)
			}
		}
	}
	return h.write()
}

// code gives each tag and batch a code of its own.
func (h *history) code() string {
	for {
		if c := tagcode.New(h.m.r); !h.used[c] {
			h.used[c] = true
			return c
		}
	}
}

func words(s string) []string { return strings.Fields(s) }

// season grafts one mix in one past season: a lot, a plant, two bundles, an
// order, and a batch of about six tags.
func (h *history) season(year, copy, i int, x mix) {
	m := h.m
	suffix := fmt.Sprintf("%d-%d", year%100, i+1)
	if copy > 0 {
		suffix += fmt.Sprintf("-%d", copy)
	}
	day := time.Date(year, time.January, 28+copy%20, 8, 0, 0, 0, time.Local).AddDate(0, 0, 3*i)
	if x.technique == "t-bud" {
		day = time.Date(year, time.August, 8+copy%10, 8, 0, 0, 0, time.Local)
	}
	maud := m.ids["maud"]
	h.lotID++
	h.orderID++
	h.batchID++
	lot, batch := h.lotID, h.batchID
	stems := 170
	form, place, healing := "bare-root", fmt.Sprint("row ", 3+i), "cold callus"
	if x.technique == "t-bud" {
		form, place, healing = "in the row", "row 14", "in the row"
	}
	h.lots.add(
		lot,
		"P"+suffix,
		h.stocks[x.stockGenus+x.stock],
		"Holm Layers",
		day.AddDate(0, 0, -14),
		form,
		place,
		stems,
		7.0,
		10.0,
		day.AddDate(0, 0, -14),
	)
	h.stockM.add(lot, stems, "outside", "free", nil, "received", "", nil, nil, maud, day.AddDate(0, 0, -14))
	// A mother plant stands for many years: more batches are cut of the same ones.
	plant, stands := h.plantOf[i]
	if !stands {
		h.plantID++
		plant = h.plantID
		h.plantOf[i] = plant
		h.plants.add(
			plant,
			"PM"+suffix,
			h.varieties[x.variety],
			"old row 4",
			"Maud Thirlby",
			time.Date(2023, 9, 10, 0, 0, 0, 0, time.UTC),
			day.AddDate(0, -2, 0),
		)
	}
	h.orders.add(
		h.orderID,
		"PO"+suffix,
		h.varieties[x.variety],
		h.stocks[x.stockGenus+x.stock],
		110,
		day.AddDate(0, 6, 0),
		2,
		yardGate,
		day.AddDate(0, -1, 0),
		day.AddDate(0, 6, 0),
	)
	grafts, each := 0, 1
	if year == 2026 && x.technique == "t-bud" {
		each = 2 // stock was dear that summer
	}
	// The trouble: one weak lot, a warm week in the store, a learner, and a
	// hand and a lot that always went together.
	lotEffect := 0.35 * m.r.NormFloat64()
	if year == 2025 && i == 4 {
		lotEffect = -1.6
	}
	hands := []string{"ansel", "odile", "pim", "tamsin", "maud"}
	if year == 2026 && i == 3 {
		hands = []string{"pim"}
	}
	var tagsOfBatch [][]any
	for b := range 2 {
		h.bundleID++
		bundle := h.bundleID
		pieces, buds, state := 90, 3, "resting"
		switch x.technique {
		case "chip-bud":
			buds = 1
		case "t-bud":
			buds, state = 1, "ripe green"
		}
		cut := day.AddDate(0, 0, -18-4*b)
		if state != "resting" {
			cut = day.AddDate(0, 0, -b)
		}
		h.bundles.add(
			bundle,
			fmt.Sprintf("PW%s-%d", suffix, b+1),
			plant,
			cut,
			state,
			30,
			540.0,
			9.2,
			5.8,
			22.0,
			buds,
			"lower half",
			pieces*each,
			"cold store 1",
			cut,
		)
		h.wood.add(bundle, pieces*each, "outside", "free", nil, "cut", "", nil, nil, maud, cut)
		wood := 0.25 * m.r.NormFloat64()
		if year == 2026 && state == "resting" && i > 3 {
			wood -= 0.8 // the warm week in the store
		}
		left := pieces
		for t := range 3 {
			h.tagID++
			who := hands[(t+b*3+i)%len(hands)]
			n := 20 + m.r.IntN(6)
			if who == "tamsin" {
				n = 12 + m.r.IntN(6)
			}
			grafts += n
			left -= n
			effect := effectOf(who)
			if who == "tamsin" && year == 2026 {
				effect += 0.6 // she is learning
			}
			share := 1 / (1 + math.Exp(-(x.logit + lotEffect + wood + effect + 0.2*m.r.NormFloat64())))
			begun := day.AddDate(0, 0, b).Add(time.Duration(t) * 75 * time.Minute)
			done := begun.Add(40 * time.Minute)
			mm, wm := 8.75+float64(m.r.IntN(3))*0.5, 7.75+float64(m.r.IntN(2))*0.5
			hours := pace.Hours(n, begun, done)
			var tier any // who bound what they cut
			if year == 2026 && x.technique == "whip-and-tongue" && (who == "ansel" || who == "odile") && t < 2 {
				tier, hours = m.ids["tamsin"], hours*pairedHours
			}
			h.tags.add(h.tagID, h.code(), batch, lot, bundle, x.technique, m.ids[who], day.AddDate(0, 0, b), n, begun, done, place,
				n, n, mm-0.25, mm+0.25, wm-0.25, wm+0.25, math.Abs(1-wm/mm), hours, each, tier)
			h.tagThreads.add(h.tagID, mm, wm, n)
			tagsOfBatch = append(tagsOfBatch, []any{batch, lot, mm, bundle, wm, x.technique, n, each})
			h.tallies.add(m.uuid(), h.tagID, m.ids[who], "tied", n, begun.Add(35*time.Minute), done)
			h.tallies.add(m.uuid(), h.tagID, m.ids[who], "finish", 1, done, done)
			h.stockM.add(lot, n, "free", "aside", mm, "set aside", "", batch, nil, maud, day)
			h.stockM.add(lot, n, "aside", "grafted", mm, "grafted", "", batch, h.tagID, m.ids[who], done)
			h.wood.add(bundle, n*each, "free", "aside", wm, "set aside", "", batch, nil, maud, day)
			h.wood.add(bundle, n*each, "aside", "grafted", wm, "grafted", "", batch, h.tagID, m.ids[who], done)
			h.count(h.tagID, n, each, x.technique, share, done.AddDate(0, 0, 30), h.lifeOf(year, copy, i, x.technique))
		}
		h.wood.add(bundle, left*each, "free", "spoiled", nil, "by hand", "thrown out at the season's end", nil, nil, maud, day.AddDate(0,
			3, 0))
	}
	h.stockM.add(lot, stems-grafts, "free", "outside", nil, "by hand", "sold on at the season's end", nil, nil, maud, day.AddDate(0, 3, 0))
	h.batches.add(batch, h.code(), h.orderID, map[bool]string{true: "rubber", false: "film"}[x.technique == "t-bud"], healing, grafts,
		maud, day)
	merged := map[string]int{}
	for _, r := range tagsOfBatch {
		key := fmt.Sprint(r[:6]...)
		if at, ok := merged[key]; ok {
			h.threads.rows[at][6] = h.threads.rows[at][6].(int) + r[6].(int)
			continue
		}
		merged[key] = len(h.threads.rows)
		h.threads.add(r...)
	}
}

// pairedHours is what a cutter and a tier take of the hours of one alone.
const pairedHours = 0.58

func effectOf(signIn string) float64 {
	for _, p := range people {
		if p.signIn == signIn {
			return p.logit
		}
	}
	return 0
}

// count looks at a past tag of n stocks with so many buds each twice: four weeks on,
// and at the season's end.
func (h *history) count(tag int64, n, each int, technique string, share float64, on time.Time, after life) {
	m := h.m
	taken, doubtful, both := 0, 0, 0
	for range n {
		switch x := m.r.Float64(); {
		case x < share:
			taken++
		case x < share+0.03:
			doubtful++
		}
	}
	// A second bud lives or fails beside the first: on some stocks both live, and
	// some are saved by it.
	saved := 0
	for i := range n {
		switch lives := each > 1 && h.second.Float64() < share; {
		case lives && i < taken:
			both++
		case lives && i >= taken+doubtful:
			saved++
		}
	}
	first := m.uuid()
	h.counts.add(first, tag, "first look", on, taken+saved, doubtful, n-taken-doubtful-saved, m.ids["maud"], on, each, both)
	late := 0
	for range doubtful {
		late += m.r.IntN(2)
	}
	last, end := m.uuid(), on.AddDate(0, 6, 0)
	if after == asleep { // its season's end is still to come
		for range dead0(n, taken, late) {
			m.r.IntN(6)
			m.r.IntN(6)
		}
		h.nurse(tag, taken+saved+doubtful, on)
		return
	}
	dead := n - taken - late
	h.counts.add(last, tag, "end of season", end, taken+saved+late, 0, doubtful-late, m.ids["maud"], end, each, both)
	causes := []string{"dried out", "cambium missed", "wood weak or old in store", "stock died", "tie came loose", "not known"}
	by := map[string]map[string]int{first: {}, last: {}} // each count has the causes of what it found dead
	for i := range dead {
		count := first
		if i >= n-taken-doubtful {
			count = last
		}
		if k := causes[min(m.r.IntN(6), m.r.IntN(6))]; i >= saved {
			by[count][k]++
		}
	}
	for _, count := range []string{first, last} {
		for _, c := range causes {
			if by[count][c] > 0 {
				h.causes.add(count, c, by[count][c])
			}
		}
	}
	if after == stands {
		h.raise(tag, taken+saved+late, on, technique)
	}
	if alive := taken + saved + late; after == sold && alive > 0 {
		at := end.AddDate(0, 3, 0)
		below := (alive + 10) / 25 // about one in twenty-five is sorted out
		if below > 0 {
			h.gone.add(h.secondID(), tag, "below", below, "end of season", "", at, m.ids["maud"], at)
		}
		h.gone.add(h.secondID(), tag, "sold", alive-below, "end of season", yardGate, at, m.ids["maud"], at)
	}
}

// yardGate is who buys what past seasons made.
const yardGate = "Yard gate"

// life is what became of a past tag's trees.
type life int

const (
	sold   life = iota
	stands      // in the row, fit to sell
	asleep      // last summer's buds
)

// lifeOf leaves last summer's buds asleep, and two batches of last spring standing;
// all else is sold.
func (h *history) lifeOf(year, copy, i int, technique string) life {
	switch {
	case year < 2026 || copy > 0:
		return sold
	case technique == "t-bud":
		return asleep
	case i == 0 || i == 6:
		return stands
	}
	return sold
}

func dead0(n, taken, late int) int { return n - taken - late }

// secondID is an id that takes nothing from the chances of the rest.
func (h *history) secondID() string {
	a, b := h.second.Uint64(), h.second.Uint64()
	a, b = a&^0xf000|0x4000, b&^(3<<62)|2<<62
	return fmt.Sprintf("%08x-%04x-%04x-%04x-%012x", a>>32, a>>16&0xffff, a&0xffff, b>>48, b&0xffffffffffff)
}

// raise notes what was done in its first season to a tag that stands in the row.
func (h *history) raise(tag int64, trees int, look time.Time, technique string) {
	for _, s := range []struct {
		knot string
		n    int
		days int
	}{{"pot", 0, 4}, {"cane", 0, 4}, {"suckers", 1, 12}, {"suckers", 2, 25}, {"tie shoot", 0, 44}, {"choose shoot", 0, 58}, {"suckers", 3,
		60},
		{"guard", 1, 240}, {"pinch", 0, 30}} {
		on := look.AddDate(0, 0, s.days)
		h.steps.add(h.secondID(), tag, s.knot, s.n, on, 0, trees, h.m.ids["odile"], on)
	}
	done := func(knot string, n int, on time.Time) {
		h.steps.add(h.secondID(), tag, knot, n, on, 0, trees, h.m.ids["odile"], on)
	}
	autumn := time.Date(look.Year(), time.September, 12, 9, 0, 0, 0, time.Local)
	for n, on := 4, look.AddDate(0, 0, 72); on.Before(autumn); n, on = n+1, on.AddDate(0, 0, 12) {
		done("suckers", n, on)
	}
	for n, on := 1, look.AddDate(0, 0, 74); on.Before(autumn.AddDate(0, 0, 50)); n, on = n+1, on.AddDate(0, 0, 30) {
		done("loosen shoot", n, on)
	}
	if technique == "side-veneer" {
		done("cut back", 1, look.AddDate(0, 0, 62))
		done("cut back", 2, look.AddDate(0, 0, 92))
	}
}

// nurse notes what was done to a tag of sleeping buds: the ties came off, of every
// third tag three weeks late, and guards were set before winter.
func (h *history) nurse(tag int64, trees int, look time.Time) {
	tied, late := look.AddDate(0, 0, -9), 0
	if tag%3 == 0 {
		tied, late = look.AddDate(0, 0, 33), 21
	}
	if tag%6 != 1 { // of one in six it was forgotten
		h.steps.add(h.secondID(), tag, "untie", 0, tied, late, trees, h.m.ids["pim"], tied)
	}
	guard := time.Date(2026, time.October, 24, 9, 0, 0, 0, time.Local)
	h.steps.add(h.secondID(), tag, "guard", 1, guard, 0, trees, h.m.ids["pim"], guard)
}

// write copies the rows in, in the order their keys need.
func (h *history) write() error {
	conn, err := h.m.db.Conn(h.m.ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	return conn.Raw(func(c any) error {
		pg := c.(*stdlib.Conn).Conn()
		for _, t := range []table{h.lots, h.plants, h.bundles, h.orders, h.batches, h.threads, h.tags, h.tagThreads, h.tallies, h.counts,
			h.causes, h.gone, h.steps, h.stockM, h.wood} {
			if _, err := pg.CopyFrom(h.m.ctx, pgx.Identifier{t.name}, t.columns, pgx.CopyFromRows(t.rows)); err != nil {
				return fmt.Errorf("copying %s: %w", t.name, err)
			}
		}
		return nextIDs(h.m.ctx, pg)
	})
}

// nextIDs moves each table's numbering past the rows copied in.
func nextIDs(ctx context.Context, pg *pgx.Conn) error {
	for _, t := range []string{"any_lot", "any_plant", "any_bundle", "orders", "batch", "any_tag"} {
		if _, err := pg.Exec(ctx, fmt.Sprintf(`select setval(pg_get_serial_sequence('%s', 'id'), (select max(id) from %s))`, t,
			t)); err != nil {
			return fmt.Errorf("numbering %s: %w", t, err)
		}
	}
	return nil
}
