package words_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/season"
	"unionknot/internal/core/union"
	"unionknot/internal/core/wood"
	"unionknot/internal/words"
)

func TestWhatMovedADate(t *testing.T) {
	march := func(d int) time.Time { return time.Date(2027, 3, d, 0, 0, 0, 0, time.UTC) }
	swell := season.Observation{Says: "buds swell", On: march(16), Place: "row 4"}
	tight := season.Observation{Says: "buds tight", On: march(12)}
	for want, m := range map[string]season.Move{
		"buds swell seen 16 March in row 4, and buds tight 12 March": {Cause: season.BySight, Days: 3, Yes: swell, Not: tight},
		"buds swell seen 16 March in row 4, buds tight 12 March: places differ": {Cause: season.BySight, Days: 3, Yes: swell, Not: tight,
			Differ: true},
		"buds swell seen 16 March in row 4: as reckoned": {Cause: season.BySight, Yes: swell},
		"buds tight on 12 March":                         {Cause: season.BySight, Days: 1, Not: tight},
		"colder than usual: 40 degree-days since 12 March, where 55 are usual": {Cause: season.ByWarmth, Days: 2, Sum: 40, Usual: 55,
			Since: march(12)},
		"half of what was seen of the sign before it carries over": {Cause: season.ByCarry, Days: 1},
		"bark slips no sooner than a week after bud swell":         {Cause: season.ByBudSwell, Days: 1},
	} {
		assert.Equal(t, want, words.SightMoved(m))
	}
	assert.Equal(t, "Buds swell on 16 March: that is 9 days before bud swell usually comes (25 March, give or take 2).",
		words.SightDoubted(season.Doubt{Observation: swell, Kind: season.BudSwell, Usual: march(25), Days: -9, SpreadDays: 2}))
}

func TestEveryTroubleOfAPlanHasWords(t *testing.T) {
	for _, x := range []benchday.Trouble{{Kind: benchday.Unknown, Worker: "Ansel", Technique: "cleft"}, {Kind: benchday.Early},
		{Kind: benchday.Late}, {Kind: benchday.Full, Worker: "Ansel", Over: 1.5}, {Kind: benchday.Away, Worker: "Ansel"},
		{Kind: benchday.NoSeat, Most: 6}, {Kind: benchday.NoSeat, Most: 2, Technique: "omega"}, {Kind: benchday.Alone, Lot: "L-1"}} {
		assert.NotEmpty(t, words.Trouble(x), x.Kind)
	}
	assert.Equal(t, "Ansel: 90 min over the half-day", words.Trouble(benchday.Trouble{Kind: benchday.Full, Worker: "Ansel",
		Over: 1.5}))
}

func TestHarmsAndCutsInWords(t *testing.T) {
	at := time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC)
	assert.Equal(t, "below -3 °C for 5 hours, down to -4.0 °C",
		words.Harm(wood.Harm{Kind: "frost", From: at, To: at.Add(5 * time.Hour), WorstC: -4}))
	for _, technique := range []string{"splice", "whip-and-tongue", "cleft-one-side", "off-centre-cleft", "saddle", "tool-cut",
		"side-veneer", "bark-flap", "chip-bud", "t-bud"} {
		side, err := union.SideOf(technique, union.Stems{Stock: 12, Scion: 9}, union.Long)
		if !assert.NoError(t, err, technique) {
			continue
		}
		for _, m := range side.Measures {
			assert.NotContains(t, words.Cut("", m), "%!", technique)
			assert.NotEmpty(t, words.Cut("", m), technique)
			for _, tongue := range words.Tongues[1:] {
				assert.NotEqual(t, words.Cut("", m), words.Cut(tongue.Key, m), "%s in %s", technique, tongue.Name)
				assert.NotContains(t, words.Cut(tongue.Key, m), "%!", technique)
			}
		}
	}
}
