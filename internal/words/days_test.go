package words_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/season"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/technique"
	"unionknot/internal/words"
)

func TestEveryCodeHasItsWords(t *testing.T) {
	said := map[string]bool{}
	say := func(code, s string) {
		t.Helper()
		assert.NotEmpty(t, s, code)
		assert.NotEqual(t, code, s, "no words of its own")
		assert.False(t, said[s], "%q is said of two", s)
		said[s] = true
	}
	for _, l := range []benchday.Lack{benchday.NobodyKnows, benchday.NobodyThere, benchday.NoWholeRoom, benchday.NoRoom} {
		say(string(l), words.Lack(l))
	}
	for _, b := range []technique.Bound{
		technique.WoodKeeps, technique.SeasonShuts, technique.SeasonOver, technique.OpensTooLate, technique.CutTooLate,
	} {
		say(string(b), words.Bound(technique.Span{By: b}))
	}
	for _, l := range []technique.Limit{
		technique.StockThin, technique.StockThick, technique.WoodWider, technique.RatioHigh, technique.RatioLow,
		technique.WoodState, technique.WoodBuds,
	} {
		say(string(l), words.Misfit(technique.Misfit{Limit: l}))
	}
	for _, r := range []season.WoodRule{
		season.WoodUnknown, season.WoodBetween, season.WoodNoRest, season.WoodNoDates, season.WoodTooOld, season.WoodNotDeep,
		season.WoodNotHalfRipe,
		season.WoodNotRipe, season.WoodMiddling, season.WoodStored, season.WoodHalfRipe, season.WoodRipe,
	} {
		say(string(r), words.Wood(season.WoodStand{Rule: r}))
	}
	for _, c := range []technique.Turn{
		technique.RestBegins, technique.BudsSwell, technique.BarkSlips, technique.SlipEnds, technique.SlipEndsIn2Weeks,
		technique.SlipEndsIn3Weeks, technique.FrostIn4Weeks, technique.FrostTooSoon, technique.WoodTooOld, technique.CalendarEnds,
	} {
		say(string(c), words.Turn(c))
	}
	for _, r := range []technique.Reason{
		technique.IsClosing, technique.IsBest, technique.IsOpen, technique.BestLater, technique.FreshAndDry, technique.Fresh,
		technique.FreshAndWet, technique.NoFlush, technique.NoFlushWet, technique.BarkDry, technique.NoSeason, technique.NoRest,
		technique.StockIs, technique.RowStockIs, technique.NoWoodAtHand, technique.WoodIs, technique.BudTooLate, technique.ChipTooLate,
	} {
		say(string(r), words.Standing(technique.Standing{Reason: r}))
	}
	for _, s := range []supply.Shortfall{supply.NothingOpen, supply.NoStems, supply.NoPieces, supply.NothingFits, supply.UsedUp} {
		say(string(s), words.OrderShort(s, technique.Standing{}))
	}
}
