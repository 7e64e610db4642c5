package exchange

import (
	"encoding/csv"
	"fmt"
	"io"
	"strconv"
	"strings"
)

func writeCSV(w io.Writer, names []string, rows func(add func(cells ...any) error) error) error {
	c := csv.NewWriter(w)
	if err := c.Write(names); err != nil {
		return err
	}
	err := rows(func(cells ...any) error {
		line := make([]string, len(cells))
		for i, x := range cells {
			switch v := x.(type) {
			case string:
				line[i] = Harmless(v)
			case float64:
				line[i] = strconv.FormatFloat(v, 'f', -1, 64)
			default:
				line[i] = fmt.Sprint(v)
			}
		}
		return c.Write(line)
	})
	c.Flush()
	if err != nil {
		return err
	}
	return c.Error()
}

// formulaStarts are the signs that make a spreadsheet take text for a formula.
const formulaStarts = "=+-@\t\r"

// Harmless makes text plain that a spreadsheet would take for a formula, by a
// quote before it.
func Harmless(s string) string {
	if s != "" && strings.ContainsRune(formulaStarts, rune(s[0])) {
		return "'" + s
	}
	return s
}

// plainText takes that quote off again.
func plainText(s string) string {
	if len(s) > 1 && s[0] == '\'' && strings.ContainsRune(formulaStarts, rune(s[1])) {
		return s[1:]
	}
	return s
}
