package copies_test

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/copies"
	"unionknot/internal/testhouse"
)

var (
	ctx = context.Background()
	now = time.Date(2027, time.February, 23, 2, 30, 0, 0, time.UTC)
)

// TestACopyBringsTheHouseBack copies the demo, breaks the copy, and brings it back.
func TestACopyBringsTheHouseBack(t *testing.T) {
	db := testhouse.Demo(t)
	_, err := db.Exec(`insert into sessions (token, data, expiry) values ('secret', 'x', now() + interval '1 day')`)
	require.NoError(t, err)
	dir := t.TempDir()
	path, r, err := copies.Backup(ctx, db, testhouse.Address(t, db), dir, 3, now)
	require.NoError(t, err)
	assert.NotEqual(t, "0", r.Holds["rows of tap"])
	assert.NotContains(t, r.Holds, "rows of sessions")
	for _, p := range []string{path, path + ".json"} {
		at, err := os.Stat(p)
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o600), at.Mode().Perm(), "others on the machine do not read it")
	}

	_, err = copies.Restore(ctx, db, testhouse.Address(t, db), path)
	assert.ErrorIs(t, err, copies.ErrNotEmpty)

	broken := filepath.Join(dir, "broken.dump")
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	b[len(b)/2] ^= 1
	require.NoError(t, os.WriteFile(broken, b, 0o600))
	rec, err := os.ReadFile(path + ".json")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(broken+".json", rec, 0o600))
	empty := testhouse.Bare(t)
	_, err = copies.Restore(ctx, empty, testhouse.Address(t, empty), broken)
	assert.ErrorIs(t, err, copies.ErrBroken)
	_, err = copies.Restore(ctx, empty, testhouse.Address(t, empty), filepath.Join(dir, "none.dump"))
	assert.Error(t, err)

	back, err := copies.Restore(ctx, empty, testhouse.Address(t, empty), path)
	require.NoError(t, err)
	assert.Equal(t, r.Holds, back.Holds)
	var sessions int
	require.NoError(t, empty.Get(&sessions, `select count(*) from sessions`))
	assert.Zero(t, sessions, "nobody is signed in by a copy")
	wrong, err := copies.Check(ctx, empty)
	require.NoError(t, err)
	assert.Empty(t, wrong)
	require.NoError(t, empty.Migrate(ctx), "it goes on from there")

	// What is not right within is found.
	_, err = empty.Exec(`alter table stock_balance disable trigger user; update stock_balance set n = n + 1 where account = 'grafted'`)
	require.NoError(t, err)
	wrong, err = copies.Check(ctx, empty)
	require.NoError(t, err)
	assert.NotEmpty(t, wrong)
}

func TestCopiesAreRotated(t *testing.T) {
	db := testhouse.Empty(t)
	dir := t.TempDir()
	for i := range 4 {
		_, _, err := copies.Backup(ctx, db, testhouse.Address(t, db), dir, 2, now.AddDate(0, 0, i))
		require.NoError(t, err)
	}
	left, err := filepath.Glob(filepath.Join(dir, "*"))
	require.NoError(t, err)
	assert.Len(t, left, 4, "two copies, each with its record, and no part of one")
	newest, err := copies.Newest(dir)
	require.NoError(t, err)
	assert.Equal(t, now.AddDate(0, 0, 3), newest)
	var at time.Time
	require.NoError(t, db.Get(&at, `select copied_at from house`))
	assert.True(t, at.Equal(newest))
}

// TestADataPackageComesBackEqual writes the demo as a package, brings it into an empty
// house and writes that: every file is the same.
func TestADataPackageComesBackEqual(t *testing.T) {
	db := testhouse.Demo(t)
	var one bytes.Buffer
	require.NoError(t, copies.Export(ctx, db, &one, now))
	other := testhouse.Owner(t, testhouse.Empty(t))
	require.NoError(t, copies.Import(ctx, other, bytes.NewReader(one.Bytes()), int64(one.Len())))
	var two bytes.Buffer
	require.NoError(t, copies.Export(ctx, other, &two, now))
	a, b := unzip(t, one.Bytes()), unzip(t, two.Bytes())
	require.Len(t, b, len(a))
	for name, text := range a {
		assert.Equal(t, string(text), string(b[name]), name)
	}
	assert.NotContains(t, string(a["data/person.csv"]), "argon2id", "secrets are withheld")

	var d struct {
		Resources []struct {
			Path   string `json:"path"`
			Schema struct {
				Fields []struct {
					Name string `json:"name"`
					Type string `json:"type"`
				} `json:"fields"`
			} `json:"schema"`
		} `json:"resources"`
	}
	require.NoError(t, json.Unmarshal(a["datapackage.json"], &d))
	assert.Len(t, a, len(d.Resources)+1, "each file is described")
	for _, r := range d.Resources {
		assert.Contains(t, a, r.Path)
		assert.NotEmpty(t, r.Schema.Fields)
	}

	// Numbers go on, and nothing goes into a house that is not empty.
	var id, most int64
	require.NoError(t, other.Get(&most, `select max(id) from any_lot`))
	require.NoError(t, other.Get(&id, `select nextval(pg_get_serial_sequence('any_lot', 'id'))`))
	assert.Equal(t, most+1, id)
	assert.ErrorIs(t, copies.Import(ctx, other, bytes.NewReader(one.Bytes()), int64(one.Len())), copies.ErrNotEmpty)
}

func TestAPackageThatIsNoneIsRefusedWhole(t *testing.T) {
	db := testhouse.Empty(t)
	assert.ErrorIs(t, copies.Import(ctx, db, bytes.NewReader([]byte("no zip")), 6), copies.ErrOther)
	var whole bytes.Buffer
	require.NoError(t, copies.Export(ctx, testhouse.Demo(t), &whole, now))
	files := unzip(t, whole.Bytes())
	for name, change := range map[string]func(map[string][]byte){
		"a file is missing": func(f map[string][]byte) { delete(f, "data/tag_thread.csv") },
		"a row leads nowhere": func(f map[string][]byte) {
			f["data/batch.csv"] = f["data/batch.csv"][:bytes.IndexByte(f["data/batch.csv"], '\n')+1]
		},
		"a column is not known": func(f map[string][]byte) {
			f["data/variety.csv"] = bytes.Replace(f["data/variety.csv"], []byte("name"), []byte("nume"), 1)
		},
		"the description is gone": func(f map[string][]byte) { delete(f, "datapackage.json") },
	} {
		t.Run(name, func(t *testing.T) {
			other := map[string][]byte{}
			for k, v := range files {
				other[k] = v
			}
			change(other)
			b := rezip(t, other)
			assert.Error(t, copies.Import(ctx, db, bytes.NewReader(b), int64(len(b))))
			var people, lots int
			require.NoError(t, db.Get(&people, `select count(*) from person`))
			require.NoError(t, db.Get(&lots, `select count(*) from stock_lot`))
			assert.Zero(t, people+lots, "nothing of it is kept")
		})
	}
}

func unzip(t *testing.T, b []byte) map[string][]byte {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	require.NoError(t, err)
	out := map[string][]byte{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		out[f.Name], err = io.ReadAll(r)
		require.NoError(t, err)
		r.Close()
	}
	return out
}

func rezip(t *testing.T, files map[string][]byte) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range files {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write(text)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}
