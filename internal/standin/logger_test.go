package standin_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/standin"
)

func TestTheLoggerRepeatsItself(t *testing.T) {
	from := time.Date(2027, 2, 1, 0, 10, 0, 0, time.UTC)
	to := from.AddDate(0, 0, 3)
	var l standin.Logger = standin.StoreLogger{SetC: 1.2}
	a := l.Readings(from, to)
	require.Equal(t, a, l.Readings(from, to))
	assert.Len(t, a, 3*48)
	mean := 0.0
	for i, r := range a {
		mean += r.C / float64(len(a))
		assert.False(t, r.At.Before(from) || !r.At.Before(to))
		if i > 0 {
			assert.Equal(t, 30*time.Minute, r.At.Sub(a[i-1].At))
		}
	}
	assert.InDelta(t, 1.2, mean, 0.2)
	assert.Empty(t, l.Readings(to, from))
}

func TestTroubleIsWarm(t *testing.T) {
	from := time.Date(2027, 2, 1, 0, 0, 0, 0, time.UTC)
	l := standin.StoreLogger{
		SetC:    1,
		Every:   time.Hour,
		Trouble: []standin.Trouble{{From: from.AddDate(0, 0, 2), To: from.AddDate(0, 0, 9), ByC: 7}},
	}
	for _, r := range l.Readings(from, from.AddDate(0, 0, 12)) {
		if mid := r.At.Sub(from).Hours() / 24; mid > 3 && mid < 8 {
			assert.Greater(t, r.C, 6.0)
		} else if mid < 2 || mid > 9 {
			assert.Less(t, r.C, 3.0)
		}
	}
}
