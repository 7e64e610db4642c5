package nursery_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/season"
)

func TestThreadsStandInAddressesAsTheyAre(t *testing.T) {
	for _, x := range []pairing.Thread{{}, {Order: "O-1", Lot: "L-1", Stock: 17, Bundle: "W-1", Scion: 16, Way: "whip-and-tongue", N: 40}} {
		got, ok := match.ThreadOf(match.ThreadText(x))
		require.True(t, ok)
		assert.Equal(t, x, got)
	}
}

func FuzzThreadOf(f *testing.F) {
	f.Add("O-1~L-1~17~W-1~16~splice~3")
	f.Add("~~~~~~")
	f.Add("a~b~-1~c~2~d~3")
	f.Fuzz(func(t *testing.T, s string) {
		x, ok := match.ThreadOf(s)
		if !ok {
			return
		}
		if x.N < 0 || x.Stock < 0 || x.Scion > caliper.Class(400) {
			t.Fatalf("%q gives %+v", s, x)
		}
		if again, ok := match.ThreadOf(match.ThreadText(x)); !ok || again != x {
			t.Fatalf("%q gives %+v, and that %+v", s, x, again)
		}
	})
}

func FuzzParseUsual(f *testing.F) {
	for _, s := range []string{"5 March", "29 Feb", "02-30", "", "31 June", "5 March 2027"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		m, d, err := season.ParseUsual(s)
		if err == nil && (m < 1 || m > 12 || d < 1 || d > 31) {
			t.Fatalf("%q gives day %d of month %d", s, d, m)
		}
	})
}
