package words

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/technique"
)

// Pct writes a share as a percentage.
func Pct(x float64) string { return fmt.Sprintf("%.0f %%", x*100) }

// PctRange writes an interval as percentages.
func PctRange(i sizing.Interval) string { return fmt.Sprintf("%.0f–%.0f %%", i.Low*100, i.High*100) }

// Money writes cents in the house's money.
func Money(cents int) string { return fmt.Sprintf("%d.%02d", cents/100, cents%100) }

// Capital begins a sentence with a capital.
func Capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// ShutSays gives why a technique is shut, and when it opens.
func ShutSays(s technique.Standing) string {
	if s.Opens.IsZero() {
		return Standing(s)
	}
	return Standing(s) + "; opens " + season.Say(s.Opens)
}

// Thousands writes a count with commas.
func Thousands(n int) string {
	s := strconv.Itoa(n)
	for i := len(s) - 3; i > 0 && s[i-1] != '-'; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// MoneyOr writes an amount that may not be there; "" where it is not.
func MoneyOr(cents *int) string {
	if cents == nil {
		return ""
	}
	return Money(*cents)
}

// Ago says how long ago something was.
func Ago(d time.Duration) string {
	for _, u := range []struct {
		of   time.Duration
		name string
	}{{24 * time.Hour, "day"}, {time.Hour, "hour"}, {time.Minute, "minute"}} {
		switch n := int(d / u.of); {
		case n == 1:
			return "1 " + u.name + " ago"
		case n > 1:
			return fmt.Sprintf("%d %ss ago", n, u.name)
		}
	}
	return "a moment ago"
}
