package wood_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/wood"
)

func TestYieldMatchesTheReference(t *testing.T) {
	var ref struct {
		Yield []struct {
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
	}
	raw, err := os.ReadFile("../testdata/craft.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(raw, &ref))
	require.NotEmpty(t, ref.Yield)
	for i, c := range ref.Yield {
		got, err := wood.Stick{LengthMM: c.LengthMM, BaseMM: c.BaseMM, TipMM: c.TipMM, InternodeMM: c.InternodeMM,
			Usable: wood.Zone{From: c.Zone[0], To: c.Zone[1]}, BlindShare: c.BlindShare, BudsPerPiece: c.BudsPerPiece}.Of()
		require.NoError(t, err)
		assert.Equal(t, c.Nodes, got.Nodes, "case %d", i)
		assert.Equal(t, c.SoundBuds, got.Sound, "case %d", i)
		assert.Equal(t, c.Pieces, got.Pieces, "case %d", i)
		require.Len(t, got.PieceMM, len(c.PieceMM), "case %d", i)
		for j := range c.PieceMM {
			assert.InDelta(t, c.PieceMM[j], got.PieceMM[j], 0.001, "case %d piece %d", i, j)
		}
	}
}

func TestPiecesNeverThickenTowardTheTip(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 300 {
		base := 4 + r.Float64()*8
		s := wood.Stick{LengthMM: 150 + r.Float64()*700, BaseMM: base, TipMM: base * (0.4 + 0.6*r.Float64()),
			InternodeMM: 10 + r.Float64()*40, Usable: wood.Zone{To: r.Float64()}, BlindShare: r.Float64() * 0.5,
			BudsPerPiece: 1 + r.IntN(4)}
		y, err := s.Of()
		require.NoError(t, err)
		require.LessOrEqual(t, y.Sound, y.Nodes)
		require.LessOrEqual(t, y.Pieces*s.BudsPerPiece, y.Sound)
		for i := 1; i < len(y.PieceMM); i++ {
			require.LessOrEqual(t, y.PieceMM[i], y.PieceMM[i-1])
		}
	}
}

func TestWhatIsNoStickIsSaid(t *testing.T) {
	good := wood.Stick{LengthMM: 300, BaseMM: 9, TipMM: 6, InternodeMM: 25, Usable: wood.Zone{To: 0.5}, BudsPerPiece: 3}
	for name, spoil := range map[string]func(*wood.Stick){
		"no length":     func(s *wood.Stick) { s.LengthMM = 0 },
		"tip over base": func(s *wood.Stick) { s.TipMM = 10 },
		"all blind":     func(s *wood.Stick) { s.BlindShare = 1 },
		"no buds":       func(s *wood.Stick) { s.BudsPerPiece = 0 },
		"endless nodes": func(s *wood.Stick) { s.InternodeMM = 0.001 },
	} {
		s := good
		spoil(&s)
		_, err := s.Of()
		assert.ErrorIs(t, err, wood.ErrStick, name)
	}
}

func TestSticksToCut(t *testing.T) {
	assert.Equal(t, 0, wood.SticksToCut(0, 0.1, 0.1, 3))
	assert.Equal(t, -1, wood.SticksToCut(10, 0.1, 0.1, 0))
	assert.Equal(t, -1, wood.SticksToCut(10, 0.1, 1, 3))
	assert.Equal(t, 41, wood.SticksToCut(100, 0.1, 0.1, 3))
}

func ExampleStick_Of() {
	zone, _ := wood.ZoneOf("lower half")
	y, _ := wood.Stick{LengthMM: 600, BaseMM: 9, TipMM: 5, InternodeMM: 25, Usable: zone, BudsPerPiece: 3}.Of()
	fmt.Printf("%d nodes, %d pieces, from %.1f to %.1f mm\n", y.Nodes, y.Pieces, y.PieceMM[0], y.PieceMM[y.Pieces-1])
	// Output: 12 nodes, 4 pieces, from 9.0 to 7.5 mm
}
