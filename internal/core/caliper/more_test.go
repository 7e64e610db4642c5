package caliper_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/caliper"
)

func TestHowManyMoreToKnow(t *testing.T) {
	sample := make([]float64, 40)
	for i := range sample {
		sample[i] = 7 + float64(i%20)/10
	}
	more := caliper.MoreToKnow(5000, sample, 8, 0.05)
	assert.InDelta(t, 230, more, 12, "about 1.645² × 0.25 ÷ 0.05² stems in all")
	assert.Less(t, caliper.MoreToKnow(5000, sample, 8, 0.1), more)
	assert.Equal(t, 10, caliper.MoreToKnow(50, sample, 8, 0.01), "all of them, when there are few")
	assert.Zero(t, caliper.MoreToKnow(40, sample, 8, 0.05), "every stem is measured")
	assert.Zero(t, caliper.MoreToKnow(5000, sample, 8, 0.4))
	assert.Positive(t, caliper.MoreToKnow(500, nil, 8, 0.05))
}
