package wood

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Collect works out what to cut for the open orders: so many sticks of each
// mother plant, and what to look for.
func (s *Stage) Collect(ctx context.Context, asked outlook.CollectAsked) (outlook.Collection, error) {
	f, err := s.Facts(ctx, snapshot.Orders, snapshot.Piles, snapshot.Mothers)
	if err != nil {
		return outlook.Collection{}, err
	}
	orders, _, err := s.Reckon.OrderLines(ctx, f, &outlook.WhatIf{})
	if err != nil {
		return outlook.Collection{}, err
	}
	c, err := outlook.Collect(f, orders, asked)
	if errors.Is(err, outlook.ErrCollect) {
		return c, nursery.Problem{Says: words.Capital(err.Error()) + "."}
	} else if err != nil {
		return c, err
	}
	labels, err := s.DB.Q().WoodLabels(ctx)
	if err != nil {
		return c, err
	}
	c.Label(labels)
	c.AddSpent(f)
	return c, nil
}

// ReserveLabels gives every plant of a collection a code for its wood, which is
// its own until the wood is keyed in or the label dropped. A plant whose label
// waits already keeps it.
func (s *Stage) ReserveLabels(ctx context.Context, a nursery.Actor, asked outlook.CollectAsked) (outlook.Collection, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return outlook.Collection{}, err
	}
	c, err := s.Collect(ctx, asked)
	if err != nil || !slices.ContainsFunc(c.Lines, func(l outlook.CollectLine) bool { return l.Bundle == "" && l.Sticks > 0 }) {
		return c, err
	}
	err = s.DB.Tx(ctx, func(q store.Q) error {
		if err := q.LockLabels(ctx); err != nil {
			return err
		}
		labels, err := q.WoodLabels(ctx)
		if err != nil {
			return err
		}
		c.Label(labels) // of somebody who printed meanwhile
		highest, err := q.HighestBundle(ctx)
		if err != nil {
			return err
		}
		var more []store.WoodLabel
		for _, l := range c.Lines {
			if l.Bundle == "" && l.Sticks > 0 {
				highest++
				more = append(more, store.WoodLabel{Code: fmt.Sprintf("W-%d", highest), PlantID: l.Plant.ID, Plant: l.Plant.Code,
					Variety: l.Plant.Variety, Genus: l.Plant.Genus, Place: l.Plant.Place, Sticks: l.Sticks, Buds: l.Buds, PersonID: a.ID,
					At: s.Now()})
			}
		}
		if err := q.AddWoodLabels(ctx, more); err != nil {
			return err
		}
		c.Label(append(labels, more...))
		done := make([]nursery.Change, len(more))
		for i, l := range more {
			done[i] = nursery.Change{What: "label", Ref: l.Code, Doing: "printed", After: map[string]any{"plant": l.Plant,
				"sticks": l.Sticks}}
		}
		return s.ChangedAll(ctx, q, a, done...)
	})
	return c, err
}

// KeepLabel lets a label wait again that was dropped.
func (s *Stage) KeepLabel(ctx context.Context, a nursery.Actor, code string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		code := nursery.CleanCode(code)
		kept, err := q.KeepWoodLabel(ctx, code, s.Now().Add(-nursery.BackWithin))
		if err != nil || !kept {
			return err
		}
		return s.Changed(ctx, q, a, "label", code, "waits again", nil, nil)
	})
}

// DropLabel drops a label whose wood is not cut after all. Its code is given to
// nothing else.
func (s *Stage) DropLabel(ctx context.Context, a nursery.Actor, code string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		l, err := q.WoodLabel(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if dropped, err := q.EndWoodLabel(ctx, l.Code, 0, s.Now()); err != nil || !dropped {
			return err
		}
		return s.Changed(ctx, q, a, "label", l.Code, "dropped", l.Plant, nil)
	})
}
