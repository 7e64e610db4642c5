package main

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/store"
	"unionknot/internal/testhouse"
)

// as gives an address with another role's rights.
func as(t *testing.T, dsn, role string) string {
	t.Helper()
	u, err := url.Parse(dsn)
	require.NoError(t, err)
	q := u.Query()
	q.Del("role")
	if role != "" {
		q.Set("role", role)
	}
	u.RawQuery = q.Encode()
	return u.String()
}

// TestTheOwnerMigratesAndTheServerServes: the server is let in by the owner, waits where
// the tables are not up to date, and does not serve as one who may do anything.
func TestTheOwnerMigratesAndTheServerServes(t *testing.T) {
	ctx := context.Background()
	bare := testhouse.Bare(t)
	owner := testhouse.Address(t, bare)
	s := settings{DB: as(t, owner, "unionknot"), OwnerDB: owner}

	alone := settings{DB: s.DB}
	_, err := alone.housed(ctx, testhouse.Quiet)
	require.Error(t, err, "no tables, and nobody who may make them")

	// The role in the tests' address is that of its parameter; the one that signs in is let in.
	require.NoError(t, s.current(ctx))
	require.NoError(t, bare.GrantTo(ctx, "unionknot"))
	db, err := s.housed(ctx, testhouse.Quiet)
	require.NoError(t, err)
	at, err := db.Standing(ctx)
	require.NoError(t, err)
	assert.Equal(t, store.Standing{Role: "unionknot"}, at)
	db.Close()

	// A build that knows more than the tables.
	_, err = bare.Exec(`delete from goose_db_version where version_id = (select max(version_id) from goose_db_version)`)
	require.NoError(t, err)
	_, err = alone.housed(ctx, testhouse.Quiet)
	assert.ErrorContains(t, err, "run unionknot migrate")

	_, err = settings{DB: as(t, owner, "")}.housed(ctx, testhouse.Quiet)
	assert.ErrorIs(t, err, store.ErrTooStrong)
}

// TestThePasswordMayStandInAFile: in none of the settings, and on no command line.
func TestThePasswordMayStandInAFile(t *testing.T) {
	db := testhouse.Empty(t)
	conf, err := pgx.ParseConfig(testhouse.Address(t, db))
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "pgpass")
	require.NoError(t, os.WriteFile(file, fmt.Appendf(nil, "%s:%d:*:%s:%s\n", conf.Host, conf.Port, conf.User, conf.Password), 0o600))
	dsn := fmt.Sprintf("postgres://%s@%s:%d/%s?role=unionknot", conf.User, conf.Host, conf.Port, conf.Database)
	_, err = settings{DB: dsn}.open(t.Context())
	require.Error(t, err, "without the file")
	t.Setenv("PGPASSFILE", file)
	other, err := settings{DB: dsn}.open(t.Context())
	require.NoError(t, err)
	other.Close()
}

func TestProxiesAreAddressesOrNetworks(t *testing.T) {
	got, err := settings{Proxies: "127.0.0.1, 10.0.0.0/8,::1"}.proxies()
	require.NoError(t, err)
	assert.Equal(t, "[127.0.0.1/32 10.0.0.0/8 ::1/128]", fmt.Sprint(got))
	_, err = settings{Proxies: "the proxy"}.proxies()
	assert.ErrorContains(t, err, "is no address and no network")
}

func TestNoMetricsAreNone(t *testing.T) {
	for set, want := range map[string]string{"": "", "none": "", "127.0.0.1:1": "127.0.0.1:1"} {
		t.Setenv("UNIONKNOT_METRICS", set)
		s, err := readSettings()
		require.NoError(t, err)
		assert.Equal(t, want, s.Metrics)
	}
	require.NoError(t, os.Unsetenv("UNIONKNOT_METRICS"))
	s, err := readSettings()
	require.NoError(t, err)
	assert.Equal(t, "127.0.0.1:9464", s.Metrics)
}
