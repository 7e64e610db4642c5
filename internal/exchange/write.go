package exchange

import (
	"bufio"
	"fmt"
	"io"
	"strconv"
	"strings"
)

// writeCSV writes text in quotes throughout, so that no program takes a part of it for
// anything else; figures stand bare.
func writeCSV(w io.Writer, rows func(put func(cells []any) error) error) error {
	b := bufio.NewWriter(w)
	if err := rows(func(cells []any) error {
		for i, x := range cells {
			if i > 0 {
				b.WriteByte(',')
			}
			switch v := x.(type) {
			case float64:
				b.WriteString(strconv.FormatFloat(v, 'f', -1, 64))
			case int, int64, int32:
				fmt.Fprint(b, v)
			default:
				b.WriteString(quoted(Harmless(fmt.Sprint(v))))
			}
		}
		_, err := b.WriteString("\r\n") // an error of the lines before comes up here
		return err
	}); err != nil {
		return err
	}
	return b.Flush()
}

func quoted(s string) string {
	if s == "" {
		return ""
	}
	return `"` + strings.ReplaceAll(s, `"`, `""`) + `"`
}

// formulaStarts are the signs that make a spreadsheet take text for a formula.
const formulaStarts = "=+-@\t\r\n"

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
