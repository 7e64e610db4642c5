package books_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/books"
)

// TestBooksByHand keeps one tag's page and compares it with a page kept on paper.
func TestBooksByHand(t *testing.T) {
	b := books.New("first", "second")
	b.Tie("A", "O-1", 25)
	b.Tags["A"].Counts["first"] = books.Count{Alive: 20, Doubtful: 2, Dead: map[string]int{"dried out": 3}}
	assert.Equal(t, 22, b.Stood("A", "second"))
	b.Entries = append(b.Entries, &books.Entry{Kind: "sold", Tag: "A", N: 4, Order: "O-1", After: "first"},
		&books.Entry{Kind: "lost", Tag: "A", N: 1, Cause: "animals", After: "first"})
	assert.Equal(t, 17, b.Stood("A", "second"))
	x := b.Balance("O-1")
	require.NoError(t, x.Closes())
	assert.Equal(t, []int{15, 2, 0, 4, 4}, []int{x.Alive, x.Doubtful, x.Healing, x.Lost, x.Delivered})
	b.Entries = append(b.Entries, &books.Entry{Kind: "returned", Tag: "A", N: 2, Order: "O-1", After: "first"})
	assert.Equal(t, []int{19, 2}, []int{b.Standing("A"), b.Sent("A", "O-1")})
	require.NoError(t, b.Balance("O-1").Closes())
}
