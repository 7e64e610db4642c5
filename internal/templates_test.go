package internal_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var (
	paragraph = regexp.MustCompile(`(?s)<p\b(?:[^<>{]|\{\{.*?\}\})*>(.*?)(?:</p>|$)`)
	block     = regexp.MustCompile(`<(?:div|ul|ol|dl|table|details|form|section|aside|h\d|pre)\b|` +
		`\{\{-? *template "(?:fig|working|sure|loadbox|effect)"`)
)

// TestParagraphsHoldNoBlocks: a browser ends a paragraph where a block begins, and what stands
// behind it in the source is then outside of it. A figure that opens its working is a block.
func TestParagraphsHoldNoBlocks(t *testing.T) {
	files, err := filepath.Glob("web/*/templates/*.html")
	require.NoError(t, err)
	assert.Greater(t, len(files), 60)
	read := 0
	for _, f := range files {
		text, err := os.ReadFile(f)
		require.NoError(t, err)
		for _, m := range paragraph.FindAllSubmatchIndex(text, -1) {
			read++
			held := string(text[m[2]:m[3]])
			assert.Empty(t, block.FindString(held), "%s, line %d", f, 1+strings.Count(string(text[:m[0]]), "\n"))
		}
	}
	assert.Greater(t, read, 500)
}
