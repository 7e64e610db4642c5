package demo_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/demo"
	"unionknot/internal/store"
	"unionknot/internal/testhouse"
)

func count(t *testing.T, db *store.DB, query string) (n int) {
	t.Helper()
	require.NoError(t, db.Get(&n, query))
	return n
}

func TestTheDemoAddsUp(t *testing.T) {
	db := testhouse.Demo(t)
	for name, query := range map[string]string{
		"stems of a lot do not add up": `select count(*) from stock_lot l where received <> (select sum(n)
			from stock_balance b where b.lot_id = l.id) + coalesce((select sum(n) from stock_ledger g where g.lot_id = l.id
			and to_account = 'outside'), 0)`,
		"pieces of a bundle do not add up": `select count(*) from wood_bundle w where pieces <> (select sum(n)
			from wood_balance b where b.bundle_id = w.id)`,
		"a balance is not its ledger's": `select count(*) from stock_balance b where n <> (select coalesce(sum(case when to_account =
			b.account then n else 0 end) - sum(case when from_account = b.account then n else 0 end), 0) from stock_ledger g where
			g.lot_id = b.lot_id)`,
		"a count exceeds what was tied": `select count(*) from take_count c where taken + doubtful + dead > (select sum(n)
			from tally y where y.tag_id = c.tag_id and kind = 'tied' and held is null)`,
		"causes exceed the dead": `select count(*) from take_count c where dead < (select coalesce(sum(n), 0)
			from count_cause x where x.count_id = c.id)`,
		"a scion is wider than its stock":  `select count(*) from batch_thread where wood_mm > stock_mm and technique <> 'tool-cut'`,
		"a tag is larger than the house's": `select count(*) from tag where planned > 25`,
		"a finished tag posted what it did not tie": `select count(*) from tag t where finished_at is not null and (select
			coalesce(sum(n), 0) from stock_ledger g where g.tag_id = t.id and to_account = 'grafted') <> (select coalesce(sum(n), 0)
			from tally y where y.tag_id = t.id and kind = 'tied' and held is null)`,
	} {
		assert.Zero(t, count(t, db, query), name)
	}
}

func TestTheDemoHasSomethingAtEveryStep(t *testing.T) {
	db := testhouse.Demo(t)
	for query, least := range map[string]int{
		`select count(*) from stock_lot where code like 'L-%'`:                                        8,
		`select count(*) from wood_bundle where code like 'W-%'`:                                      12,
		`select count(*) from orders where code like 'O-%'`:                                           10,
		`select count(*) from batch b where not exists (select 1 from tag t where t.batch_id = b.id)`: 1,
		`select count(*) from tag where started_at is null`:                                           1,
		`select count(*) from tag where started_at is not null and finished_at is null`:               2,
		`select count(*) from tag where finished_at is not null and look_id is null`:                  5,
		`select count(*) from take_count where look = 'end of season'`:                                50,
		`select count(*) from lot_look where ready = 'not ready'`:                                     1,
		`select count(*) from mother_plant where seen_true_on is null`:                                1,
		`select count(distinct extract(year from day)) from tag`:                                      3,
	} {
		assert.GreaterOrEqual(t, count(t, db, query), least, query)
	}
}

func TestASecondDemoLeavesTheHouseAlone(t *testing.T) {
	db := testhouse.Demo(t)
	before := count(t, db, `select count(*) from tally`)
	require.NoError(t, demo.Load(context.Background(), db, testhouse.Quiet, demo.Options{}))
	assert.Equal(t, before, count(t, db, `select count(*) from tally`))
}
