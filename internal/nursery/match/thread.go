package match

import (
	"errors"
	"strconv"
	"strings"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
)

// ThreadText writes a thread as it stands in addresses.
func ThreadText(t pairing.Thread) string {
	return strings.Join(
		[]string{t.Order, t.Lot, strconv.Itoa(int(t.Stock)), t.Bundle, strconv.Itoa(int(t.Scion)), t.Way, strconv.Itoa(t.N)},
		"~",
	)
}

// ThreadOf reads a thread from an address; false when it is none.
func ThreadOf(s string) (pairing.Thread, bool) {
	f := strings.Split(s, "~")
	if len(f) != 7 {
		return pairing.Thread{}, false
	}
	stock, err1 := strconv.Atoi(f[2])
	scion, err2 := strconv.Atoi(f[4])
	n, err3 := strconv.Atoi(f[6])
	if errors.Join(err1, err2, err3) != nil || stock < 0 || scion < 0 || n < 0 || n > 1_000_000 || stock > 400 || scion > 400 {
		return pairing.Thread{}, false
	}
	return pairing.Thread{
		Order:  f[0],
		Lot:    f[1],
		Stock:  caliper.Class(stock),
		Bundle: f[3],
		Scion:  caliper.Class(scion),
		Way:    f[5],
		N:      n,
	}, true
}
