// Package tagcode makes and checks the codes on tags and batches: two signs, a
// dash and four letters, such as R4-KMTE. The last letter is a check, so that
// one letter misread or two neighbours swapped never give another tag's code.
package tagcode

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
)

// letters are the alphabet less I, O and U, which are misread in mud and at
// arm's length. There are 23, a prime: that is what makes the check letter
// catch every single slip and every swap.
const letters = "ABCDEFGHJKLMNPQRSTVWXYZ"

// New makes a code from r.
func New(r *rand.Rand) string {
	b := []byte{letters[r.IntN(23)], byte('2' + r.IntN(8)), '-', letters[r.IntN(23)], letters[r.IntN(23)], letters[r.IntN(23)]}
	return string(append(b, check(b)))
}

// Errors that Parse gives.
var (
	ErrShape = errors.New("a tag code is a letter, a figure, a dash and four letters")
	ErrCheck = errors.New("the last letter does not fit the others: look again")
)

// Parse reads a code as typed or scanned: lower case, spaces, a missing dash
// and an address in front of it are forgiven.
func Parse(s string) (string, error) {
	s = strings.TrimSpace(s)
	if i := strings.LastIndexByte(s, '/'); i >= 0 {
		s = s[i+1:]
	}
	s = strings.ToUpper(strings.NewReplacer("-", "", " ", "", "–", "").Replace(s))
	if len(s) != 6 || s[1] < '2' || s[1] > '9' {
		return "", fmt.Errorf("%q: %w", s, ErrShape)
	}
	for i := range len(s) {
		if i != 1 && strings.IndexByte(letters, s[i]) < 0 {
			return "", fmt.Errorf("%q: %w", s, ErrShape)
		}
	}
	code := s[:2] + "-" + s[2:]
	if check([]byte(code[:6])) != code[6] {
		return "", fmt.Errorf("%s: %w", code, ErrCheck)
	}
	return code, nil
}

func check(b []byte) byte {
	sum := 0
	for i, c := range b {
		v := strings.IndexByte(letters, c)
		if c >= '0' && c <= '9' {
			v = int(c - '0')
		}
		if v < 0 {
			continue // the dash
		}
		sum += (i + 2) * v
	}
	return letters[sum%23]
}
