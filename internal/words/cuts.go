package words

import (
	"fmt"

	"unionknot/internal/core/union"
)

var cuts = map[union.Cut]string{
	union.FaceCut:      "face %.0f mm",
	union.SplitCut:     "split %.0f mm",
	union.OffSplitCut:  "split %.0f mm, %.1f mm in from the bark",
	union.ShortBackCut: "bevel %.0f mm, back cut short",
	union.WedgeCut:     "wedge %.0f mm",
	union.SaddleCut:    "each face %.0f mm",
	union.SlidCut:      "slid in from the side, one side level",
	union.SliceCut:     "slice and bevel %.0f mm, a lip at the foot",
	union.FlapCut:      "flap %.0f mm",
	union.BevelCut:     "bevel %.0f mm",
	union.SlitCut:      "slit %.0f mm",
	union.ShoulderCut:  "bevel %.0f mm, the scion pushed down to its shoulder",
	union.StopCut:      "stop cut at 45°",
	union.ChipCut:      "chip %.0f mm, from %.1f mm wood",
	union.TeeCut:       "T %.0f mm, across a third of the girth",
	union.ShieldInCut:  "shield %.0f mm, from %.1f mm wood, left in",
	union.ShieldOutCut: "shield %.0f mm, from %.1f mm wood, flipped out",
}

// What a drawing of a cut says of the stems in it.
const (
	CutTitle = "%.1f mm stock and %.1f mm wood, cut as for %s"
	CutStock = "stock %.1f"
	CutWood  = "wood %.1f"
)

// CutOf says one of them in a tongue; figures are written as on labels, with a point.
func CutOf(tongue, says string, figures ...any) string {
	return fmt.Sprintf(Tell(tongue, says), figures...)
}

// Cut says in a tongue what a measure under a drawing is of, with its figures.
func Cut(tongue string, m union.Measure) string {
	if m.Of == union.FaceTongueCut {
		part := "⅓"
		if m.Figures[1] == 0.5 {
			part = "½"
		}
		return CutOf(tongue, "face %.0f mm, the tongue from %s below the tip", m.Figures[0], part)
	}
	figures := make([]any, len(m.Figures))
	for i, f := range m.Figures {
		figures[i] = f
	}
	return CutOf(tongue, cuts[m.Of], figures...)
}
