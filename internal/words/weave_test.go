package words_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/pairing"
	"unionknot/internal/core/technique"
	"unionknot/internal/words"
)

func TestWhatIsLeftOverIsSaid(t *testing.T) {
	said := map[string]pairing.Cause{}
	for _, c := range []pairing.Cause{
		pairing.NoneAsks, pairing.NoneAtHand, pairing.NoneOpen, pairing.Unfit, pairing.KeptApart, pairing.TooCostly,
		pairing.OrderFilled, pairing.AllFilled, pairing.UsedUp, pairing.Odd,
	} {
		s := words.LeftOver(pairing.Reason{Cause: c, Misfit: technique.Misfit{Limit: technique.WoodWider}})
		assert.NotEqual(t, string(c), s, "no words of its own")
		assert.Empty(t, said[s], s)
		said[s] = c
	}
	assert.Equal(t, "no stock at hand", words.LeftOver(pairing.Reason{Cause: pairing.NoneAtHand, Wood: true}))
	assert.Equal(
		t,
		"stock takes no rest here",
		words.LeftOver(pairing.Reason{Cause: pairing.Shut, Shut: technique.Standing{Reason: technique.NoRest}}),
	)
}

func TestWhyTwoAreNotJoinedIsSaid(t *testing.T) {
	ask := pairing.Pair{Order: "B", Lot: "L", Stock: 16, Bundle: "W-1", Scion: 15}
	to := pairing.Thread{Order: "A", Lot: "L", Stock: 16, Bundle: "V-1", Scion: 16, Way: "whip", N: 3}
	for name, x := range map[string]struct {
		why  pairing.Reason
		to   []pairing.Thread
		says string
	}{
		"joined": {pairing.Reason{Cause: pairing.Joined}, []pairing.Thread{to}, "3 are joined by whip"},
		"the stems": {pairing.Reason{Cause: pairing.SpokenFor}, []pairing.Thread{to},
			"spoken for: the stems go 3 with 8–8.5 of V-1 for A"},
		"the pieces": {pairing.Reason{Cause: pairing.SpokenFor, Wood: true}, []pairing.Thread{to},
			"spoken for: the pieces go 3 with 8–8.5 of L for A"},
		"many":          {pairing.Reason{Cause: pairing.SpokenFor}, []pairing.Thread{to, to, to, to, to}, "and 2 more"},
		"no such stems": {pairing.Reason{Cause: pairing.NoSuch}, nil, "lot L has no stems of 8–8.5 mm for order B, which wants T"},
		"no such pieces": {pairing.Reason{Cause: pairing.NoSuch, Wood: true}, nil,
			"bundle W-1 has no pieces of 7.5–8 mm for order B, which wants V"},
		"a limit": {pairing.Reason{Cause: pairing.Unfit, Misfit: technique.Misfit{Limit: technique.RatioLow, Ratio: 0.45}}, nil,
			"wood under 45 % of the stock"},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Contains(t, words.NotJoined(&pairing.Answer{Reason: x.why, Ask: ask, Stock: "T", Variety: "V", Threads: x.to}), x.says)
		})
	}
	no := &pairing.HeldError{Thread: to, Reason: pairing.Reason{Cause: pairing.OrderHas}, Has: 2}
	assert.Equal(
		t,
		"3 of lot L, 8–8.5 mm, with bundle V-1, 8–8.5 mm, for order A cannot be held: the order wants 2 more",
		words.NotHeld(no),
	)
}
