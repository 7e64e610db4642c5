package house

import (
	"context"
	"fmt"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/standin"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// printer is where labels go: the stand-in that ships keeps them.
func (s *Stage) printer(a nursery.Actor) standin.Printer {
	return standin.KeepingPrinter(func(ctx context.Context, title string, labels int, pdf []byte) (int64, error) {
		return s.DB.Q().AddLabelPrint(ctx, store.LabelPrint{Title: title, Labels: labels, PDF: pdf, PersonID: a.ID, At: s.Now()})
	})
}

// mostLabels bounds one job of the label printer.
const mostLabels = 2000

// PrintLabels sends labels to the label printer and gives the job's number.
func (s *Stage) PrintLabels(ctx context.Context, a nursery.Actor, title string, labels []exchange.Label) (int64, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return 0, err
	}
	switch {
	case len(labels) == 0:
		return 0, nursery.Problem{Field: "", Says: words.ThereIsNoLabelTo}
	case len(labels) > mostLabels:
		return 0, nursery.Problem{Field: "", Says: fmt.Sprintf(words.ThatIsNLabelsPrint, len(labels), mostLabels)}
	}
	pdf, err := exchange.LabelsPDF(labels)
	if err != nil {
		return 0, fmt.Errorf("drawing labels: %w", err)
	}
	return s.printer(a).Print(ctx, title, len(labels), pdf)
}

// Printed lists what the label printer was sent.
func (s *Stage) Printed(ctx context.Context) ([]store.LabelPrint, error) {
	return s.DB.Q().LabelPrints(ctx)
}

// PrintedPDF gives one job's PDF.
func (s *Stage) PrintedPDF(ctx context.Context, id int64) (store.LabelPrint, error) {
	return s.DB.Q().LabelPrint(ctx, id)
}
