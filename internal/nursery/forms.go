package nursery

import (
	"time"
)

// IsoDay writes a date as 2027-02-23; none is "".
func IsoDay(t *time.Time) string {
	if t == nil {
		return ""
	}
	return t.Format(time.DateOnly)
}

// Deref gives what p points to, or the zero value.
func Deref[T any](p *T) (v T) {
	if p != nil {
		v = *p
	}
	return v
}

// PageSize is how many lines a list shows before it goes on.
const PageSize = 40
