// Package standin holds the simulated devices that ship with the product, so
// that all of it can be tried without hardware. Each stands behind a small
// interface that a real one could take; whatever they make is marked as
// simulated.
package standin

import (
	"math"
	"math/rand/v2"
	"time"

	"unionknot/internal/core/wood"
)

// Logger gives a store's readings between two times.
type Logger interface {
	Readings(from, to time.Time) []wood.Reading
}

// StoreLogger is a simulated logger: a set point, the day's swing of a cold
// store in a shed, the thermostat's saw, and a little noise. The same times
// give the same readings.
type StoreLogger struct {
	SetC  float64
	Every time.Duration // 0: half an hour
	// Trouble moves the temperature for a stretch: a door left open, a
	// thermostat that stuck.
	Trouble []Trouble
}

// Trouble is a stretch in which a store runs warmer, or below zero colder.
type Trouble struct {
	From, To time.Time
	ByC      float64
}

// Readings implements Logger.
func (l StoreLogger) Readings(from, to time.Time) []wood.Reading {
	every := l.Every
	if every <= 0 {
		every = 30 * time.Minute
	}
	var out []wood.Reading
	for at := from.Truncate(every); at.Before(to); at = at.Add(every) {
		if at.Before(from) {
			continue
		}
		r := rand.New(rand.NewPCG(uint64(at.Unix()), 77))
		hours := float64(at.Unix()) / 3600
		c := l.SetC + 0.35*math.Sin(2*math.Pi*(hours-15)/24) + 0.4*(math.Mod(hours*0.83, 1)-0.5) + 0.1*r.NormFloat64()
		for _, t := range l.Trouble {
			if !at.Before(t.From) && at.Before(t.To) {
				// It takes some hours to warm up and to cool down again.
				c += t.ByC * math.Min(1, math.Min(at.Sub(t.From).Hours(), t.To.Sub(at).Hours())/6)
			}
		}
		out = append(out, wood.Reading{At: at, C: math.Round(c*10) / 10})
	}
	return out
}
