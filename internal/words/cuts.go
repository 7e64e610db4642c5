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

// Cut says what a measure under a drawing is of, with its figures.
func Cut(m union.Measure) string {
	if m.Of == union.FaceTongueCut {
		part := "⅓"
		if m.Figures[1] == 0.5 {
			part = "½"
		}
		return fmt.Sprintf("face %.0f mm, the tongue from %s below the tip", m.Figures[0], part)
	}
	figures := make([]any, len(m.Figures))
	for i, f := range m.Figures {
		figures[i] = f
	}
	return fmt.Sprintf(cuts[m.Of], figures...)
}
