// Package exchange reads and writes the files that people bring and take
// away.
package exchange

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"
)

// Bounds of a file that is read. A small file may stand for a large table, so what comes
// out of it is bounded too: in columns, in letters a cell (a spreadsheet program's own
// bound), and in bytes of text in all.
const (
	MaxBytes   = 16 << 20
	MaxRows    = 200_000
	MaxColumns = 100
	MaxLetters = 32_767
	maxText    = 64 << 20
)

// Errors that say what is wrong with a whole file.
var (
	ErrNotText  = errors.New("this is neither a text file nor a spreadsheet; save the sheet as XLSX or CSV and load that")
	ErrEncoding = errors.New("the letters are not UTF-8; save it as \"CSV UTF-8\" and load that")
	ErrEmpty    = errors.New("the file is empty")
	ErrTooLarge = fmt.Errorf("the file is over %d MB or %d rows; split it", MaxBytes>>20, MaxRows)
	ErrText     = fmt.Errorf("the file's cells hold over %d MB of text in all; split it", maxText>>20)
)

// Table is a file's rows under its column names.
type Table struct {
	columns map[string]int
	Names   []string // as the file has them, in order
	Rows    []Row
	serial  bool // days may stand as a spreadsheet's numbers
	text    int  // bytes in all cells
}

// Row is one line of a table. Line is where it starts in the file, from 1.
type Row struct {
	Line  int
	cells []string
	t     *Table
}

// plain folds a column's name: "Stems (n)" and "stems_n" are the same.
func plain(name string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(name) {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
			b.WriteRune(r)
		}
	}
	return b.String()
}

// ReadCSV reads a table with a line of column names first. The separator may
// be a comma, a semicolon or a tab, and a byte order mark is passed over.
func ReadCSV(raw []byte) (*Table, error) {
	if len(raw) > MaxBytes {
		return nil, ErrTooLarge
	}
	raw = bytes.TrimPrefix(raw, []byte("\xef\xbb\xbf"))
	switch {
	case len(bytes.TrimSpace(raw)) == 0:
		return nil, ErrEmpty
	case bytes.HasPrefix(raw, []byte("\xff\xfe")), bytes.HasPrefix(raw, []byte("\xfe\xff")):
		return nil, fmt.Errorf("%w (it looks like UTF-16)", ErrEncoding)
	case bytes.HasPrefix(raw, []byte("PK\x03\x04")), bytes.IndexByte(raw, 0) >= 0:
		return nil, ErrNotText
	case !utf8.Valid(raw):
		return nil, fmt.Errorf("%w (it looks like Windows-1252 or another old Latin encoding)", ErrEncoding)
	}
	r := csv.NewReader(bytes.NewReader(raw))
	r.Comma = separator(raw)
	r.FieldsPerRecord = -1
	r.TrimLeadingSpace = true
	t := &Table{columns: map[string]int{}}
	for {
		cells, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		var pe *csv.ParseError
		if errors.As(err, &pe) {
			return nil, fmt.Errorf(
				"line %d: a quote is left open or stands in the middle of a word; mend it and load the file again",
				pe.Line,
			)
		} else if err != nil {
			return nil, err
		}
		line, _ := r.FieldPos(0)
		if err := t.add(line, cells); err != nil {
			return nil, err
		}
	}
	return t, t.whole()
}

// add takes a line in: the first that is not empty names the columns.
func (t *Table) add(line int, cells []string) error {
	if blank(cells) {
		return nil
	}
	if len(cells) > MaxColumns {
		return fmt.Errorf("line %d has %d columns, and %d are the most; take out what this list does not need", line, len(cells),
			MaxColumns)
	}
	for i, c := range cells {
		if t.text += len(c); t.text > maxText {
			return ErrText
		}
		if len(c) > MaxLetters && utf8.RuneCountInString(c) > MaxLetters {
			return fmt.Errorf("line %d, column %d: a cell holds over %d letters; shorten it", line, i+1, MaxLetters)
		}
	}
	if t.Names == nil {
		for i, name := range cells {
			name = strings.TrimSpace(name)
			if _, twice := t.columns[plain(name)]; twice && plain(name) != "" {
				return fmt.Errorf("line %d: two columns are called %q; take one out", line, name)
			}
			t.columns[plain(name)] = i
			t.Names = append(t.Names, name)
		}
		return nil
	}
	if len(t.Rows) == MaxRows {
		return ErrTooLarge
	}
	t.Rows = append(t.Rows, Row{line, cells, t})
	return nil
}

// whole says that there is something in the table.
func (t *Table) whole() error {
	if len(t.Rows) == 0 {
		return fmt.Errorf("there is a line of column names and nothing under it: %w", ErrEmpty)
	}
	return nil
}

func blank(cells []string) bool {
	for _, c := range cells {
		if strings.TrimSpace(c) != "" {
			return false
		}
	}
	return true
}

// separator is the one of comma, semicolon and tab that the first line has
// most of.
func separator(raw []byte) rune {
	first, _, _ := bytes.Cut(raw, []byte("\n"))
	best, n := ',', bytes.Count(first, []byte(","))
	for _, c := range []rune{';', '\t'} {
		if m := bytes.Count(first, []byte(string(c))); m > n {
			best, n = c, m
		}
	}
	return best
}

// Has says whether the table has a column.
func (t *Table) Has(column string) bool { _, ok := t.columns[plain(column)]; return ok }

// Missing lists which of the wanted columns the table lacks.
func (t *Table) Missing(columns ...string) []string {
	var out []string
	for _, c := range columns {
		if _, _, ok := t.measure(c); !t.Has(c) && !ok {
			out = append(out, c)
		}
	}
	return out
}

// Cell gives a column's text in this row, or "".
func (r Row) Cell(column string) string {
	i, ok := r.t.columns[plain(column)]
	if !ok || i >= len(r.cells) {
		return ""
	}
	return plainText(strings.TrimSpace(r.cells[i]))
}

// Mend puts another text in a cell, as somebody mended it in the preview. A column that the
// file lacks is added, empty elsewhere. It says whether there is such a line.
func (t *Table) Mend(line int, column, text string) bool {
	i, found := slices.BinarySearchFunc(t.Rows, line, func(r Row, line int) int { return r.Line - line })
	if !found {
		return false
	}
	at, ok := t.columns[plain(column)]
	if !ok {
		at = len(t.Names)
		t.columns[plain(column)], t.Names = at, append(t.Names, column)
	}
	cells := slices.Clone(t.Rows[i].cells)
	for len(cells) <= at {
		cells = append(cells, "")
	}
	cells[at] = text
	t.Rows[i].cells = cells
	return true
}

// Shown gives a column's text as people write it: a spreadsheet's own number for a day
// as the day, where days are in that column, and so with hours.
func (r Row) Shown(column string, day, hour bool) string {
	s := r.Cell(column)
	at, ok := (&Cells{Row: r}).serial(s)
	switch {
	case ok && day:
		return at.Format(time.DateOnly)
	case ok && hour:
		return at.Round(time.Second).Format("2006-01-02 15:04")
	}
	return s
}

// Bad is what is wrong with one cell.
type Bad struct {
	Line   int
	Column string
	Has    string // what stands there, shortened
	Says   string
}

// Cells reads typed cells of a row and gathers what is wrong with them.
type Cells struct {
	Row
	Bads []Bad
}

// Spoil notes something wrong with a column.
func (c *Cells) Spoil(column, format string, args ...any) {
	if other, _, ok := c.t.measure(column); ok && !c.t.Has(column) {
		column = other
	}
	c.Bads = append(c.Bads, Bad{c.Line, column, shortened(c.Cell(column), 200), shortened(fmt.Sprintf(format, args...), 400)})
}

// Spoiled says whether something is wrong with a column.
func (c *Cells) Spoiled(column string) bool {
	return slices.ContainsFunc(c.Bads, func(b Bad) bool { return plain(b.Column) == plain(column) })
}

// shortened cuts what a cell holds to the beginning that shows which is meant.
func shortened(s string, most int) string {
	if len(s) <= most {
		return s
	}
	if r := []rune(s[:min(len(s), 4*most+4)]); len(r) > most {
		return string(r[:most]) + "…"
	}
	return s
}

// cellShown is how many letters of a cell that cannot be read are shown.
const cellShown = 60

// Int reads a whole number; an empty cell is 0.
func (c *Cells) Int(column string) int {
	s := c.Cell(column)
	if s == "" {
		return 0
	}
	n, err := ParseWhole(s)
	if err != nil {
		c.Spoil(column, "%q is not a whole number.", shortened(s, cellShown))
	}
	return n
}

// thousands is a whole number whose thousands are set apart.
var thousands = regexp.MustCompile(`^-?\d{1,3}(?:[, '\x{a0}\x{202f}]\d{3})+$`)

// ParseWhole reads a whole number, whose thousands may be set apart by a comma, a blank or
// an apostrophe, but not by a point: 1.000 is one to some and a thousand to others.
func ParseWhole(s string) (int, error) {
	if thousands.MatchString(s) {
		s = strings.NewReplacer(",", "", " ", "", "'", "", "\u00a0", "", "\u202f", "").Replace(s)
	}
	return strconv.Atoi(s)
}

// measure finds a column of the same measure in another unit: inches for
// millimetres, °F for °C. turn makes the one of the other.
func (t *Table) measure(column string) (other string, turn func(float64) float64, ok bool) {
	inches := func(x float64) float64 { return math.Round(x*2540) / 100 }
	fahrenheit := func(x float64) float64 { return math.Round((x-32)/1.8*100) / 100 }
	switch base, isMM := strings.CutSuffix(plain(column), "mm"); {
	case isMM:
		for _, end := range []string{"in", "inch", "inches"} {
			if t.Has(base + end) {
				return base + end, inches, true
			}
		}
	case strings.HasSuffix(plain(column), "c"):
		if other := strings.TrimSuffix(plain(column), "c") + "f"; t.Has(other) {
			return other, fahrenheit, true
		}
	}
	return "", nil, false
}

// Number reads a number with a decimal point or comma; an empty cell is 0. A
// column in mm may stand in inches instead, named so, and one in °C in °F.
func (c *Cells) Number(column string) float64 {
	turn := func(x float64) float64 { return x }
	if !c.t.Has(column) {
		if other, t, ok := c.t.measure(column); ok {
			column, turn = other, t
		}
	}
	s := c.Cell(column)
	if s == "" {
		return 0
	}
	x, err := ParseNumber(s)
	if err != nil {
		c.Spoil(column, "%s", err)
		return 0
	}
	return turn(x)
}

// ParseNumber reads a number with a decimal point or a decimal comma.
func ParseNumber(s string) (float64, error) {
	t := strings.TrimSpace(s)
	if strings.Count(t, ",") == 1 && !strings.Contains(t, ".") {
		t = strings.Replace(t, ",", ".", 1)
	}
	x, err := strconv.ParseFloat(t, 64)
	if err != nil || x != x || x > 1e12 || x < -1e12 {
		return 0, fmt.Errorf("%q is not a number", shortened(s, cellShown))
	}
	return x, nil
}

// Date reads a day; an empty cell is the zero time.
func (c *Cells) Date(column string) time.Time {
	s := c.Cell(column)
	if s == "" {
		return time.Time{}
	}
	if at, ok := c.serial(s); ok {
		return time.Date(at.Year(), at.Month(), at.Day(), 0, 0, 0, 0, time.UTC)
	}
	t, err := ParseDate(s)
	if err != nil {
		c.Spoil(column, "%s", err)
	}
	return t
}

// serial reads a spreadsheet's own number for a day and an hour.
func (c *Cells) serial(s string) (time.Time, bool) {
	if !c.t.serial {
		return time.Time{}, false
	}
	x, err := strconv.ParseFloat(s, 64)
	if err != nil || x < 3000 || x > 100_000 {
		return time.Time{}, false
	}
	at, err := excelize.ExcelDateToTime(x, false)
	return at, err == nil
}

// Time reads a day and an hour, in this place's time unless it says another.
func (c *Cells) Time(column string) time.Time {
	s := c.Cell(column)
	if s == "" {
		return time.Time{}
	}
	if at, ok := c.serial(s); ok {
		at = at.Round(time.Second)
		return time.Date(at.Year(), at.Month(), at.Day(), at.Hour(), at.Minute(), at.Second(), 0, time.Local)
	}
	for _, layout := range []string{time.RFC3339, "2006-01-02T15:04:05", "2006-01-02T15:04", "2006-01-02 15:04:05", "2006-01-02 15:04",
		"2.1.2006 15:04", "2.1.2006 15:04:05"} {
		if t, err := time.ParseInLocation(layout, s, time.Local); err == nil {
			return t
		}
	}
	c.Spoil(column, "%q is not a day and an hour; write it as 2027-01-14 06:30.", shortened(s, cellShown))
	return time.Time{}
}

// ParseDate reads 2027-01-14 or 14.1.2027. Slashes are refused: they are read
// one way here and the other way there.
func ParseDate(s string) (time.Time, error) {
	for _, layout := range []string{time.DateOnly, "2.1.2006"} {
		if t, err := time.Parse(layout, strings.TrimSpace(s)); err == nil && t.Year() > 1900 && t.Year() < 2200 {
			return t, nil
		}
	}
	return time.Time{}, fmt.Errorf("%q is not a day; write it as 2027-01-14", shortened(s, cellShown))
}
