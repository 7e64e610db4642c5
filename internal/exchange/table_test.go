package exchange_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/exchange"
)

func TestColumnsAreFoundByNameInAnyOrder(t *testing.T) {
	for name, raw := range map[string]string{
		"commas":     "code,Received on,mm\nL-1,2027-01-14,8.4\n",
		"semicolons": "mm;received_on;CODE\n8,4;14.1.2027;L-1\n",
		"tabs":       "\xef\xbb\xbfmm\treceived-on\tcode\r\n8.4\t2027-01-14\tL-1\r\n\r\n",
	} {
		table, err := exchange.ReadCSV([]byte(raw))
		require.NoError(t, err, name)
		require.Len(t, table.Rows, 1, name)
		c := exchange.Cells{Row: table.Rows[0]}
		assert.Equal(t, "L-1", c.Cell("code"), name)
		assert.Equal(t, 8.4, c.Number("mm"), name)
		assert.Equal(t, time.Date(2027, 1, 14, 0, 0, 0, 0, time.UTC), c.Date("received_on"), name)
		assert.Empty(t, c.Bads)
		assert.Equal(t, []string{"supplier"}, table.Missing("code", "supplier"))
	}
}

func TestLinesAreThoseOfTheFile(t *testing.T) {
	table, err := exchange.ReadCSV([]byte("code,note\nL-1,\"two\nlines\"\n\nL-2,x\nL-3\n"))
	require.NoError(t, err)
	require.Len(t, table.Rows, 3)
	assert.Equal(t, []int{2, 5, 6}, []int{table.Rows[0].Line, table.Rows[1].Line, table.Rows[2].Line})
	assert.Empty(t, table.Rows[2].Cell("note"), "a short line has empty cells")
}

func TestWholeFilesThatAreWrongGetWords(t *testing.T) {
	for raw, want := range map[string]error{"": exchange.ErrEmpty, " \n\n": exchange.ErrEmpty, "code,genus\n": exchange.ErrEmpty,
		"PK\x03\x04zip": exchange.ErrNotText,
		"a,b\nx,\x00":   exchange.ErrNotText, "a,b\nx,\xe4": exchange.ErrEncoding,
		strings.Repeat("x", exchange.MaxBytes+1): exchange.ErrTooLarge} {
		_, err := exchange.ReadCSV([]byte(raw))
		assert.ErrorIs(t, err, want)
	}
	_, err := exchange.ReadCSV([]byte("a,b\nx,\"open\n"))
	assert.ErrorContains(t, err, "a quote is left open")
}

func TestBadCellsAreNamed(t *testing.T) {
	table, err := exchange.ReadCSV([]byte("n,mm,on\nmany,thick,3/4/2027\n1 200,NaN,2027-02-30\n"))
	require.NoError(t, err)
	for _, r := range table.Rows {
		c := exchange.Cells{Row: r}
		c.Int("n")
		c.Number("mm")
		c.Date("on")
		for _, b := range c.Bads {
			assert.Equal(t, r.Line, b.Line)
			assert.NotEmpty(t, b.Says)
		}
		if r.Line == 2 {
			assert.Len(t, c.Bads, 3)
		} else {
			assert.Len(t, c.Bads, 2, "a space between thousands is read")
		}
	}
}

func FuzzReadCSV(f *testing.F) {
	f.Add("code,genus\nL-1,pear\n")
	f.Add("\xef\xbb\xbfa;b\n\"1,5\";x\n")
	f.Fuzz(func(t *testing.T, raw string) {
		table, err := exchange.ReadCSV([]byte(raw))
		if err != nil {
			return
		}
		last := 0
		for _, r := range table.Rows {
			require.Greater(t, r.Line, last)
			last = r.Line
			c := exchange.Cells{Row: r}
			for _, n := range table.Names {
				c.Int(n)
				c.Number(n)
				c.Date(n)
			}
		}
	})
}

func TestThousandsMayBeSetApart(t *testing.T) {
	for in, want := range map[string]int{"1000": 1000, "1,000": 1000, "12 345": 12345, "1'000'000": 1_000_000, "-2,500": -2500, "0": 0} {
		n, err := exchange.ParseWhole(in)
		require.NoError(t, err, in)
		assert.Equal(t, want, n, in)
	}
	for _, in := range []string{"1.000", "1,00", "1,0000", ",100", "1,000.5", "x", ""} {
		_, err := exchange.ParseWhole(in)
		assert.Error(t, err, in)
	}
}
