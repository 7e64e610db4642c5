package standin_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/standin"
)

func TestTheCaliperTypesStems(t *testing.T) {
	var c standin.Caliper = standin.TypingCaliper{MeanMM: 8.4, SDMM: 0.7, Seed: 3}
	a := c.Type(400)
	assert.Equal(t, a, c.Type(400))
	m := 0.0
	for _, d := range a {
		m += d / 400
		assert.GreaterOrEqual(t, d, 2.0)
	}
	assert.InDelta(t, 8.4, m, 0.2)
}
