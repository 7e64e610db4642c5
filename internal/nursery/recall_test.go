package nursery_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/nursery"
	"unionknot/internal/nursery/growon"
	"unionknot/internal/nursery/trace"
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
	add("supplier", `select distinct supplier from stock_lot where supplier <> ''`, `t.lot_id in (select id from any_lot where supplier = '%s')`)
	add("worker", `select distinct p.name from tag t join person p on p.id = t.worker_id`,
		`t.worker_id in (select id from person where name = '%[1]s') or t.tier_id in (select id from person where name = '%[1]s')`)
	add("day", `select distinct day::text from tag`, `t.day = '%s'`)
	add("variety", `select distinct name from variety`, `t.batch_id in (select b.id from batch b join orders o on o.id = b.order_id
		join variety v on v.id = o.variety_id where v.name = '%s')`)
	add("order", `select code from orders`, `t.batch_id in (select b.id from batch b join orders o on o.id = b.order_id where o.code = '%s')`)
	add("box", `select distinct place from tag_stay where place <> ''`, `t.id in (select tag_id from tag_stay where place = '%s')`)
	add("store", `select distinct place from bundle_stay where place <> ''`,
		`t.bundle_id in (select bundle_id from bundle_stay where place = '%s') and exists (select from bundle_stay y where y.bundle_id = t.bundle_id and y.since <= t.day)`)
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
	require.NoError(t, h.db.Get(&x, `select t.code, l.code as lot, t.standing from tag t join stock_lot l on l.id = t.lot_id where t.standing > 2 order by t.id limit 1`))
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
		d, err := h.Do(ctx, h.maud, []growon.Act{{ID: h.uuid(), Kind: growon.Sold, N: 1, Reason: "asked for", Items: []growon.Item{{Code: x.Code}}}})
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
