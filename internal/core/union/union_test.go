package union_test

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/union"
)

type stems struct {
	StockMM      float64 `json:"stock_mm"`
	ScionMM      float64 `json:"scion_mm"`
	BudstickMM   float64 `json:"budstick_mm"`
	StockBark    float64 `json:"stock_bark_mm"`
	ScionBark    float64 `json:"scion_bark_mm"`
	BudstickBark float64 `json:"budstick_bark_mm"`
}

func (s stems) pair() union.Stems {
	return union.Stems{Stock: s.StockMM, Scion: s.ScionMM + s.BudstickMM, StockBark: s.StockBark, ScionBark: s.ScionBark + s.BudstickBark}
}

// near is the reference's own tolerance: half a percent, or 0.03 mm.
func near(want float64) float64 { return math.Max(0.03, 0.005*want) }

func TestContactMatchesTheReference(t *testing.T) {
	var ref struct {
		Whip []struct {
			stems
			Angle     float64 `json:"cut_angle_deg"`
			Shift     float64 `json:"shift_mm"`
			Tolerance float64 `json:"tolerance_mm"`
			Contact   float64 `json:"contact_mm"`
			Cambium   float64 `json:"scion_cambium_mm"`
		}
		Split []struct {
			stems
			Bevel     float64 `json:"bevel_mm"`
			FromAxis  float64 `json:"chord_from_axis_mm"`
			Shift     float64 `json:"shift_mm"`
			Tolerance float64 `json:"tolerance_mm"`
			Contact   float64 `json:"contact_one_face_mm"`
		}
		Chord []struct {
			stems
			FromAxis float64 `json:"from_axis_mm"`
			FromEdge float64 `json:"from_edge_mm"`
		}
		Chip []struct {
			stems
			Depth      float64  `json:"chip_depth_mm"`
			StockDepth *float64 `json:"stock_depth_mm"`
		}
	}
	raw, err := os.ReadFile("../testdata/craft.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(raw, &ref))
	require.NotEmpty(t, ref.Whip)
	for i, c := range ref.Whip {
		j, err := union.Splice(c.pair(), c.Angle)
		require.NoError(t, err)
		got := j.At(union.Placement{Shift: c.Shift}, c.Tolerance)
		assert.InDelta(t, c.Contact, got.MM, near(c.Contact), "whip %d: %+v", i, c)
		assert.InDelta(t, c.Cambium, got.Of, near(c.Cambium), "whip %d", i)
	}
	require.NotEmpty(t, ref.Split)
	for i, c := range ref.Split {
		j, err := union.Split(c.pair(), c.FromAxis, c.Bevel)
		require.NoError(t, err)
		assert.InDelta(t, c.Contact, j.At(union.Placement{Shift: c.Shift}, c.Tolerance).MM, near(c.Contact), "split %d: %+v", i, c)
	}
	require.NotEmpty(t, ref.Chord)
	for i, c := range ref.Chord {
		axis, edge, err := union.Chord(c.pair())
		require.NoError(t, err)
		assert.InDelta(t, c.FromAxis, axis, 0.001, "chord %d", i)
		assert.InDelta(t, c.FromEdge, edge, 0.001, "chord %d", i)
	}
	require.NotEmpty(t, ref.Chip)
	for i, c := range ref.Chip {
		deep, _, err := union.ChipDepth(c.pair(), c.Depth)
		if c.StockDepth == nil {
			assert.ErrorIs(t, err, union.ErrCut, "chip %d", i)
			continue
		}
		require.NoError(t, err, "chip %d", i)
		assert.InDelta(t, *c.StockDepth, deep, 0.001, "chip %d", i)
	}
}

func TestTheLimitsOfASplice(t *testing.T) {
	even, err := union.Splice(union.Stems{Stock: 9, Scion: 9}, 0)
	require.NoError(t, err)
	c := even.At(union.Placement{}, 0.01)
	assert.InDelta(t, 1, c.Share(), 1e-6, "equal sizes give the whole line")
	thin, err := union.Splice(union.Stems{Stock: 12, Scion: 8}, 0)
	require.NoError(t, err)
	assert.Zero(t, thin.At(union.Placement{}, 0.5).MM, "centred and thinner gives none")
	last := 0.0
	for angle := 60.0; angle >= 10; angle -= 5 {
		j, err := union.Splice(union.Stems{Stock: 10, Scion: 8.5}, angle)
		require.NoError(t, err)
		mm := j.At(union.Placement{Shift: j.Flush}, 0.5).MM
		assert.GreaterOrEqual(t, mm, last-1e-6, "a longer face never gives less")
		last = mm
	}
}

func TestFlushContactFollowsTheClosedForm(t *testing.T) {
	// Contact ≈ (2 ÷ sin θ) √(2 w rc Rc ÷ (Rc − rc)) where the stretch is short.
	for _, s := range []union.Stems{{Stock: 20, Scion: 12, StockBark: 1, ScionBark: 1},
		{Stock: 30, Scion: 16, StockBark: 1, ScionBark: 1}} {
		for _, w := range []float64{0.02, 0.05} {
			j, err := union.Splice(s, 90)
			require.NoError(t, err)
			R, r := s.Stock/2-1, s.Scion/2-1
			want := 2 * math.Sqrt(2*w*r*R/(R-r))
			assert.InEpsilon(t, want, j.At(union.Placement{Shift: j.Flush}, w).MM, 0.03)
		}
	}
}

func TestOffCentreMeetsOnBothSides(t *testing.T) {
	s := union.Stems{Stock: 14, Scion: 8}
	off, err := union.OffCentre(s, 0)
	require.NoError(t, err)
	assert.InDelta(t, 0, off.Flush, 1e-9)
	centre, err := union.Split(s, 0, 0)
	require.NoError(t, err)
	assert.InDelta(t, 2*centre.At(union.Placement{Shift: centre.Flush}, 0.5).MM, off.At(union.Placement{}, 0.5).MM, 0.01)
	_, err = union.OffCentre(union.Stems{Stock: 8, Scion: 9}, 0)
	assert.ErrorIs(t, err, union.ErrCut)
}

func TestStretchesAreWhatIsMeasured(t *testing.T) {
	j, err := union.Splice(union.Stems{Stock: 9.5, Scion: 7.8}, 0)
	require.NoError(t, err)
	for _, p := range []union.Placement{{}, {Shift: j.Flush}, {Shift: 0.4, Tilt: 3}} {
		c := j.At(p, 0.5)
		sum := 0.0
		for _, s := range c.Stretches {
			for i := 1; i < len(s); i++ {
				sum += math.Hypot(s[i].X-s[i-1].X, s[i].Y-s[i-1].Y)
			}
		}
		assert.InDelta(t, c.MM, sum, 1e-6)
	}
}

func TestAnUnsteadyHandIsBetterTilted(t *testing.T) {
	j, err := union.Splice(union.Stems{Stock: 13, Scion: 9}, 0)
	require.NoError(t, err)
	steady, unsteady := j.Advise(0.1, 0.5), j.Advise(1.5, 0.5)
	assert.InDelta(t, 1, steady.By[union.Flush].Any, 0.01)
	assert.Equal(t, union.Flush, steady.Surest)
	assert.Less(t, unsteady.By[union.Flush].Any, 0.9)
	assert.Equal(t, union.Tilted, unsteady.Surest, "%+v", unsteady)
	assert.GreaterOrEqual(t, steady.Best.Expected, steady.By[union.Flush].Expected)
	assert.Less(t, unsteady.By[union.Flush].Expected, steady.By[union.Flush].Expected)
}

// TestAdviceAgreesWithItsFigures: whatever the two stems and the hand, the way
// that is said to serve best is the one whose own figure is the greatest.
func TestAdviceAgreesWithItsFigures(t *testing.T) {
	for stock := 6.0; stock <= 14; stock += 1.3 {
		for _, ratio := range []float64{0.6, 0.8, 0.9, 0.95, 1} {
			for _, sd := range []float64{0, 0.4, 0.8} {
				j, err := union.Splice(union.Stems{Stock: stock, Scion: stock * ratio}, 0)
				require.NoError(t, err)
				a := j.Advise(sd, union.Tolerance)
				for l, h := range a.By {
					if a.Serves != union.Flush {
						require.LessOrEqual(t, h.Expected, a.By[a.Serves].Expected)
					}
					require.LessOrEqual(
						t,
						h.Expected,
						1.021*a.By[a.Serves].Expected,
						"%g on %g, straying %g: %d",
						stock*ratio,
						stock,
						sd,
						l,
					)
					require.LessOrEqual(t, h.Any, a.By[a.Surest].Any+0.021)
					require.LessOrEqual(t, h.Expected, a.Best.Expected+1e-9+boolTo(l == int(union.Tilted))*1e9)
				}
			}
		}
	}
	near, err := union.Splice(union.Stems{Stock: 8.2, Scion: 7.4}, 0)
	require.NoError(t, err)
	a := near.Advise(union.HandSD, union.Tolerance)
	assert.NotEqual(t, union.Flush, a.Serves, "nearly even sizes meet on both sides when centred: %+v", a)
	assert.Greater(t, near.At(union.Placement{}, union.Tolerance).MM, near.At(union.Placement{Shift: near.Flush}, union.Tolerance).MM)
}

func boolTo(b bool) float64 {
	if b {
		return 1
	}
	return 0
}

func TestASaddlesFacesRunToTheAxis(t *testing.T) {
	j, err := union.Saddle(union.Stems{Stock: 6, Scion: 6})
	require.NoError(t, err)
	assert.InDelta(t, 47.9, j.At(union.Placement{}, union.Tolerance).MM, 0.1)
}

func TestAnOffCentreCleftHasOneLongFace(t *testing.T) {
	j, err := union.OffCentre(union.Stems{Stock: 14, Scion: 8}, 0)
	require.NoError(t, err)
	assert.Equal(t, 1, j.Faces)
}

func TestAShieldIsNoWiderThanItsCambium(t *testing.T) {
	for scion := 3.0; scion <= 14; scion += 0.5 {
		j, err := union.TBud(union.Stems{Stock: 18, Scion: scion})
		require.NoError(t, err)
		most := scion - 2*union.Bark(scion)
		assert.LessOrEqual(t, j.Sizes[3].MM, most+1e-9, "%g mm budstick", scion)
		assert.Positive(t, j.Sizes[3].MM)
	}
}

func TestAVeneerOfThickerWoodMeetsOnNoLess(t *testing.T) {
	for stock := 6.0; stock <= 20; stock++ {
		last := 0.0
		for ratio := 0.35; ratio <= 1.0001; ratio += 0.05 {
			j, err := union.SideVeneer(union.Stems{Stock: stock, Scion: stock * ratio})
			require.NoError(t, err)
			mm := j.At(union.Placement{Shift: j.Flush}, union.Tolerance).MM
			assert.GreaterOrEqual(t, mm, last-0.6, "%g on %g", stock*ratio, stock)
			last = mm
		}
	}
}

func TestAShortFaceMeetsOnLess(t *testing.T) {
	s := union.Stems{Stock: 9.5, Scion: 7.8}
	long, err := union.For("whip-and-tongue", s, union.Long)
	require.NoError(t, err)
	short, err := union.For("whip-and-tongue", s, union.Short)
	require.NoError(t, err)
	assert.InDelta(t, 30, union.Short.Angle(), 1e-9)
	assert.Less(t, short.Length, 0.6*long.Length)
	assert.Less(t, short.At(union.Placement{Shift: short.Flush}, 0.5).MM, long.At(union.Placement{Shift: long.Flush}, 0.5).MM)
	a, err := union.SideOf("splice", s, union.Long)
	require.NoError(t, err)
	b, err := union.SideOf("splice", s, union.Short)
	require.NoError(t, err)
	assert.NotEqual(t, a.Measures[0].Figures, b.Measures[0].Figures, "the drawing is another")
}

func TestWhatCannotBeCutIsSaid(t *testing.T) {
	for name, err := range map[string]error{
		"no stock":  second(union.Splice(union.Stems{Scion: 8}, 0)),
		"all bark":  second(union.Splice(union.Stems{Stock: 8, Scion: 0.5}, 0)),
		"no angle":  second(union.Splice(union.Stems{Stock: 8, Scion: 8}, 120)),
		"off stock": second(union.Split(union.Stems{Stock: 8, Scion: 6}, 5, 0)),
		"thin chip": second(union.Chip(union.Stems{Stock: 5, Scion: 14}, 5)),
	} {
		assert.ErrorIs(t, err, union.ErrCut, name)
	}
}

func second(_ union.Joint, err error) error { return err }

func BenchmarkFit(b *testing.B) {
	for b.Loop() {
		j, err := union.Splice(union.Stems{Stock: 9.5, Scion: 7.8}, 0)
		if err != nil {
			b.Fatal(err)
		}
		j.At(union.Placement{Shift: j.Flush}, union.Tolerance)
	}
}

func ExampleJoint_At() {
	j, _ := union.Splice(union.Stems{Stock: 9.5, Scion: 7.8}, 0)
	flush := j.At(union.Placement{Shift: j.Flush}, union.Tolerance)
	centred := j.At(union.Placement{}, union.Tolerance)
	fmt.Printf("flush %.0f mm meets, centred %.0f\n", flush.MM, centred.MM)
	// Output: flush 22 mm meets, centred 0
}

func TestEveryTechniqueLaysItsFacesTogether(t *testing.T) {
	keys := []string{
		"splice",
		"whip-and-tongue",
		"cleft-one-side",
		"off-centre-cleft",
		"saddle",
		"tool-cut",
		"side-veneer",
		"bark-flap",
		"rind-graft",
		"chip-bud",
		"t-bud",
	}
	for _, k := range keys {
		for stock := 6.0; stock <= 24; stock += 1.5 {
			for _, ratio := range []float64{0.5, 0.8, 1} {
				j, err := union.For(k, union.Stems{Stock: stock, Scion: stock * ratio}, union.Long)
				require.NoError(t, err, "%s %g", k, stock)
				c := j.At(union.Placement{Shift: j.Flush}, union.Tolerance)
				require.True(t, c.MM > 0 && c.MM <= c.Of+1e-9, "%s on %g at %g: %+v of %g", k, stock, ratio, c.MM, c.Of)
				require.NotEmpty(t, j.Sizes, k)
				require.NotEmpty(t, j.Lines, k)
				wide := j.At(union.Placement{Shift: j.Flush}, 2*union.Tolerance)
				require.GreaterOrEqual(t, wide.MM, c.MM-1e-9, "a wider tolerance never gives less")
				require.Zero(t, j.At(union.Placement{Shift: 100}, union.Tolerance).MM, "%s laid beside the stock", k)
			}
		}
		even, err := union.For(k, union.Stems{Stock: 10, Scion: 10}, union.Long)
		require.NoError(t, err)
		assert.Greater(t, even.At(union.Placement{Shift: even.Flush}, union.Tolerance).Share(), 0.25, k)
	}
	_, err := union.For("glue", union.Stems{Stock: 9, Scion: 9}, union.Long)
	assert.ErrorIs(t, err, union.ErrCut)
}
