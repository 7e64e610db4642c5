package exchange

import (
	"bytes"
	"fmt"
	"image/color"
	"image/png"

	"github.com/go-pdf/fpdf"
	"github.com/skip2/go-qrcode"
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
	text := pdf.UnicodeTranslatorFromDescriptor("")
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
		pdf.SetFont("Helvetica", "B", 13)
		pdf.Text(3, 7, text(l.Code))
		for j, line := range l.Lines[:min(labelLines, len(l.Lines))] {
			pdf.SetFont("Helvetica", map[bool]string{true: "B", false: ""}[j == 0], 8.5)
			line = text(line)
			for pdf.GetStringWidth(line) > labelWide-29 && len(line) > 1 {
				line = line[:len(line)-1]
			}
			pdf.Text(3, 12+4.1*float64(j), line)
		}
	}
	var out bytes.Buffer
	err := pdf.Output(&out)
	return out.Bytes(), err
}
