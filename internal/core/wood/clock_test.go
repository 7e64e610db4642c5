package wood_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/wood"
)

var midnight = time.Date(2027, 1, 10, 0, 0, 0, 0, time.UTC)

func hourly(days int, c func(hour int) float64) []wood.Reading {
	var rs []wood.Reading
	for h := 0; h <= days*24; h++ {
		rs = append(rs, wood.Reading{At: midnight.Add(time.Duration(h) * time.Hour), C: c(h)})
	}
	return rs
}

func flat(c float64) func(int) float64 { return func(int) float64 { return c } }

func TestADayAtOneDegreeIsADay(t *testing.T) {
	for c, want := range map[float64]float64{1: 30, 11: 75, -9: 30 * wood.Rate(0)} {
		k := wood.NewClock(hourly(30, flat(c)), 1)
		a := k.Age(midnight, midnight.AddDate(0, 0, 30))
		assert.InDelta(t, want, a.Days, 1e-6, "%g °C", c)
		assert.Zero(t, a.Unknown)
	}
}

func TestAgesAddUp(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	rs := hourly(40, func(int) float64 { return 1 + 3*r.NormFloat64() })
	r.Shuffle(len(rs), func(i, j int) { rs[i], rs[j] = rs[j], rs[i] })
	k := wood.NewClock(rs, 2)
	for range 50 {
		a := midnight.Add(time.Duration(r.IntN(60*24)-240) * time.Hour)
		b := a.Add(time.Duration(r.IntN(900)) * time.Hour)
		m := a.Add(b.Sub(a) / 3)
		whole, x, y := k.Age(a, b), k.Age(a, m), k.Age(m, b)
		assert.InDelta(t, whole.Days, x.Days+y.Days, 1e-9)
		assert.InDelta(t, whole.Unknown.Hours(), (x.Unknown + y.Unknown).Hours(), 1e-9)
	}
}

func TestGapsStandAtTheSetPointAndAreSaid(t *testing.T) {
	rs := append(hourly(2, flat(9)), wood.Reading{At: midnight.AddDate(0, 0, 10), C: 9})
	a := wood.NewClock(rs, 1).Age(midnight.AddDate(0, 0, -5), midnight.AddDate(0, 0, 10))
	day := wood.GapAfter.Hours() / 24
	assert.InDelta(t, 5+(2+day)*wood.Rate(9)+8-day, a.Days, 1e-6, "a reading stands for 26 hours after it")
	assert.Equal(t, 13*24*time.Hour-wood.GapAfter, a.Unknown)
	none := wood.NewClock(nil, 3)
	assert.InDelta(t, 10*wood.Rate(3), none.Age(midnight, midnight.AddDate(0, 0, 10)).Days, 1e-9)
	assert.Zero(t, none.Age(midnight, midnight.AddDate(0, 0, -1)).Days)
	c, read := none.Now(midnight)
	assert.False(t, read)
	assert.Equal(t, 3.0, c)
}

func TestAWarmWeekBringsTheKeepByDateForward(t *testing.T) {
	now := midnight.AddDate(0, 0, 30)
	cool := wood.NewClock(hourly(30, flat(1)), 1).Keep(midnight, now, "resting")
	warm := wood.NewClock(hourly(30, func(h int) float64 {
		if h > 240 && h <= 240+7*24 {
			return 9
		}
		return 1
	}), 1).Keep(midnight, now, "resting")
	assert.Equal(t, midnight.AddDate(0, 0, 120), cool.KeepBy.Round(time.Minute))
	lost := cool.KeepBy.Sub(warm.KeepBy).Hours() / 24
	assert.InDelta(t, 7*(wood.Rate(9)-1), lost, 0.2)
	assert.True(t, warm.Earliest.Before(warm.KeepBy) && warm.KeepBy.Before(warm.KeepLate))
	green := wood.NewClock(nil, 1).Keep(midnight, midnight.AddDate(0, 0, 3), "ripe green")
	assert.InDelta(t, 0.75, green.Used, 1e-9)
}

// TestAgeNeverFalls: whatever the readings, time only adds age, and no more can
// be unread than has gone by.
func TestAgeNeverFalls(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	for range 60 {
		var rs []wood.Reading
		at := midnight
		for range r.IntN(12) {
			at = at.Add(time.Duration(1+r.IntN(80)) * time.Hour)
			rs = append(rs, wood.Reading{At: at, C: 14*r.Float64() - 4})
		}
		k := wood.NewClock(rs, 4*r.Float64())
		var last wood.Age
		for h := 0; h < 60*24; h += 3 {
			now := midnight.Add(time.Duration(h) * time.Hour)
			a := k.Age(midnight, now)
			require.GreaterOrEqual(t, a.Days, last.Days-1e-12)
			require.GreaterOrEqual(t, a.Unknown, last.Unknown)
			require.LessOrEqual(t, a.Unknown, now.Sub(midnight))
			last = a
		}
	}
}

func TestColdAddsNoLife(t *testing.T) {
	cold := wood.NewClock(hourly(30, flat(-8)), 1).Age(midnight, midnight.AddDate(0, 0, 30))
	zero := wood.NewClock(hourly(30, flat(0)), 1).Age(midnight, midnight.AddDate(0, 0, 30))
	assert.InDelta(t, zero.Days, cold.Days, 1e-9)
	assert.True(t, wood.Doubtful(-40) && wood.Doubtful(51) && !wood.Doubtful(-30) && !wood.Doubtful(50))
}

func TestCrossingsLieOnTheLineBetweenReadings(t *testing.T) {
	read := func(cs ...float64) (rs []wood.Reading) {
		for i, c := range cs {
			rs = append(rs, wood.Reading{At: midnight.Add(time.Duration(3*i) * time.Hour), C: c})
		}
		return rs
	}
	hs := wood.NewClock(read(1, 1, -6, -6, 1, 1), 1).Harms()
	require.Len(t, hs, 1, "five hours of frost read every three")
	assert.InDelta(t, 3+2*3*3/7.0, hs[0].To.Sub(hs[0].From).Hours(), 1e-6)
	assert.Equal(t, -6.0, hs[0].WorstC)
	assert.Len(t, wood.NewClock(read(1, -6, 1), 1).Harms(), 1, "two and a half hours below −3")
	assert.Empty(t, wood.NewClock(read(1, -4, 1), 1).Harms(), "a little over one")
	assert.Empty(
		t,
		wood.NewClock([]wood.Reading{{At: midnight, C: -6}, {At: midnight.Add(27 * time.Hour), C: -6}}, 1).Harms(),
		"nobody knows what was between",
	)
}

func TestFrostAndWarmthHurtOnlyWhenTheyLast(t *testing.T) {
	c := func(h int) float64 {
		switch {
		case h == 10: // an hour: too short
			return -4
		case h >= 50 && h <= 53:
			return -5 - float64(h-50)/10
		case h >= 100 && h < 140: // 39 hours
			return 8
		case h >= 200 && h <= 260:
			return 7 + float64(h%2)
		}
		return 1
	}
	hs := wood.NewClock(hourly(12, c), 1).Harms()
	require.Len(t, hs, 2)
	assert.Equal(t, "frost", hs[0].Kind)
	assert.InDelta(t, -5.3, hs[0].WorstC, 1e-9)
	assert.Equal(t, 4*time.Hour, hs[0].To.Sub(hs[0].From).Round(time.Hour))
	assert.Equal(t, "warmth", hs[1].Kind)
	assert.InDelta(t, 60+2*(1-5/6.0)+0.01, hs[1].To.Sub(hs[1].From).Hours(), 0.05)
	assert.False(t, math.IsNaN(hs[1].WorstC))
}

func ExampleClock_Keep() {
	rs := hourly(40, flat(3))
	k := wood.NewClock(rs, 1).Keep(midnight, midnight.AddDate(0, 0, 40), "resting")
	fmt.Printf("%.0f %% used, keep by %s\n", k.Used*100, k.KeepBy.Format("2 January"))
	// Output: 40 % used, keep by 19 April
}

// TestAKeepByDayStands: wood in a steady place keeps until one day, at whatever
// second it is asked.
func TestAKeepByDayStands(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for _, c := range []float64{1, 4, 11} { // in whole days, so that it ends at a midnight
		k := wood.NewClock(nil, c)
		first := k.Keep(midnight, midnight, "resting").KeepBy
		for range 2000 {
			now := midnight.Add(time.Duration(r.Int64N(int64(200 * 24 * time.Hour))))
			require.Equal(t, first, k.Keep(midnight, now, "resting").KeepBy, "at %g °C, asked at %s", c, now)
		}
	}
}
