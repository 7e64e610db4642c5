package exchange

import (
	"testing"

	"github.com/go-pdf/fpdf"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/sfnt"
)

// TestNamesOfAnyLettersAreWritten: each letter in a face that has it, and none lost.
func TestNamesOfAnyLettersAreWritten(t *testing.T) {
	faces := map[string]*sfnt.Font{}
	for name, b := range map[string][]byte{"go": goregular.TTF, "goB": gobold.TTF, "eastern": eastern} {
		f, err := sfnt.Parse(b)
		require.NoError(t, err)
		faces[name] = f
	}
	p := newPen(fpdf.New("P", "mm", "A4", ""))
	for _, name := range []string{"Tinker's Supper (rose)", "Антоновка каменичка", "Φιρίκι Πηλίου", "Žluťoučký ořech", "鴨梨 on 杜梨", "幸水",
		"신고배",
		"Früher Spätling №3 ½"} {
		for _, style := range []string{"", "B"} {
			all := ""
			for _, r := range p.runs(name, style) {
				all += r.text
				for _, letter := range r.text {
					i, err := faces[r.face].GlyphIndex(nil, letter)
					require.NoError(t, err)
					assert.True(t, i != 0 || letter == ' ', "%q of %q is not in %s", letter, name, r.face)
				}
			}
			assert.Equal(t, name, all)
		}
	}
	require.NoError(t, p.pdf.Error())
	p.pdf.AddPage()
	p.write(3, 7, "鴨梨 Антоновка, and so on and so on and so on", "B", 12, 40)
	p.pdf.SetFont("go", "", 12)
	require.NoError(t, p.pdf.Error())
	whole, err := LabelsPDF([]Label{{Code: "W-1", Lines: []string{"鴨梨", "Антоновка"}}})
	require.NoError(t, err)
	assert.Less(t, len(whole), 100_000, "only the letters that are used are in it")
}
