package words_test

import (
	"encoding/json"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/words"
)

// TestEveryTongueHasWhatIsSaidBesideAWorkersPage: the titles of its drawings, and what practice
// does. The page's own texts are held by a test of the pages.
func TestEveryTongueHasWhatIsSaidBesideAWorkersPage(t *testing.T) {
	require.Len(t, words.Tongues, 3)
	for _, tongue := range words.Tongues[1:] {
		require.True(t, words.IsTongue(tongue.Key))
		for _, k := range []string{words.SeasonTitle, words.HourTitle, words.TurnTitle, words.PracticeTitle, words.PracticeUnit,
			words.OwnTitle} {
			assert.NotEqual(t, k, words.In(tongue.Key, k), tongue.Name)
		}
		for _, by := range [][2]float64{{0.01, 0.03}, {-0.04, -0.01}, {-0.02, 0.02}} {
			says := words.PracticeMoves(tongue.Key, by[0], by[1])
			assert.NotEqual(t, words.PracticeMoves("", by[0], by[1]), says)
			assert.NotContains(t, says, "!", tongue.Name)
		}
	}
	assert.Equal(t, "A text that nobody put into other words", words.In("pl", "A text that nobody put into other words"))
	assert.Equal(t, "A text that nobody put into other words", words.Tell("pl", "A text that nobody put into other words"))
	assert.False(t, words.IsTongue("xx"))
}

// TestTonguesHaveTheSameTexts: none has one that another lacks.
func TestTonguesHaveTheSameTexts(t *testing.T) {
	keys := map[string][]string{}
	for _, tongue := range words.Tongues[1:] {
		file, err := os.ReadFile("tongues/" + tongue.Key + ".json")
		require.NoError(t, err)
		says := map[string]string{}
		require.NoError(t, json.Unmarshal(file, &says))
		for english, told := range says {
			keys[english] = append(keys[english], tongue.Key)
			assert.NotEmpty(t, told, english)
		}
	}
	for english, in := range keys {
		assert.Len(t, in, len(words.Tongues)-1, "%q is in %v only", english, in)
	}
}

// TestTimesAndCountsInTongues: months and days by name, and the forms that a tongue counts with.
func TestTimesAndCountsInTongues(t *testing.T) {
	day := time.Date(2027, 2, 23, 15, 4, 0, 0, time.UTC)
	for tongue, says := range map[string][3]string{
		"":   {"Tue 23 February", "23 Feb 2027", "1,204 buds"},
		"es": {"mar 23 de febrero", "23 feb 2027", "1,204 yemas"},
		"pl": {"wt 23 lutego", "23 lut 2027", "1,204 oczka"},
	} {
		assert.Equal(t, says[0], words.On(tongue, day, "Mon 2 January"))
		assert.Equal(t, says[1], words.On(tongue, day, "2 Jan 2006"))
		assert.Equal(t, says[2], words.Counted(tongue, 1204, "bud", "buds"))
	}
	for n, says := range map[int]string{0: "0 oczek", 1: "1 oczko", 2: "2 oczka", 4: "4 oczka", 5: "5 oczek", 12: "12 oczek",
		22: "22 oczka"} {
		assert.Equal(t, says, words.Counted("pl", n, "bud", "buds"))
	}
	assert.Equal(t, "3 knives", words.Counted("pl", 3, "knife", "knives"), "what it has no words for is English, and counted so")
	assert.Equal(t, "1 knife", words.Counted("pl", 1, "knife", "knives"))
}
