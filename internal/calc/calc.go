// Package calc reads a question from a stream, asks the core, and writes the
// answer: what `unionknot calc` does, for scripts and for checks.
package calc

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"

	"unionknot/internal/core/sizing"
	"unionknot/internal/core/union"
	"unionknot/internal/core/wood"
)

// Kinds are the questions that can be asked.
var Kinds = map[string]func(io.Reader, io.Writer) error{"craft": Craft, "knots": Knots, "limits": Limits, "pair": Pair,
	"rehearse": Rehearse, "take": Take}

// ErrInput says that what was read is not a question of the kind; the words
// around it say what and where.
var ErrInput = errors.New("bad input")

func bad(format string, args ...any) error {
	return fmt.Errorf("%w: "+format, append([]any{ErrInput}, args...)...)
}

// Whip is contact of two slant faces.
type Whip struct {
	StockMM   float64 `json:"stock_mm"`
	ScionMM   float64 `json:"scion_mm"`
	StockBark float64 `json:"stock_bark_mm"`
	ScionBark float64 `json:"scion_bark_mm"`
	Angle     float64 `json:"cut_angle_deg"`
	Shift     float64 `json:"shift_mm"`
	Tolerance float64 `json:"tolerance_mm"`
	Contact   float64 `json:"contact_mm"`
	Cambium   float64 `json:"scion_cambium_mm"`
}

// Split is contact of one face of a wedge in a split.
type Split struct {
	StockMM   float64 `json:"stock_mm"`
	ScionMM   float64 `json:"scion_mm"`
	StockBark float64 `json:"stock_bark_mm"`
	ScionBark float64 `json:"scion_bark_mm"`
	Bevel     float64 `json:"bevel_mm"`
	FromAxis  float64 `json:"chord_from_axis_mm"`
	Shift     float64 `json:"shift_mm"`
	Tolerance float64 `json:"tolerance_mm"`
	Contact   float64 `json:"contact_one_face_mm"`
}

// Chord is where to split so that the stock is as wide as the scion.
type Chord struct {
	StockMM   float64  `json:"stock_mm"`
	ScionMM   float64  `json:"scion_mm"`
	StockBark float64  `json:"stock_bark_mm"`
	ScionBark float64  `json:"scion_bark_mm"`
	FromAxis  *float64 `json:"from_axis_mm"`
	FromEdge  *float64 `json:"from_edge_mm"`
}

// Chip is how deep to cut the stock for a chip.
type Chip struct {
	StockMM      float64  `json:"stock_mm"`
	BudstickMM   float64  `json:"budstick_mm"`
	StockBark    float64  `json:"stock_bark_mm"`
	BudstickBark float64  `json:"budstick_bark_mm"`
	Depth        float64  `json:"chip_depth_mm"`
	StockDepth   *float64 `json:"stock_depth_mm"`
}

// Yield is what a budstick gives.
type Yield struct {
	LengthMM     float64    `json:"length_mm"`
	BaseMM       float64    `json:"base_mm"`
	TipMM        float64    `json:"tip_mm"`
	InternodeMM  float64    `json:"internode_mm"`
	Zone         [2]float64 `json:"zone"`
	BlindShare   float64    `json:"blind_share"`
	BudsPerPiece int        `json:"buds_per_piece"`
	Nodes        int        `json:"nodes"`
	SoundBuds    int        `json:"sound_buds"`
	Pieces       int        `json:"pieces"`
	PieceMM      []float64  `json:"piece_mm"`
}

// Sizing is how many grafts make the trees wanted.
type Sizing struct {
	Trees  int     `json:"trees_wanted"`
	Chance float64 `json:"chance"`
	Alpha  float64 `json:"alpha"`
	Beta   float64 `json:"beta"`
	Grafts int     `json:"grafts"`
}

// Interval is a rate with its 90 % range.
type Interval struct {
	Took       int     `json:"took"`
	Of         int     `json:"of"`
	PriorAlpha float64 `json:"prior_alpha"`
	PriorBeta  float64 `json:"prior_beta"`
	Mean       float64 `json:"mean"`
	Low        float64 `json:"lo90"`
	High       float64 `json:"hi90"`
}

// CraftQuestions is a file of questions, each with room for its answer.
type CraftQuestions struct {
	Whip     []Whip     `json:"whip,omitempty"`
	Split    []Split    `json:"split,omitempty"`
	Chord    []Chord    `json:"chord,omitempty"`
	Chip     []Chip     `json:"chip,omitempty"`
	Yield    []Yield    `json:"yield,omitempty"`
	Sizing   []Sizing   `json:"sizing,omitempty"`
	Interval []Interval `json:"interval,omitempty"`
}

// most is how many bytes a question may have.
const most = 64 << 20

// one reads one document of JSON, with nothing behind it.
func one(r io.Reader, into any) error {
	d := json.NewDecoder(io.LimitReader(r, most))
	if err := d.Decode(into); err != nil {
		return err
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return errors.New("something stands behind it")
	}
	return nil
}

// Craft answers questions of geometry, yield and number; answers that stand
// in the question are written over.
func Craft(r io.Reader, w io.Writer) error {
	var q CraftQuestions
	if err := one(r, &q); err != nil {
		return bad("not the JSON of a craft question: %v", err)
	}
	if err := q.answer(); err != nil {
		return err
	}
	e := json.NewEncoder(w)
	e.SetIndent("", " ")
	return e.Encode(q)
}

func (q *CraftQuestions) answer() error {
	for i := range q.Whip {
		c := &q.Whip[i]
		j, err := union.Splice(union.Stems{Stock: c.StockMM, Scion: c.ScionMM, StockBark: c.StockBark, ScionBark: c.ScionBark}, c.Angle)
		if err != nil {
			return bad("whip %d: %v", i+1, err)
		}
		at := j.At(union.Placement{Shift: c.Shift}, c.Tolerance)
		c.Contact, c.Cambium = round(at.MM, 3), round(at.Of, 3)
	}
	for i := range q.Split {
		c := &q.Split[i]
		j, err := union.Split(
			union.Stems{Stock: c.StockMM, Scion: c.ScionMM, StockBark: c.StockBark, ScionBark: c.ScionBark},
			c.FromAxis,
			c.Bevel,
		)
		if err != nil {
			return bad("split %d: %v", i+1, err)
		}
		c.Contact = round(j.At(union.Placement{Shift: c.Shift}, c.Tolerance).MM, 3)
	}
	for i := range q.Chord {
		c := &q.Chord[i]
		axis, edge, err := union.Chord(union.Stems{Stock: c.StockMM, Scion: c.ScionMM, StockBark: c.StockBark, ScionBark: c.ScionBark})
		if err != nil {
			return bad("chord %d: %v", i+1, err)
		}
		axis, edge = round(axis, 4), round(edge, 4)
		c.FromAxis, c.FromEdge = &axis, &edge
	}
	for i := range q.Chip {
		c := &q.Chip[i]
		c.StockDepth = nil
		deep, _, err := union.ChipDepth(
			union.Stems{Stock: c.StockMM, Scion: c.BudstickMM, StockBark: c.StockBark, ScionBark: c.BudstickBark},
			c.Depth,
		)
		if err == nil {
			deep = round(deep, 4)
			c.StockDepth = &deep
		}
	}
	for i := range q.Yield {
		c := &q.Yield[i]
		y, err := wood.Stick{
			LengthMM:     c.LengthMM,
			BaseMM:       c.BaseMM,
			TipMM:        c.TipMM,
			InternodeMM:  c.InternodeMM,
			Usable:       wood.Zone{From: c.Zone[0], To: c.Zone[1]},
			BlindShare:   c.BlindShare,
			BudsPerPiece: c.BudsPerPiece,
		}.Of()
		if err != nil {
			return bad("yield %d: %v", i+1, err)
		}
		c.Nodes, c.SoundBuds, c.Pieces, c.PieceMM = y.Nodes, y.Sound, y.Pieces, []float64{}
		for _, mm := range y.PieceMM {
			c.PieceMM = append(c.PieceMM, round(mm, 4))
		}
	}
	for i := range q.Sizing {
		c := &q.Sizing[i]
		if c.Trees < 0 || c.Trees > 1_000_000 {
			return bad("sizing %d: %d trees", i+1, c.Trees)
		}
		n, err := sizing.Grafts(c.Trees, c.Chance, sizing.Beta{Alpha: c.Alpha, Beta: c.Beta})
		if err != nil {
			return bad("sizing %d: %v", i+1, err)
		}
		c.Grafts = n
	}
	for i := range q.Interval {
		c := &q.Interval[i]
		if !(c.PriorAlpha > 0 && c.PriorBeta > 0) || c.Took < 0 || c.Took > c.Of {
			return bad("interval %d: %d took of %d on a prior of %g and %g", i+1, c.Took, c.Of, c.PriorAlpha, c.PriorBeta)
		}
		x := sizing.Beta{Alpha: c.PriorAlpha, Beta: c.PriorBeta}.And(c.Took, c.Of).Interval90()
		c.Mean, c.Low, c.High = round(x.Mean, 6), round(x.Low, 6), round(x.High, 6)
	}
	return nil
}

func round(x float64, places int) float64 {
	k := math.Pow(10, float64(places))
	return math.Round(x*k) / k
}
