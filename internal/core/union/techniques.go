package union

import (
	"fmt"
	"math"

	"unionknot/internal/core/own"
)

// What sizes of a joint are called.
const (
	FaceOnStock = "face on the stock"
	FaceOnScion = "face on the scion"
	SetOver     = "set over by"
	SplitIn     = "split in from the bark"
	StockDeep   = "cut the stock deep"
	WedgeFace   = "each face of the wedge"
	ScionSplit  = "split in the scion"
	SliceLong   = "slice and bevel long"
	BarkSlit    = "slit in the bark"
	RimScions   = "scions round the rim, about"
	ShieldWide  = "shield's cambium wide"
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

// Face is the house's way to cut a slant face.
type Face int

// A long face has more cambium and forgives uneven sizes.
const (
	Long  Face = iota // 4 × the diameter, of 3–5: about 14° to the stem
	Short             // at 30° to the stem, of 25–35: twice the diameter
)

// house defaults of a slant face: its length ÷ the diameter.
const (
	longFace  = 4.0
	shortFace = 2.0
)

// Times is how long a slant face is, in diameters.
func (f Face) Times() float64 {
	if f == Short {
		return shortFace
	}
	return longFace
}

// Angle is that of a slant face to the stem, in degrees.
func (f Face) Angle() float64 { return math.Asin(1/f.Times()) * 180 / math.Pi }

// Slant says whether a technique, by its key, has slant faces, so that the
// house's way to cut them matters to it.
func Slant(technique string) bool {
	base := own.Base(technique)
	return base == "splice" || base == "whip-and-tongue"
}

// Splice joins two slant faces cut at an angle to the axis: two ellipses. The
// whip and tongue has the same faces. An angle of 0 takes the long face.
func Splice(s Stems, angle float64) (Joint, error) {
	R, r, Rc, rc, err := s.radii()
	if err != nil {
		return Joint{}, err
	}
	if angle == 0 {
		angle = Long.Angle()
	}
	if !(angle > 1 && angle <= 90) {
		return Joint{}, fmt.Errorf("at %g°: %w", angle, ErrCut)
	}
	sin := math.Sin(angle * math.Pi / 180)
	mid := R / sin
	return Joint{Technique: "splice", Faces: 1, Length: 2 * mid, Flush: Rc - rc,
		Pairs: []Pair{{ellipse(mid, rc/sin, rc), nearEllipse(mid, Rc/sin, Rc)}},
		Sizes: []Size{{FaceOnStock, s.Stock / sin}, {FaceOnScion, s.Scion / sin}, {SetOver, Rc - rc}},
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
			draw(
				"scion",
				"bark",
				half(1, r),
			), draw("scion", "bark", half(-1, r)), draw("scion", "cambium", half(1, rc)), draw("scion", "cambium", half(-1, rc))}}
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
	j.Sizes = []Size{{"wedge", bevel}, {SplitIn, R - fromAxis}, {SetOver, j.Flush}}
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

// OffCentre is the split on the chord as wide as the scion. It has one long
// face; the short back cut opposite lies against the rind and is not counted.
func OffCentre(s Stems, bevel float64) (Joint, error) {
	c, _, err := Chord(s)
	if err != nil {
		return Joint{}, err
	}
	j, err := Split(s, c, bevel)
	j.Technique, j.Faces = "off-centre-cleft", 1
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
		Sizes: []Size{{"chip deep", deep}, {StockDeep, stockDeep}, {"cambium wide", 2 * h}, {"chip long", chipLong}},
		Lines: []Line{draw("stock", "cambium", straight(chipLong, h)), draw("stock", "cambium", straight(chipLong, -h)),
			draw("scion", "cambium", straight(chipLong, h)), draw("scion", "cambium", straight(chipLong, -h))}}, nil
}

// House defaults for the cuts below.
const (
	saddleLong  = 2.5  // wedge face ÷ stock diameter
	profileLong = 2.4  // developed length of a punched profile ÷ stock diameter
	sliceDeep   = 0.22 // side veneer's slice ÷ stock diameter, at the least
	sliceLong   = 25   // of the slice and of the scion's bevel
	flapLong    = 25   // the scion's bevel under a flap
	rindLong    = 35   // of a rind graft, of 30–40
	slitLong    = 40   // in the bark of a headed stump
	shieldLong  = 20
	shieldDeep  = 0.3     // of the budstick that a shield is cut deep, of a quarter to a third
	openedGirth = 1.0 / 3 // of the girth that a T lays open
)

// Saddle seats a split scion over a wedge. Each face of the wedge runs from the
// bark to the axis, so that sin θ = R ÷ (2.5 × diameter); it shows half an
// ellipse, and unrolled over the wedge's edge the two make a whole one.
func Saddle(s Stems) (Joint, error) {
	j, err := Splice(s, math.Asin(1/(2*saddleLong))*180/math.Pi)
	if err != nil {
		return Joint{}, err
	}
	j.Technique = "saddle"
	j.Sizes = []Size{
		{WedgeFace, saddleLong * s.Stock},
		{ScionSplit, saddleLong * s.Scion},
		{SetOver, j.Flush},
	}
	return j, nil
}

// ToolCut slides one punched profile into another. Unrolled along the
// profile, cambium shows as two straight lines on each side.
func ToolCut(s Stems) (Joint, error) {
	_, _, Rc, rc, err := s.radii()
	if err != nil {
		return Joint{}, err
	}
	long := profileLong * s.Stock
	j := Joint{Technique: "tool-cut", Faces: 1, Length: long, Flush: Rc - rc,
		Pairs: []Pair{{straight(long, rc), nearEither(Rc)}, {straight(long, -rc), nearEither(Rc)}},
		Sizes: []Size{{"profile, unrolled", long}, {SetOver, Rc - rc}}}
	for _, side := range []float64{1, -1} {
		j.Lines = append(j.Lines, draw("stock", "bark", straight(long, side*s.Stock/2)), draw("stock", "cambium", straight(long, side*Rc)),
			draw("scion", "bark", straight(long, side*s.Scion/2)), draw("scion", "cambium", straight(long, side*rc)))
	}
	return j, nil
}

// nearEither is the distance from the nearer of two lines at ±y.
func nearEither(y float64) Bed { return func(p Point) float64 { return math.Abs(math.Abs(p.Y) - y) } }

// SideVeneer lays a long bevel on a shallow slice in the side of the stock.
// The slice shows the stock's cambium as two lines, as wide as its depth makes
// them: it is cut so deep that they are as far apart as the scion's, where the
// stock is thick enough, so that thicker wood meets on no less.
func SideVeneer(s Stems) (Joint, error) {
	R, r, Rc, rc, err := s.radii()
	if err != nil {
		return Joint{}, err
	}
	p := sliceOf(R, Rc, rc)
	j := onLines("side-veneer", 1, math.Sqrt(2*Rc*p-p*p), r, rc, sliceLong)
	j.Sizes = []Size{{"slice deep", p + R - Rc}, {SliceLong, sliceLong}, {SetOver, j.Flush}}
	return j, nil
}

// sliceOf is how deep a side veneer's slice goes below the cambium: to a chord
// as wide as the scion's cambium, or the usual slice where that is deeper, and
// never past the axis.
func sliceOf(R, Rc, rc float64) float64 {
	usual := math.Max(sliceDeep*2*R, (R-Rc)*1.2) - (R - Rc)
	as := Rc
	if rc < Rc {
		as = Rc - math.Sqrt(Rc*Rc-rc*rc)
	}
	return math.Min(Rc, math.Max(usual, as))
}

// within is a bed that is cambium all over, out to a half width: bark lifted
// from running stock leaves it bare.
func within(half float64) Bed {
	return func(p Point) float64 { return math.Max(0, math.Abs(p.Y)-half) }
}

// BarkFlap slips a bevelled scion under a flap of running bark. All that the
// flap bares is cambium, so the scion's whole line meets if the flap is as
// wide as it.
func BarkFlap(s Stems) (Joint, error) {
	R, r, _, rc, err := s.radii()
	if err != nil {
		return Joint{}, err
	}
	j := onLines("bark-flap", 1, 0, r, rc, flapLong)
	half := math.Min(r, R) // cut as wide as the scion
	for i := range j.Pairs {
		j.Pairs[i].Stock = within(half)
	}
	j.Lines = append(
		[]Line{draw("stock", "cambium", straight(j.Length, half)), draw("stock", "cambium", straight(j.Length, -half))},
		j.Lines[2:]...)
	j.Flush = 0
	j.Sizes = []Size{{"flap long", 2 * flapLong}, {"flap wide", 2 * half}, {"bevel", flapLong}}
	return j, nil
}

// RindGraft slips a bevelled scion behind slit bark at the top of a headed
// stump. Bark is lifted on both sides of the slit as far as the scion goes, and
// all that it bares is cambium.
func RindGraft(s Stems) (Joint, error) {
	R, r, _, rc, err := s.radii()
	if err != nil {
		return Joint{}, err
	}
	j := onLines("rind-graft", 1, 0, r, rc, rindLong)
	half := math.Min(r, openedGirth*math.Pi*R)
	for i := range j.Pairs {
		j.Pairs[i].Stock = within(half)
	}
	j.Lines = append(
		[]Line{draw("stock", "cambium", straight(j.Length, half)), draw("stock", "cambium", straight(j.Length, -half))},
		j.Lines[2:]...)
	j.Flush = 0
	// Scions stand about 25 mm apart round the rim, at least two.
	j.Sizes = []Size{
		{BarkSlit, slitLong},
		{"bevel", rindLong},
		{RimScions, math.Max(2, math.Round(2*math.Pi*R/rimApart))},
	}
	return j, nil
}

// rimApart is how far apart scions stand round a stump, in mm. House default.
const rimApart = 50.0

// TBud slips a shield under the bark of a T. What the T lays open is cambium
// all over; the shield's line meets where it fits within. A shield is as wide
// as the budstick's cambium at the depth it is cut: no wider than its whole
// width of cambium.
func TBud(s Stems) (Joint, error) {
	R, r, _, rc, err := s.radii()
	if err != nil {
		return Joint{}, err
	}
	half := openedGirth * math.Pi * R // half of what is laid open, along the girth
	p := math.Max(shieldDeep*2*r-(r-rc), 0.1*rc)
	wide := math.Min(rc, math.Sqrt(math.Max(0, 2*rc*p-p*p)))
	shield := ellipse(shieldLong/2, shieldLong/2, wide)
	return Joint{Technique: "t-bud", Faces: 1, Length: shieldLong, Pairs: []Pair{{shield, within(half)}},
		Sizes: []Size{{"T deep", 25}, {"T wide", 2 * half}, {"shield long", shieldLong}, {ShieldWide, 2 * wide}},
		Lines: []Line{
			draw("stock", "cambium", straight(shieldLong, half)),
			draw("stock", "cambium", straight(shieldLong, -half)),
			draw("scion", "cambium", shield),
		}}, nil
}

// For cuts two stems as a technique has it, by the technique's key, with slant
// faces cut the house's way.
func For(technique string, s Stems, f Face) (Joint, error) {
	switch technique = own.Base(technique); technique {
	case "splice", "whip-and-tongue":
		j, err := Splice(s, f.Angle())
		j.Technique = technique
		return j, err
	case "cleft-one-side":
		return Split(s, 0, 0)
	case "off-centre-cleft":
		return OffCentre(s, 0)
	case "saddle":
		return Saddle(s)
	case "tool-cut":
		return ToolCut(s)
	case "side-veneer":
		return SideVeneer(s)
	case "bark-flap":
		return BarkFlap(s)
	case "rind-graft":
		return RindGraft(s)
	case "chip-bud":
		return Chip(s, 0)
	case "t-bud":
		return TBud(s)
	}
	return Joint{}, fmt.Errorf("technique %q: %w", technique, ErrCut)
}
