package outlook

import (
	"strings"

	"unionknot/internal/core/union"
	"unionknot/internal/store"
)

// FaceWay reads the house's way to cut a slant face.
func FaceWay(w store.HouseWay) union.Face {
	if strings.HasPrefix(w.Chosen, "short") {
		return union.Short
	}
	return union.Long
}

// The questions on which growers differ that are asked here, by their keys.
const (
	WayFace   = "cut face length"
	WayLay    = "laying a thinner scion"
	WayUsable = "usable part of the shoot"
	waySeal   = "scion tip at cutting"
)

// LayWay reads the house's way to lay a thinner scion.
func LayWay(w store.HouseWay) union.Lay {
	switch {
	case strings.HasPrefix(w.Chosen, "tilted"):
		return union.Tilted
	case strings.HasPrefix(w.Chosen, "centred"):
		return union.Centred
	}
	return union.Flush
}
