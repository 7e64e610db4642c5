package pace_test

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/pace"
)

func TestPaceBeginsAtTheHousesRate(t *testing.T) {
	none := pace.Of(nil)
	assert.Equal(t, 1.0, none.Mean)
	assert.Less(t, none.Low, 0.7, "of somebody of whom nothing is known it is wide")

	// Ten tags of 25 in half an hour each, by a rate of 40: 50 an hour.
	l := math.Log(50.0)
	ten := pace.Of([]pace.Record{{Rate: 40, Tags: 10, Grafts: 250, Hours: 5, LogSum: 10 * l, LogSq: 10 * l * l}})
	assert.InDelta(t, (100+250)/(100+200.0), ten.Mean, 1e-9)
	assert.InDelta(t, ten.Mean, ten.Low, 1e-6, "tags that are all alike have no spread")

	// Two techniques at the same multiple of their rates are one pace.
	a, b := math.Log(50.0), math.Log(25.0)
	two := pace.Of([]pace.Record{{Rate: 40, Tags: 5, Grafts: 125, Hours: 2.5, LogSum: 5 * a, LogSq: 5 * a * a},
		{Rate: 20, Tags: 5, Grafts: 62.5, Hours: 2.5, LogSum: 5 * b, LogSq: 5 * b * b}})
	assert.InDelta(t, two.Mean, two.High, 1e-6)
}

func TestATagSaysSomethingOfThePaceOnlyIfItWasWorkedInOneGo(t *testing.T) {
	at := time.Date(2027, 2, 23, 8, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		name string
		tied int
		d    time.Duration
		want float64
	}{
		{"a usual one", 25, 30 * time.Minute, 0.5}, {"too few", 4, 30 * time.Minute, 0}, {"keyed in afterwards", 25, time.Minute, 0},
		{"left over night", 25, 16 * time.Hour, 0},
	} {
		t.Run(c.name, func(t *testing.T) { assert.Equal(t, c.want, pace.Hours(c.tied, at, at.Add(c.d))) })
	}
}

func TestTheFinishIsReckonedToTheMinute(t *testing.T) {
	at := time.Date(2027, 2, 23, 8, 0, 0, 0, time.UTC)
	assert.Equal(t, at.Add(30*time.Minute), pace.Finish(at, 20, 40))
	assert.True(t, pace.Finish(at, 20, 0).IsZero())
	assert.True(t, pace.Finish(at, 0, 40).IsZero())
	assert.Zero(t, pace.PerHour([]pace.Stretch{{From: at.Add(-5 * time.Minute), N: 9}}, at), "ten minutes at least")
	assert.InDelta(t, 40, pace.PerHour([]pace.Stretch{{From: at.Add(-30 * time.Minute), N: 20}}, at), 1e-9)
}
