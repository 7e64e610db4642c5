package wood

import (
	"context"
	"strings"
	"time"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// WoodLists are the lists of this stage that a file can be loaded into.
func (s *Stage) WoodLists() []nursery.List {
	return []nursery.List{
		{Kind: "plants", Read: s.readPlants, Rows: s.plantRows},
		{Kind: "bundles", Read: s.readBundles, Rows: s.bundleRows},
	}
}

func (s *Stage) plantRows(ctx context.Context, q store.Q, row func(...any) error) error {
	after := ""
	for {
		ps, err := q.Plants(ctx, store.Sieve{}, after, 500)
		if err != nil || len(ps) == 0 {
			return err
		}
		for _, p := range ps {
			if err := row("code", p.Code, "genus", p.Genus, "variety", p.Variety, "place", p.Place, "planted_year",
				nursery.OrEmpty(p.PlantedYear), "seen_true_by", p.SeenTrueBy,
				"seen_true_on", nursery.IsoDay(p.SeenTrueOn), "health", p.Health, "licence", p.Licence); err != nil {
				return err
			}
			after = p.Code
		}
	}
}

func (s *Stage) bundleRows(ctx context.Context, q store.Q, row func(...any) error) error {
	return nursery.Pages(func(after int64) (int64, error) {
		bs, err := q.Bundles(ctx, after, 500)
		for _, b := range bs {
			if err := row("code", b.Code, "plant", b.Plant, "cut_on", b.CutOn.Format(time.DateOnly), "sticks", b.Sticks, "length_mm",
				b.LengthMM, "base_mm", b.BaseMM, "tip_mm", b.TipMM,
				"internode_mm", b.InternodeMM, "buds_per_piece", b.BudsPerPiece, "whole_shoot", nursery.YesNo(b.WholeShoot), "state",
				b.State, "blind_pct", nursery.Round3(b.BlindShare*100), "place", b.Place); err != nil {
				return 0, err
			}
			after = b.ID
		}
		return nursery.LastOf(len(bs), after), err
	})
}

func (s *Stage) readPlants(ctx context.Context, q store.Q, l *nursery.Loading, t *exchange.Table) error {
	genera, err := s.KnownGenera(ctx, q)
	if err != nil {
		return err
	}
	known, err := q.PlantsByCodes(ctx, nursery.Codes(t, "code"))
	if err != nil {
		return err
	}
	add := nursery.Batch(l, s.addPlants)
	return l.Rows(ctx, t, func(c *exchange.Cells) error {
		r := c.Row
		n := NewPlant{
			Code:        r.Cell("code"),
			Genus:       strings.ToLower(r.Cell("genus")),
			Variety:     r.Cell("variety"),
			Place:       r.Cell("place"),
			SeenTrueBy:  r.Cell("seen_true_by"),
			Health:      r.Cell("health"),
			Licence:     r.Cell("licence"),
			PlantedYear: c.Int("planted_year"),
			SeenTrueOn:  c.Date("seen_true_on"),
		}
		nursery.SpoilAll(c, n.check(genera))
		l.Twice(c, n.Code)
		h, here := known[n.Code]
		l.Sort(c, here, func() []nursery.Difference {
			return nursery.Differs(
				"genus", h.Genus, n.Genus,
				"variety", strings.ToLower(h.Variety), strings.ToLower(n.Variety),
				"place", h.Place, n.Place,
				"planted_year", nursery.Deref(h.PlantedYear), n.PlantedYear,
				"seen_true_by", h.SeenTrueBy, n.SeenTrueBy,
				"seen_true_on", nursery.Deref(h.SeenTrueOn), n.SeenTrueOn,
				"health", h.Health, n.Health,
				"licence", h.Licence, n.Licence,
			)
		}, func() { add(c.Line, n.Code, n) })
		return nil
	})
}

func (s *Stage) readBundles(ctx context.Context, q store.Q, l *nursery.Loading, t *exchange.Table) error {
	known, err := q.BundlesByCodes(ctx, nursery.Codes(t, "code"))
	if err != nil {
		return err
	}
	plants, err := q.PlantsByCodes(ctx, nursery.Codes(t, "plant"))
	if err != nil {
		return err
	}
	add := nursery.Batch(l, func(ctx context.Context, q store.Q, a nursery.Actor, ns []NewBundle) error {
		for _, n := range ns {
			if err := s.addBundle(ctx, q, a, n); err != nil {
				return err
			}
		}
		return nil
	})
	return l.Rows(ctx, t, func(c *exchange.Cells) error {
		r := c.Row
		n := NewBundle{
			Code:         r.Cell("code"),
			Plant:        r.Cell("plant"),
			State:        strings.ToLower(r.Cell("state")),
			Place:        r.Cell("place"),
			CutOn:        c.Date("cut_on"),
			Sticks:       c.Int("sticks"),
			LengthMM:     c.Number("length_mm"),
			BaseMM:       c.Number("base_mm"),
			TipMM:        c.Number("tip_mm"),
			InternodeMM:  c.Number("internode_mm"),
			BlindPct:     c.Number("blind_pct"),
			BudsPerPiece: c.Int("buds_per_piece"),
		}
		n.Whole = outlook.IsWhole(strings.ToLower(r.Cell("whole_shoot")), n.LengthMM)
		if n.State == "" {
			n.State = "resting"
		}
		nursery.SpoilAll(c, n.check(s.Today()))
		l.Twice(c, n.Code)
		if _, ok := plants[n.Plant]; n.Plant != "" && !ok {
			c.Spoil("plant", words.NoMotherPlantIsCalled, n.Plant)
		}
		h, here := known[n.Code]
		l.Sort(c, here, func() []nursery.Difference {
			return nursery.Differs(
				"plant", h.Plant, n.Plant,
				"cut_on", h.CutOn, n.CutOn,
				"state", h.State, n.State,
				"sticks", h.Sticks, n.Sticks,
				"length_mm", h.LengthMM, n.LengthMM,
				"base_mm", h.BaseMM, n.BaseMM,
				"tip_mm", h.TipMM, n.TipMM,
				"internode_mm", h.InternodeMM, n.InternodeMM,
				"blind_pct", nursery.Round3(h.BlindShare*100), nursery.Round3(n.BlindPct),
				"buds_per_piece", h.BudsPerPiece, n.BudsPerPiece,
				"place", h.Place, n.Place,
				"whole_shoot", h.WholeShoot, n.Whole,
			)
		}, func() { add(c.Line, n.Code, n) })
		return nil
	})
}
