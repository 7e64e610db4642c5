package exchange_test

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"unionknot/internal/exchange"
)

// book makes a spreadsheet of rows of cells.
func book(t testing.TB, rows ...[]any) []byte {
	t.Helper()
	f := excelize.NewFile()
	for i, r := range rows {
		require.NoError(t, f.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &r))
	}
	var b bytes.Buffer
	require.NoError(t, f.Write(&b))
	return b.Bytes()
}

// zipOf packs parts, each a name and its bytes.
func zipOf(t testing.TB, parts map[string][]byte) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for n, body := range parts {
		w, err := z.Create(n)
		require.NoError(t, err)
		_, err = w.Write(body)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

func TestASpreadsheetReadsAsItsCSVDoes(t *testing.T) {
	raw := book(
		t,
		[]any{"Taken on", "MM", "lot", "at"},
		[]any{time.Date(2027, 1, 14, 0, 0, 0, 0, time.UTC), 8.4, "L-1", time.Date(2027, 1, 14, 6, 30, 0, 0, time.UTC)},
		[]any{},
		[]any{"2027-01-15", "8,5", "L-2", "2027-01-15 07:00"},
	)
	table, err := exchange.Read(raw)
	require.NoError(t, err)
	require.Len(t, table.Rows, 2)
	a, b := exchange.Cells{Row: table.Rows[0]}, exchange.Cells{Row: table.Rows[1]}
	assert.Equal(t, time.Date(2027, 1, 14, 0, 0, 0, 0, time.UTC), a.Date("taken_on"))
	assert.Equal(t, 8.4, a.Number("mm"))
	assert.Equal(t, "L-1", a.Cell("lot"))
	assert.Equal(t, time.Date(2027, 1, 14, 6, 30, 0, 0, time.Local), a.Time("at"))
	assert.Equal(t, time.Date(2027, 1, 15, 0, 0, 0, 0, time.UTC), b.Date("taken_on"))
	assert.Equal(t, 8.5, b.Number("mm"))
	assert.Equal(t, 4, b.Line, "the sheet's own row")
	assert.Empty(t, append(a.Bads, b.Bads...))
}

func TestSpreadsheetsThatWouldHarmAreRefusedInWords(t *testing.T) {
	f := excelize.NewFile()
	require.NoError(t, f.SetCellValue("Sheet1", "A1", "code"))
	require.NoError(t, f.SetCellFormula("Sheet1", "B4", "1+1"))
	var formula bytes.Buffer
	require.NoError(t, f.Write(&formula))
	together := excelize.NewFile()
	require.NoError(t, together.SetSheetRow("Sheet1", "A1", &[]any{"code", "genus"}))
	require.NoError(t, together.SetSheetRow("Sheet1", "A2", &[]any{"L-1", "quince"}))
	require.NoError(t, together.MergeCell("Sheet1", "B2", "B3"))
	var merged bytes.Buffer
	require.NoError(t, together.Write(&merged))
	// Zeros pack a thousandfold: 200 KB that would unpack to more than is allowed.
	zeros := bytes.Repeat([]byte{' '}, 130<<20)
	bomb := zipOf(t, map[string][]byte{"xl/worksheets/sheet1.xml": append([]byte("<worksheet>"), zeros...)})
	require.Less(t, len(bomb), 1<<20)
	for name, c := range map[string]struct {
		raw  []byte
		says string
	}{
		"formula":   {formula.Bytes(), "cell B4 holds a formula"},
		"bomb":      {bomb, "unpacks to over"},
		"many":      {zipOf(t, map[string][]byte{"a": zeros[:100<<20], "b": zeros[:100<<20]}), "unpacks to over"},
		"macros":    {zipOf(t, map[string][]byte{"xl/vbaProject.bin": []byte("x")}), "macros"},
		"other zip": {zipOf(t, map[string][]byte{"readme.txt": []byte("x")}), "no spreadsheet"},
		"broken":    {[]byte("PK\x03\x04 not a zip"), "no spreadsheet"},
		"old":       {[]byte{0xd0, 0xcf, 0x11, 0xe0, 1, 2}, "old XLS format"},
		"huge":      {append([]byte("PK\x03\x04"), make([]byte, exchange.MaxBytes)...), "over 16 MB"},
		"empty":     {book(t, []any{"code"}), "nothing under it"},
		"merged":    {merged.Bytes(), "the cells B2:B3 are merged"},
	} {
		_, err := exchange.Read(c.raw)
		require.Error(t, err, name)
		assert.Contains(t, err.Error(), c.says, name)
	}
}

func TestOtherEncodingsAreNamed(t *testing.T) {
	for raw, says := range map[string]string{"\xff\xfec\x00o\x00": "UTF-16", "code,name\nL,Stra\xdfe\n": "Windows-1252"} {
		_, err := exchange.Read([]byte(raw))
		assert.ErrorIs(t, err, exchange.ErrEncoding)
		assert.ErrorContains(t, err, says)
	}
}

func TestInchesAndFahrenheitStandForMetric(t *testing.T) {
	table, err := exchange.ReadCSV([]byte("lot,inches,f,base_in\nL,0.325,34,0.4\n"))
	require.NoError(t, err)
	assert.Empty(t, table.Missing("lot", "mm", "c", "base_mm"))
	assert.Equal(t, []string{"tip_mm"}, table.Missing("tip_mm"))
	c := exchange.Cells{Row: table.Rows[0]}
	assert.InDelta(t, 8.26, c.Number("mm"), 1e-9)
	assert.InDelta(t, 1.11, c.Number("c"), 1e-9)
	assert.InDelta(t, 10.16, c.Number("base_mm"), 1e-9)
	assert.Zero(t, c.Number("tip_mm"))
}

// A cell that a spreadsheet would run goes out as plain text, and comes back
// as it was.
func TestWhatIsWrittenIsHarmlessAndReadsBack(t *testing.T) {
	rows := [][]any{{"L-1", `=HYPERLINK("x")`, 8.4, 12}, {"+L", "@cmd", -3.5, 0}, {"plain, with \"quotes\"", "two\nlines", 0.0, 7}}
	for _, f := range []exchange.Format{exchange.CSV, exchange.XLSX} {
		var b bytes.Buffer
		require.NoError(t, exchange.Write(&b, f, []string{"code", "note", "mm", "n"}, func(add func(...any) error) error {
			for _, r := range rows {
				if err := add(r...); err != nil {
					return err
				}
			}
			return nil
		}))
		if f == exchange.CSV {
			lines, err := csv.NewReader(bytes.NewReader(b.Bytes())).ReadAll()
			require.NoError(t, err)
			assert.Equal(t, `'=HYPERLINK("x")`, lines[1][1])
			assert.Equal(t, "-3.5", lines[2][2], "a number stays a number")
		}
		table, err := exchange.Read(b.Bytes())
		require.NoError(t, err, f)
		for i, r := range rows {
			c := exchange.Cells{Row: table.Rows[i]}
			assert.Equal(t, r[0], c.Cell("code"), f)
			assert.Equal(t, r[1], c.Cell("note"), f)
			assert.Equal(t, r[2], c.Number("mm"), f)
			assert.Equal(t, r[3], c.Int("n"), f)
			assert.Empty(t, c.Bads)
		}
	}
}

func TestLabelsAreOneAPage(t *testing.T) {
	pdf, err := exchange.LabelsPDF(
		[]exchange.Label{
			{Code: "W-314", Lines: []string{"Tinker's Supper (rose)", "wood of M-12, rose yard", strings.Repeat("long ", 40)}},
			{Code: "W-315"},
		},
	)
	require.NoError(t, err)
	assert.True(t, bytes.HasPrefix(pdf, []byte("%PDF-")))
	assert.Equal(t, 2, bytes.Count(pdf, []byte("/Type /Page\n")))
}

// many is a file of caliper readings.
func many(n int) []byte {
	var b strings.Builder
	b.WriteString("lot,taken_on,mm\n")
	for i := range n {
		fmt.Fprintf(&b, "L-%d,2027-01-14,%d.%d\n", i%50, 6+i%5, i%10)
	}
	return []byte(b.String())
}

func BenchmarkReadings(b *testing.B) {
	raw := many(100_000)
	var sheet bytes.Buffer
	require.NoError(b, exchange.Write(&sheet, exchange.XLSX, []string{"lot", "taken_on", "mm"}, func(add func(...any) error) error {
		for i := range 100_000 {
			if err := add(fmt.Sprintf("L-%d", i%50), "2027-01-14", 6.1+float64(i%50)/10); err != nil {
				return err
			}
		}
		return nil
	}))
	for name, file := range map[string][]byte{"csv": raw, "xlsx": sheet.Bytes()} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				t, err := exchange.Read(file)
				require.NoError(b, err)
				require.Len(b, t.Rows, 100_000)
			}
		})
	}
}

func FuzzSheet(f *testing.F) {
	f.Add(book(f, []any{"code", "mm"}, []any{"L-1", 8.4}))
	f.Add(
		zipOf(
			f,
			map[string][]byte{
				"xl/worksheets/sheet1.xml": []byte(
					`<worksheet><sheetData><row r="1"><c r="A1" t="s"><v>0</v></c></row></sheetData></worksheet>`,
				),
			},
		),
	)
	f.Fuzz(func(t *testing.T, raw []byte) {
		if len(raw) > 64<<10 {
			return
		}
		table, err := exchange.Read(raw)
		if err != nil {
			require.NotContains(t, err.Error(), "\n")
			return
		}
		for _, r := range table.Rows {
			c := exchange.Cells{Row: r}
			for _, n := range table.Names {
				c.Number(n)
				c.Date(n)
				c.Time(n)
			}
		}
	})
}

// unzipAll gives a package's parts by name.
func unzipAll(t testing.TB, raw []byte) map[string][]byte {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
	require.NoError(t, err)
	out := map[string][]byte{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		b, err := io.ReadAll(r)
		require.NoError(t, err)
		require.NoError(t, r.Close())
		out[f.Name] = b
	}
	return out
}
