package correct

import (
	"context"
	"errors"
	"strconv"

	"unionknot/internal/core/wood"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

type plants struct{ *Stage }

func (s plants) read(ctx context.Context, q store.Q, ref string) (Thing, error) {
	p, err := q.PlantByCode(ctx, nursery.CleanCode(ref))
	if err != nil {
		return Thing{}, err
	}
	if err := q.LockPlant(ctx, p.ID); err != nil {
		return Thing{}, err
	}
	if p, err = q.PlantByCode(ctx, p.Code); err != nil {
		return Thing{}, err
	}
	used, err := q.PlantUsed(ctx, p.ID)
	if err != nil {
		return Thing{}, err
	}
	genera, err := generaOf(ctx, q)
	if err != nil {
		return Thing{}, err
	}
	year := ""
	if p.PlantedYear != nil {
		year = strconv.Itoa(*p.PlantedYear)
	}
	t := Thing{Kind: "plant", Ref: p.Code, Title: p.Code, Says: words.WoodCorrection, Fields: []Field{
		{Key: "genus", Type: "select", Options: genera, Value: p.Genus},
		{Key: "variety", Type: "text", Value: p.Variety},
		{Key: "place", Type: "text", Value: p.Place},
		{Key: "planted_year", Type: "number", Value: year},
		{Key: "seen_true_by", Type: "text", Value: p.SeenTrueBy},
		{Key: "seen_true_on", Type: "date", Value: isoDay(nursery.Deref(p.SeenTrueOn))},
		{Key: "health", Type: "text", Value: p.Health},
		{Key: "licence", Type: "text", Value: p.Licence},
	}}
	ifFixed(used, words.PlantIsUsed, []string{"genus", "variety"}, t.Fields)
	return t, nil
}

func (s plants) write(ctx context.Context, q store.Q, _ nursery.Actor, ref string, v *values) error {
	p, err := q.PlantByCode(ctx, nursery.CleanCode(ref))
	if err != nil {
		return err
	}
	variety := v.text("variety", 60, true)
	p.Place, p.Health, p.Licence, p.SeenTrueBy = v.text("place", 80, false), v.text("health", 300, false), v.text("licence", 300, false),
		v.text("seen_true_by", 60, false)
	if p.PlantedYear = nil; v.typed["planted_year"] != "" {
		year := v.whole("planted_year", 1800, v.today.Year())
		p.PlantedYear = &year
	}
	seen := v.day("seen_true_on", true)
	v.past("seen_true_on", seen)
	if p.SeenTrueOn = nil; !seen.IsZero() {
		p.SeenTrueOn = &seen
	}
	if (p.SeenTrueBy == "") != seen.IsZero() {
		v.spoil("seen_true_by", words.SeenNeedsBoth)
	}
	if err := v.ps.Err(); err != nil {
		return err
	}
	if v.changed("variety", "genus") {
		if p.VarietyID, err = q.VarietyFor(ctx, variety, v.typed["genus"]); err != nil {
			return err
		}
	}
	return q.CorrectPlant(ctx, p)
}

type bundles struct{ *Stage }

// measured are the fields by which a bundle's pieces are counted, and whose they are.
var measured = []string{"plant", "state", "sticks", "length_mm", "base_mm", "tip_mm", "internode_mm", "blind_pct", "buds_per_piece"}

func (s bundles) read(ctx context.Context, q store.Q, ref string) (Thing, error) {
	b, err := q.BundleByCode(ctx, nursery.CleanCode(ref))
	if err != nil {
		return Thing{}, err
	}
	if err := (nursery.Hold{Bundles: []int64{b.ID}}).In(ctx, q); err != nil {
		return Thing{}, err
	}
	if b, err = q.BundleByCode(ctx, b.Code); err != nil {
		return Thing{}, err
	}
	used, err := q.BundleUsed(ctx, b.ID)
	if err != nil {
		return Thing{}, err
	}
	t := Thing{Kind: "bundle", Ref: b.Code, Title: b.Code, Says: words.WoodCorrection, Fields: []Field{
		{Key: "plant", Type: "text", Value: b.Plant},
		{Key: "cut_on", Type: "date", Value: isoDay(b.CutOn)},
		{Key: "state", Type: "select", Options: outlook.WoodStates, Value: b.State},
		{Key: "sticks", Type: "number", Value: strconv.Itoa(b.Sticks)},
		{Key: "length_mm", Type: "number", Value: figure(b.LengthMM)},
		{Key: "base_mm", Type: "number", Value: figure(b.BaseMM)},
		{Key: "tip_mm", Type: "number", Value: figure(b.TipMM)},
		{Key: "internode_mm", Type: "number", Value: figure(b.InternodeMM)},
		{Key: "blind_pct", Type: "number", Value: figure(nursery.Round3(b.BlindShare * 100))},
		{Key: "buds_per_piece", Type: "number", Value: strconv.Itoa(b.BudsPerPiece)},
		{Key: "part", Type: "select", Options: wood.Parts, Value: b.Part},
		{Key: "place", Type: "text", Value: b.Place, Fixed: words.BundleMovesAlone},
		{Key: "pieces", Type: "number", Value: strconv.Itoa(b.Pieces), Fixed: words.PiecesFollow},
	}}
	ifFixed(used, words.BundleIsUsed, measured, t.Fields)
	return t, nil
}

func (s bundles) write(ctx context.Context, q store.Q, a nursery.Actor, ref string, v *values) error {
	was, err := q.BundleByCode(ctx, nursery.CleanCode(ref))
	if err != nil {
		return err
	}
	b := was
	if v.changed("plant") {
		p, err := q.PlantByCode(ctx, nursery.CleanCode(v.typed["plant"]))
		if errors.Is(err, nursery.ErrNotFound) {
			v.spoil("plant", words.NoSuchPlant)
		} else if err != nil {
			return err
		}
		b.PlantID = p.ID
	}
	b.CutOn = v.day("cut_on", false)
	v.past("cut_on", b.CutOn)
	b.State, b.Part = v.typed["state"], v.typed["part"]
	if v.changed(measured...) {
		b.Sticks = v.whole("sticks", 1, 100_000)
		b.LengthMM = v.number("length_mm", 20, 5000, false)
		b.BaseMM, b.TipMM = v.number("base_mm", 1, 80, false), v.number("tip_mm", 0.5, 80, false)
		b.InternodeMM, b.BlindShare = v.number("internode_mm", 2, 500, false), v.number("blind_pct", 0, 95, false)/100
		b.BudsPerPiece = v.whole("buds_per_piece", 1, 6)
		if b.TipMM > b.BaseMM {
			v.spoil("tip_mm", words.TipThicker)
		}
	}
	if err := v.ps.Err(); err != nil {
		return err
	}
	if v.changed(measured...) {
		face, err := q.HouseWay(ctx, outlook.WayFace)
		if err != nil {
			return err
		}
		b.FaceBuds = outlook.Cut{LengthMM: b.LengthMM, BaseMM: b.BaseMM, TipMM: b.TipMM, InternodeMM: b.InternodeMM,
			BlindPct: b.BlindShare * 100, BudsPerPiece: b.BudsPerPiece, Whole: b.WholeShoot}.FaceBuds(outlook.FaceWay(face))
		_, y, err := outlook.YieldOf(b)
		if err != nil {
			return nursery.Problem{Field: "length_mm", Says: words.Capital(err.Error()) + "."}
		}
		b.Pieces = y.Pieces * b.Sticks
	}
	if err := q.CorrectBundle(ctx, was, b); err != nil {
		return err
	}
	return moved(q.MoveWood(ctx, diff(b.ID, b.Pieces-was.Pieces, a, s.Stage)...), "sticks")
}
