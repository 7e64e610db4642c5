package words_test

import (
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/words"
)

// TestEveryTongueHasAllOfAWorkersPage reads the page's texts off its template: a tongue that
// lacks one would show English in between.
func TestEveryTongueHasAllOfAWorkersPage(t *testing.T) {
	page, err := os.ReadFile("../web/results/templates/worker.html")
	require.NoError(t, err)
	keys := []string{words.SeasonTitle, words.HourTitle, words.TurnTitle, words.PracticeTitle, words.PracticeUnit, words.OwnTitle}
	for _, m := range regexp.MustCompile(`(?s)\{\{in \$t\s+"([^"]+)"`).FindAllStringSubmatch(string(page), -1) {
		keys = append(keys, m[1])
	}
	require.Greater(t, len(keys), 25)
	require.Len(t, words.Tongues, 3)
	for _, tongue := range words.Tongues[1:] {
		require.True(t, words.IsTongue(tongue.Key))
		for _, k := range keys {
			args := []any{}
			for range strings.Count(k, "%d") {
				args = append(args, 7)
			}
			says := words.In(tongue.Key, k, args...)
			assert.NotEqual(t, words.In("", k, args...), says, "%s: %s", tongue.Name, k)
			assert.NotContains(t, says, "!", "%s: %s", tongue.Name, k)
		}
		for _, by := range [][2]float64{{0.01, 0.03}, {-0.04, -0.01}, {-0.02, 0.02}} {
			assert.NotEqual(t, words.PracticeMoves("", by[0], by[1]), words.PracticeMoves(tongue.Key, by[0], by[1]))
		}
	}
	assert.Equal(t, "7 of 9 grafts took.", words.In("", "%d of %d grafts took.", 7, 9))
	assert.Equal(t, "A text that nobody put into other words", words.In("pl", "A text that nobody put into other words"))
	assert.False(t, words.IsTongue("xx"))
}
