package words_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/tally"
	"unionknot/internal/words"
)

func TestEveryReasonOfTheLedgersHasWords(t *testing.T) {
	for reason, says := range map[tally.Reason]string{tally.Received: "received", tally.Cut: "cut", tally.WasGrafted: "grafted",
		tally.BatchTakenBack:   "batch taken back",
		tally.SetAsideForBatch: "set aside for a batch", tally.CameBack: "graft failed, came back as x", tally.ThrownOut: "thrown out: x",
		tally.ByHand:           "x",
		tally.DroppedAtCutting: "x sticks dropped at cutting", tally.Recounted: "recount: x",
		tally.LeftOver: "left over when the tag was finished"} {
		assert.Equal(t, says, words.Moved(string(reason), "x"))
	}
}
