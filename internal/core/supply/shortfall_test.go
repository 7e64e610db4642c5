package supply_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/supply"
)

func TestAShortOrderIsShortForOneReason(t *testing.T) {
	for name, x := range map[string]struct {
		short, stems, pieces int
		open, fits           bool
		is                   supply.Shortfall
	}{
		"nothing":              {0, 0, 0, false, false, ""},
		"a technique first":    {5, 0, 0, false, false, supply.NothingOpen},
		"stock before wood":    {5, 0, 0, true, false, supply.NoStems},
		"wood":                 {5, 9, 0, true, false, supply.NoPieces},
		"nothing fits":         {5, 9, 9, true, false, supply.NothingFits},
		"what fits is used up": {5, 9, 9, true, true, supply.UsedUp},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, x.is, supply.ShortfallOf(x.short, x.open, x.stems, x.pieces, x.fits))
		})
	}
}
