package benchday_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/benchday"
)

func TestWhatChangesHandsCostsNoTime(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	exchanged := 0
	for range 12 {
		p := house(r, 12, 5, 10, 0.8)
		was, err := benchday.Solve(p)
		require.NoError(t, err)
		e := p.Exchange(was)
		for range 400 {
			slot := r.IntN(e.Places())
			lots := e.Lots(slot)
			if len(lots) < 2 {
				continue
			}
			a, b := lots[r.IntN(len(lots))], lots[r.IntN(len(lots))]
			if e.May(a, b) {
				e.Exchange(a, b)
				exchanged++
			}
		}
		now := e.Plan()
		assert.Equal(t, was.Grafts, now.Grafts)
		assert.Equal(t, was.Late, now.Late)
		assert.InDelta(t, was.LateCost, now.LateCost, 1e-9)
		assert.LessOrEqual(t, now.Changeovers, was.Changeovers)
		hold(t, p, now)
		worse := map[string]int{}
		for _, x := range benchday.Check(p, was.Pieces) {
			worse[x.Kind]++
		}
		for _, x := range benchday.Check(p, now.Pieces) {
			worse[x.Kind]--
		}
		for kind, n := range worse {
			assert.GreaterOrEqual(t, n, 0, "no more that is "+kind)
		}
	}
	assert.Greater(t, exchanged, 50, "there was something to exchange")
}
