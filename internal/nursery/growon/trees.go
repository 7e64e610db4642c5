package growon

import (
	"context"
	"slices"
	"strings"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// Asked says which tags' trees are shown together: those of an order, a batch, a place, or some by code.
type Asked struct {
	Order, Batch, Place string
	Codes               []string
}

// TreesPage is trees of several tags, to deliver, sell, grade, move or note as lost in one form.
type TreesPage struct {
	Facts  *snapshot.Snapshot
	Asked  Asked
	Tags   []TreesTag
	Orders []store.Order // open, of the varieties and rootstocks of the tags
	Causes []string      // that a tag among them can be lost to
	Trees  int
}

// TreesTag is a tag of it.
type TreesTag struct {
	outlook.Growing
	Fit bool // to sell, today
}

// TreesTogether gathers them: all tags of which something stands or went.
func (s *Stage) TreesTogether(ctx context.Context, asked Asked) (TreesPage, error) {
	p := TreesPage{Asked: asked}
	f, err := s.Facts(ctx, snapshot.Growing, snapshot.Places, snapshot.Orders)
	if err != nil {
		return p, err
	}
	p.Facts = f
	q := s.DB.Q()
	gs, err := q.TreesOf(ctx, nursery.CleanCode(asked.Order), nursery.CleanCode(asked.Batch), strings.TrimSpace(asked.Place), asked.Codes)
	if err != nil {
		return p, err
	}
	if len(gs) == 0 {
		return p, nil
	}
	with := *f
	with.Growing = gs
	n := outlook.NursingOf(&with)
	for _, g := range n.All() {
		t := TreesTag{Growing: g, Fit: true}
		for _, k := range g.Plan.Knots {
			if k.Name == aftercare.FitToSell {
				t.Fit = n.Today >= k.From
			}
		}
		for _, c := range g.Made.Causes(f.Causes, "") {
			if !slices.Contains(p.Causes, c) {
				p.Causes = append(p.Causes, c)
			}
		}
		p.Trees += g.Standing
		p.Tags = append(p.Tags, t)
	}
	for _, o := range f.Orders {
		if slices.ContainsFunc(gs, func(g store.GrowTag) bool {
			return g.Variety == o.Variety && g.Genus == o.Genus && g.StockType == o.StockType && g.StockGenus == o.StockGenus
		}) {
			p.Orders = append(p.Orders, o)
		}
	}
	return p, nil
}
