package standin_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/season"
	"unionknot/internal/standin"
)

func TestTheWeatherRepeatsItselfAndKeepsToTheUsual(t *testing.T) {
	n := season.Normals{2.5, 3, 5.5, 8.5, 12, 15, 17, 16.8, 14, 10, 6, 3.5}
	from, to := time.Date(2015, 1, 1, 7, 0, 0, 0, time.UTC), time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC)
	var f standin.Weather = standin.WeatherFeed{Normals: n}
	days := f.Days(from, to)
	require.Equal(t, days, f.Days(from, to))
	assert.Len(t, days, 12*365+3, "every day once, leap days too")
	sum, frost := map[time.Month]float64{}, map[time.Month]int{}
	for i, d := range days {
		assert.Less(t, d.LowC, d.MeanC)
		sum[d.On.Month()] += d.MeanC
		if d.LowC < 0 {
			frost[d.On.Month()]++
		}
		if i > 0 {
			assert.Equal(t, 24*time.Hour, d.On.Sub(days[i-1].On))
		}
	}
	for m := time.January; m <= time.December; m++ {
		usual, k := 0.0, 0
		for _, d := range days {
			if d.On.Month() == m {
				usual, k = usual+season.UsualMean(n, d.On), k+1
			}
		}
		assert.InDelta(t, usual/float64(k), sum[m]/float64(k), 1.2, m)
	}
	assert.Zero(t, frost[time.July])
	assert.Greater(t, frost[time.January], 100)
	assert.Empty(t, f.Days(to, from))
}

func TestAWarmSeasonIsWarmer(t *testing.T) {
	n := season.Normals{2.5, 3, 5.5, 8.5, 12, 15, 17, 16.8, 14, 10, 6, 3.5}
	from, to := time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC), time.Date(2027, 2, 1, 0, 0, 0, 0, time.UTC)
	plain, warm := standin.WeatherFeed{
		Normals: n,
	}.Days(
		from,
		to,
	), standin.WeatherFeed{
		Normals: n,
		Seasons: []standin.Trouble{{From: from, To: to, ByC: 3}},
	}.Days(
		from,
		to,
	)
	for i := range plain {
		assert.InDelta(t, plain[i].MeanC+3, warm[i].MeanC, 0.11)
	}
}
