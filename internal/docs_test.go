package internal_test

import (
	"os"
	"os/exec"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestEveryTestThatTheDocsNameIsThere: a line of these tables stands for a test.
func TestEveryTestThatTheDocsNameIsThere(t *testing.T) {
	found, err := exec.Command("grep", "-rhoE", "^func Test[A-Za-z0-9]+", "--include=*_test.go", ".", "../cmd").Output()
	require.NoError(t, err)
	for name, least := range map[string]int{"security.md": 60, "corrections.md": 10} {
		docs, err := os.ReadFile("../docs/" + name)
		require.NoError(t, err)
		named := regexp.MustCompile(`\bTest[A-Z][A-Za-z0-9]+`).FindAllString(string(docs), -1)
		assert.Greater(t, len(named), least, name)
		for _, test := range named {
			assert.Regexp(t, `(?m)^func `+test+`$`, string(found))
		}
	}
}
