package store_test

import (
	"context"
	"errors"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/store"
	"unionknot/internal/testhouse"
)

var ctx = context.Background()

// lot adds a lot of so many stems and somebody to have taken it in.
func lot(t *testing.T, db *store.DB, code string, stems int) (lotID, by int64) {
	t.Helper()
	require.NoError(t, db.Tx(ctx, func(q store.Q) error {
		var err error
		if by, err = q.AddPerson(ctx, store.Person{Name: "Maud " + code, SignIn: "maud." + strings.ToLower(code),
			Role: "propagator"}); err != nil {
			return err
		}
		typeID, err := q.StockTypeFor(ctx, "Tarn Q3", "quince")
		if err != nil {
			return err
		}
		lotID, err = q.AddLot(
			ctx,
			store.Lot{Code: code, StockTypeID: typeID, ReceivedOn: time.Now(), Form: "bare-root", Received: stems, MadeAt: time.Now()},
			by,
		)
		return err
	}))
	return lotID, by
}

func TestTheCraftIsSeeded(t *testing.T) {
	q := testhouse.Empty(t).Q()
	ts, err := q.Techniques(ctx)
	require.NoError(t, err)
	assert.Len(t, ts, 11)
	ways, err := q.HouseWays(ctx)
	require.NoError(t, err)
	assert.Len(t, ways, 29)
	for _, w := range ways {
		assert.Contains(t, w.Options, w.Chosen)
	}
	causes, err := q.Causes(ctx)
	require.NoError(t, err)
	assert.Len(t, causes, 19)
	assert.Equal(t, "dried out", causes[0])
	gs, err := q.SeasonGroups(ctx)
	require.NoError(t, err)
	for _, g := range gs {
		as, err := q.Anchors(ctx, g.Key)
		require.NoError(t, err)
		assert.Len(t, as, 7, g.Key)
	}
	ties, err := q.Ties(ctx)
	require.NoError(t, err)
	assert.Len(t, ties, 6)
}

func TestMigratingAgainAndTogetherDoesNoHarm(t *testing.T) {
	db := testhouse.Empty(t)
	var wait sync.WaitGroup
	for range 4 {
		wait.Go(func() { assert.NoError(t, db.Migrate(ctx)) })
	}
	wait.Wait()
}

func TestABalanceNeverGoesBelowZero(t *testing.T) {
	db := testhouse.Empty(t)
	id, by := lot(t, db, "L-1", 10)
	move := func(n int, from, to string) error {
		return db.Tx(ctx, func(q store.Q) error {
			return q.MoveStock(
				ctx,
				store.Move{Of: id, N: n, From: from, To: to, Reason: "by hand", Note: "test", PersonID: by, At: time.Now()},
			)
		})
	}
	require.NoError(t, move(7, store.Free, store.Aside))
	assert.ErrorIs(t, move(4, store.Free, store.Aside), store.ErrShort)
	assert.ErrorIs(t, move(1, store.Grafted, store.Free), store.ErrShort, "an account that was never used holds nothing")
	assert.Error(t, move(0, store.Free, store.Aside))
	assert.Error(t, move(1, store.Free, store.Free))
	assert.Error(t, move(1, "pocket", store.Free))
	bs, err := db.Q().StockBalances(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, []store.Balance{{Account: "aside", N: 7}, {Account: "free", N: 3}}, bs)
}

func TestManyAtOnceSpendEachStemOnce(t *testing.T) {
	db := testhouse.Empty(t)
	id, by := lot(t, db, "L-1", 50)
	var mu sync.Mutex
	spent, refused := 0, 0
	var wait sync.WaitGroup
	for range 80 {
		wait.Go(func() {
			err := db.Tx(ctx, func(q store.Q) error {
				return q.MoveStock(
					ctx,
					store.Move{
						Of:       id,
						N:        1,
						From:     store.Free,
						To:       store.Aside,
						Reason:   "by hand",
						Note:     "test",
						PersonID: by,
						At:       time.Now(),
					},
				)
			})
			mu.Lock()
			defer mu.Unlock()
			if err == nil {
				spent++
			} else if assert.ErrorIs(t, err, store.ErrShort) {
				refused++
			}
		})
	}
	wait.Wait()
	assert.Equal(t, 50, spent)
	assert.Equal(t, 30, refused)
}

func TestWhatIsWrittenDownStays(t *testing.T) {
	db := testhouse.Demo(t)
	for _, table := range []string{"stock_ledger", "wood_ledger", "tally", "take_count", "change_record"} {
		var n int
		require.NoError(t, db.Get(&n, `select count(*) from `+table))
		require.Positive(t, n, table)
		_, err := db.Exec(`delete from ` + table)
		assert.ErrorContains(t, err, "permission denied", table)
	}
	_, err := db.Exec(`update tally set n = 99`)
	assert.ErrorContains(t, err, "only added to")

	// Nor does the owner of the tables change what is written, or empty it.
	own := testhouse.Owner(t, db)
	for _, table := range []string{"stock_ledger", "wood_ledger", "tap", "take_count", "change_record", "any_look"} {
		for _, do := range []string{`delete from ` + table, `truncate ` + table + ` cascade`} {
			_, err := own.Exec(do)
			assert.ErrorContains(t, err, "only added to", do)
		}
	}
	_, err = own.Exec(`update stock_ledger set n = n + 1`)
	assert.ErrorContains(t, err, "only added to")
}

// TestTheServerChangesNoTable: as the role that serves, rows are read and written, and
// nothing is made, dropped, emptied, or brought up to date.
func TestTheServerChangesNoTable(t *testing.T) {
	db := testhouse.Demo(t)
	as, err := db.Standing(ctx)
	require.NoError(t, err)
	assert.Equal(t, store.Standing{Role: "unionknot"}, as)
	for _, do := range []string{
		`create table mine (x int)`, `drop table door_try`, `alter table person add column x int`, `truncate sessions`,
		`alter table change_record disable trigger user`, `update goose_db_version set version_id = 1`,
		`update change_record set doing = ''`, `set unionknot.erasing = 'on'; update change_record set doing = ''`,
		`create function f() returns int language sql as 'select 1'`, `create role other`, `copy person to '/tmp/people'`,
		`copy person to program 'cat'`, `select pg_read_file('/etc/passwd')`,
	} {
		_, err := db.Exec(do)
		var pg *pgconn.PgError
		if assert.ErrorAs(t, err, &pg, do) {
			assert.Equal(t, "42501", pg.Code, do)
		}
	}
	pending, err := db.Pending(ctx)
	require.NoError(t, err)
	assert.False(t, pending)
	own, err := testhouse.Owner(t, db).Standing(ctx)
	require.NoError(t, err)
	assert.True(t, own.Owner)
	assert.False(t, own.Super)
}

// TestServersThatStartTogetherAreLetIn: each grants, and none of them fails.
func TestServersThatStartTogetherAreLetIn(t *testing.T) {
	own := testhouse.Owner(t, testhouse.Empty(t))
	errs := make([]error, 8)
	var wait sync.WaitGroup
	for i := range errs {
		wait.Go(func() { errs[i] = own.GrantTo(ctx, "unionknot") })
	}
	wait.Wait()
	for _, err := range errs {
		assert.NoError(t, err)
	}
}

// TestNobodyWaitsForEver: every connection bears the limits, and an address may set others.
func TestNobodyWaitsForEver(t *testing.T) {
	db := testhouse.Empty(t)
	for name, want := range map[string]string{"lock_timeout": "30s", "statement_timeout": "1min",
		"idle_in_transaction_session_timeout": "2min",
		"tcp_keepalives_idle":                 "60", "client_connection_check_interval": "10s"} {
		var is string
		require.NoError(t, db.Get(&is, `select current_setting($1)`, name))
		assert.Equal(t, want, is, name)
	}
	other, err := store.Open(ctx, testhouse.Address(t, db)+"&lock_timeout=700")
	require.NoError(t, err)
	defer other.Close()
	var is string
	require.NoError(t, other.Get(&is, `select current_setting('lock_timeout')`))
	assert.Equal(t, "700ms", is)
}

// TestTextsAreBounded: whatever the table, a text of any length is not kept.
func TestTextsAreBounded(t *testing.T) {
	db := testhouse.Demo(t)
	var open []string
	require.NoError(t, db.Select(&open, `select k.relname || '.' || a.attname from pg_attribute a join pg_class k on k.oid = a.attrelid
		where k.relnamespace = 'public'::regnamespace and k.relkind = 'r' and k.relname not like 'goose%' and a.attnum > 0
		and not a.attisdropped and a.atttypid = 'text'::regtype and not exists (select 1 from pg_constraint x
			where x.conrelid = k.oid and x.contype = 'c' and a.attnum = any (x.conkey) and pg_get_constraintdef(x.oid) like '%length(%')`))
	assert.Empty(t, open, "a column of text without a bound")
	_, err := db.Exec(`update house set place = repeat('x', 2001)`)
	assert.ErrorContains(t, err, "house_place_letters")
	_, err = db.Q().AddPerson(ctx, store.Person{Name: strings.Repeat("x", 3000), SignIn: "long", Role: "looker"})
	assert.ErrorIs(t, err, store.ErrLong)
}

func TestErrorsAreNamed(t *testing.T) {
	db := testhouse.Empty(t)
	lot(t, db, "L-1", 5)
	_, err := db.Q().LotByCode(ctx, "L-9")
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = db.Q().AddPerson(ctx, store.Person{Name: "Other", SignIn: "Maud.L-1", Role: "looker"})
	assert.Error(t, err, "a sign-in name is in small letters")
	_, err = db.Q().AddPerson(ctx, store.Person{Name: "maud l-1", SignIn: "other", Role: "looker"})
	assert.ErrorIs(t, err, store.ErrTaken)
	stop := errors.New("stop")
	assert.ErrorIs(t, db.Tx(ctx, func(store.Q) error { return stop }), stop)
}

func TestATransactionThatFailsKeepsNothing(t *testing.T) {
	db := testhouse.Empty(t)
	stop := errors.New("stop")
	err := db.Tx(ctx, func(q store.Q) error {
		if _, err := q.VarietyFor(ctx, "Lanternjaw", "pear"); err != nil {
			return err
		}
		return stop
	})
	require.ErrorIs(t, err, stop)
	vs, err := db.Q().Varieties(ctx)
	require.NoError(t, err)
	assert.Empty(t, vs)
}

func TestAFormsKeyLeadsToItsFirstAnswer(t *testing.T) {
	db := testhouse.Empty(t)
	const key = "0f0e0d0c-0b0a-4908-8706-050403020100"
	path, again, err := db.Q().Once(ctx, key, "first")
	require.NoError(t, err)
	assert.False(t, again)
	assert.Equal(t, "first", path)
	path, again, err = db.Q().Once(ctx, key, "second")
	require.NoError(t, err)
	assert.True(t, again)
	assert.Equal(t, "first", path)
}

func TestNamesAreFoundWhateverTheirLetters(t *testing.T) {
	db := testhouse.Empty(t)
	a, err := db.Q().VarietyFor(ctx, "Grey Ferryman", "pear")
	require.NoError(t, err)
	b, err := db.Q().VarietyFor(ctx, "grey ferryman", "pear")
	require.NoError(t, err)
	c, err := db.Q().VarietyFor(ctx, "Grey Ferryman", "quince")
	require.NoError(t, err)
	assert.Equal(t, a, b)
	assert.NotEqual(t, a, c)
}

func TestTheSeasonsEndStandsBeforeTheFirstLook(t *testing.T) {
	db := testhouse.Demo(t)
	q := db.Q()
	var row struct {
		ID     int64  `db:"id"`
		Code   string `db:"code"`
		LookID string `db:"look_id"`
	}
	require.NoError(
		t,
		db.Get(
			&row,
			`select t.id, t.code, t.look_id from tag t join take_count c on c.id = t.look_id where c.look = 'end of season' limit 1`,
		),
	)
	cs, err := q.Counts(ctx, row.ID)
	require.NoError(t, err)
	first := cs[0]
	require.Equal(t, "first look", first.Look)
	kept, err := q.AddCount(
		ctx,
		store.Count{
			ID:         "0f0e0d0c-0b0a-4908-8706-050403020101",
			TagID:      row.ID,
			Look:       "first look",
			CountedOn:  time.Now(),
			Taken:      1,
			Stood:      1,
			PersonID:   first.PersonID,
			At:         time.Now(),
			ReplacesID: &first.ID,
		},
		nil,
	)
	require.NoError(t, err)
	assert.True(t, kept)
	tag, err := q.TagByCode(ctx, row.Code)
	require.NoError(t, err)
	assert.Equal(t, row.LookID, *tag.LookID, "a corrected first look does not come before the season's end")
}
