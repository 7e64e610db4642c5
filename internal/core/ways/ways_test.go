package ways_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/ways"
)

// TestEachAnswerIsRead gives each question each of its answers: every answer is
// told apart from the others by what asks for it.
func TestEachAnswerIsRead(t *testing.T) {
	for _, c := range []struct {
		key     ways.Key
		answers []string
		read    func(h ways.House) any
	}{
		{ways.Behind, []string{"left in", "flipped out"}, func(h ways.House) any { return h.Flipped() }},
		{ways.BudTie, []string{"bare", "covered by film"}, func(h ways.House) any { return h.BudCovered() }},
		{ways.BudsPerStock, []string{"one", "two, keep the better"}, func(h ways.House) any { return h.TwoBuds() }},
		{ways.Team, []string{"solo", "cutter and tier"}, func(h ways.House) any { return h.Pairs() }},
		{ways.Side, []string{"away from midday sun", "windward", "any"}, func(h ways.House) any { return h.BudSide() }},
		{ways.Sealing, []string{"wax film over all", "brushed wax", "tape only with cover"}, func(h ways.House) any { return h.Seal() }},
		{ways.Tip, []string{"sealed with wax", "with white glue", "unsealed"}, func(h ways.House) any { return h.TipSeal() }},
		{ways.Callusing, []string{"cold box", "cool room", "warm union", "pot at once"},
			func(h ways.House) any { return h.Healing("pear") }},
		{ways.TieOff, []string{"by tie", "all in late winter"}, func(h ways.House) any { return h.TiesLate() }},
		{ways.HeadingBack, []string{"late winter, just above the bud", "leave a snag to autumn", "at season's end"},
			func(h ways.House) any { return h.HeadAt() }},
		{ways.Suckers, []string{"all off", "keep one nurse shoot till the scion grows"}, func(h ways.House) any { return h.NurseShoot() }},
		{ways.Shoots, []string{"two until safe, then one", "best one at once"}, func(h ways.House) any { return h.OneShoot() }},
		{ways.UnionAt, []string{"5–8 cm above soil", "5–8 cm below (severe winters)"}, func(h ways.House) any { return h.UnionBelow() }},
		{ways.Knife, []string{"fresh disposable blade", "honed grafting knife", "cutting tool"},
			func(h ways.House) any { return h.Blade() }},
		{ways.Direction, []string{"toward the guarded thumb", "away from the body (new hands, schools)"},
			func(h ways.House) any { return h.CutsAway() }},
		{ways.Failed, []string{"bud again at once on the other side, then next bench", "summer bud, then bench again", "bench again",
			"discard"},
			func(h ways.House) any { return h.SecondChance() }},
		{ways.Tongue, []string{"from a third below the tip", "from half-way"}, func(h ways.House) any { return h.TongueHalf() }},
		{ways.CutFirst, []string{"stock", "bud"}, func(h ways.House) any { return h.BudFirst() }},
		{ways.Rim, []string{"even rim of stock cut left showing", "filled"}, func(h ways.House) any { return h.RimFilled() }},
		{ways.Binding, []string{"from below up", "up and back down", "from the top"}, func(h ways.House) any { return h.Winds() }},
		{ways.PotTime, []string{"not over a winter", "one year", "two years"}, func(h ways.House) any { return h.PotYears() }},
		{ways.ChipWood, []string{"last season's", "up to two years"}, func(h ways.House) any { return h.OldChips() }},
		{ways.TakesSeen, []string{"their own", "everybody's"}, func(h ways.House) any { return h.AllSeen() }},
		{ways.SpeciesOrder, []string{"as windows shut", "fixed by the house"}, func(h ways.House) any { return h.FixedOrder() }},
	} {
		t.Run(string(c.key), func(t *testing.T) {
			seen := map[any]string{}
			for _, a := range c.answers {
				got := c.read(ways.House{c.key: a})
				assert.Empty(t, seen[got], "%q is read as %q is", a, seen[got])
				seen[got] = a
			}
			assert.Equal(t, c.answers[0], seen[c.read(ways.House{})], "the first is the default")
		})
	}
	assert.Equal(t, "warm union", ways.House{ways.Callusing: "by genus"}.Healing("walnut"))
	assert.Equal(t, "cool room", ways.House{}.Healing("plum"))
}
