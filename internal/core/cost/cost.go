// Package cost reckons what a live union, and a tree lifted, comes to: everything that went
// into all grafts made, over those that live. Money is in hundredths of the house's currency.
package cost

import (
	"math"

	"unionknot/internal/core/sizing"
)

// Part is a part of a cost.
type Part int

// The parts, in the order in which they come up.
const (
	Stem Part = iota
	Wood
	Tie
	Seal
	Labels
	Work      // cutting, tying and making ready
	Aftercare // of those that live, until they are lifted
	Overhead  // of bench days, shared by their grafts
	parts
)

// Parts are all of them.
var Parts = []Part{Stem, Wood, Tie, Seal, Labels, Work, Aftercare, Overhead}

// Prices are what things cost, in cents; Tie and Seal of one graft.
type Prices struct {
	Stem, Piece, Tie, Seal float64
	Label                  float64 // of one
	Hour                   float64 // of work
	BenchDay               float64 // of one head's: rooms, light and tools
	CareMinutes            float64 // of a tree that lives, until it is lifted
}

// Made is what went into a group of grafts.
type Made struct {
	Grafts    int     // stocks worked
	Pieces    int     // of wood joined: two where two buds are set
	Spoiled   int     // stems that came to nothing at the bench
	SpoiledW  int     // pieces that did, or were dropped
	Labels    int     // printed
	Hours     float64 // of work, of all heads together
	BenchDays float64 // heads' days at the bench
	Alive     int     // unions that live, of those that were counted
	Counted   int     // grafts that were
	Grade     float64 // share of live trees that are lifted and make the grade
}

// Sum is what a group of grafts came to.
type Sum struct {
	Parts [parts]float64 // cents, of all grafts; Aftercare of those that live
	Live  sizing.Interval
	Tree  sizing.Interval
	each  [parts]float64
}

// Each gives a part of what a live union comes to, in cents.
func (s Sum) Each(p Part) float64 { return s.each[p] }

// Of reckons it: all that went in, over the live unions that the counted ones stand for. The
// range is the take's, the middle 90 % of a beta belief on a flat prior: where fewer live, each
// bears more. With nothing counted there is no number (NaN).
func Of(m Made, p Prices) Sum {
	s := Sum{}
	s.Parts[Stem] = float64(m.Grafts+m.Spoiled) * p.Stem
	s.Parts[Wood] = float64(m.Pieces+m.SpoiledW) * p.Piece
	s.Parts[Tie] = float64(m.Pieces) * p.Tie
	s.Parts[Seal] = float64(m.Pieces) * p.Seal
	s.Parts[Labels] = float64(m.Labels) * p.Label
	s.Parts[Work] = m.Hours * p.Hour
	s.Parts[Overhead] = m.BenchDays * p.BenchDay
	if m.Counted <= 0 || m.Grafts <= 0 {
		nan := sizing.Interval{Mean: math.NaN(), Low: math.NaN(), High: math.NaN()}
		s.Live, s.Tree = nan, nan
		return s
	}
	care := p.CareMinutes / 60 * p.Hour // of one that lives
	before := 0.0
	for _, x := range s.Parts {
		before += x
	}
	take := sizing.Beta{Alpha: 1, Beta: 1}.And(m.Alive, m.Counted).Interval90()
	mean := float64(m.Alive) / float64(m.Counted)
	live := func(take float64) float64 {
		if take <= 0 {
			return math.Inf(1)
		}
		return before/(float64(m.Grafts)*take) + care
	}
	s.Live = sizing.Interval{Mean: live(mean), Low: live(take.High), High: live(take.Low)}
	s.Parts[Aftercare] = care * mean * float64(m.Grafts)
	if mean > 0 {
		for i, x := range s.Parts {
			s.each[i] = x / (float64(m.Grafts) * mean)
		}
	}
	grade := m.Grade
	if grade <= 0 {
		grade = 1
	}
	s.Tree = sizing.Interval{Mean: s.Live.Mean / grade, Low: s.Live.Low / grade, High: s.Live.High / grade}
	return s
}

// Binding is a tie as it is compared with others: what it costs a graft, the minutes that it
// takes to bind and to take off, and the share of unions that it girdles or lets go.
type Binding struct {
	Material, BindMinutes, OffMinutes, Loses float64
}

// PerLive is what binding adds to a live union, in cents: material, work, taking off, and what
// those that it loses had cost until then (sunk, in cents). hour is an hour's wage.
func (b Binding) PerLive(take, hour, sunk float64) float64 {
	kept := take * (1 - b.Loses)
	if kept <= 0 {
		return math.Inf(1)
	}
	return (b.Material+b.BindMinutes/60*hour)/kept + b.OffMinutes/60*hour/(1-b.Loses) + sunk*b.Loses/(1-b.Loses)
}
