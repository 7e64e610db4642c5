// Package rows keeps the rows of the fields: what stands in them, where there are gaps, on which
// side they are budded, which is next, and how far a crew comes.
package rows

import (
	"context"

	"unionknot/internal/core/rows"
	"unionknot/internal/core/ways"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// LiningOut is stems of a lot to be lined out.
type LiningOut struct {
	Lot     string
	Doing   string // the ledger's word for it
	N       int    // 0: all that are free
	Place   string
	NewCode string // of the lot they become, where not all go
}

// LineOut lines them out, and gives the code of the lot that stands there.
type LineOut func(context.Context, nursery.Actor, LiningOut) (string, error)

// Stage carries out what people do here. Make one with New.
type Stage struct {
	*nursery.Kernel
	lineOut LineOut
}

// New makes the stage.
func New(k *nursery.Kernel, lineOut LineOut) *Stage { return &Stage{k, lineOut} }

// Row is one as it is kept.
type Row = store.FieldRow

// Place is a row's name, as places have it.
func Place(r Row) string { return words.RowPlace(r.Field, r.Number) }

// gapsOf are the gaps of a stand, by plants: all of them, or those that were there before anything
// was budded, beside which tags are laid.
func gapsOf(r Row, stand int64, before bool) (out []int) {
	for _, g := range r.Gaps {
		if g.Stand == stand && !(before && g.Tag != nil) {
			out = append(out, g.At)
		}
	}
	return out
}

// Lacks is how many stems the ledgers of a row's lots have beyond its plants; below zero: fewer.
// What was budded and is gone since is in the ledgers still.
func Lacks(r Row) int {
	n := -Plants(r)
	for _, s := range r.Stands {
		n += s.Stems
	}
	for _, g := range r.Gaps {
		if g.Tag != nil {
			n--
		}
	}
	return n
}

// Plants is how many plants stand in a row by its map.
func Plants(r Row) (n int) {
	for _, s := range r.Stands {
		n += rows.Plants(rows.Stretch{First: s.First, Last: s.Last}, gapsOf(r, s.ID, false))
	}
	return n
}

// Laid is a tag with where along its row it stands.
type Laid struct {
	store.RowTag
	rows.Stretch
}

// LaidOut lays the tags of a row along it, in the order in which they were begun: those that are
// finished take what was grafted, the open ones what they were planned for.
func LaidOut(r Row) (out []Laid) {
	for _, s := range r.Stands {
		var ts []store.RowTag
		var runs []rows.Run
		for _, t := range r.Tags {
			if t.LotID != s.LotID {
				continue
			}
			n := t.Planned
			if !t.Open {
				n = t.Tied
			}
			ts, runs = append(ts, t), append(runs, rows.Run{Stems: n, At: t.First})
		}
		for i, x := range rows.Lay(rows.Stretch{First: s.First, Last: s.Last}, gapsOf(r, s.ID, true), runs) {
			out = append(out, Laid{ts[i], x})
		}
	}
	return out
}

// SideSays is the side that is budded, as somebody has it who walks the row forward, or backward.
type SideSays struct {
	Side     rows.Side
	Bearing  int // that the side looks to
	Any      bool
	NoWind   bool // the house buds to windward, and no wind is noted of the row
	Windward bool
}

// SideOf gives the side of a row that the house buds.
func SideOf(r Row, h ways.House, south, backward bool) SideSays {
	walked := r.Bearing
	if backward {
		walked = (walked + 180) % 360
	}
	switch h.BudSide() {
	case ways.AnySide:
		return SideSays{Any: true}
	case ways.Windward:
		if r.WindFrom == nil {
			return SideSays{NoWind: true}
		}
		return SideSays{Side: rows.SideOf(walked, *r.WindFrom), Bearing: *r.WindFrom, Windward: true}
	}
	to := rows.AwayFromSun(south)
	return SideSays{Side: rows.SideOf(walked, to), Bearing: to}
}

// soilAge is for how many days what was seen of the soil decides. House default.
const soilAge = 7

// SoilOf is how the soil of a row is by what was seen of it in the last days; "" for not known.
func (s *Stage) SoilOf(r Row) rows.Soil {
	if len(r.Soils) == 0 || s.Today().Sub(r.Soils[0].On.Time).Hours()/24 > soilAge {
		return ""
	}
	return rows.Soil(r.Soils[0].Soil)
}
