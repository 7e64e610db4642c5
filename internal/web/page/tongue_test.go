package page

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/words"
)

// inTongues are the pages that every tongue has whole: those of whoever grafts, buds and counts.
var inTongues = []string{"bench/list", "bench/card", "heal/count", "results/worker"}

// TestEveryPageCanBeTold makes every page in every tongue, told or not: none is a fault, and
// those of the bench lack nothing.
func TestEveryPageCanBeTold(t *testing.T) {
	t.Parallel()
	stages, err := filepath.Glob("../*/templates")
	require.NoError(t, err)
	require.Greater(t, len(stages), 12)
	whole := 0
	for _, dir := range stages {
		stage := filepath.Base(filepath.Dir(dir))
		if stage == "page" {
			continue
		}
		for name, v := range Views(os.DirFS(filepath.Dir(dir))) {
			for _, tongue := range words.Tongues[1:] {
				told, lacks := v.tell(tongue.Key)
				assert.NotNil(t, told.Lookup("layout"))
				_, is := v.in(tongue.Key)
				assert.Equal(t, len(lacks) == 0, is == tongue.Key, "%s/%s: a page is in a tongue where nothing of it lacks", stage, name)
				for _, p := range inTongues {
					if p == stage+"/"+name {
						whole++
						assert.Empty(t, lacks, "%s in %s lacks\n%s", p, tongue.Name, strings.Join(lacks, "\n"))
					}
				}
			}
		}
	}
	assert.Equal(t, len(inTongues)*(len(words.Tongues)-1), whole)
}
