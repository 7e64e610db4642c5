package nursery_test

import (
	"fmt"
	"math/rand/v2"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/correct"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/testhouse"
	"unionknot/internal/words"
)

// demoHouse is the made-up nursery with its people.
func demoHouse(t *testing.T) *house {
	t.Helper()
	db := testhouse.Demo(t)
	s, err := stages.New(ctx, db, testhouse.Quiet)
	require.NoError(t, err)
	h := &house{TB: t, Set: s, db: db, r: rand.New(rand.NewPCG(7, 7))}
	for name, a := range map[string]*nursery.Actor{"maud": &h.maud, "ansel": &h.ansel, "vera": &h.eye} {
		p, err := db.Q().PersonBySignIn(ctx, name)
		require.NoError(t, err)
		*a = nursery.Actor{ID: p.ID, Name: p.Name, Role: nursery.Role(p.Role)}
	}
	return h
}

// right opens a thing's page, changes fields and keeps it.
func right(t *testing.T, s *stages.Set, h *house, kind, ref string, pairs ...string) error {
	t.Helper()
	p, err := s.Correctable(ctx, h.maud, kind, ref)
	require.NoError(t, err)
	c := correct.Correction{Values: map[string]string{}, Why: "misread", Seen: p.Seen}
	for i := 0; i+1 < len(pairs); i += 2 {
		c.Values[pairs[i]] = pairs[i+1]
	}
	return s.Correct(ctx, h.maud, kind, ref, c)
}

// TestEverythingTypedIsPutRight: each kind, each field, with the earlier value and the
// reason in the record; what cannot be says why.
func TestEverythingTypedIsPutRight(t *testing.T) {
	h := demoHouse(t)
	s := h.Set
	var lot, usedLot, bundle, usedBundle, plant, order, batched, batch string
	for into, q := range map[*string]string{
		&lot: `select code from stock_lot l where not exists (select 1 from stock_ledger g where g.lot_id = l.id and g.to_account <> 'free')
			and not exists (select 1 from lot_move m where m.lot_id = l.id or m.new_lot_id = l.id) and came_from_lot is null
			and l.id not in (select lot_id from limb) limit 1`,
		&usedLot: `select l.code from stock_lot l join stock_ledger g on g.lot_id = l.id where g.to_account = 'grafted' and l.id not
			in (select lot_id from limb) limit 1`,
		&bundle: `select code from wood_bundle b where not exists (select 1 from wood_ledger g where g.bundle_id = b.id and
			g.to_account <> 'free') limit 1`,
		&usedBundle: `select b.code from wood_bundle b join wood_ledger g on g.bundle_id = b.id where g.to_account = 'grafted' limit 1`,
		&plant: `select code from mother_plant p where not exists (select 1 from wood_bundle b join wood_ledger g on g.bundle_id = b.id
			where b.plant_id = p.id and g.to_account in ('aside', 'grafted')) limit 1`,
		&order: `select code from orders o where closed_on is null and not exists (select 1 from batch b where b.order_id = o.id)
				and o.stock_type_id not in (select stock_type_id from limb) limit 1`,
		&batched: `select o.code from orders o join batch b on b.order_id = o.id where b.undone_at is null limit 1`,
		&batch:   `select code from batch where undone_at is null order by id desc limit 1`,
	} {
		require.NoError(t, s.DB.Get(into, q), q)
	}
	for _, c := range []struct{ kind, ref, key, to string }{
		{"order", order, "trees", "123"}, {"order", order, "due_on", "2029-03-01"}, {"order", order, "priority", "1"},
		{"order", order, "buyer", "another"}, {"order", order, "variety", "A New One"}, {"order", order, "stock_type", "Another Stock"},
		{"order", batched, "trees", "77"},
		{"lot", lot, "received_on", "2027-01-02"}, {"lot", lot, "received", "77"}, {"lot", lot, "supplier", "elsewhere"},
		{"lot", lot, "place", "shed 9"}, {"lot", lot, "form", "root pieces"}, {"lot", lot, "stock_type", "Other Seedling"}, {"lot", lot,
			"health", "good"},
		{"lot", usedLot, "received_on", "2024-01-02"},
		{"plant", plant, "variety", "Renamed Plant"}, {"plant", plant, "place", "row 99"}, {"plant", plant, "planted_year", "1999"},
		{"plant", plant, "licence", "none needed"},
		{"bundle", bundle, "cut_on", "2027-01-05"}, {"bundle", bundle, "sticks", "7"}, {"bundle", bundle, "length_mm", "260"},
		{"bundle", bundle, "base_mm", "11.5"}, {"bundle", bundle, "blind_pct", "12"}, {"bundle", bundle, "part", "middle"},
		{"batch", batch, "tie", "raffia with wax over"},
	} {
		t.Run(c.kind+" "+c.key, func(t *testing.T) {
			before, err := s.Correctable(ctx, h.maud, c.kind, c.ref)
			require.NoError(t, err)
			require.NoError(t, right(t, s, h, c.kind, c.ref, c.key, c.to))
			after, err := s.Correctable(ctx, h.maud, c.kind, c.ref)
			require.NoError(t, err)
			found := false
			for i, f := range after.Fields {
				if f.Key != c.key {
					continue
				}
				found = true
				assert.Equal(t, c.to, f.Value)
				require.NotEmpty(t, after.Before.All)
				last := after.Before.All[0]
				assert.Equal(t, "misread", last.Why)
				for _, v := range last.Values {
					if v.Key == c.key {
						assert.Equal(t, before.Fields[i].Value, v.Was)
						assert.Equal(t, c.to, v.Is)
					}
				}
				assert.NotEqual(t, c.key, words.FieldName(c.key), "a field has a name")
			}
			assert.True(t, found)
		})
	}
	for _, c := range []struct{ kind, ref, key, to, says string }{
		{"order", batched, "variety", "Other", words.OrderHasBatches},
		{"order", order, "due_on", "2020-01-01", words.DayOver},
		{"order", order, "trees", "many", "A whole number from 1 to 1,000,000"},
		{"order", order, "genus", "nonesuch", words.ChooseFromList},
		{"lot", usedLot, "stock_type", "Other", words.LotIsUsed},
		{"lot", usedLot, "received", "1", words.FewerAreFree},
		{"lot", lot, "received_on", "2099-01-01", words.DayToCome},
		{"lot", lot, "grade_low", "9", words.GradeRuns},
		{"bundle", usedBundle, "sticks", "3", words.BundleIsUsed},
		{"bundle", bundle, "plant", "M-999", words.NoSuchPlant},
		{"bundle", bundle, "tip_mm", "40", words.TipThicker},
		{"bundle", bundle, "place", "cellar", words.BundleMovesAlone},
		{"plant", plant, "seen_true_on", "", words.SeenNeedsBoth},
		{"order", order, "buyer", "another", words.NothingCorrected},
	} {
		t.Run(c.kind+" "+c.key+" to "+c.to, func(t *testing.T) {
			isProblem(t, right(t, s, h, c.kind, c.ref, c.key, c.to), c.says)
		})
	}
	_, err := s.Correctable(ctx, h.maud, "lot", "L-NONE")
	assert.ErrorIs(t, err, nursery.ErrNotFound)
	_, err = s.Correctable(ctx, h.ansel, "lot", lot)
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
	p, err := s.Correctable(ctx, h.maud, "lot", lot)
	require.NoError(t, err)
	isProblem(
		t,
		s.Correct(ctx, h.maud, "lot", lot, correct.Correction{Values: map[string]string{"place": "x"}, Seen: p.Seen}),
		words.GiveAWhy,
	)
}

// TestWhatFollowsMovesAtOnce: the ledger and its balance, an order's need, a bundle's
// pieces, the day a tie is due.
func TestWhatFollowsMovesAtOnce(t *testing.T) {
	h := demoHouse(t)
	s := h.Set
	free := func(table, owner, code string) (n int) {
		require.NoError(
			t,
			s.DB.Get(&n, fmt.Sprintf(`select coalesce((select b.n from %s_balance b where b.%s_id = x.id and account = 'free'), 0)
			from %s x where x.code = $1`, table, owner, map[string]string{"stock": "stock_lot", "wood": "wood_bundle"}[table]), code),
		)
		return n
	}
	var lot, bundle, order string
	var received int
	require.NoError(
		t,
		s.DB.QueryRow(`select l.code, l.received from stock_lot l join stock_balance b on b.lot_id = l.id and b.account = 'free'
		where b.n > 100 limit 1`).Scan(&lot, &received),
	)
	before := free("stock", "lot", lot)
	require.NoError(t, right(t, s, h, "lot", lot, "received", fmt.Sprint(received-40)))
	assert.Equal(t, before-40, free("stock", "lot", lot))
	require.NoError(t, right(t, s, h, "lot", lot, "received", fmt.Sprint(received+5)))
	assert.Equal(t, before+5, free("stock", "lot", lot))

	require.NoError(
		t,
		s.DB.Get(&bundle, `select b.code from wood_bundle b where not exists (select 1 from wood_ledger g where g.bundle_id = b.id
		and g.to_account <> 'free') and b.sticks > 3 limit 1`),
	)
	bp, err := s.Bundle(ctx, bundle)
	require.NoError(t, err)
	require.NoError(t, right(t, s, h, "bundle", bundle, "sticks", fmt.Sprint(bp.Bundle.Sticks-2), "cut_on", "2027-01-03"))
	now, err := s.Bundle(ctx, bundle)
	require.NoError(t, err)
	assert.Equal(t, bp.Bundle.Pieces-2*bp.Yield.Pieces, now.Bundle.Pieces)
	assert.Equal(t, now.Bundle.Pieces, free("wood", "bundle", bundle))
	assert.Equal(t, now.Bundle.Pieces, countOf(now.Diameters.All), "the drawing is of what is there")
	assert.Equal(t, int(s.Today().Sub(time.Date(2027, 1, 3, 0, 0, 0, 0, time.UTC)).Hours()/24), now.Days)

	require.NoError(
		t,
		s.DB.Get(
			&order,
			`select code from orders o where closed_on is null and not exists (select 1 from batch b where b.order_id = o.id)
				and o.stock_type_id not in (select stock_type_id from limb) limit 1`,
		),
	)
	was := h.lineOfOrder(order)
	require.NoError(t, right(t, s, h, "order", order, "trees", fmt.Sprint(was.Order.Trees*2)))
	assert.Greater(t, h.lineOfOrder(order).ToGo, was.ToGo)
}

// TestTwoPeoplePutOneThingRight: one of them is told of the other, and nothing is lost.
func TestTwoPeoplePutOneThingRight(t *testing.T) {
	h := demoHouse(t)
	s := h.Set
	var order string
	require.NoError(t, s.DB.Get(&order, `select code from orders where closed_on is null limit 1`))
	p, err := s.Correctable(ctx, h.maud, "order", order)
	require.NoError(t, err)
	errs := make([]error, 8)
	var wait sync.WaitGroup
	for i := range errs {
		wait.Go(func() {
			errs[i] = s.Correct(
				ctx,
				h.maud,
				"order",
				order,
				correct.Correction{Values: map[string]string{"trees": fmt.Sprint(500 + i)}, Why: "both", Seen: p.Seen},
			)
		})
	}
	wait.Wait()
	kept := 0
	for _, err := range errs {
		if err == nil {
			kept++
			continue
		}
		isProblem(t, err, words.CorrectedSince)
	}
	assert.Equal(t, 1, kept)
	after, err := s.Correctable(ctx, h.maud, "order", order)
	require.NoError(t, err)
	assert.Len(t, after.Before.All, 1)
}

// TestTwoSpellingsBecomeOne: everything that bore the one bears the other.
func TestTwoSpellingsBecomeOne(t *testing.T) {
	h := demoHouse(t)
	s := h.Set
	for _, c := range []struct {
		stock                 bool
		table, column, bearer string
	}{{false, "variety", "variety_id", "mother_plant"}, {true, "stock_type", "stock_type_id", "stock_lot"}} {
		t.Run(c.table, func(t *testing.T) {
			var from, into, other int64
			require.NoError(
				t,
				s.DB.QueryRow(fmt.Sprintf(`select a.id, b.id, c.id from %[1]s a, %[1]s b, %[1]s c where a.genus = b.genus and a.id <> b.id
				and c.genus <> a.genus and exists (select 1 from %[2]s x where x.%[3]s = a.id) limit 1`, c.table, c.bearer,
					c.column)).Scan(&from, &into, &other),
			)
			count := func(table string, ids ...int64) (n int) {
				require.NoError(t, s.DB.Get(&n, `select count(*) from `+table+` where `+c.column+` = any($1)`, ids))
				return n
			}
			orders, bearers := count("orders", from, into), count(c.bearer, from, into)
			isProblem(t, s.Merge(ctx, h.maud, c.stock, from, other, "x"), words.OtherGenus)
			isProblem(t, s.Merge(ctx, h.maud, c.stock, from, from, "x"), words.MergeWithItself)
			isProblem(t, s.Merge(ctx, h.maud, c.stock, from, into, " "), words.GiveAWhy)
			assert.ErrorIs(t, s.Merge(ctx, h.eye, c.stock, from, into, "x"), nursery.ErrNotAllowed)
			require.NoError(t, s.Merge(ctx, h.maud, c.stock, from, into, "one thing"))
			assert.Equal(t, orders, count("orders", into))
			assert.Equal(t, bearers, count(c.bearer, into))
			assert.Zero(t, count("orders", from)+count(c.bearer, from))
			p, err := s.Correctable(ctx, h.maud, map[bool]string{true: "stock", false: "variety"}[c.stock], fmt.Sprint(into))
			require.NoError(t, err)
			assert.Equal(t, "one thing", p.Before.All[0].Why)
			assert.ErrorIs(t, s.Merge(ctx, h.maud, c.stock, from, into, "again"), nursery.ErrNotFound)
		})
	}
}

func countOf(cs []caliper.Count) (n int) {
	for _, c := range cs {
		n += c.N
	}
	return n
}
