package words_test

import (
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/words"
)

// TestNamesAreNotCutInsideALetter begins and cuts texts whose letters take several bytes.
func TestNamesAreNotCutInsideALetter(t *testing.T) {
	assert.Equal(t, "Éluard", words.Capital("éluard"))
	assert.Equal(t, "", words.Capital(""))
	assert.Equal(t, "żó", words.Upto("żółw", 2))
	assert.True(t, utf8.ValidString(words.Upto("żółwżółwżółw", 5)))
	assert.Equal(t, 8.4, words.Rounded(8.400000000000002))
}
