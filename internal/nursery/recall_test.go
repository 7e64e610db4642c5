package nursery_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/nursery"
	"unionknot/internal/nursery/growon"
	"unionknot/internal/nursery/trace"
	"unionknot/internal/nursery/wood"
)

// TestARecallFindsEveryTree: by whatever it is asked, the tags it lists are those that the
// records say, none left out, and what it says of their trees adds up.
func TestARecallFindsEveryTree(t *testing.T) {
	h := demoHouse(t)
	type want struct{ kind, key, where string }
	var all []want
	add := func(kind, query, where string) {
		var keys []string
		require.NoError(t, h.db.Select(&keys, query))
		require.NotEmpty(t, keys, kind)
		for _, k := range keys {
			all = append(all, want{kind, k, where})
		}
	}
	add("plant", `select code from mother_plant where bundles > 0`,
		`t.bundle_id in (select b.id from any_bundle b join any_plant m on m.id = b.plant_id where m.code = '%s')`)
	add("bundle", `select code from wood_bundle order by id limit 40`, `t.bundle_id = (select id from any_bundle where code = '%s')`)
	add("lot", `select code from stock_lot order by id limit 40`, `t.lot_id = (select id from any_lot where code = '%s')`)
	add("supplier", `select distinct supplier from stock_lot where supplier <> ''`, `t.lot_id in (select id from any_lot where supplier =
		'%s')`)
	add("worker", `select distinct p.name from tag t join person p on p.id = t.worker_id`,
		`t.worker_id in (select id from person where name = '%[1]s') or t.tier_id in (select id from person where name = '%[1]s')`)
	add("day", `select distinct day::text from tag`, `t.day = '%s'`)
	add("variety", `select distinct name from variety`, `t.batch_id in (select b.id from batch b join orders o on o.id = b.order_id
		join variety v on v.id = o.variety_id where v.name = '%s')`)
	add("order", `select code from orders`, `t.batch_id in (select b.id from batch b join orders o on o.id = b.order_id where o.code =
		'%s')`)
	add("box", `select distinct place from tag_stay where place <> ''`, `t.id in (select tag_id from tag_stay where place = '%s')`)
	add("store", `select distinct place from bundle_stay where place <> ''`,
		`t.bundle_id in (select bundle_id from bundle_stay where place = '%[1]s') and exists (select from bundle_stay y where y.bundle_id
			= t.bundle_id and y.place = '%[1]s' and y.since <= coalesce(t.finished_at, 'infinity'))`)
	for _, w := range all {
		r, err := h.Recall(ctx, h.maud, trace.Asked{Kind: w.kind, Key: w.key})
		require.NoError(t, err)
		n := h.sum(`select count(*) from tag t where ` + fmt.Sprintf(w.where, strings.ReplaceAll(w.key, "'", "''")))
		require.Len(t, r.Tags, n, "%s %s", w.kind, w.key)
		in := 0
		for _, g := range r.Groups {
			for _, l := range g.Lots {
				in += len(l.Tags)
			}
		}
		assert.Equal(t, n, in, "each stands in the tree once")
		for _, x := range r.Tags {
			if x.Finished {
				assert.Equal(t, x.Tied, x.Standing+x.Gone+x.Dead, x.Tag)
			}
		}
	}
	// A spell in a store: only the wood that lay there in it.
	whole, err := h.Recall(ctx, h.maud, trace.Asked{Kind: "store", Key: "cold store 1"})
	require.NoError(t, err)
	early, err := h.Recall(ctx, h.maud, trace.Asked{Kind: "store", Key: "cold store 1", To: time.Date(2027, 1, 8, 0, 0, 0, 0, time.Local)})
	require.NoError(t, err)
	assert.Less(t, len(early.Tags), len(whole.Tags))
	for _, x := range []trace.Asked{{Kind: "mood", Key: "x"}, {Kind: "lot"}, {Kind: "day", Key: "soon"}} {
		_, err := h.Recall(ctx, h.maud, x)
		isProblem(t, err, ".")
	}
	_, err = h.Recall(ctx, h.ansel, trace.Asked{Kind: "lot", Key: "L-201"})
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
}

// TestWhatIsHeldIsNotSold: until it is released, and then it is; the record has both.
func TestWhatIsHeldIsNotSold(t *testing.T) {
	h := demoHouse(t)
	var x struct {
		Code string `db:"code"`
		Lot  string `db:"lot"`
		N    int    `db:"standing"`
	}
	require.NoError(t, h.db.Get(&x, `select t.code, l.code as lot, t.standing from tag t join stock_lot l on l.id = t.lot_id where
		t.standing > 2 order by t.id limit 1`))
	asked := trace.Asked{Kind: "lot", Key: x.Lot}
	_, err := h.Hold(ctx, h.maud, asked, "")
	isProblem(t, err, "Say why")
	_, err = h.Hold(ctx, h.eye, asked, "fire blight next door")
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
	n, err := h.Hold(ctx, h.maud, asked, "fire blight next door")
	require.NoError(t, err)
	assert.Positive(t, n)
	again, err := h.Hold(ctx, h.maud, asked, "pressed twice")
	require.NoError(t, err)
	assert.Zero(t, again)
	sell := func() growon.Acted {
		d, err := h.Do(ctx, h.maud, []growon.Act{{ID: h.uuid(), Kind: growon.Sold, N: 1, Reason: "asked for",
			Items: []growon.Item{{Code: x.Code}}}})
		require.NoError(t, err)
		return d
	}
	d := sell()
	require.Len(t, d.Refused, 1)
	assert.Contains(t, d.Refused[0].Why, "is held since")
	assert.Equal(t, x.N, h.sum(`select standing from tag where code = '`+x.Code+`'`))
	r, err := h.Recall(ctx, h.maud, asked)
	require.NoError(t, err)
	assert.Equal(t, n, r.Held)
	n2, err := h.Release(ctx, h.maud, asked, "tested clean")
	require.NoError(t, err)
	assert.Equal(t, n, n2)
	d = sell()
	for _, f := range d.Refused {
		assert.NotContains(t, f.Why, "held")
	}
	assert.Equal(t, 2, h.sum(`select count(*) from change_record where what = 'recall'`))
}

// TestARandomHouseIsRecalledWhole plays random seasons in which it is known, apart from the
// database's own questions, what went where: lots, bundles, plants, suppliers, workers, days,
// the boxes that tags stood in, the stores that wood lay in and the tools that they were cut
// with.
func TestARandomHouseIsRecalledWhole(t *testing.T) {
	for seed := range uint64(3) {
		t.Run(fmt.Sprint("seed ", seed), func(t *testing.T) { recallARandomHouse(t, rand.New(rand.NewPCG(seed, 99))) })
	}
}

func recallARandomHouse(t *testing.T, r *rand.Rand) {
	h := newHouse(t)
	want := map[trace.Asked]map[string]bool{}
	put := func(kind, key, tag string) {
		k := trace.Asked{Kind: kind, Key: key}
		if want[k] == nil {
			want[k] = map[string]bool{}
		}
		want[k][tag] = true
	}
	supplier, plantOf, storeOf := map[string]string{}, map[string]string{}, map[string]string{}
	for i := range 2 + r.IntN(3) {
		l := lot(fmt.Sprint("L-", i), 60+r.IntN(100))
		l.Supplier = fmt.Sprint("Grower ", r.IntN(2))
		supplier[l.Code] = l.Supplier
		require.NoError(t, h.AddLot(ctx, h.maud, l))
	}
	for i := range 2 {
		require.NoError(t, h.AddPlant(ctx, h.maud, wood.NewPlant{Code: fmt.Sprint("M-", i), Genus: "pear", Variety: "Lanternjaw"}))
	}
	for i := range 3 + r.IntN(3) {
		code, plant, store := fmt.Sprint("W-", i), fmt.Sprint("M-", r.IntN(2)), fmt.Sprint("store ", r.IntN(2))
		plantOf[code], storeOf[code] = plant, store
		require.NoError(t, h.AddBundle(ctx, h.maud, wood.NewBundle{Code: code, Plant: plant, State: "resting",
			CutOn: time.Date(2027, 1, 11, 0, 0, 0, 0, time.UTC), Sticks: 10 + r.IntN(15), LengthMM: 540, BaseMM: 9.2, TipMM: 5.8,
			InternodeMM:  22,
			BudsPerPiece: 2, Whole: true}))
		require.NoError(t, h.MoveBundle(ctx, h.maud, code, store))
	}
	tools := []int64{0}
	for i := range 3 {
		require.NoError(t, h.AddTool(ctx, h.maud, fmt.Sprint("knife ", i)))
		ts, err := h.Tools(ctx)
		require.NoError(t, err)
		tools = append(tools, ts.Tools[i].ID)
	}
	workers := []nursery.Actor{h.ansel, h.odile}
	name := map[int64]string{}
	holds := map[int64]int{} // of a worker now: the number of the tool, 0 for none
	for k := range 2 {
		order := fmt.Sprint("O-", k)
		h.order(order, 15+r.IntN(25))
		tags := h.tagsOf(h.batch(order, 20+r.IntN(40)), workers...)
		for _, i := range r.Perm(len(tags)) {
			x := tags[i]
			name[x.WorkerID] = x.Worker
			change := func() {
				if r.IntN(2) == 0 {
					n := r.IntN(len(tools))
					require.NoError(t, h.HoldTool(nursery.WithOnce(ctx, h.uuid()), h.maud, x.WorkerID, tools[n]))
					holds[x.WorkerID] = n
				}
			}
			cut := func() {
				if n := holds[x.WorkerID]; n > 0 {
					put("tool", fmt.Sprint("knife ", n-1), x.Code)
				}
			}
			later := func() { h.RunFrom(h.Now().Add(time.Duration(3+r.IntN(20)) * time.Minute)) }
			change()
			later()
			if x.Planned > 1 {
				h.tap(h.maud, x.Code, "tied", x.Planned-1)
				cut()
			}
			later()
			change() // in the middle of a tag it may be another
			later()
			h.tap(h.maud, x.Code, "tied", 1)
			cut()
			h.tap(h.maud, x.Code, "finish", 1)
			box := fmt.Sprint("box ", r.IntN(3))
			later()
			require.NoError(t, h.SetHealPlace(ctx, h.maud, []string{x.Code}, box))
			for kind, key := range map[string]string{"lot": x.Lot, "bundle": x.Bundle, "plant": plantOf[x.Bundle],
				"supplier": supplier[x.Lot],
				"worker":   x.Worker, "order": order, "variety": "Lanternjaw", "day": x.Day.Format(time.DateOnly), "box": box,
				"store": storeOf[x.Bundle]} {
				put(kind, key, x.Code)
			}
			if r.IntN(3) == 0 { // it moves on: it stood in both
				later()
				next := fmt.Sprint("box ", r.IntN(3))
				require.NoError(t, h.SetHealPlace(ctx, h.maud, []string{x.Code}, next))
				put("box", next, x.Code)
			}
		}
	}
	require.Greater(t, len(want), 12)
	for asked, tags := range want {
		got, err := h.Recall(ctx, h.maud, asked)
		require.NoError(t, err)
		found := map[string]bool{}
		for _, x := range got.Tags {
			found[x.Tag] = true
		}
		assert.Equal(t, tags, found, "%v", asked)
	}
	// A note that was wrong is taken back: the tool is then not on what was cut after it.
	ts, err := h.Tools(ctx)
	require.NoError(t, err)
	require.NotEmpty(t, ts.Holds)
	for _, x := range ts.Holds {
		require.NoError(t, h.UndoToolHold(ctx, h.maud, x.ID))
	}
	for i := range 3 {
		got, err := h.Recall(ctx, h.maud, trace.Asked{Kind: "tool", Key: fmt.Sprint("knife ", i)})
		require.NoError(t, err)
		if len(ts.Holds) < 20 {
			assert.Empty(t, got.Tags)
		}
	}
	assert.ErrorIs(t, h.HoldTool(ctx, h.ansel, h.odile.ID, tools[1]), nursery.ErrNotAllowed)
	isProblem(t, h.AddTool(ctx, h.maud, "Knife 1"), "There is a knife 1 already")
	require.NoError(t, h.SetToolGone(ctx, h.maud, tools[1], true))
	isProblem(t, h.HoldTool(ctx, h.ansel, h.ansel.ID, tools[1]), "in use")
}
