package take_test

import (
	"fmt"
	"math"
	"math/rand/v2"

	"unionknot/internal/core/take"
)

// world is a nursery whose truth is known.
type world struct {
	seasons, tags          int // tags a season
	workers, lots, bundles int // lots and bundles a season
	sdW, sdL, sdB          float64
}

// truth is what the counts were drawn from.
type truth struct {
	records []take.Record
	eta     []float64
	worker  map[string]float64
	lot     map[string]float64
	bundle  map[string]float64
	way     map[string]float64
}

var ways = map[string]float64{"whip-and-tongue": 0, "chip-bud": 0.35, "off-centre-cleft": -0.35, "omega": -0.6}

// draw makes a world's records. Workers stay; stock and wood live one season,
// but for one in twenty that a second season sees too.
func (w world) draw(r *rand.Rand) truth {
	t := truth{worker: map[string]float64{}, lot: map[string]float64{}, bundle: map[string]float64{}, way: ways}
	names := []string{"whip-and-tongue", "chip-bud", "off-centre-cleft", "omega"}
	level := func(of map[string]float64, name string, sd float64) float64 {
		v, ok := of[name]
		if !ok {
			v = sd * r.NormFloat64()
			of[name] = v
		}
		return v
	}
	pick := func(kind string, season, n int) string {
		if season > 0 && r.IntN(200) == 0 {
			return fmt.Sprintf("%s%d-%03d", kind, season-1, r.IntN(max(1, n/20)))
		}
		return fmt.Sprintf("%s%d-%03d", kind, season, r.IntN(n))
	}
	for s := range w.seasons {
		for range w.tags {
			rec := take.Record{
				Worker:    fmt.Sprintf("w%02d", r.IntN(w.workers)),
				Technique: names[r.IntN(4)],
				Lot:       pick("lot", s, w.lots),
				Bundle:    pick("bun", s, w.bundles),
				Mismatch:  0.4 * r.Float64(),
				StoreDays: float64(r.IntN(90)),
				Grafts:    10 + r.IntN(31),
			}
			eta := 2.0 + ways[rec.Technique] - 2.5*rec.Mismatch - 0.006*rec.StoreDays +
				level(t.worker, rec.Worker, w.sdW) + level(t.lot, rec.Lot, w.sdL) + level(t.bundle, rec.Bundle, w.sdB)
			p := 1 / (1 + math.Exp(-eta))
			for range rec.Grafts {
				if r.Float64() < p {
					rec.Took++
				}
			}
			t.records, t.eta = append(t.records, rec), append(t.eta, eta)
		}
	}
	return t
}

// fair is the true standardised take of a level.
func (t truth) fair(own func(take.Record) float64, put float64) float64 {
	sum, n := 0.0, 0.0
	for i, r := range t.records {
		sum += float64(r.Grafts) / (1 + math.Exp(-(t.eta[i] - own(r) + put)))
		n += float64(r.Grafts)
	}
	return sum / n
}

// decade is ten seasons of a large house.
var decade = world{seasons: 10, tags: 4000, workers: 60, lots: 150, bundles: 250, sdW: 0.37, sdL: 0.57, sdB: 0.49}
