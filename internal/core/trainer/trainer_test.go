package trainer_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/trainer"
)

// plain plays every hand on one order after another, of the first lot that has stems.
func plain(t *testing.T, seed uint64) *trainer.Game {
	t.Helper()
	g := trainer.New(seed)
	for w := 0; !g.Over; w++ {
		var moves []trainer.Move
		for h := range g.Hands {
			lot := 0
			for lot < len(g.Lots)-1 && g.Left[lot] == 0 {
				lot++
			}
			moves = append(moves, trainer.Move{Order: (w + h) % len(g.Orders), Lot: lot})
		}
		require.NoError(t, g.Play(moves))
	}
	return g
}

func TestASeasonAddsUp(t *testing.T) {
	for seed := range uint64(40) {
		g := plain(t, seed)
		same := plain(t, seed)
		assert.Equal(t, g, same, "the seed and the moves are the game")
		used := make([]int, len(g.Lots))
		for _, b := range g.Batches {
			assert.True(t, b.Counted, "in the end all is counted")
			assert.True(t, b.Live >= 0 && b.Live <= b.Grafts)
			assert.Less(t, b.Week, g.Shut, "nothing is made once the wood is over")
			used[b.Lot] += b.Grafts
		}
		for i, l := range g.Lots {
			assert.Equal(t, l.Stems, used[i]+g.Left[i])
		}
		for i, s := range g.Standing() {
			assert.Equal(t, s.Made, s.Counted)
			assert.Zero(t, s.Healing)
			assert.Positive(t, g.Orders[i].Trees)
		}
		require.ErrorIs(t, g.Play(make([]trainer.Move, 3)), trainer.ErrMove, "it is over")
	}
	g := trainer.New(1)
	require.ErrorIs(t, g.Play(nil), trainer.ErrMove)
	require.ErrorIs(t, g.Play([]trainer.Move{{Order: 9}, {}, {}}), trainer.ErrMove)
	require.NoError(t, g.Play([]trainer.Move{{Order: trainer.Rest}, {Order: trainer.Rest}, {Order: trainer.Rest}}))
	assert.Empty(t, g.Batches)
}

// TestTheCoachIsWorthHearing: seasons played by what lacks most and what is known meet more
// orders than those played in turn.
func TestTheCoachIsWorthHearing(t *testing.T) {
	coached, turned, of := 0, 0, 0
	said, came := 0.0, 0.0
	for seed := range uint64(60) {
		n, err := trainer.ByCoach(seed)
		require.NoError(t, err)
		coached += n
		g := plain(t, seed)
		turned += g.Met()
		of += len(g.Orders)
		if seed < 8 { // by its own plan, from the first week on
			c, err := trainer.New(seed).Coach()
			require.NoError(t, err)
			require.Len(t, c.Chance, 4)
			assert.GreaterOrEqual(t, c.With, c.Plain)
			said += c.Plain
			came += float64(n)
		}
	}
	t.Logf("of %d orders %d met by the coach's plan, %d in turn; of 32 it said %.0f, %.0f came", of, coached, turned, said, came)
	assert.Greater(t, coached, turned)
	// What it says is of a plan that is not changed again: who plays on with open eyes does better.
	assert.Greater(t, came, said-4)
}
