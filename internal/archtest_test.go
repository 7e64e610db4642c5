package internal_test

import (
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// mayImport says which rooms of the house each may import beside itself, by
// prefix, the longest that fits.
var mayImport = map[string][]string{
	"core":           {"core"},
	"store":          {},
	"exchange":       {},
	"standin":        {"core"},
	"words":          {"core"},
	"snapshot":       {"store", "core"},
	"outlook":        {"snapshot", "store", "words", "core"},
	"nursery":        {"outlook", "snapshot", "store", "exchange", "words", "core"},
	"nursery/":       {"nursery", "outlook", "snapshot", "store", "exchange", "standin", "words", "core"},
	"nursery/stages": {"nursery", "store"},
	"calc":           {"core"},
	"copies":         {"store"},
	"demo":           {"nursery", "outlook", "snapshot", "store", "standin", "core"},
	"testhouse":      {"demo", "store"},
	"books":          {},
	"web":            {"web", "nursery", "outlook", "snapshot", "exchange", "standin", "words", "core"},
}

func rulesOf(room string) []string {
	best := ""
	for prefix := range mayImport {
		fits := room == prefix || strings.HasPrefix(room, prefix) && strings.HasSuffix(prefix, "/") || strings.HasPrefix(room, prefix+"/")
		// "nursery/" is the stages', "nursery" the kernel's alone.
		if fits && !(prefix == "nursery" && room != prefix) && len(prefix) > len(best) {
			best = prefix
		}
	}
	return mayImport[best]
}

// TestOneDirection holds the house's plan: web → stages → kernel → outlook →
// snapshot → store; words and outlook → core; a stage imports no other; core
// knows nobody, and imports the standard library and gonum only.
func TestOneDirection(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}}: {{join .Imports \" \"}}", "./...").Output()
	require.NoError(t, err)
	seen := 0
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		pkg, imports, _ := strings.Cut(line, ": ")
		room, ours := strings.CutPrefix(pkg, "unionknot/internal/")
		if !ours {
			continue
		}
		seen++
		for _, i := range strings.Fields(imports) {
			to, ours := strings.CutPrefix(i, "unionknot/internal/")
			if !ours {
				if strings.HasPrefix(room, "core") {
					assert.True(
						t,
						!strings.Contains(strings.Split(i, "/")[0], ".") || strings.HasPrefix(i, "gonum.org/"),
						"%s imports %s",
						room,
						i,
					)
					assert.NotContains(t, []string{"net/http", "database/sql", "html/template", "os"}, i, room)
				}
				continue
			}
			stage := strings.HasPrefix(room, "nursery/") && room != "nursery/stages"
			fits := slices.ContainsFunc(rulesOf(room), func(may string) bool {
				return to == may || strings.HasPrefix(to, may+"/") && !(stage && may == "nursery")
			})
			assert.True(t, fits, "%s imports %s", room, to)
		}
	}
	assert.Greater(t, seen, 40)
}

// TestNoTypeDoesEverything holds how many methods a type has: Service had 173.
func TestNoTypeDoesEverything(t *testing.T) {
	out, err := exec.Command("grep", "-rhoE", `^func \([a-z]+ \*?[A-Z][A-Za-z]*\) `, "--include=*.go", "--exclude=*_test.go", "nursery",
		"outlook", "snapshot").
		Output()
	require.NoError(t, err)
	n := map[string]int{}
	for _, l := range strings.Split(string(out), "\n") {
		if f := strings.Fields(l); len(f) == 3 && !strings.Contains(f[2], "Stage") {
			n[f[2]]++
		}
	}
	for name, k := range n {
		assert.LessOrEqual(t, k, 20, "%s", name)
	}
}
