package nursery

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/wood"
	"unionknot/internal/store"
)

// keeper works out how bundles keep, asking the store once for each place.
type keeper struct {
	s      *Service
	q      store.Q
	clocks map[string]*placeClock
	stays  map[int64][]store.Stay
}

type placeClock struct {
	place store.ColdPlace
	clock wood.Clock
}

func (s *Service) keeper(q store.Q) *keeper {
	return &keeper{s, q, map[string]*placeClock{}, map[int64][]store.Stay{}}
}

// stay learns where bundles were kept, all at once.
func (k *keeper) stay(ctx context.Context, bs ...store.Bundle) error {
	ids := make([]int64, len(bs))
	for i, b := range bs {
		ids[i] = b.ID
	}
	stays, err := k.q.Stays(ctx, ids)
	maps.Copy(k.stays, stays)
	return err
}

// clockFrom is how far back a store's readings are read.
const clockFrom = 400 * 24 * time.Hour

// clock is that of a place; one without readings stands at 1 °C.
func (k *keeper) clock(ctx context.Context, name string) (*placeClock, error) {
	key := strings.ToLower(name)
	if c := k.clocks[key]; c != nil {
		return c, nil
	}
	c := &placeClock{clock: wood.NewClock(nil, 1)}
	p, err := k.q.ColdPlaceByName(ctx, name)
	if err == nil {
		rs, err := k.q.ColdReadings(ctx, p.ID, k.s.Now().Add(-clockFrom))
		if err != nil {
			return nil, err
		}
		c = &placeClock{p, clockOf(rs, p)}
	} else if !errors.Is(err, ErrNotFound) {
		return nil, err
	}
	k.clocks[key] = c
	return c, nil
}

// keep works out how a bundle keeps: it aged in each place by that place's
// readings, and goes on where it lies now.
func (k *keeper) keep(ctx context.Context, b store.Bundle, looks []store.Look) (Kept, error) {
	if _, ok := k.stays[b.ID]; !ok {
		if err := k.stay(ctx, b); err != nil {
			return Kept{}, err
		}
	}
	now := k.s.Now()
	var age wood.Age
	stays := k.stays[b.ID]
	for i, st := range stays {
		c, err := k.clock(ctx, st.Place)
		if err != nil {
			return Kept{}, err
		}
		to := now
		if i+1 < len(stays) {
			to = stays[i+1].Since
		}
		a := c.clock.Age(st.Since, to)
		age.Days, age.Unknown = age.Days+a.Days, age.Unknown+a.Unknown
	}
	c, err := k.clock(ctx, b.Place)
	if err != nil {
		return Kept{}, err
	}
	return kept(c.clock, age, b, c.place.Name, now, looks), nil
}

// ColdNames lists the stores' names, to help typing.
func (s *Service) ColdNames(ctx context.Context) ([]string, error) {
	ps, err := s.db.Q().ColdPlaces(ctx)
	out := make([]string, len(ps))
	for i, p := range ps {
		out[i] = p.Name
	}
	return out, err
}

// firstToUse puts bundles in the order in which they must be used, with the day
// until which each keeps, and names those that are past it.
func (k *keeper) firstToUse(ctx context.Context, bs []store.Bundle) (out []store.Bundle, keepBy map[int64]time.Time, late []string, err error) {
	if err := k.stay(ctx, bs...); err != nil {
		return nil, nil, nil, err
	}
	keepBy = make(map[int64]time.Time, len(bs))
	for _, b := range bs {
		x, err := k.keep(ctx, b, nil)
		if err != nil {
			return nil, nil, nil, err
		}
		// To the day: what moves by minutes must not change the weave.
		keepBy[b.ID] = season.DayOf(x.Keeping.KeepBy)
		if x.Keeping.KeepBy.Before(k.s.Now()) {
			late = append(late, fmt.Sprintf("%s (%s)", b.Code, x.Keeping.KeepBy.Format("2 January")))
		}
	}
	out = slices.Clone(bs)
	slices.SortStableFunc(out, func(a, b store.Bundle) int { return keepBy[a.ID].Compare(keepBy[b.ID]) })
	return out, keepBy, late, nil
}
