package season

import (
	"context"
	"math"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// SeasonLists are the lists of this stage that a file can be loaded into.
func (s *Stage) SeasonLists() []nursery.List {
	return []nursery.List{{Kind: "weather", Read: s.readWeather, Rows: s.weatherRows}}
}

func (s *Stage) weatherRows(ctx context.Context, q store.Q, row func(...any) error) error {
	ws, err := q.Weather(ctx, time.Time{})
	for _, w := range ws {
		if err := row("day", w.On.Format(time.DateOnly), "mean_c", w.MeanC, "low_c", w.LowC); err != nil {
			return err
		}
	}
	return err
}

// readWeather reads a file of days, each with its mean and, where it is known,
// its lowest temperature. Without it no frost is read from the day.
func (s *Stage) readWeather(ctx context.Context, q store.Q, l *nursery.Loading, t *exchange.Table) error {
	have := map[time.Time]float64{}
	ws, err := q.Weather(ctx, time.Time{})
	if err != nil {
		return err
	}
	for _, w := range ws {
		have[season.DayOf(w.On)] = w.MeanC
	}
	add := nursery.Batch(l, func(ctx context.Context, q store.Q, _ nursery.Actor, ws []store.WeatherDay) error {
		_, err := q.AddWeather(ctx, ws)
		return err
	})
	return l.Rows(ctx, t, func(c *exchange.Cells) error {
		day, mean, low := c.Date("day"), c.Number("mean_c"), c.Number("low_c")
		if c.Cell("low_c") == "" && c.Cell("low_f") == "" {
			low = mean
		}
		if len(c.Bads) == 0 {
			switch {
			case day.IsZero():
				c.Spoil("day", words.GiveTheDaySuchAs)
			case c.Cell("mean_c") == "" && c.Cell("mean_f") == "":
				c.Spoil("mean_c", words.GiveTheDaysMeanTemperature)
			case day.After(s.Today()):
				c.Spoil("day", words.XIsStillToCome, day.Format(time.DateOnly))
			case mean < -50 || mean > 50:
				c.Spoil("mean_c", words.NCIsNoDays, mean)
			case low > mean:
				c.Spoil("low_c", words.TheLowestLiesAboveThe)
			}
		}
		mean, low = math.Round(mean*10)/10, math.Round(low*10)/10
		if was, ok := have[day]; ok && len(c.Bads) == 0 {
			if was == mean {
				l.Same++
				return nil
			}
			c.Spoil("mean_c", words.OnThisDayNC, was, mean)
		}
		if len(c.Bads) > 0 {
			l.Spoil(c)
			return nil
		}
		have[day] = mean
		add(c.Line, day.Format(time.DateOnly), store.WeatherDay{On: day, MeanC: mean, LowC: low, Source: "file"})
		return nil
	})
}
