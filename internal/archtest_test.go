package internal_test

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestOneDirection holds the house's plan: web → nursery → store and core;
// core knows nobody, and imports the standard library and gonum only.
func TestOneDirection(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}}: {{join .Imports \" \"}}", "./...").Output()
	require.NoError(t, err)
	seen := 0
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		pkg, imports, _ := strings.Cut(line, ": ")
		for _, i := range strings.Fields(imports) {
			in := func(room string) bool { return strings.HasPrefix(i, "unionknot/internal/"+room) }
			switch {
			case strings.HasPrefix(pkg, "unionknot/internal/core"):
				seen++
				third := strings.Contains(strings.Split(i, "/")[0], ".")
				assert.True(t, in("core") || !third && !strings.HasPrefix(i, "unionknot/") || strings.HasPrefix(i, "gonum.org/"), "%s imports %s", pkg, i)
				assert.NotContains(t, []string{"net/http", "database/sql", "html/template", "os"}, i, pkg)
			case pkg == "unionknot/internal/store":
				assert.False(t, in("nursery") || in("web") || in("core"), "%s imports %s", pkg, i)
			case strings.HasPrefix(pkg, "unionknot/internal/nursery"):
				assert.False(t, in("web"), "%s imports %s", pkg, i)
			}
		}
	}
	assert.Greater(t, seen, 20)
}
