package standin

import (
	"math"
	"math/rand/v2"
)

// Caliper gives diameters in mm as they are measured.
type Caliper interface {
	Type(n int) []float64
}

// TypingCaliper is a simulated caliper that types what it measures: stems of
// a normal spread, to a tenth of a millimetre. The same seed types the same.
type TypingCaliper struct {
	MeanMM, SDMM float64
	Seed         uint64
}

// Type implements Caliper.
func (c TypingCaliper) Type(n int) []float64 {
	r := rand.New(rand.NewPCG(c.Seed, 41))
	out := make([]float64, n)
	for i := range out {
		out[i] = math.Round(math.Max(2, c.MeanMM+c.SDMM*r.NormFloat64())*10) / 10
	}
	return out
}
