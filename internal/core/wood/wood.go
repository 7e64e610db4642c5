// Package wood works out what a budstick yields: how many pieces, and how
// thick each is where it will be cut. Lengths are millimetres, shares 0 to 1.
package wood

import (
	"errors"
	"fmt"
	"math"
)

// Parts of the shoot that a piece can be from; "" where nobody noted it.
var Parts = []string{"", "base", "middle", "outer"}

// Zone is the usable part of a shoot, as it grew, as shares of its length from
// the base. A stick that was cut from the base is usable as it is: Whole.
type Zone struct{ From, To float64 }

// zones are the house ways for the usable part (craft: house ways).
var zones = map[string]Zone{
	"lower half":           {0, 0.5},
	"base third":           {0, 1.0 / 3},
	"all but the soft tip": {0, 0.85},
	"everything sound":     {0, 1},
}

// Whole is the zone of a stick that is already the base of a shoot.
var Whole = Zone{0, 1}

// ZoneOf gives the usable part for a house way by its name.
func ZoneOf(way string) (Zone, bool) { z, ok := zones[way]; return z, ok }

// Stick is one budstick, tapering evenly from base to tip.
type Stick struct {
	LengthMM     float64
	BaseMM       float64
	TipMM        float64
	InternodeMM  float64
	Usable       Zone
	BlindShare   float64 // share of usable nodes without a sound bud
	BudsPerPiece int     // left on a piece; 1 is a bud for budding
	FaceBuds     int     // eaten by shaping a graft's face, beside those left
}

// FaceBuds is how many buds a face of so many mm eats: none where buds are cut
// singly.
func FaceBuds(faceMM, internodeMM float64, budsPerPiece int) int {
	if budsPerPiece <= 1 || !(internodeMM > 0) {
		return 0
	}
	return int(math.Floor(faceMM/internodeMM + 0.5))
}

// Yield is what one stick gives.
type Yield struct {
	Nodes   int       // nodes in the usable part
	Sound   int       // of those, buds fit to use
	Pieces  int       // scions or buds
	PieceMM []float64 // diameter of each piece at its cut end, from the base up
}

// ErrStick says that the measures given do not describe a stick.
var ErrStick = errors.New("not a stick")

// Of works out what a stick yields. Node j stands (j − ½) internodes from the
// base; pieces are taken from the base up, each cut half an internode below
// its first node, or at the node when it is a single bud.
func (s Stick) Of() (Yield, error) {
	switch {
	case !(s.LengthMM > 0), !(s.InternodeMM > 0), !(s.BaseMM > 0), !(s.TipMM > 0):
		return Yield{}, fmt.Errorf("length, internode, base and tip must be above 0: %w", ErrStick)
	case s.TipMM > s.BaseMM:
		return Yield{}, fmt.Errorf("tip %g mm is thicker than base %g mm: %w", s.TipMM, s.BaseMM, ErrStick)
	case s.BlindShare < 0 || s.BlindShare >= 1:
		return Yield{}, fmt.Errorf("blind share %g: %w", s.BlindShare, ErrStick)
	case s.BudsPerPiece < 1 || s.FaceBuds < 0:
		return Yield{}, fmt.Errorf("%d buds a piece, %d in its face: %w", s.BudsPerPiece, s.FaceBuds, ErrStick)
	case s.LengthMM/s.InternodeMM > 10_000:
		return Yield{}, fmt.Errorf("internode %g mm on %g mm: %w", s.InternodeMM, s.LengthMM, ErrStick)
	}
	// A hair of slack keeps a node that stands exactly on the zone's edge.
	const hair = 1e-9
	var y Yield
	var at []float64
	for j := 1; ; j++ {
		x := (float64(j) - 0.5) * s.InternodeMM
		if x > s.LengthMM+hair {
			break
		}
		if x >= s.Usable.From*s.LengthMM-hair && x <= s.Usable.To*s.LengthMM+hair {
			at = append(at, x)
		}
	}
	y.Nodes = len(at)
	y.Sound = int(math.Floor(float64(y.Nodes)*(1-s.BlindShare) + hair))
	k := s.BudsPerPiece + s.FaceBuds
	y.Pieces = y.Sound / k
	for i := range y.Pieces {
		x := at[i*k]
		if k > 1 {
			x -= s.InternodeMM / 2
		}
		y.PieceMM = append(y.PieceMM, s.DiameterAt(x))
	}
	return y, nil
}

// DiameterAt is the stick's diameter at x mm from its base.
func (s Stick) DiameterAt(x float64) float64 {
	return s.BaseMM + (s.TipMM-s.BaseMM)*x/s.LengthMM
}

// SticksToCut is how many sticks give n grafts with a spare share on top and
// a waste share thrown out, at a number of pieces a stick. It gives 0 for no
// grafts, and −1 when no number of sticks would do.
func SticksToCut(n int, spare, waste float64, piecesAStick int) int {
	if n <= 0 {
		return 0
	}
	if piecesAStick <= 0 || waste >= 1 || waste < 0 || spare < 0 {
		return -1
	}
	return int(math.Ceil(float64(n)*(1+spare)/((1-waste)*float64(piecesAStick)) - 1e-9))
}
