// Package stages puts the stages together: each is told of the kernel alone, and
// Files is given the lists of the others.
package stages

import (
	"context"
	"log/slog"
	"slices"

	"unionknot/internal/nursery"
	"unionknot/internal/nursery/access"
	"unionknot/internal/nursery/bench"
	"unionknot/internal/nursery/correct"
	"unionknot/internal/nursery/days"
	"unionknot/internal/nursery/files"
	"unionknot/internal/nursery/growon"
	"unionknot/internal/nursery/heal"
	"unionknot/internal/nursery/house"
	"unionknot/internal/nursery/learners"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/orders"
	"unionknot/internal/nursery/places"
	"unionknot/internal/nursery/practice"
	"unionknot/internal/nursery/rehearse"
	"unionknot/internal/nursery/results"
	"unionknot/internal/nursery/rows"
	"unionknot/internal/nursery/season"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/nursery/today"
	"unionknot/internal/nursery/trace"
	"unionknot/internal/nursery/trees"
	"unionknot/internal/nursery/wood"
	"unionknot/internal/store"
)

// The stages under names of their own, so that a Set holds one of each.
type (
	accessStage  = access.Stage
	benchStage   = bench.Stage
	correctStage = correct.Stage
	daysStage    = days.Stage
	filesStage   = files.Stage
	growStage    = growon.Stage
	healStage    = heal.Stage
	houseStage   = house.Stage
	classStage   = learners.Stage
	matchStage   = match.Stage
	ordersStage  = orders.Stage
	placesStage  = places.Stage
	drillStage   = practice.Stage
	playStage    = rehearse.Stage
	resultsStage = results.Stage
	rowsStage    = rows.Stage
	seasonStage  = season.Stage
	stockStage   = stock.Stage
	todayStage   = today.Stage
	traceStage   = trace.Stage
	treesStage   = trees.Stage
	woodStage    = wood.Stage
)

// Set is every stage on one kernel.
type Set struct {
	*nursery.Kernel
	*accessStage
	*benchStage
	*correctStage
	*daysStage
	*filesStage
	*growStage
	*healStage
	*houseStage
	*classStage
	*matchStage
	*ordersStage
	*placesStage
	*drillStage
	*playStage
	*resultsStage
	*rowsStage
	*seasonStage
	*stockStage
	*todayStage
	*traceStage
	*treesStage
	*woodStage
}

// New makes every stage on a migrated database.
func New(ctx context.Context, db *store.DB, log *slog.Logger) (*Set, error) {
	k, err := nursery.Open(ctx, db, log)
	if err != nil {
		return nil, err
	}
	return Of(k), nil
}

// Of makes every stage on a kernel.
func Of(k *nursery.Kernel) *Set {
	s := &Set{
		Kernel:       k,
		accessStage:  access.New(k),
		benchStage:   bench.New(k),
		correctStage: correct.New(k),
		daysStage:    days.New(k),
		growStage:    growon.New(k),
		healStage:    heal.New(k),
		houseStage:   house.New(k),
		classStage:   learners.New(k),
		matchStage: match.New(
			k,
		),
		ordersStage:  orders.New(k),
		placesStage:  places.New(k),
		drillStage:   practice.New(k),
		resultsStage: results.New(k),
		seasonStage:  season.New(k),
		stockStage:   stock.New(k),
		todayStage:   today.New(k),
		traceStage:   trace.New(k),
		treesStage:   trees.New(k),
		woodStage:    wood.New(k),
	}
	s.playStage = rehearse.New(k, s.Woven)
	s.rowsStage = rows.New(k, func(ctx context.Context, a nursery.Actor, l rows.LiningOut) (string, error) {
		return s.MoveStems(ctx, a, l.Lot, stock.Moving{Doing: l.Doing, N: l.N, Place: l.Place, NewCode: l.NewCode})
	})
	s.filesStage = files.New(k, slices.Concat(s.StockLists(), s.WoodLists(), s.OrderLists(), s.PlaceLists(), s.SeasonLists())...)
	return s
}

// AccessStage is the door's stage by itself, for the console.
func (s *Set) AccessStage() *access.Stage { return s.accessStage }
