package web

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestALoggersLine(t *testing.T) {
	at := time.Date(2027, 2, 23, 13, 0, 0, 0, time.UTC)
	for _, line := range []string{"2027-02-23T14:00:00+01:00,1.4", "2027-02-23T13:00:00Z 1.4", "2027-02-23T13:00:00Z ; 1.4"} {
		got, c, err := readingOf(line)
		require.NoError(t, err, line)
		assert.True(t, got.Equal(at), line)
		assert.Equal(t, 1.4, c)
	}
}

func FuzzReadingOf(f *testing.F) {
	f.Add("2027-02-23T14:00:00+01:00,1.4")
	f.Add("2027-02-23T13:00:00Z nan")
	f.Fuzz(func(t *testing.T, line string) {
		at, c, err := readingOf(line)
		if err != nil {
			return
		}
		assert.False(t, at.IsZero() && c == 0 && math.IsNaN(c))
	})
}
