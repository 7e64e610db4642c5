package calc

import (
	"encoding/json"
	"fmt"
	"io"
	"math"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
	"unionknot/internal/core/technique"
)

// PairQuestion is a pairing instance: what is to be paired, from what, and
// what it costs. Diameters are the middles of half-millimetre classes.
type PairQuestion struct {
	Techniques []struct {
		Name     string  `json:"name"`
		StockMin float64 `json:"stock_min"`
		StockMax float64 `json:"stock_max"`
		RatioMin float64 `json:"ratio_min"`
		RatioMax float64 `json:"ratio_max"`
		Loss     float64 `json:"loss"`
		Slope    float64 `json:"slope"`
		Effort   float64 `json:"effort"`
	} `json:"techniques"`
	ShortageCost map[string]float64 `json:"shortage_cost"` // by priority
	Orders       []struct {
		ID       string      `json:"id"`
		Variety  string      `json:"variety"`
		Stock    string      `json:"stock"`
		Grafts   int         `json:"grafts"`
		Priority json.Number `json:"priority"`
	} `json:"orders"`
	Stock []struct {
		Lot     string    `json:"lot"`
		Type    string    `json:"type"`
		Risk    float64   `json:"risk"`
		Classes []classOf `json:"classes"`
	} `json:"stock"`
	Wood []struct {
		Bundle  string    `json:"bundle"`
		Variety string    `json:"variety"`
		Risk    float64   `json:"risk"`
		Classes []classOf `json:"classes"`
	} `json:"wood"`
}

type classOf struct {
	MM float64 `json:"mm"`
	N  int     `json:"n"`
}

// PairAnswer is the weave of an instance.
type PairAnswer struct {
	Cost  float64        `json:"cost"`
	Bound float64        `json:"bound"` // no weave costs less
	Short map[string]int `json:"short"`
	Pairs []Paired       `json:"pairs"`
}

// Paired is a number of grafts of one stem class with one piece class.
type Paired struct {
	Order     string  `json:"order"`
	Lot       string  `json:"lot"`
	StockMM   float64 `json:"stock_mm"`
	Bundle    string  `json:"bundle"`
	ScionMM   float64 `json:"scion_mm"`
	Technique string  `json:"technique"`
	N         int     `json:"n"`
}

// Pair weaves an instance and writes who goes with whom.
func Pair(r io.Reader, w io.Writer) error {
	var q PairQuestion
	if err := one(r, &q); err != nil {
		return bad("not the JSON of a pairing instance: %v", err)
	}
	p, err := q.programme()
	if err != nil {
		return err
	}
	weave, err := pairing.Solve(p)
	if err != nil {
		return bad("%v", err)
	}
	a := PairAnswer{Cost: round(weave.Cost, 6), Bound: round(weave.Bound, 6), Short: map[string]int{}, Pairs: []Paired{}}
	for _, f := range weave.Orders {
		if f.Short > 0 {
			a.Short[f.Order] = f.Short
		}
	}
	for _, t := range weave.Threads {
		a.Pairs = append(a.Pairs, Paired{t.Order, t.Lot, t.Stock.Middle(), t.Bundle, t.Scion.Middle(), t.Way, t.N})
	}
	return json.NewEncoder(w).Encode(a)
}

// within says whether a number can be reckoned with.
func within(x, low, high float64) bool { return x >= low && x <= high }

func (q *PairQuestion) programme() (pairing.Programme, error) {
	var p pairing.Programme
	var ways []pairing.Way
	for i, k := range q.Techniques {
		if !within(k.Loss, 0, 1000) || !within(k.Slope, 0, 1000) || !within(k.Effort, 0, 1000) {
			return p, bad("technique %d: loss %g, slope %g and effort %g must be from 0 to 1000", i+1, k.Loss, k.Slope, k.Effort)
		}
		ways = append(ways, pairing.Way{Key: k.Name,
			Joins: func(s, c caliper.Class) bool {
				ratio := c.Middle() / s.Middle()
				return within(s.Middle(), k.StockMin, k.StockMax) && within(ratio, k.RatioMin, k.RatioMax)
			},
			Misfit: func(s, c caliper.Class) technique.Misfit {
				switch ratio := c.Middle() / s.Middle(); {
				case s.Middle() < k.StockMin:
					return technique.Misfit{Limit: technique.StockThin, MM: k.StockMin}
				case !within(s.Middle(), k.StockMin, k.StockMax):
					return technique.Misfit{Limit: technique.StockThick, MM: k.StockMax}
				case ratio < k.RatioMin:
					return technique.Misfit{Limit: technique.RatioLow, Ratio: k.RatioMin}
				}
				return technique.Misfit{Limit: technique.RatioHigh, Ratio: k.RatioMax}
			},
			Cost: func(s, c caliper.Class) float64 {
				return k.Loss + k.Slope*math.Abs(1-c.Middle()/s.Middle()) + k.Effort
			}})
	}
	if len(ways) > 64 {
		return p, bad("%d techniques; there can be 64", len(ways))
	}
	for i, o := range q.Orders {
		cost, ok := q.ShortageCost[o.Priority.String()]
		switch {
		case !ok:
			return p, bad("order %d: no shortage_cost for priority %q", i+1, o.Priority)
		case !within(cost, 0, 1000):
			return p, bad("shortage_cost %s: %g must be from 0 to 1000", o.Priority, cost)
		case o.Grafts > 1_000_000:
			return p, bad("order %d: %d grafts", i+1, o.Grafts)
		}
		p.Orders = append(
			p.Orders,
			pairing.Order{ID: o.ID, Variety: o.Variety, Stock: o.Stock, Grafts: o.Grafts, Shortage: cost, Ways: ways},
		)
	}
	for i, s := range q.Stock {
		cs, err := classes(s.Classes, s.Risk)
		if err != nil {
			return p, bad("stock %d: %v", i+1, err)
		}
		p.Stock = append(p.Stock, pairing.Pile{ID: s.Lot, Of: s.Type, Risk: s.Risk, Classes: cs})
	}
	for i, b := range q.Wood {
		cs, err := classes(b.Classes, b.Risk)
		if err != nil {
			return p, bad("wood %d: %v", i+1, err)
		}
		p.Wood = append(p.Wood, pairing.Pile{ID: b.Bundle, Of: b.Variety, Risk: b.Risk, Classes: cs})
	}
	return p, nil
}

func classes(in []classOf, risk float64) ([]caliper.Count, error) {
	if !within(risk, 0, 1000) {
		return nil, fmt.Errorf("risk %g must be from 0 to 1000", risk)
	}
	var out []caliper.Count
	for j, c := range in {
		if !within(c.MM, 0.25, 500) || c.N < 0 || c.N > 1_000_000 {
			return nil, fmt.Errorf("class %d: %d of %g mm", j+1, c.N, c.MM)
		}
		out = append(out, caliper.Count{Class: caliper.ClassOf(c.MM), N: c.N})
	}
	return out, nil
}
