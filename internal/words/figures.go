package words

import (
	"fmt"
	"math"
	"strconv"
	"time"
	"unicode"
	"unicode/utf8"

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

// Capital begins a sentence with a capital, whatever letter it is.
func Capital(s string) string {
	r, n := utf8.DecodeRuneInString(s)
	if n == 0 {
		return s
	}
	return string(unicode.ToUpper(r)) + s[n:]
}

// Upto is the beginning of a text, of so many letters at most.
func Upto(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most])
	}
	return s
}

// Rounded is a figure to two places, so that what a computer adds to it is not shown.
func Rounded(x float64) float64 { return math.Round(x*100) / 100 }

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
