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
