package internal_test

import (
	"os"
	"os/exec"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestEveryTestThatTheDocsNameIsThere: a line of docs/security.md stands for a test.
func TestEveryTestThatTheDocsNameIsThere(t *testing.T) {
	docs, err := os.ReadFile("../docs/security.md")
	require.NoError(t, err)
	named := regexp.MustCompile(`\bTest[A-Z][A-Za-z0-9]+`).FindAllString(string(docs), -1)
	require.Greater(t, len(named), 60)
	found, err := exec.Command("grep", "-rhoE", "^func Test[A-Za-z0-9]+", "--include=*_test.go", ".", "../cmd").Output()
	require.NoError(t, err)
	for _, name := range named {
		assert.Regexp(t, `(?m)^func `+name+`$`, string(found))
	}
}
