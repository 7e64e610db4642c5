package union

import (
	"fmt"
	"math"

	"unionknot/internal/core/own"
)

// Side is a union seen from the side, its parts a little apart so that each
// cut shows. X runs along the stems, the stock's foot to the left; Y across
// them. What is measured stands in Measures.
type Side struct {
	Bodies   []Line // closed outlines: "bark", or "flap" for lifted bark
	Cuts     []Line // where the knife went within a body
	Measures []Measure
}

// Measure is a length to show under a drawing, along X.
type Measure struct {
	Of       Cut
	From, To float64
	Figures  []float64 // what the cut is told by: lengths, diameters, shares
}

// Cut is what a measure is of.
type Cut string

// Cuts, with what their figures are; lengths and diameters in mm.
const (
	FaceCut       Cut = "face"            // its length
	FaceTongueCut Cut = "face, tongue"    // the face's length, the tongue's share of it below the tip
	SplitCut      Cut = "split"           // its length
	OffSplitCut   Cut = "split, off"      // its length, how far in from the bark
	ShortBackCut  Cut = "bevel, back"     // the bevel's length; its back cut short
	WedgeCut      Cut = "wedge"           // its length
	SaddleCut     Cut = "saddle"          // each face's length
	SlidCut       Cut = "slid"            // slid in from the side, one side level
	SliceCut      Cut = "slice and bevel" // their length; a lip at the foot
	FlapCut       Cut = "flap"            // its length
	BevelCut      Cut = "bevel"           // its length
	SlitCut       Cut = "slit"            // its length
	ShoulderCut   Cut = "bevel, shoulder" // the bevel's length; the scion is pushed down to its shoulder
	StopCut       Cut = "stop"            // at 45°
	ChipCut       Cut = "chip"            // its length, the wood's diameter
	TeeCut        Cut = "T"               // its length; across a third of the girth
	ShieldInCut   Cut = "shield, wood in" // its length, the wood's diameter; wood left in
	ShieldOutCut  Cut = "shield, flipped" // likewise; wood flipped out
)

func body(of, part string, xy ...float64) Line {
	l := Line{Of: of, Part: part}
	for i := 0; i < len(xy); i += 2 {
		l.Points = append(l.Points, Point{xy[i], xy[i+1]})
	}
	return l
}

// splitLong is how deep a cleft is split. House default, of 25–40 mm.
const splitLong = 32

// Manner is how a house cuts where growers differ, beside its faces.
type Manner struct {
	TongueHalf bool // the tongue from half-way, not a third below the tip
	WoodOut    bool // the wood behind a T-bud flipped out
}

// SideOf draws two stems as a technique cuts them, by the technique's key, with
// slant faces cut the house's way.
// It gives ErrCut for a technique it does not know and for no diameters.
func SideOf(technique string, s Stems, f Face) (Side, error) {
	return SideBy(technique, s, f, Manner{})
}

// SideBy draws them as SideOf does, by a house's manner.
func SideBy(technique string, s Stems, f Face, h Manner) (Side, error) {
	R, r, Rc, rc, err := s.radii()
	if err != nil {
		return Side{}, err
	}
	stem := 2.6 * s.Stock // of each body beyond its cut
	gap := 0.5 * s.Stock
	switch technique = own.Base(technique); technique {
	case "splice", "whip-and-tongue":
		return sideSplice(technique, R, r, f.Times()*s.Stock, stem, h.TongueHalf), nil
	case "cleft-one-side", "off-centre-cleft":
		return sideCleft(technique, R, r, stem, gap), nil
	case "saddle":
		return sideSaddle(R, r, stem, gap), nil
	case "tool-cut":
		return sideTool(R, r, stem, gap), nil
	case "side-veneer":
		return sideVeneer(R, r, sliceOf(R, Rc, rc)+R-Rc, stem, gap), nil
	case "bark-flap":
		return sideFlap(R, r, stem), nil
	case "rind-graft":
		return sideRind(R, r, stem), nil
	case "chip-bud":
		return sideChip(R, r, stem, gap), nil
	case "t-bud":
		return sideTee(R, r, stem, gap, h.WoodOut), nil
	}
	return Side{}, fmt.Errorf("technique %q: %w", technique, ErrCut)
}

// sideSplice shows two long faces, level along the lower side: the side laid
// flush.
func sideSplice(technique string, R, r, face, stem float64, half bool) Side {
	axial := math.Sqrt(face*face - 4*R*R) // the face is cut aslant
	lift, off := 0.28*R*2, 0.1*axial
	own := axial * r / R
	sd := Side{Bodies: []Line{
		body("stock", "bark", -stem, R, 0, R, axial, -R, -stem, -R),
		body("scion", "bark", off+axial-own, -R+2*r+lift, off+axial+stem, -R+2*r+lift, off+axial+stem, -R+lift, off+axial, -R+lift)},
		Measures: []Measure{{FaceCut, 0, axial, []float64{face}}}}
	if technique == "whip-and-tongue" {
		// A third below the tip, or half-way, down the grain.
		below := 1.0 / 3
		if half {
			below = 0.5
		}
		tongue := func(of string, x, y, long float64) Line { return body(of, "cut", x, y, x+long, y-0.30*R*2) }
		at := axial * (1 - below)
		sd.Cuts = append(sd.Cuts, tongue("stock", at, R-2*R*at/axial, -axial/3))
		sat := off + axial - own*(1-below)
		sd.Cuts = append(sd.Cuts, body("scion", "cut", sat, -R+2*r*(1-below)+lift, sat+own/3, -R+2*r*(1-below)+lift+0.30*r*2))
		sd.Measures[0].Of, sd.Measures[0].Figures = FaceTongueCut, []float64{face, below}
	}
	return sd
}

func sideCleft(technique string, R, r, stem, gap float64) Side {
	mid, bevel := 0.0, 25.0
	split := Measure{SplitCut, 0, splitLong, []float64{splitLong}}
	if technique == "off-centre-cleft" {
		if c, _, err := Chord(Stems{Stock: 2 * R, Scion: 2 * r}); err == nil {
			mid, split = c, Measure{OffSplitCut, 0, splitLong, []float64{splitLong, R - c}}
		}
	}
	at := splitLong + gap
	sd := Side{Bodies: []Line{body("stock", "bark", -stem, R, splitLong, R, splitLong, -R, -stem, -R)},
		Cuts:     []Line{body("stock", "cut", 0, mid, splitLong, mid)},
		Measures: []Measure{split}}
	if technique == "off-centre-cleft" {
		// One long bevel against the heart, a short back cut against the rind.
		sd.Bodies = append(
			sd.Bodies,
			body("scion", "bark", at, mid-r, at+8, mid+r, at+bevel+stem, mid+r, at+bevel+stem, mid-r, at+bevel, mid-r, at, mid-r+0.3*r),
		)
		sd.Measures = append(sd.Measures, Measure{ShortBackCut, at, at + bevel, []float64{bevel}})
	} else {
		sd.Bodies = append(sd.Bodies, body("scion", "bark", at, mid, at+bevel, mid+r, at+bevel+stem, mid+r, at+bevel+stem, mid-r,
			at+bevel, mid-r))
		sd.Measures = append(sd.Measures, Measure{WedgeCut, at, at + bevel, []float64{bevel}})
	}
	return sd
}

// sideSaddle shows the stock cut to a wedge and the scion split to sit over it.
func sideSaddle(R, r, stem, gap float64) Side {
	// A face runs from the bark to the axis.
	axial := func(radius float64) float64 { return math.Sqrt(4*saddleLong*saddleLong-1) * radius }
	a, b, at := axial(R), axial(r), axial(R)*0.35+gap
	return Side{Bodies: []Line{
		body("stock", "bark", -stem, R, 0, R, a, 0, 0, -R, -stem, -R),
		body("scion", "bark", at, r, at+b+stem, r, at+b+stem, -r, at, -r, at+b, 0)},
		Measures: []Measure{{SaddleCut, 0, a, []float64{saddleLong * 2 * R}}}}
}

// sideTool shows a profile punched in one stroke: a knob on the scion, the
// same shape out of the stock.
func sideTool(R, r, stem, gap float64) Side {
	profile := func(x, top, bottom float64) []float64 {
		neck, head := 0.18*2*R, 0.27*2*R
		xy := []float64{x, top, x, neck}
		for i := 0; i <= 20; i++ {
			a := math.Pi*0.27 + float64(i)/20*math.Pi*1.46
			xy = append(xy, x-head*1.25+head*math.Cos(a), head*math.Sin(a))
		}
		return append(xy, x, -neck, x, bottom)
	}
	at := 0.9*2*R + gap
	stock := append([]float64{-stem, R}, profile(0, R, -R)...)
	stock = append(stock, -stem, -R)
	scion := append([]float64{at + stem, -R + 2*r}, profile(at, -R+2*r, -R)...) // one side level
	scion = append(scion, at+stem, -R)
	return Side{Bodies: []Line{body("stock", "bark", stock...), body("scion", "bark", scion...)},
		Measures: []Measure{{SlidCut, 0, at, nil}}}
}

// sideVeneer shows a shallow slice down the stock's side, its top left on, and
// the scion's long bevel beside it.
func sideVeneer(R, r, deep, stem, gap float64) Side {
	const lip = 3.0
	up := R + gap
	return Side{Bodies: []Line{
		body("stock", "bark", -stem, R, 0, R, lip, R-deep, sliceLong, R, sliceLong+stem, R, sliceLong+stem, -R, -stem, -R),
		body(
			"scion",
			"bark",
			lip,
			up-deep,
			sliceLong,
			up,
			sliceLong+stem,
			up+r,
			sliceLong+stem,
			up+3*r,
			sliceLong*0.9,
			up+2*r,
			2*lip,
			up-deep+0.8*r,
		)},
		Measures: []Measure{{SliceCut, 0, sliceLong, []float64{sliceLong}}}}
}

// sideFlap shows the flap raised at the cut top of the stock and the scion's
// bevel that goes under it.
func sideFlap(R, r, stem float64) Side {
	long, rind := 2.0*flapLong, math.Max(1, 0.12*2*R)
	at := 0.5 * long
	up := R + 2.2*r
	return Side{Bodies: []Line{
		body("stock", "bark", -long-stem, R, -long, R, -long, R-rind, 0, R-rind, 0, -R, -long-stem, -R),
		body("stock", "flap", -long, R, -long, R-rind, 0, up-rind+1.2*r, 0, up+1.2*r),
		body(
			"scion",
			"bark",
			-at+4,
			R-rind+0.5,
			8,
			R-rind+0.5,
			8,
			R-rind+0.5-0.4*r,
			8+stem,
			R-rind+0.5-0.4*r,
			8+stem,
			R-rind+0.5+1.6*r,
			0,
			R-rind+0.5+1.6*r,
			-at+1,
			R-rind+0.5+0.35*r,
		)},
		Measures: []Measure{{FlapCut, -long, 0, []float64{50}}, {BevelCut, -at + 4, 8, []float64{25}}}}
}

// sideRind shows a headed stump with its bark slit and lifted at the rim, and the
// scion's bevel that goes behind it.
func sideRind(R, r, stem float64) Side {
	rind := math.Max(1, 0.06*2*R)
	at := rindLong * 0.6 // drawn half way in
	return Side{Bodies: []Line{
		body("stock", "bark", -slitLong-stem, R, -slitLong, R, -slitLong, R-rind, 0, R-rind, 0, -R, -slitLong-stem, -R),
		body("stock", "flap", -slitLong, R, -slitLong, R-rind, 0, R+1.4*r-rind, 0, R+1.4*r),
		body(
			"scion",
			"bark",
			-at,
			R-rind,
			rindLong-at,
			R-rind,
			rindLong-at+stem,
			R-rind,
			rindLong-at+stem,
			R-rind+2*r,
			rindLong-at,
			R-rind+2*r,
		)},
		Cuts: []Line{body("stock", "cut", -slitLong, R-rind/2, 0, R-rind/2)},
		Measures: []Measure{
			{SlitCut, -slitLong, 0, []float64{40}},
			{ShoulderCut, -at, rindLong - at, []float64{rindLong}},
		}}
}

func sideChip(R, r, stem, gap float64) Side {
	deep, long := 2*r/4, float64(chipLong)
	stock, _, err := ChipDepth(Stems{Stock: 2 * R, Scion: 2 * r}, deep)
	if err != nil {
		stock = deep
	}
	stop := func(x, y, d float64) []float64 { // the 45° stop cut, then the shallow scoop back up
		return []float64{x, y, x + d, y - d, x + long*0.6, y - d*0.8, x + long, y}
	}
	at := long + stem + gap
	host := append([]float64{-stem, R}, stop(0, R, stock)...)
	host = append(host, long+stem, R, long+stem, -R, -stem, -R)
	return Side{Bodies: []Line{body("stock", "bark", host...), body("scion", "bark", stop(at, R, deep)...), eye(at+long*0.55, R)},
		Measures: []Measure{{StopCut, 0, long, nil}, {ChipCut, at, at + long, []float64{chipLong, 2 * r}}}}
}

func sideTee(R, r, stem, gap float64, woodOut bool) Side {
	const deep = 25.0
	half := math.Min(R*0.86, openedGirth*math.Pi*R) // seen from the front, the T reaches round
	at := deep + stem + gap
	shield := []float64{}
	for i := 0; i <= 24; i++ {
		a := math.Pi * float64(i) / 12
		shield = append(shield, at+shieldLong/2+shieldLong/2*math.Cos(a), math.Min(r, R)*0.8*math.Sin(a))
	}
	cuts := []Line{body("stock", "cut", 0, 0, deep, 0), body("stock", "cut", deep, half, deep, -half)}
	shieldCut := ShieldInCut
	if !woodOut { // the sliver of wood behind the bark
		cuts = append(cuts, body("scion", "cut", at+shieldLong*0.2, 0.25*math.Min(r, R), at+shieldLong*0.8, 0.25*math.Min(r, R)))
	} else {
		shieldCut = ShieldOutCut
	}
	return Side{
		Bodies: []Line{
			body("stock", "bark", -stem, R, deep+stem, R, deep+stem, -R, -stem, -R),
			body("scion", "bark", shield...),
			eye(at+shieldLong/2, 0),
		},
		Cuts: cuts,
		Measures: []Measure{
			{TeeCut, 0, deep, []float64{deep}},
			{shieldCut, at, at + shieldLong, []float64{shieldLong, 2 * r}},
		},
	}
}

// eye is a bud.
func eye(x, y float64) Line {
	l := Line{Of: "scion", Part: "bud"}
	for i := 0; i <= 12; i++ {
		a := math.Pi * float64(i) / 6
		l.Points = append(l.Points, Point{x + 1.6*math.Cos(a), y + 0.5 + 1.3*math.Sin(a)})
	}
	return l
}
