package exchange_test

import (
	"bytes"
	"fmt"
	"os"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"unionknot/internal/exchange"
)

// sheetOf packs a sheet of so many rows whose cells all stand for one shared text.
func sheetOf(t testing.TB, rows, columns int, text string) []byte {
	t.Helper()
	var sheet strings.Builder
	sheet.WriteString(`<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>`)
	for r := 1; r <= rows; r++ {
		fmt.Fprintf(&sheet, `<row r="%d">`, r)
		for c := 1; c <= columns; c++ {
			at, err := excelize.CoordinatesToCellName(c, r)
			require.NoError(t, err)
			if c < columns && columns > 100 {
				continue // one cell far out, and nothing before it
			}
			fmt.Fprintf(&sheet, `<c r="%s" t="s"><v>%d</v></c>`, at, min(1, r-1)*columns+c-1)
		}
		sheet.WriteString(`</row>`)
	}
	sheet.WriteString(`</sheetData></worksheet>`)
	var shared strings.Builder
	shared.WriteString(`<sst xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">`)
	for c := range columns {
		fmt.Fprintf(&shared, `<si><t>column%d</t></si>`, c)
	}
	for range columns {
		shared.WriteString(`<si><t>` + text + `</t></si>`)
	}
	shared.WriteString(`</sst>`)
	f := excelize.NewFile()
	var b bytes.Buffer
	require.NoError(t, f.Write(&b))
	whole := unzipAll(t, b.Bytes())
	whole["xl/worksheets/sheet1.xml"] = []byte(sheet.String())
	whole["xl/sharedStrings.xml"] = []byte(shared.String())
	whole["[Content_Types].xml"] = bytes.Replace(whole["[Content_Types].xml"], []byte("</Types>"), []byte(
		`<Override PartName="/xl/sharedStrings.xml"
			ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sharedStrings+xml"/></Types>`,
	), 1)
	whole["xl/_rels/workbook.xml.rels"] = bytes.Replace(whole["xl/_rels/workbook.xml.rels"], []byte("</Relationships>"), []byte(
		`<Relationship Id="rId99" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/sharedStrings"
			Target="sharedStrings.xml"/></Relationships>`,
	), 1)
	return zipOf(t, whole)
}

// TestASmallFileThatStandsForMuch is refused in words, and holds no memory.
func TestASmallFileThatStandsForMuch(t *testing.T) {
	for name, c := range map[string]struct {
		raw  []byte
		says string
	}{
		"a cell over a sheet's own bound": {sheetOf(t, 3, 2, strings.Repeat("x", 32_768)), "over 32767 letters"},
		"the same long text many times":   {sheetOf(t, 4000, 2, strings.Repeat("x", 32_000)), "over 64 MB of text"},
		"a cell far to the right":         {sheetOf(t, 2, 16_000, "x"), "16000 columns, and 100 are the most"},
		"a CSV cell":                      {[]byte("code,note\nL-1," + strings.Repeat("x", 40_000)), "over 32767 letters"},
		"a CSV of many columns":           {[]byte(strings.Repeat("c,", 150) + "\n1\n"), "columns, and 100 are the most"},
	} {
		t.Run(name, func(t *testing.T) {
			var before, after runtime.MemStats
			runtime.GC()
			runtime.ReadMemStats(&before)
			_, err := exchange.Read(c.raw)
			require.Error(t, err)
			assert.Contains(t, err.Error(), c.says)
			runtime.GC()
			runtime.ReadMemStats(&after)
			assert.Less(t, int64(after.HeapAlloc)-int64(before.HeapAlloc), int64(32<<20), "held")
		})
	}
	// A text of the most letters, in any tongue, is none of that.
	table, err := exchange.Read(sheetOf(t, 2, 2, strings.Repeat("ß", 32_767)))
	require.NoError(t, err)
	c := exchange.Cells{Row: table.Rows[0]}
	c.Int("column0")
	require.Len(t, c.Bads, 1)
	assert.Less(t, len(c.Bads[0].Says), 500, "what is wrong with it is said in a line")
}

// TestTextGoesOutInQuotes, figures bare, and all of it reads back.
func TestTextGoesOutInQuotes(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, exchange.Write(&b, exchange.CSV, []string{"code", "n", "mm", "note"}, func(add func(...any) error) error {
		return add("L-1", 3, 8.25, "=1+1, \"so\"\nand on")
	}))
	assert.Equal(t, "\"code\",\"n\",\"mm\",\"note\"\r\n\"L-1\",3,8.25,\"'=1+1, \"\"so\"\"\nand on\"\r\n", b.String())
	table, err := exchange.ReadCSV(b.Bytes())
	require.NoError(t, err)
	assert.Equal(t, "=1+1, \"so\"\nand on", table.Rows[0].Cell("note"))
}

// TestNoSheetLeavesAFileBehind: what is unpacked or packed beside the memory is removed.
func TestNoSheetLeavesAFileBehind(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("TMPDIR", dir)
	var b bytes.Buffer
	rows := func(add func(...any) error) error {
		for i := range 60_000 {
			if err := add(fmt.Sprintf("L-%d", i), strings.Repeat("a note ", 60), i); err != nil {
				return err
			}
		}
		return nil
	}
	require.NoError(t, exchange.Write(&b, exchange.XLSX, []string{"code", "note", "n"}, rows))
	broken := exchange.Write(&bytes.Buffer{}, exchange.XLSX, []string{"code", "note", "n"}, func(add func(...any) error) error {
		if err := rows(add); err != nil {
			return err
		}
		return fmt.Errorf("the line went")
	})
	assert.ErrorContains(t, broken, "the line went")
	_, err := exchange.Read(b.Bytes())
	require.NoError(t, err)
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Empty(t, left)
}
