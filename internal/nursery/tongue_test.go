package nursery_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/season"
	"unionknot/internal/core/tally"
	"unionknot/internal/core/ways"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/heal"
	"unionknot/internal/words"
)

// TestTheBenchIsToldInEveryTongue: each text that a card or a count can show beside those of its
// page is in every tongue: steps by whatever ways a house has, cautions, refusals, techniques,
// ties, causes and looks.
func TestTheBenchIsToldInEveryTongue(t *testing.T) {
	h := newHouse(t)
	var texts []string
	add := func(query string) {
		var found []string
		require.NoError(t, h.DB.Select(&found, query))
		require.NotEmpty(t, found)
		texts = append(texts, found...)
	}
	var techniques []string
	require.NoError(t, h.DB.Select(&techniques, `select key from technique`))
	var asked []struct{ Key, Options string }
	require.NoError(t, h.DB.Select(&asked, `select key, options from house_way`))
	for _, w := range asked {
		for option := range strings.SplitSeq(w.Options, " · ") {
			house := ways.House{ways.Key(w.Key): option}
			texts = append(texts, words.CardCautions(house)...)
			for _, key := range techniques {
				texts = append(texts, words.CardSteps(key, house, false, 1)...)
				texts = append(texts, words.CardSteps(key, house, true, 2)...)
			}
		}
	}
	add(`select name from technique`)
	add(`select hand_note from technique`)
	add(`select name from tie`)
	add(`select name from season_group`)
	texts = append(texts, season.Resting, season.Waking, season.Running, season.Hardening)
	for _, s := range []string{"opening", "warm-up", "grafting", "closed", "off"} {
		texts = append(texts, words.ClassState(s))
	}
	texts = append(texts, words.StocksYear, words.NoWindowOpen, words.WindowsOpen)
	add(`select key from cause`)
	texts = append(texts, aftercare.Looks...)
	for _, c := range heal.Checks {
		texts = append(texts, words.AmissName(c))
	}
	for _, r := range []tally.Refusal{tally.UnknownTap, tally.TakenBack, tally.DidNotCount, tally.FinishFirst, tally.CountedTakes,
		tally.TagFinished, tally.MoreThanLaid, tally.NoStockOnHand, tally.NoWoodOnHand, tally.NotTheirs, tally.TagDropped, tally.NotPassed,
		tally.Left} {
		texts = append(texts, words.Refused(r))
	}
	for _, r := range []nursery.Role{nursery.Propagator, nursery.BenchHand, nursery.Looker} {
		texts = append(texts, string(r))
	}
	for _, tongue := range words.Tongues[1:] {
		lacks := map[string]bool{}
		for _, english := range texts {
			if _, ok := words.Told(tongue.Key, english); !ok {
				lacks[english] = true
			}
		}
		assert.Empty(t, lacks, tongue.Name)
	}
}
