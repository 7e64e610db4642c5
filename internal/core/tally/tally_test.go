package tally_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	. "unionknot/internal/core/tally"
)

func TestTapsAddUp(t *testing.T) {
	s := Add([]Tap{{Kind: Tied, N: 5}, {Kind: Tied, N: 1, Undone: true}, {Kind: Undo}, {Kind: Tied, N: 1, Refused: MoreThanLaid},
		{
			Kind: Wiped,
		}, {Kind: Tied, N: 2}, {Kind: Dropped, N: 1}, {Kind: SpoiledWood, N: 1}, {Kind: SpoiledStock, N: 1}, {Kind: SetAside, N: 1}})
	assert.Equal(t, Sums{Tied: 7, SinceWipe: 2, Refused: 1, Dropped: 1, SpoiledWood: 1, SpoiledStock: 1, SetAside: 1}, s)
	assert.Equal(t, 3, s.Left(Laid{Stems: 12, Pieces: 10}), "as many as both suffice for")
	s.Finished = true
	assert.Zero(t, s.Left(Laid{Stems: 12, Pieces: 10}))
}

func TestATapThatCannotCountIsRefusedWithAReason(t *testing.T) {
	full := Sums{Tied: 20}
	laid := Laid{Stems: 21, Pieces: 20}
	for _, c := range []struct {
		name string
		sums Sums
		kind Kind
		want Refusal
	}{
		{"one more than there are pieces", full, Tied, MoreThanLaid},
		{"a stem that is still there", full, SpoiledStock, ""},
		{"a piece that is not", full, SpoiledWood, NoWoodOnHand},
		{"dropped where none is left", full, Dropped, NoWoodOnHand},
		{"after the finish", Sums{Finished: true}, Wiped, TagFinished},
		{"a wipe", full, Wiped, ""},
	} {
		t.Run(c.name, func(t *testing.T) { assert.Equal(t, c.want, c.sums.Weigh(c.kind, 1, laid)) })
	}
}

func TestATapIsTakenBackOnceAndOnlyIfItCounted(t *testing.T) {
	tied := Tap{Kind: Tied, N: 1}
	for _, c := range []struct {
		name           string
		sums           Sums
		of             Tap
		known, counted bool
		want           Refusal
	}{
		{"one that counted", Sums{}, tied, true, false, ""},
		{"one that is not known", Sums{}, Tap{}, false, false, UnknownTap},
		{"twice", Sums{}, Tap{Kind: Tied, Undone: true}, true, false, TakenBack},
		{"one that was refused", Sums{}, Tap{Kind: Tied, Refused: MoreThanLaid}, true, false, DidNotCount},
		{"under a finish", Sums{Finished: true}, tied, true, false, FinishFirst},
		{"the finish itself", Sums{Finished: true}, Tap{Kind: Finish}, true, false, ""},
		{"the finish of counted takes", Sums{Finished: true}, Tap{Kind: Finish}, true, true, CountedTakes},
	} {
		t.Run(c.name, func(t *testing.T) { assert.Equal(t, c.want, c.sums.WeighUndo(c.of, c.known, c.counted)) })
	}
}

// TestLedgersFollowAnyTaps plays random taps on one side: after each settling
// the accounts add up to what was planned, none is below zero, and what is
// grafted is what was tied.
func TestLedgersFollowAnyTaps(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 23))
	for range 400 {
		planned, free := 3+r.IntN(25), r.IntN(6)
		have := map[Account]int{Aside: planned, Free: free}
		posted := map[Account]int{}
		var s Sums
		classes := []Class{{9.25, planned / 2}, {8.25, planned - planned/2}}
		for range 12 {
			back := (&Side{Posted: posted}).Back()
			k := []Kind{Tied, SpoiledStock, SetAside}[r.IntN(3)]
			if r.IntN(8) == 0 {
				s.Finished = !s.Finished
			} else if s.Weigh(k, 1, Laid{Stems: planned - back, Pieces: planned - back}) == "" {
				s.Count(k, 1)
			}
			d := Side{Planned: planned, Spoiled: s.SpoiledStock, Posted: posted, Free: have[Free], Classes: classes}
			for _, m := range d.Settle(s) {
				have[m.From] -= m.N
				have[m.To] += m.N
				assert.GreaterOrEqual(t, have[m.From], 0, "%+v", m)
				assert.Positive(t, m.N)
			}
			assert.Equal(t, planned+free, have[Aside]+have[Free]+have[Grafted]+have[Spoiled], "stems are conserved")
			assert.Equal(t, s.SpoiledStock, have[Spoiled])
			assert.Equal(t, planned-d.Back()-have[Grafted], have[Aside], "what is laid out and not grafted lies aside")
			if s.Finished {
				assert.Equal(t, s.Tied, have[Grafted])
				assert.Zero(t, have[Aside], "a finished tag leaves nothing on the bench")
			}
		}
	}
}

// TestTwoPiecesAStem plays random taps on the pieces of a tag whose stems take two
// each: what is grafted is two a tied stem, and nothing is made out of too few.
func TestTwoPiecesAStem(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 29))
	for range 400 {
		planned, free := 3+r.IntN(12), r.IntN(4)
		have := map[Account]int{Aside: 2 * planned, Free: free}
		posted := map[Account]int{}
		var s Sums
		for range 20 {
			back := (&Side{Posted: posted}).Back()
			k := []Kind{Tied, Tied, SpoiledWood, Dropped, SetAside}[r.IntN(5)]
			laid := Laid{Stems: planned - s.SetAside, Pieces: 2*planned - back, Each: 2}
			if r.IntN(8) == 0 {
				s.Finished = !s.Finished
			} else if s.Weigh(k, 1, laid) == "" {
				s.Count(k, 1)
			}
			assert.GreaterOrEqual(t, s.Left(laid), 0)
			d := Side{Planned: 2 * planned, Each: 2, Spoiled: s.SpoiledWood + s.Dropped, Posted: posted, Free: have[Free],
				Classes: []Class{{9.25, 2 * planned}}}
			for _, m := range d.Settle(s) {
				have[m.From] -= m.N
				have[m.To] += m.N
				assert.GreaterOrEqual(t, have[m.From], 0, "%+v", m)
			}
			assert.Equal(t, 2*planned+free, have[Aside]+have[Free]+have[Grafted]+have[Spoiled], "pieces are conserved")
			if s.Finished {
				assert.Equal(t, 2*s.Tied, have[Grafted])
				assert.Zero(t, have[Aside])
			}
		}
	}
	// Of 20 stems and 39 pieces 19 stocks are made; the odd piece may be spoiled.
	laid := Laid{Stems: 20, Pieces: 39, Each: 2}
	assert.Equal(t, 19, Sums{}.Left(laid))
	assert.Equal(t, MoreThanLaid, Sums{Tied: 19}.Weigh(Tied, 1, laid))
	assert.Empty(t, Sums{Tied: 19}.Weigh(SpoiledWood, 1, laid))
	assert.Equal(t, NoWoodOnHand, Sums{Tied: 19}.Weigh(SpoiledWood, 2, laid))
	assert.Equal(t, NoWoodOnHand, Sums{Tied: 19}.Weigh(SetAside, 1, laid))
}

func ExampleSide_Settle() {
	d := Side{Planned: 20, Posted: map[Account]int{}, Classes: []Class{{MM: 9.25, N: 12}, {MM: 8.75, N: 8}}}
	for _, m := range d.Settle(Sums{Tied: 18, Finished: true}) {
		fmt.Println(m.N, m.From, "to", m.To, m.Reason, m.MM)
	}
	// Output:
	// 8 aside to grafted grafted 8.75
	// 10 aside to grafted grafted 9.25
	// 2 aside to free left over 8.75
}
