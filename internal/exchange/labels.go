package exchange

import (
	"bytes"
	_ "embed"
	"fmt"
	"image/color"
	"image/png"

	"github.com/go-pdf/fpdf"
	"github.com/skip2/go-qrcode"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/sfnt"
)

// Label is one label: its code, as QR and in figures, and lines of words.
type Label struct {
	Code  string
	Lines []string
}

// A label's size in mm, and how many lines it holds.
const (
	labelWide  = 62.0
	labelHigh  = 29.0
	labelLines = 5
)

// LabelsPDF draws labels, one a page, for a label printer.
func LabelsPDF(labels []Label) ([]byte, error) {
	pdf := fpdf.NewCustom(&fpdf.InitType{OrientationStr: "L", UnitStr: "mm", Size: fpdf.SizeType{Wd: labelHigh, Ht: labelWide}})
	pdf.SetCatalogSort(true)
	pdf.SetMargins(0, 0, 0)
	pdf.SetAutoPageBreak(false, 0)
	pen := newPen(pdf)
	for i, l := range labels {
		pdf.AddPage()
		q, err := qrcode.New(l.Code, qrcode.Medium)
		if err != nil {
			return nil, fmt.Errorf("label %s: %w", l.Code, err)
		}
		q.DisableBorder = true
		q.ForegroundColor = color.Black
		var img bytes.Buffer
		if err := png.Encode(&img, q.Image(240)); err != nil {
			return nil, err
		}
		name := fmt.Sprintf("qr%d", i)
		pdf.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: "PNG"}, &img)
		pdf.ImageOptions(name, labelWide-24, 3, 21, 21, false, fpdf.ImageOptions{ImageType: "PNG"}, 0, "")
		pen.write(3, 7, l.Code, "B", 13, labelWide-29)
		for j, line := range l.Lines[:min(labelLines, len(l.Lines))] {
			pen.write(3, 12+4.1*float64(j), line, map[bool]string{true: "B", false: ""}[j == 0], 8.5, labelWide-29)
		}
	}
	if pdf.Err() {
		return nil, fmt.Errorf("drawing labels: %w", pdf.Error())
	}
	var out bytes.Buffer
	err := pdf.Output(&out)
	return out.Bytes(), err
}

// eastern is a face with the signs of Chinese, Japanese and Korean, which the other has not.
//
//go:embed fonts/DroidSansFallback.ttf
var eastern []byte

// pen writes names in whatever letters they have: each run of letters in the face that has
// them. A face is read only once it is needed.
type pen struct {
	pdf  *fpdf.Fpdf
	has  map[string]bool
	base *sfnt.Font
}

func newPen(pdf *fpdf.Fpdf) *pen {
	base, err := sfnt.Parse(goregular.TTF)
	if err != nil {
		pdf.SetError(err)
	}
	return &pen{pdf, map[string]bool{}, base}
}

// face gives the face that has a letter, and takes it up.
func (p *pen) face(r rune, style string) string {
	name := "go"
	if i, err := p.base.GlyphIndex(nil, r); err == nil && i == 0 && r > ' ' {
		name, style = "eastern", ""
	}
	if name += style; !p.has[name] {
		p.has[name] = true
		p.pdf.AddUTF8FontFromBytes(name, "", map[string][]byte{"go": goregular.TTF, "goB": gobold.TTF, "eastern": eastern}[name])
	}
	return name
}

// run is letters that one face has.
type run struct{ face, text string }

func (p *pen) runs(s, style string) (out []run) {
	for _, r := range s {
		face := p.face(r, style)
		if n := len(out); n > 0 && out[n-1].face == face {
			out[n-1].text += string(r)
			continue
		}
		out = append(out, run{face, string(r)})
	}
	return out
}

func (p *pen) width(rs []run, size float64) (w float64) {
	for _, r := range rs {
		p.pdf.SetFont(r.face, "", size)
		w += p.pdf.GetStringWidth(r.text)
	}
	return w
}

// write writes a line at x, y mm, cut with a sign of it where it is wider than so many mm.
func (p *pen) write(x, y float64, s, style string, size, wide float64) {
	rs := p.runs(s, style)
	for letters := []rune(s); p.width(rs, size) > wide && len(letters) > 1; rs = p.runs(string(letters)+"…", style) {
		letters = letters[:len(letters)-1]
	}
	for _, r := range rs {
		p.pdf.SetFont(r.face, "", size)
		p.pdf.Text(x, y, r.text)
		x += p.pdf.GetStringWidth(r.text)
	}
}
