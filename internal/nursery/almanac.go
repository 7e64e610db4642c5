package nursery

import (
	"context"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/store"
)

// almanac reads years, the weather once for all groups.
type almanac struct {
	s       *Service
	q       store.Q
	rests   map[string]bool
	weather season.Known
	years   map[string]season.Year
}

func (s *Service) almanac(q store.Q) *almanac {
	return &almanac{s: s, q: q, years: map[string]season.Year{}}
}

// year reads a season group's anchors, with the dates of this year and the ones
// beside it as warmth and what was seen move them.
func (a *almanac) year(ctx context.Context, group string) (season.Year, error) {
	if y, ok := a.years[group]; ok {
		return y, nil
	}
	this := a.s.Today().Year()
	y, err := a.span(ctx, group, this-1, this+1)
	a.years[group] = y
	return y, err
}

// span dates a group's anchors from one year to another.
func (a *almanac) span(ctx context.Context, group string, first, last int) (season.Year, error) {
	y := season.Year{Group: group}
	from := time.Date(first-1, time.July, 1, 0, 0, 0, 0, time.UTC)
	if a.rests == nil {
		gs, err := a.q.SeasonGroups(ctx)
		if err != nil {
			return y, err
		}
		a.rests = map[string]bool{}
		for _, g := range gs {
			a.rests[g.Key] = g.Rests
		}
		if a.weather, err = a.s.weather(ctx, a.q, from); err != nil {
			return y, err
		}
	}
	rests, known := a.rests[group]
	y.NoRest = known && !rests
	as, err := a.q.Anchors(ctx, group)
	if err != nil {
		return y, err
	}
	for _, x := range as {
		y.Anchors = append(y.Anchors, season.Anchor{Kind: x.Kind, Month: x.Month, Day: x.Day, SpreadDays: x.SpreadDays, Source: x.Source})
	}
	k := a.weather
	seen, err := a.q.SeenOf(ctx, group, from)
	for _, o := range seen {
		k.Seen = append(k.Seen, season.Observation{Says: o.Says, On: o.On, Place: o.Place, Soil: o.Soil})
	}
	return y.With(k, first, last), err
}

// yearOf reads one group's year.
func (s *Service) yearOf(ctx context.Context, q store.Q, group string) (season.Year, error) {
	return s.almanac(q).year(ctx, group)
}

// weather reads the site's usual temperatures and its days from one on.
func (s *Service) weather(ctx context.Context, q store.Q, from time.Time) (season.Known, error) {
	var k season.Known
	ns, err := q.Normals(ctx)
	if err != nil {
		return k, err
	}
	for _, n := range ns {
		k.Normals[n.Month-1] = n.MeanC
	}
	ws, err := q.Weather(ctx, from)
	for _, w := range ws {
		k.Weather = append(k.Weather, season.DegreeDay{On: w.On, MeanC: w.MeanC, LowC: w.LowC})
	}
	return k, err
}
