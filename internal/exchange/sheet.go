package exchange

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"

	"github.com/xuri/excelize/v2"
)

// Bounds of a spreadsheet once unpacked: a small file can hold a bomb.
const (
	maxUnzipped = 192 << 20
	maxPart     = 128 << 20
)

// Errors that say what is wrong with a spreadsheet.
var (
	ErrMacros   = errors.New("the file holds macros; save it as a plain XLSX sheet without them, or as CSV, and load that")
	ErrOldSheet = errors.New("this is the old XLS format; save it as XLSX or as CSV, and load that")
	ErrUnpacked = fmt.Errorf("the file unpacks to over %d MB; split it", maxUnzipped>>20)
	ErrSheet    = errors.New("this is no spreadsheet that can be read; save it as XLSX or as CSV, and load that")
)

// Read reads a table from a CSV or XLSX file, whichever it is.
func Read(raw []byte) (*Table, error) {
	switch {
	case bytes.HasPrefix(raw, []byte("PK\x03\x04")):
		return ReadXLSX(raw)
	case bytes.HasPrefix(raw, []byte{0xd0, 0xcf, 0x11, 0xe0}):
		return nil, ErrOldSheet
	}
	return ReadCSV(raw)
}

// ReadXLSX reads the first sheet of a spreadsheet, a line of column names
// first. A formula is refused, with its cell: what it would give depends on
// the program that opens it.
func ReadXLSX(raw []byte) (t *Table, err error) {
	if len(raw) > MaxBytes {
		return nil, ErrTooLarge
	}
	if err := soundZip(raw); err != nil {
		return nil, err
	}
	defer func() { // the reader trusts what it unpacks; a crafted file may not bear it
		if recover() != nil {
			t, err = nil, ErrSheet
		}
	}()
	f, err := excelize.OpenReader(
		bytes.NewReader(raw),
		excelize.Options{UnzipSizeLimit: maxUnzipped, UnzipXMLSizeLimit: maxPart, RawCellValue: true},
	)
	if err != nil {
		return nil, ErrSheet
	}
	defer f.Close()
	names := f.GetSheetList()
	if len(names) == 0 {
		return nil, ErrEmpty
	}
	rows, err := f.Rows(names[0])
	if err != nil {
		return nil, ErrSheet
	}
	defer rows.Close()
	t = &Table{columns: map[string]int{}, serial: true}
	for line := 1; rows.Next(); line++ {
		cells, err := rows.Columns()
		if err != nil {
			return nil, ErrSheet
		}
		if err := t.add(line, cells); err != nil {
			return nil, err
		}
	}
	if rows.Error() != nil {
		return nil, ErrSheet
	}
	return t, t.whole()
}

// soundZip looks through a spreadsheet's parts before anything is made of
// them.
func soundZip(raw []byte) error {
	z, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
	if err != nil {
		return ErrSheet
	}
	left := int64(maxUnzipped)
	for _, part := range z.File {
		name := strings.ToLower(part.Name)
		if strings.Contains(path.Base(name), "vbaproject") || strings.Contains(name, "macrosheets/") {
			return ErrMacros
		}
		r, err := part.Open()
		if err != nil {
			return ErrSheet
		}
		// What a part says of its own size may be a lie: count what comes out.
		counted := &counter{r: io.LimitReader(r, min(left, maxPart)+1)}
		if strings.HasPrefix(name, "xl/worksheets/") && strings.HasSuffix(name, ".xml") {
			err = plainCells(counted)
		} else {
			_, err = io.Copy(io.Discard, counted)
		}
		r.Close()
		left -= counted.n
		switch {
		case left < 0 || counted.n > maxPart:
			return ErrUnpacked
		case err != nil:
			return err
		}
	}
	return nil
}

type counter struct {
	r io.Reader
	n int64
}

func (c *counter) Read(b []byte) (int, error) {
	n, err := c.r.Read(b)
	c.n += int64(n)
	return n, err
}

// plainCells refuses a sheet whose cells do not each say what they hold: formulas, and cells
// that are merged.
func plainCells(r io.Reader) error {
	d := xml.NewDecoder(r)
	cell := ""
	for {
		tok, err := d.RawToken()
		if errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return ErrSheet
		}
		s, ok := tok.(xml.StartElement)
		if !ok {
			continue
		}
		switch s.Name.Local {
		case "c":
			for _, a := range s.Attr {
				if a.Name.Local == "r" {
					cell = a.Value
				}
			}
		case "f":
			return fmt.Errorf("cell %s holds a formula; paste the sheet's values without formulas, and load that", cell)
		case "mergeCell":
			for _, a := range s.Attr {
				if a.Name.Local == "ref" {
					return fmt.Errorf("the cells %s are merged, so it is not known what stands in each; take the merging apart, fill each "+
						"cell, "+
						"and load that", shortened(a.Value, 30))
				}
			}
		}
	}
}

// Format is a kind of file to write.
type Format string

// The formats that lists are written in.
const (
	CSV  Format = "csv"
	XLSX Format = "xlsx"
)

// Write writes a table: the column names, then each row that rows gives. Text
// that a spreadsheet would take for a formula is made plain text.
func Write(w io.Writer, f Format, names []string, rows func(add func(cells ...any) error) error) error {
	return WriteRows(w, f, func(head func([]string) error, add func(...any) error) error {
		if err := head(names); err != nil {
			return err
		}
		return rows(add)
	})
}

// WriteRows writes a table whose column names are known only once its rows are: rows gives
// the names first.
func WriteRows(w io.Writer, f Format, rows func(head func(names []string) error, add func(cells ...any) error) error) error {
	all := func(put func(cells []any) error) error {
		head := func(names []string) error {
			cells := make([]any, len(names))
			for i, n := range names {
				cells[i] = n
			}
			return put(cells)
		}
		return rows(head, func(cells ...any) error { return put(cells) })
	}
	if f == XLSX {
		return writeXLSX(w, all)
	}
	return writeCSV(w, all)
}

func writeXLSX(w io.Writer, rows func(put func(cells []any) error) error) error {
	f := excelize.NewFile()
	defer f.Close()
	sw, err := f.NewStreamWriter("Sheet1")
	if err != nil {
		return err
	}
	line := 1
	if err := rows(func(cells []any) error {
		at, err := excelize.CoordinatesToCellName(1, line)
		if err != nil {
			return err
		}
		line++
		return sw.SetRow(at, cells)
	}); err != nil {
		return err
	}
	if err := sw.Flush(); err != nil {
		return err
	}
	return f.Write(w)
}
