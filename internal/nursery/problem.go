package nursery

import (
	"errors"
	"fmt"
	"regexp"
	"strings"

	"unionknot/internal/store"
	"unionknot/internal/words"
)

var UUIDPattern = regexp.MustCompile(`^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$`)

// Short turns a balance that would go below zero into words.
func Short(err error, field, says string) error {
	if errors.Is(err, store.ErrShort) {
		return Problem{field, says}
	}
	return err
}

// Errors that use cases give beside a Problem.
var (
	ErrNotAllowed = errors.New("not allowed")
	ErrNotFound   = store.ErrNotFound
	ErrFull       = store.ErrFull // nothing can be kept until there is room
	ErrBusy       = store.ErrBusy // something held what was needed for too long
	ErrLong       = store.ErrLong // a text is longer than the tables keep
)

// Problem is something wrong with what was asked, in words that say what to
// do. Field names the form's field, or is "".
type Problem struct{ Field, Says string }

// Error is what people read.
func (p Problem) Error() string { return p.Says }

// Problems is every problem found at once.
type Problems []Problem

// Error is every problem in a line.
func (ps Problems) Error() string {
	says := make([]string, len(ps))
	for i, p := range ps {
		says[i] = p.Says
	}
	return strings.Join(says, "; ")
}

// Add notes a problem with a form's field.
func (ps *Problems) Add(field, format string, args ...any) {
	*ps = append(*ps, Problem{field, fmt.Sprintf(format, args...)})
}

// Err gives the problems, or nil where there are none.
func (ps Problems) Err() error {
	if len(ps) == 0 {
		return nil
	}
	return ps
}

// codePattern is what people may use as a code of their own.
var codePattern = regexp.MustCompile(`^[A-Z0-9][A-Z0-9.-]{0,23}$`)

// CleanCode reads a code as it was typed or scanned.
func CleanCode(s string) string { return strings.ToUpper(strings.TrimSpace(s)) }

// CleanGenus reads a genus however its letters were typed: its key is in small ones.
func CleanGenus(s string) string { return strings.ToLower(strings.TrimSpace(s)) }

// CheckCode notes a code that cannot be one.
func CheckCode(ps *Problems, field, code string) {
	if !codePattern.MatchString(code) {
		ps.Add(field, words.ACodeIsUpTo)
	}
}

// Taken turns a code that is already in use into words.
func Taken(err error, field, what, code string) error {
	if errors.Is(err, store.ErrTaken) {
		return Problem{field, fmt.Sprintf(words.CodeIsTaken, what, code)}
	}
	return err
}

// CheckWhy trims a reason, which must be given, in up to 300 letters.
func CheckWhy(why string) (string, error) {
	why = strings.Join(strings.Fields(why), " ")
	if why == "" || len([]rune(why)) > 300 {
		return why, Problem{"let_why", words.SayWhyOnTag}
	}
	return why, nil
}
