package nursery_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/correct"
	"unionknot/internal/outlook"
	"unionknot/internal/words"
)

// TestTheCraftsTablesAreTheHousesOwn: each figure, kept beside its default, moves what
// follows at once, and goes back.
func TestTheCraftsTablesAreTheHousesOwn(t *testing.T) {
	h := demoHouse(t)
	s := h.Set
	var order, way string
	require.NoError(t, s.DB.Get(&order, `select o.code from orders o join variety v on v.id = o.variety_id where closed_on is null
		and not exists (select 1 from batch b where b.order_id = o.id) and v.genus = 'pear' and o.stock_type_id not in (select
		stock_type_id from limb) limit 1`))
	way = "whip-and-tongue"
	back := func(kind, ref string) {
		p, err := s.Correctable(ctx, h.maud, kind, ref)
		require.NoError(t, err)
		require.NoError(t, s.Correct(ctx, h.maud, kind, ref, correct.Correction{Why: words.BackToDefault, Seen: p.Seen, Default: true,
			Values: map[string]string{}}))
		now, err := s.Correctable(ctx, h.maud, kind, ref)
		require.NoError(t, err)
		for _, f := range now.Fields {
			if f.Ships {
				assert.Equal(t, f.Default, f.Value, "%s of %s", f.Key, ref)
			}
		}
	}
	need := func() int { return h.lineOfOrder(order).Need.Grafts }

	was := need()
	require.NoError(t, right(t, s, h, "genus", "pear", "logit_shift", "-2"))
	assert.Greater(t, need(), was, "a harder genus asks for more grafts")
	back("genus", "pear")
	assert.Equal(t, was, need())

	hours := func() float64 {
		p, err := s.Order(ctx, order, outlook.WhatIf{})
		require.NoError(t, err)
		for _, b := range p.Line.Means.Bars() {
			if b.Kind == outlook.KindWorkers {
				return b.Want
			}
		}
		t.Fatal("no hours")
		return 0
	}
	before := hours()
	for _, k := range []string{"splice", way, "cleft-one-side", "off-centre-cleft", "saddle", "tool-cut", "chip-bud"} {
		require.NoError(t, right(t, s, h, "technique", k, "rate_per_hour", "10"))
	}
	assert.Greater(t, hours(), before, "slower work asks for more hours")
	back("technique", way)

	require.NoError(t, right(t, s, h, "pair", "pear on quince", "verdict", "known bad", "note", "parts here"))
	f, err := s.Facts(ctx)
	require.NoError(t, err)
	assert.Equal(t, working.HouseDefault, f.SourceOf("technique", way, "prior_take", 91))
	assert.Equal(t, working.Entered, f.SourceOf("technique", way, "prior_take", 88))
	p, _ := f.Pair("pear", "quince")
	assert.Equal(t, "known bad", p.Verdict)
	back("pair", "pear on quince")
	require.NoError(t, right(t, s, h, "pair", "rose on apple", "verdict", "known bad", "note", "tried"))

	require.NoError(t, right(t, s, h, "tie", "pvc", "weeks", "9"))
	table, err := s.Tables(ctx, h.maud)
	require.NoError(t, err)
	own := 0
	for _, l := range table.Ties {
		for _, c := range l.Cells {
			if c.Own {
				own++
				assert.Equal(t, [2]string{"9", "6"}, [2]string{c.Value, c.Default})
			}
		}
	}
	assert.Equal(t, 1, own)
	back("tie", "pvc")

	for _, c := range []struct{ kind, ref, key, to, says string }{
		{"technique", way, "prior_take", "100", "A number from"}, {"technique", way, "ratio_max", "0.2", words.RatioBelow},
		{"tie", "pvc", "weeks", "0", "A whole number"}, {"genus", "pear", "usual_way", "by magic", words.ChooseFromList},
		{"pair", "rose on peach", "note", "x", words.ChooseFromList},
	} {
		isProblem(t, right(t, s, h, c.kind, c.ref, c.key, c.to), c.says)
	}
	for _, none := range [][2]string{{"technique", "none"}, {"tie", "none"}, {"genus", "none"}, {"pair", "pear"}, {"pair",
		"pear on nothing"}, {"what", "x"}} {
		_, err := s.Correctable(ctx, h.maud, none[0], none[1])
		assert.ErrorIs(t, err, nursery.ErrNotFound, none)
	}
}
