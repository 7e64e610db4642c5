package correct

import (
	"context"
	"slices"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

type batches struct{ *Stage }

func (s batches) read(ctx context.Context, q store.Q, ref string) (Thing, error) {
	b, err := q.BatchByCode(ctx, nursery.CleanCode(ref))
	if err != nil {
		return Thing{}, err
	}
	if err := (nursery.Hold{Batches: []int64{b.ID}}).In(ctx, q); err != nil {
		return Thing{}, err
	}
	if b, err = q.BatchByCode(ctx, b.Code); err != nil {
		return Thing{}, err
	}
	if b.UndoneAt != nil {
		return Thing{}, nursery.ErrNotFound
	}
	f, err := s.FactsIn(ctx, q)
	if err != nil {
		return Thing{}, err
	}
	var ties, heals []string
	for _, t := range f.OfferedTies(b.Tie) {
		ties = append(ties, t.Name)
	}
	for _, h := range f.OfferedHealing(b.Healing) {
		heals = append(heals, h.Name)
	}
	heal := b.Healing
	if i := slices.IndexFunc(f.Healing, func(h store.HealingWay) bool { return h.Key == b.Healing }); i >= 0 {
		heal = f.Healing[i].Name
	}
	return Thing{Kind: "batch", Ref: b.Code, Title: b.Code, Says: words.BatchCorrection, Fields: []Field{
		{Key: "tie", Type: "select", Options: ties, Value: b.TieName},
		{Key: "healing", Type: "select", Options: heals, Value: heal},
	}}, nil
}

func (s batches) write(ctx context.Context, q store.Q, _ nursery.Actor, ref string, v *values) error {
	b, err := q.BatchByCode(ctx, nursery.CleanCode(ref))
	if err != nil {
		return err
	}
	f, err := s.FactsIn(ctx, q)
	if err != nil {
		return err
	}
	for _, t := range f.Ties {
		if t.Name == v.typed["tie"] {
			b.Tie = t.Key
		}
	}
	for _, h := range f.Healing {
		if h.Name == v.typed["healing"] {
			b.Healing = h.Key
		}
	}
	return q.CorrectBatch(ctx, b.ID, b.Tie, b.Healing)
}
