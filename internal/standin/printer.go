package standin

import "context"

// Printer takes labels as a PDF.
type Printer interface {
	Print(ctx context.Context, title string, labels int, pdf []byte) (job int64, err error)
}

// KeepingPrinter is a simulated label printer: it keeps the PDFs it was sent,
// by the function it is given, instead of printing them.
type KeepingPrinter func(ctx context.Context, title string, labels int, pdf []byte) (int64, error)

// Print implements Printer.
func (p KeepingPrinter) Print(ctx context.Context, title string, labels int, pdf []byte) (int64, error) {
	return p(ctx, title, labels, pdf)
}
