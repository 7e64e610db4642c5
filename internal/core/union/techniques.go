package union

import (
	"fmt"
	"math"
)

// ellipse centred on the face's middle.
func ellipse(mid, a, b float64) Curve {
	return func(t float64) Point {
		s, c := math.Sincos(2 * math.Pi * t)
		return Point{mid + a*c, b * s}
	}
}

// nearEllipse gives the distance from an ellipse centred at (mid, 0): each
// step goes toward the centre of curvature of the nearest point so far.
func nearEllipse(mid, a, b float64) Bed {
	return func(p Point) float64 {
		px, py := math.Abs(p.X-mid), math.Abs(p.Y)
		tx, ty := math.Sqrt2/2, math.Sqrt2/2
		x, y := 0.0, 0.0
		for range 7 {
			x, y = a*tx, b*ty
			ex, ey := (a*a-b*b)*tx*tx*tx/a, (b*b-a*a)*ty*ty*ty/b
			rx, ry, qx, qy := x-ex, y-ey, px-ex, py-ey
			q := math.Sqrt(qx*qx + qy*qy)
			if q == 0 {
				break
			}
			k := math.Sqrt(rx*rx+ry*ry) / q
			tx, ty = math.Max(0, math.Min(1, (qx*k+ex)/a)), math.Max(0, math.Min(1, (qy*k+ey)/b))
			n := math.Sqrt(tx*tx + ty*ty)
			tx, ty = tx/n, ty/n
		}
		x, y = a*tx-px, b*ty-py
		return math.Sqrt(x*x + y*y)
	}
}

func nearLine(y float64) Bed { return func(p Point) float64 { return math.Abs(p.Y - y) } }

func straight(length, y float64) Curve { return func(t float64) Point { return Point{length * t, y} } }

func draw(of, part string, c Curve) Line {
	l := Line{Of: of, Part: part}
	for i := 0; i <= 96; i++ {
		l.Points = append(l.Points, c(float64(i)/96))
	}
	return l
}

// LongFace is the house's face length: 4 × the stock's diameter, of 3–5.
func LongFace(stock float64) float64 { return 4 * stock }

// Splice joins two slant faces cut at an angle to the axis: two ellipses. The
// whip and tongue has the same faces. An angle of 0 takes the long face.
func Splice(s Stems, angle float64) (Joint, error) {
	R, r, Rc, rc, err := s.radii()
	if err != nil {
		return Joint{}, err
	}
	if angle == 0 {
		angle = math.Asin(s.Stock/LongFace(s.Stock)) * 180 / math.Pi
	}
	if !(angle > 1 && angle <= 90) {
		return Joint{}, fmt.Errorf("at %g°: %w", angle, ErrCut)
	}
	sin := math.Sin(angle * math.Pi / 180)
	mid := R / sin
	return Joint{Technique: "splice", Faces: 1, Length: 2 * mid, Flush: Rc - rc,
		Pairs: []Pair{{ellipse(mid, rc/sin, rc), nearEllipse(mid, Rc/sin, Rc)}},
		Sizes: []Size{{"face on the stock", s.Stock / sin}, {"face on the scion", s.Scion / sin}, {"set over by", Rc - rc}},
		Lines: []Line{draw("stock", "bark", ellipse(mid, R/sin, R)), draw("stock", "cambium", ellipse(mid, Rc/sin, Rc)),
			draw("scion", "bark", ellipse(mid, r/sin, r)), draw("scion", "cambium", ellipse(mid, rc/sin, rc))}}, nil
}

// onLines is a bevelled scion face (half an ellipse) against cambium that
// shows as two straight lines at ±H: a split, or a slice.
func onLines(name string, faces int, H, r, rc, bevel float64) Joint {
	k := math.Sin(math.Atan(r / bevel))
	half := func(side, radius float64) Curve {
		return func(t float64) Point { // from the tip's end to the full width
			a := math.Pi / 2 * t
			return Point{radius / k * math.Cos(a), side * radius * math.Sin(a)}
		}
	}
	return Joint{Technique: name, Faces: faces, Length: r / k, Flush: H - rc,
		Pairs: []Pair{{half(1, rc), nearLine(H)}, {half(-1, rc), nearLine(-H)}},
		Lines: []Line{draw("stock", "cambium", straight(r/k, H)), draw("stock", "cambium", straight(r/k, -H)),
			draw("scion", "bark", half(1, r)), draw("scion", "bark", half(-1, r)), draw("scion", "cambium", half(1, rc)), draw("scion", "cambium", half(-1, rc))}}
}

// Split joins a two-faced wedge into a split that runs a given distance from
// the stock's axis. A bevel of 0 takes 25 mm.
func Split(s Stems, fromAxis, bevel float64) (Joint, error) {
	R, r, Rc, rc, err := s.radii()
	if err != nil {
		return Joint{}, err
	}
	if bevel == 0 {
		bevel = 25
	}
	if fromAxis < 0 || fromAxis >= Rc || bevel < 0 {
		return Joint{}, fmt.Errorf("split %g mm from the axis of a %g mm stock: %w", fromAxis, s.Stock, ErrCut)
	}
	j := onLines("cleft-one-side", 2, math.Sqrt(Rc*Rc-fromAxis*fromAxis), r, rc, bevel)
	j.Sizes = []Size{{"wedge", bevel}, {"split in from the bark", R - fromAxis}, {"set over by", j.Flush}}
	return j, nil
}

// Chord gives how far from the stock's axis to split so that its cambium
// lines are as far apart as the scion's, and how far that is in from the bark.
func Chord(s Stems) (fromAxis, fromBark float64, err error) {
	R, _, Rc, rc, err := s.radii()
	if err != nil {
		return 0, 0, err
	}
	if rc > Rc {
		return 0, 0, fmt.Errorf("wood wider than the stock: %w", ErrCut)
	}
	c := math.Sqrt(Rc*Rc - rc*rc)
	return c, R - c, nil
}

// OffCentre is the split on the chord as wide as the scion.
func OffCentre(s Stems, bevel float64) (Joint, error) {
	c, _, err := Chord(s)
	if err != nil {
		return Joint{}, err
	}
	j, err := Split(s, c, bevel)
	j.Technique = "off-centre-cleft"
	return j, err
}

// ChipDepth gives how deep to cut the stock so that its cambium shows as wide
// as on a chip cut deep mm from the budstick (Scion). ErrCut: the stock is too
// thin for it, or the chip does not reach the wood.
func ChipDepth(s Stems, deep float64) (stockDeep, halfWidth float64, err error) {
	R, r, Rc, rc, err := s.radii()
	if err != nil {
		return 0, 0, err
	}
	pc := deep - (r - rc)
	if pc <= 0 || pc > 2*rc {
		return 0, 0, fmt.Errorf("chip %g mm deep: %w", deep, ErrCut)
	}
	h := math.Sqrt(2*rc*pc - pc*pc)
	if h > Rc {
		return 0, h, fmt.Errorf("a %g mm stock is too thin: %w", s.Stock, ErrCut)
	}
	return Rc - math.Sqrt(Rc*Rc-h*h) + (R - Rc), h, nil
}

// chipLong is a chip's length. House default, of 12–18 mm.
const chipLong = 15

// Chip lays a chip into a cut of its own width: two straight lines on two. A
// depth of 0 takes a quarter of the budstick.
func Chip(s Stems, deep float64) (Joint, error) {
	if deep == 0 {
		deep = s.Scion / 4
	}
	stockDeep, h, err := ChipDepth(s, deep)
	if err != nil {
		return Joint{}, err
	}
	return Joint{Technique: "chip-bud", Faces: 1, Length: chipLong,
		Pairs: []Pair{{straight(chipLong, h), nearLine(h)}, {straight(chipLong, -h), nearLine(-h)}},
		Sizes: []Size{{"chip deep", deep}, {"cut the stock deep", stockDeep}, {"cambium wide", 2 * h}, {"chip long", chipLong}},
		Lines: []Line{draw("stock", "cambium", straight(chipLong, h)), draw("stock", "cambium", straight(chipLong, -h)),
			draw("scion", "cambium", straight(chipLong, h)), draw("scion", "cambium", straight(chipLong, -h))}}, nil
}
