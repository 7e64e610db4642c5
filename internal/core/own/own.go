// Package own keys what a house adds to the craft's tables. A technique, a tie or a way to
// heal of the house's own is cut, dated and drawn as the one that it was taken from; its
// figures, takes and prices are its own.
package own

import (
	"fmt"
	"strings"
)

// mark stands between a key and the number of a house's own.
const mark = "~"

// Key is the key of the nth of a house's own that are made as base is.
func Key(base string, n int) string { return fmt.Sprint(Base(base), mark, n) }

// Base is the key of what one is made as; of what was shipped, its own.
func Base(key string) string {
	base, _, _ := strings.Cut(key, mark)
	return base
}

// Is says whether a key is of a house's own.
func Is(key string) bool { return strings.Contains(key, mark) }
