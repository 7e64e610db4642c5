package places

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"time"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// PlaceLists are the lists of this stage that a file can be loaded into.
func (s *Stage) PlaceLists() []nursery.List {
	return []nursery.List{{Kind: "store", Read: s.readColds, Rows: s.coldRows}}
}

func (s *Stage) coldRows(ctx context.Context, q store.Q, row func(...any) error) error {
	return q.AllColdReadings(ctx, func(place string, at time.Time, c float64) error {
		return row("store", place, "at", at.Local().Format(time.RFC3339), "c", c)
	})
}

// readColds knows a reading by its store and time.
func (s *Stage) readColds(ctx context.Context, q store.Q, l *nursery.Loading, t *exchange.Table) error {
	type seen struct {
		place store.ColdPlace
		have  map[int64]float64
		err   error
	}
	stores := map[string]*seen{}
	type reading struct {
		place int64
		store.ColdReading
	}
	add := nursery.Batch(l, func(ctx context.Context, q store.Q, a nursery.Actor, rs []reading) error {
		of := map[int64][]store.ColdReading{}
		for _, r := range rs {
			of[r.place] = append(of[r.place], r.ColdReading)
		}
		for _, place := range slices.Sorted(maps.Keys(of)) { // two loads at once take the places in one order
			if _, err := q.AddColdReadings(ctx, place, of[place], &a.ID); err != nil {
				return err
			}
		}
		return nil
	})
	return l.Rows(ctx, t, func(c *exchange.Cells) error {
		r := c.Row
		name, at, temp := strings.Join(strings.Fields(r.Cell("store")), " "), c.Time("at"), c.Number("c")
		if len(c.Bads) == 0 && c.Cell("c") == "" && c.Cell("f") == "" {
			c.Spoil("c", words.GiveTheTemperature)
		}
		k := strings.ToLower(name)
		if stores[k] == nil {
			x := &seen{have: map[int64]float64{}}
			if x.place, x.err = q.ColdPlaceByName(ctx, name); x.err == nil {
				rs, err := q.ReadingsIn(ctx, []int64{x.place.ID}, time.Time{})
				if err != nil {
					return err
				}
				for _, h := range rs {
					x.have[h.At.Unix()] = h.C
				}
			} else if !errors.Is(x.err, nursery.ErrNotFound) {
				return x.err
			}
			stores[k] = x
		}
		x := stores[k]
		if len(c.Bads) == 0 {
			switch says := coldSound(at, temp, s.Now()); {
			case x.err != nil:
				c.Spoil("store", words.NoStoreIsCalledX, name)
			case at.IsZero():
				c.Spoil("at", words.GiveTheDayAndThe)
			case says != "":
				c.Spoil("c", "%s", says)
			}
		}
		temp = math.Round(temp*100) / 100
		if was, ok := x.have[at.Unix()]; ok && len(c.Bads) == 0 {
			if was == temp {
				l.Same++
				return nil
			}
			c.Spoil("c", words.AtThisHourNC, was, temp)
		}
		if len(c.Bads) > 0 {
			l.Spoil(c)
			return nil
		}
		x.have[at.Unix()] = temp
		add(c.Line, fmt.Sprint(x.place.ID, "/", at.Unix()), reading{x.place.ID, store.ColdReading{At: at, C: temp, Source: "file"}})
		return nil
	})
}
