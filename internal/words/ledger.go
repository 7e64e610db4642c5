// Package words makes the sentences that people read of core's facts. It
// imports core alone: no count, query or decision ever depends on what it says.
package words

import (
	"fmt"

	"unionknot/internal/core/tally"
)

// Moved says why stems or pieces moved, by a ledger's reason and its note.
func Moved(reason, note string) string {
	switch tally.Reason(reason) {
	case tally.SetAsideForBatch:
		return "set aside for a batch"
	case tally.WasSpoiled:
		return "spoiled at the bench"
	case tally.SpoiledTakenBack:
		return "spoiled, taken back"
	case tally.HandedBack:
		return "handed back from the bench"
	case tally.LeftOver:
		return "left over when the tag was finished"
	case tally.DrawnAnew:
		return "drawn anew, to cut again"
	case tally.Recounted:
		return "recount: " + note
	case tally.CameBack:
		return "graft failed, came back as " + note
	case tally.ThrownOut:
		return "thrown out: " + note
	case tally.DroppedAtCutting:
		return fmt.Sprintf("%s sticks dropped at cutting", note)
	case tally.Lifted, tally.Potted, tally.HeeledIn, tally.LinedOut:
		return reason + " as lot " + note
	case tally.ByHand:
		return note
	case tally.PutRight:
		return "put right: it was typed wrong"
	}
	return reason
}
