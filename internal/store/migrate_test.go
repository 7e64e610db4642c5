package store_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/store"
	"unionknot/internal/testhouse"
)

// TestMigrationsGoForwardOnly: a build older than the tables leaves them alone, and
// says so; the way down refuses.
func TestMigrationsGoForwardOnly(t *testing.T) {
	ctx := context.Background()
	db := testhouse.Empty(t)
	files, err := filepath.Glob("migrations/*.sql")
	require.NoError(t, err)
	db = testhouse.Owner(t, db)
	p, err := goose.NewProvider(goose.DialectPostgres, db.DB.DB, os.DirFS("migrations"))
	require.NoError(t, err)
	_, err = p.Down(ctx)
	assert.ErrorContains(t, err, "forward only")
	for _, f := range files {
		b, err := os.ReadFile(f)
		require.NoError(t, err)
		_, down, ok := strings.Cut(string(b), "-- +goose Down")
		assert.True(t, ok && strings.Contains(down, "raise exception"), f)
	}
	require.NoError(t, db.Migrate(ctx), "up to date: nothing to do")
	_, err = db.Exec(`insert into goose_db_version (version_id, is_applied) values (99999, true)`)
	require.NoError(t, err)
	assert.ErrorIs(t, db.Migrate(ctx), store.ErrNewer)
}

// TestAMigrationGivesUpALock: somebody holds a table that it changes. It waits a few
// seconds, changes nothing, and goes through once the table is free.
func TestAMigrationGivesUpALock(t *testing.T) {
	ctx := context.Background()
	db := testhouse.Bare(t)
	other := stdlib.OpenDB(*testhouse.Config(t, db))
	defer other.Close()
	old, err := goose.NewProvider(goose.DialectPostgres, other, os.DirFS("migrations"))
	require.NoError(t, err)
	_, err = old.UpTo(ctx, 16)
	require.NoError(t, err)
	tx, err := other.BeginTx(ctx, nil)
	require.NoError(t, err)
	_, err = tx.ExecContext(ctx, `lock table tag in access share mode`) // as a long report does
	require.NoError(t, err)
	begun := time.Now()
	assert.ErrorIs(t, db.Migrate(ctx), store.ErrBusy)
	assert.Less(t, time.Since(begun), 30*time.Second)
	var version int
	require.NoError(t, db.Get(&version, `select max(version_id) from goose_db_version`))
	assert.Equal(t, 16, version)
	require.NoError(t, tx.Rollback())
	require.NoError(t, db.Migrate(ctx))
}

// TestCountsOfBeforeAreLaidOnWhatStood: a later count of the release before gave its dead since tying, or since the count
// before. Both are laid on what stood; its causes keep what is not an earlier count's; what stands is what it was.
func TestCountsOfBeforeAreLaidOnWhatStood(t *testing.T) {
	ctx := context.Background()
	db := testhouse.Bare(t)
	other := stdlib.OpenDB(*testhouse.Config(t, db))
	defer other.Close()
	old, err := goose.NewProvider(goose.DialectPostgres, other, os.DirFS("migrations"))
	require.NoError(t, err)
	_, err = old.UpTo(ctx, 42)
	require.NoError(t, err)
	const first, second = "00000000-0000-4000-8000-00000000000", "00000000-0000-4000-8000-00000000001"
	tx, err := other.BeginTx(ctx, nil)
	require.NoError(t, err)
	for _, q := range []string{
		// Nothing of what the tags are of is needed.
		`do $$ declare c record; begin for c in select conname, conrelid::regclass as tab from pg_constraint where contype = 'f'
			and conrelid::regclass::text in ('any_tag', 'take_count') loop
			execute format('alter table %s drop constraint %I', c.tab, c.conname); end loop; end $$`,
		`alter table any_tag disable trigger user`, `alter table take_count disable trigger user`,
		`insert into any_tag (id, code, batch_id, lot_id, bundle_id, technique, worker_id, day, planned, tied, finished_at, started_at,
			stock_low, stock_high, wood_low, wood_high, mismatch, look_id, first_id, standing)
			overriding system value select n, 'T-' || n, 1, 1, 1, 'splice', 1, '2026-02-01', 25, 25, '2026-02-01', '2026-02-01',
				8, 9, 8, 9, 0,
			('` + second + `' || n)::uuid, ('` + first + `' || n)::uuid, 18 from generate_series(1, 3) n`,
		`insert into take_count (id, tag_id, look, counted_on, taken, doubtful, dead, person_id, at)
			select ('` + first + `' || n)::uuid, n, 'first look', '2026-03-01', 20, 0, 5, 1, '2026-03-01' from generate_series(1, 3) n`,
		// Since tying, since the count before, and more alive than there were.
		`insert into take_count (id, tag_id, look, counted_on, taken, doubtful, dead, person_id, at) values
			('` + second + `1', 1, 'end of season', '2026-09-01', 18, 0, 7, 1, '2026-09-01'),
			('` + second + `2', 2, 'end of season', '2026-09-01', 18, 0, 2, 1, '2026-09-01'),
			('` + second + `3', 3, 'end of season', '2026-09-01', 22, 0, 3, 1, '2026-09-01')`,
		`insert into count_cause (count_id, cause, n) values ('` + first + `1', 'dried out', 4), ('` + second + `1', 'dried out', 5),
			('` + second + `1', 'animals', 1), ('` + second + `2', 'animals', 2), ('` + second + `3', 'animals', 3)`,
		`alter table any_tag enable trigger user`, `alter table take_count enable trigger user`,
	} {
		_, err := tx.ExecContext(ctx, q)
		require.NoError(t, err, q)
	}
	require.NoError(t, tx.Commit())
	require.NoError(t, db.Migrate(ctx))
	var got []string
	require.NoError(t, db.Select(&got, `select t.code || ': ' || c.stood || ' stood, ' || c.dead || ' dead, ' || c.found || ' found, '
		|| c.missed || ' missed; ' || t.standing || ' stand, ' || t.lost || ' lost'
		|| coalesce((select '; ' || string_agg(x.n || ' ' || x.cause, ', ' order by x.cause) from count_cause x where x.count_id =
			c.id), '')
		from any_tag t join take_count c on c.id = t.look_id order by 1`))
	assert.Equal(t, []string{
		"T-1: 20 stood, 2 dead, 0 found, 0 missed; 18 stand, 7 lost; 1 animals, 1 dried out",
		"T-2: 20 stood, 2 dead, 0 found, 0 missed; 18 stand, 7 lost; 2 animals",
		"T-3: 20 stood, 0 dead, 2 found, 0 missed; 22 stand, 3 lost",
	}, got)
}
