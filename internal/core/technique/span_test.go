package technique_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/technique"
)

func TestAGraftHasItsDays(t *testing.T) {
	from := date(3, 10)
	before := from.AddDate(0, 0, -1)
	open := func(until time.Time) technique.Standing {
		return technique.Standing{Verdict: technique.Open, Until: until}
	}
	later := technique.Standing{Verdict: technique.Shut, Opens: date(4, 1)}
	for name, x := range map[string]struct {
		st          technique.Standing
		cut, keepBy time.Time
		first, last time.Time
		by          technique.Bound
	}{
		"the wood ends first":               {open(date(5, 1)), date(1, 20), date(4, 5), from, date(4, 5), technique.WoodKeeps},
		"the season ends first":             {open(date(4, 2)), date(1, 20), date(4, 5), from, date(4, 2), technique.SeasonShuts},
		"both end on a day":                 {open(date(4, 5)), date(1, 20), date(4, 5), from, date(4, 5), technique.WoodKeeps},
		"no end is known of the season":     {open(time.Time{}), date(1, 20), date(4, 5), from, date(4, 5), technique.WoodKeeps},
		"it opens later":                    {later, date(1, 20), date(4, 5), date(4, 1), date(4, 5), technique.WoodKeeps},
		"its wood is cut later":             {open(date(5, 1)), date(3, 20), date(4, 5), date(3, 20), date(4, 5), technique.WoodKeeps},
		"it opens when the wood is past":    {later, date(1, 20), date(3, 31), date(4, 1), before, technique.OpensTooLate},
		"it is cut when the season is past": {open(date(3, 15)), date(3, 20), date(4, 5), date(3, 20), before, technique.CutTooLate},
		"its season is over": {technique.Standing{Verdict: technique.Shut}, date(1, 20), date(4, 5), from, before,
			technique.SeasonOver},
		"its wood is past": {open(date(5, 1)), date(1, 20), date(3, 1), from, date(3, 1), technique.WoodKeeps},
	} {
		t.Run(name, func(t *testing.T) {
			s := technique.SpanOf(x.st, from, x.cut, x.keepBy)
			assert.Equal(t, x.first, s.First)
			assert.Equal(t, x.last, s.Last)
			assert.Equal(t, x.by, s.By)
		})
	}
}
