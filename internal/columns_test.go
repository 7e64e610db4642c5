package internal_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestNoLineIsTooLong holds sources to 140 columns, a tab being four of them.
func TestNoLineIsTooLong(t *testing.T) {
	const most = 140
	read := 0
	for _, root := range []string{"../cmd", "../internal", "../assets", "../scripts", "../Makefile"} {
		require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
			if err != nil {
				return err
			}
			if d.IsDir() {
				if slices.Contains([]string{"static", "testdata", "node_modules", "tongues"}, d.Name()) {
					return fs.SkipDir
				}
				return nil
			}
			if !slices.Contains([]string{".go", ".html", ".css", ".js", ".sql", ""}, filepath.Ext(path)) {
				return nil
			}
			text, err := os.ReadFile(path)
			require.NoError(t, err)
			read++
			for i, line := range strings.Split(string(text), "\n") {
				n := utf8.RuneCountInString(strings.ReplaceAll(line, "\t", "    "))
				assert.LessOrEqual(t, n, most, "%s, line %d", path, i+1)
			}
			return nil
		}))
	}
	assert.Greater(t, read, 500)
}
